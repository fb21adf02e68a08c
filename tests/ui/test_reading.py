"""Taking a take down in the real interface: notes while they are played, the Read line, doubts, the strip, taps."""

from __future__ import annotations

import itertools
import json
import random
import re
import signal
from fractions import Fraction as F
from typing import Any

import music21
import pytest
from playwright.sync_api import Locator, Page, expect

from ductus.core.capture.takes import PlayedNote
from tests.building import midi_of
from tests.core.reading.test_like_doubts import inner_voice
from tests.ui.conftest import Server
from tests.ui.desk import (
    begin,
    centre,
    colour_at,
    drag,
    exported,
    opened,
    play_through,
    play_until,
    press,
    says,
    to_shelf,
)

pytestmark = pytest.mark.own_page
RECORD = re.compile("^Record")


def record(page: Page, programme: str) -> None:
    """Choose the way of working and let the rehearsal keyboard play, on a clock that the test moves."""
    page.clock.install()
    page.get_by_role("button", name=re.compile("^way of working")).click()
    page.get_by_role("menuitemradio", name=RECORD).click()
    page.get_by_test_id("hearing").click()
    page.get_by_role("menuitem", name=re.compile(f"{programme}.*record this")).click()


def choose(page: Page, phrase: str, label: str | re.Pattern[str]) -> None:
    page.get_by_test_id("line").get_by_role("button", name=re.compile(f"^{phrase}")).click()
    page.get_by_role("menuitemradio", name=label).click()


def play_freely(page: Page) -> None:
    """No click, by the form of its phrase."""
    page.get_by_test_id("line").get_by_role("button", name=re.compile("^click")).click()
    page.get_by_role("radio", name=re.compile("freely")).click()
    page.keyboard.press("Escape")


def strip_of(server: Server, piece: str, reading: str) -> dict[str, Any]:
    found: dict[str, Any] = json.loads(server.get(f"/api/pieces/{piece}/readings/{reading}/strip"))
    return found


@pytest.fixture
def waltz_taken(page: Page) -> str:
    """The waltz, recorded with the click; notes stand on the page before the playing is over."""
    piece = begin(page, "Taken down", "3/4", "G minor", 96)
    record(page, "Lock Gate Waltz, bars")
    play_until(page, page.locator(".system g.note[id^='live']").nth(12), 11_000)
    expect(page.get_by_test_id("record")).to_have_text("Stop recording")  # they are there while it still goes on
    play_through(page)
    expect(page.get_by_test_id("strip")).to_be_visible()
    expect(page.locator(".system g.note[id^='live']")).to_have_count(0)
    return piece


def is_seen_washed(page: Page) -> None:
    """The first doubt is washed, and nothing covers the wash.

    Beside its notes it has another colour than the paper beside it.
    """
    wash = page.get_by_test_id("washes").locator("[data-doubt]").first
    expect(wash).to_be_visible()
    wash.scroll_into_view_if_needed()
    for _ in range(20):  # the window is drawn a moment after it was laid out
        box = wash.bounding_box()
        assert box
        inside, beside = (colour_at(page, box["x"] + by, box["y"] + box["height"] - 3) for by in (3, -4))
        if inside != beside:
            return
        page.wait_for_timeout(100)
    raise AssertionError(f"the wash at {box} cannot be seen: {inside}")


def test_a_doubt_is_decided_with_its_like_places_and_undone_with_them(page: Page, server: Server) -> None:
    to_shelf(page)
    data = midi_of(inner_voice(), 100, (4, 4))
    page.get_by_label("Files to import").set_input_files(
        {"name": "Inner voice.mid", "mimeType": "audio/midi", "buffer": data}
    )
    piece = opened(page)
    page.get_by_test_id("take").get_by_role("button", name="How it was read").click()
    expect(page.get_by_test_id("doubt-in-hand")).to_have_count(1)
    before = exported(server, piece)
    press(page, "v")  # the second one
    press(page, "x")
    says(page, re.compile(r"F 4 in the right hand, and in \d+ like places"))
    assert exported(server, piece) != before
    press(page, "Control+z")
    says(page, "Undone")
    assert exported(server, piece) == before


@pytest.mark.own_server
def test_doubts_are_washed_named_swapped_accepted_by_one_key_each_and_outlive_a_kill(
    page: Page, server: Server, waltz_taken: str
) -> None:
    expect(page.get_by_test_id("line")).to_contain_text(
        "Read take 1 from bar 1, beat 1, in 3/4, in G minor, on average"
    )
    in_hand = page.get_by_test_id("doubt-in-hand")
    expect(in_hand).to_have_count(1)
    left = page.get_by_test_id("doubt").count() + 1
    expect(page.get_by_test_id("take")).to_contain_text(f"{left} doubts left")
    is_seen_washed(page)
    press(page, "Shift+F9")
    expect(page.get_by_role("region", name="page 1")).to_be_visible()
    is_seen_washed(page)
    press(page, "Shift+F9")
    expect(page.get_by_role("region", name="page 1")).to_have_count(0)
    first = in_hand.get_attribute("aria-label")
    before = exported(server, waltz_taken)
    press(page, "v")
    says(page, f"Doubt 2 of {left}")
    press(page, "Shift+V")
    says(page, f"Doubt 1 of {left}")
    expect(in_hand.get_by_role("radio").first).to_be_checked()
    press(page, "x")
    expect(in_hand.get_by_role("radio").nth(1)).to_be_checked()
    assert exported(server, waltz_taken) != before
    in_hand.get_by_role("radio").first.click()
    expect(in_hand.get_by_role("radio").first).to_be_checked()
    assert exported(server, waltz_taken) == before
    press(page, "c")
    says(page, "accepted")
    expect(page.get_by_test_id("take")).to_contain_text(f"{left - 1} doubts left")
    expect(in_hand).not_to_have_attribute("aria-label", first or "")
    server.stop(signal.SIGKILL)
    server.start()
    page.reload()
    expect(page.get_by_test_id("take")).to_contain_text(f"{left - 1} doubts left", timeout=15_000)
    page.get_by_role("button", name="How it was read").click()
    expect(page.get_by_test_id("strip")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Accept all")).click()
    expect(page.get_by_test_id("take")).to_contain_text("no doubt left")
    press(page, "Control+z", "Control+z")
    expect(page.get_by_test_id("take")).to_contain_text(f"{left} doubts left")


def test_the_whole_take_and_a_selection_are_read_again_and_corrections_by_hand_stay(
    page: Page, server: Server, waltz_taken: str
) -> None:
    before = exported(server, waltz_taken)
    assert any(length == 0.5 for _, length, *_ in before)
    page.locator(".system g.note .notehead").nth(4).click()
    press(page, "Delete")
    says(page, "1 note deleted")
    press(page, "Escape")
    choose(page, "shortest value", "quarters")
    says(page, "Take read again: down to quarters")
    coarse = exported(server, waltz_taken)
    assert all(length.denominator == 1 for _, length, *_ in coarse)
    assert len(coarse) == len(before) - 1  # what was deleted by hand is not written again
    press(page, "Control+z")
    says(page, "Undone: Take read again")
    page.locator("g.measure[id^='b1-'] g.note .notehead").first.click()
    press(page, "b")
    page.get_by_role("button", name="More", exact=True).click()
    page.get_by_role("button", name=re.compile("read the playing again")).click()
    page.get_by_role("menuitemradio", name="down to quarters", exact=True).click()
    says(page, "notes read again: down to quarters")
    mixed = exported(server, waltz_taken)
    assert all(length.denominator == 1 for onset, length, *_ in mixed if 3 <= onset < 6)
    assert any(length == 0.5 for onset, length, *_ in mixed if onset >= 6)


def test_a_bar_line_on_the_strip_is_moved_by_keys_and_by_dragging(page: Page, server: Server, waltz_taken: str) -> None:
    third = page.get_by_role("slider", name="Bar line of bar 3")
    at = float(third.get_attribute("aria-valuenow") or 0)
    third.focus()
    press(page, "ArrowRight")
    expect(third).to_have_attribute("aria-valuenow", str(round(at + 10)))
    expect(third).to_have_attribute("aria-valuetext", re.compile("set by hand"))
    third.focus()
    press(page, "Delete")
    expect(third).to_have_attribute("aria-valuenow", str(round(at)))
    box = third.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 12)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 + 12, box["y"] + 12, steps=4)
    page.mouse.up()
    expect(third).to_have_attribute("aria-valuetext", re.compile("set by hand"))
    moved = float(third.get_attribute("aria-valuenow") or 0)
    assert moved > at + 60
    second = page.get_by_role("slider", name="Bar line of bar 2")
    assert abs(float(second.get_attribute("aria-valuenow") or 0) - (at - 1875)) < 2  # 3 quarters at 96 last 1.875 s
    press(page, "Control+z")
    expect(third).to_have_attribute("aria-valuenow", str(round(at)))
    third.focus()
    press(page, "PageDown")  # to another beat of the click: what is to become of the bars is asked
    asked = page.get_by_test_id("which-moves")
    expect(asked.get_by_role("button", name="the bar before takes another meter")).to_be_focused()
    press(page, "Enter")
    expect(asked).to_have_count(0)

    def bars_of_four() -> int:
        return server.get(f"/api/pieces/{waltz_taken}/export.musicxml").count(b"<beats>4</beats>")

    for _ in range(100):  # the take is read anew first, which no sign on the screen tells from the sheet before
        if bars_of_four():
            break
        page.wait_for_timeout(100)
    assert bars_of_four() == 1
    press(page, "Control+z")
    says(page, "Undone")
    assert bars_of_four() == 0


def test_the_strip_is_made_higher_by_its_edge_and_stays_so(page: Page, server: Server, waltz_taken: str) -> None:
    strip, edge = page.get_by_test_id("strip"), page.get_by_test_id("strip-edge")
    before, sheet = height(strip), height(page.locator("main"))
    x, y = centre(edge)
    drag(page, (x, y), (0, -80))
    expect(edge).to_have_attribute("aria-valuenow", "220")
    assert height(strip) == pytest.approx(before + 80, abs=2)
    assert height(page.locator("main")) < sheet
    assert page.evaluate("JSON.parse(localStorage['ductus.strip']).state.height") == 220
    edge.focus()
    press(page, "ArrowDown", "ArrowDown")
    expect(edge).to_have_attribute("aria-valuenow", "180")
    edge.dblclick()
    expect(edge).to_have_attribute("aria-valuenow", "140")


def height(drawn: Locator) -> float:
    box = drawn.bounding_box()
    assert box
    return box["height"]


def test_what_is_played_freely_gets_bars_a_tempo_and_rival_readings(page: Page, server: Server) -> None:
    piece = begin(page, "Freely")
    choose(page, "way of working", RECORD)
    play_freely(page)
    expect(page.get_by_test_id("line")).to_contain_text("freely, without a click")
    record(page, "Otter at the Tiller")
    says(page, "play freely")
    play_through(page)
    expect(page.get_by_test_id("strip")).to_be_visible(timeout=60_000)
    line = page.get_by_test_id("line")
    expect(line).to_contain_text("How does it go?")
    page.get_by_role("button", name="ask no more").click()
    expect(line).to_contain_text("first of 3 readings")
    line.get_by_role("button", name=re.compile("^reading of the whole")).click()
    options = page.get_by_role("menuitemradio")
    expect(options).to_have_count(3)
    assert len(set(options.all_text_contents())) == 3
    options.nth(1).click()
    expect(line).to_contain_text("second of 3 readings")
    press(page, "Control+z")
    expect(line).to_contain_text("first of 3 readings")
    choose(page, "meter", "6/8")
    expect(line).to_contain_text("in 6/8")
    assert "<beats>6</beats>" in server.get(f"/api/pieces/{piece}/export.musicxml").decode()
    choose(page, "tempo", "about 96 quarters a minute")
    line.get_by_role("button", name=re.compile("^reading of the whole")).click()
    expect(options).to_have_count(3)
    assert len(set(options.all_text_contents())) == 3  # of one meter, and told apart all the same
    press(page, "Escape")
    page.get_by_role("button", name="Tap its beats").click()
    tapping = page.get_by_test_id("tapping")
    for beats in range(1, 5):
        page.wait_for_timeout(420)
        press(page, "Enter")
        expect(tapping).to_contain_text(f"{beats} beat")
    press(page, "Escape")
    says(page, "Bars follow the tapped beats")
    expect(line).to_contain_text("tapped")
    press(page, "Control+z")
    expect(line).not_to_contain_text("tapped")


def test_ornaments_are_written_as_signs_where_nothing_allowed_holds_them_and_are_decided_like_doubts(
    page: Page, server: Server
) -> None:
    """Trills and grace notes are signs at once, and one can be had note by note by X.

    A rolled chord is offered its sign; the file follows, and undo.
    """
    piece = begin(page, "Crane", "4/4", bpm=84)
    record(page, "Dance of the Paper Crane")
    play_through(page)
    expect(page.get_by_test_id("strip")).to_be_visible(timeout=60_000)
    expect(page.get_by_test_id("take")).to_contain_text("written as signs: 3 grace notes, 3 trills and 1 turn")
    expect(page.locator(".system g.trill")).to_have_count(3)
    expect(page.locator(".system g.flag")).to_have_count(3)  # all else is quarters and longer

    def exported(*marks: str) -> list[int]:
        data = server.get(f"/api/pieces/{piece}/export.musicxml").decode()
        return [data.count(m) for m in marks]

    assert exported("<trill-mark", "<arpeggiate/>", "<grace slash", "<note") == [3, 0, 3, 46]
    asked = re.compile("a trill|a turn|crushed into|one by one")
    expect(page.get_by_test_id("doubt").filter(has_text=asked)).to_have_count(10)  # and the one in hand
    in_hand = page.get_by_test_id("doubt-in-hand")
    expect(in_hand).to_have_attribute("aria-label", re.compile("^Ornament in bar 1, beat 1"))
    press(page, "x")
    expect(in_hand.get_by_role("radio", name=re.compile("rolled"))).to_be_checked()
    says(page, "Rolled chord written as such")
    assert exported("<arpeggiate/>") == [3]  # one for each of its notes
    for _ in range(6):  # between the ornaments there may be doubts
        if (in_hand.get_attribute("aria-label") or "").startswith("Ornament in bar 2"):
            break
        in_hand.get_by_role("button", name="next").click()
        page.wait_for_timeout(150)
    expect(in_hand).to_have_attribute("aria-label", re.compile("^Ornament in bar 2"))
    expect(in_hand.get_by_role("radio", name=re.compile("trill"))).to_be_checked()
    press(page, "x")
    says(page, "Trill written note by note")
    expect(page.locator(".system g.trill")).to_have_count(2)
    assert exported("<trill-mark") == [2]
    press(page, "Control+z")
    says(page, "Undone: Trill written note by note")
    expect(page.locator(".system g.trill")).to_have_count(3)
    assert exported("<trill-mark", "<arpeggiate/>") == [3, 3]


# Quarters and their halves around a syncopation in bar 4, (value in quarters, key); played with a spread of 28 ms,
# which hides it.
AROUND = [(v, k) for v, k in zip(
    [1, 1, 1, 1, .5, .5, 1, 1, 1, 1, 1, .5, .5, 1, .25, .5, .25, 1, .25, .5, .25, 1, 1, 1, 1, 1, .5, .5, .5, .5, 2],
    [67, 69, 71, 72, 74, 72, 71, 69, 67, 65, 67, 69, 71, 72, 72, 74, 76, 74, 72,
         71, 69, 67, 65, 64, 65, 67, 69, 67, 65, 64, 60], strict=True,
)]  # fmt: skip


def syncopated(seed: int, quarters_per_minute: float = 100.0, spread_s: float = 0.028) -> list[PlayedNote]:
    rng, at, quarter_us, out = random.Random(seed), 0.0, 60e6 / quarters_per_minute, []
    for value, key in AROUND:
        on = max(at * quarter_us + rng.gauss(0, spread_s) * 1e6, 0)
        out.append(PlayedNote(round(on), round(on + value * quarter_us * rng.uniform(0.8, 0.97)), key, 76))
        at += value
    return out


def test_a_doubt_repairs_the_syncopated_bar(page: Page, server: Server) -> None:
    """A 16th, an eighth and a 16th were read as something else.

    The doubt of that bar names them, and X, pressed until they are chosen, writes them.
    """
    data = midi_of(syncopated(0), 100, (4, 4))
    to_shelf(page)
    page.get_by_label("Files to import").set_input_files(
        {"name": "hidden.mid", "mimeType": "audio/midi", "buffer": data}
    )
    page.wait_for_selector(".system svg")
    piece = opened(page)
    starts = list(itertools.accumulate((v for v, _ in AROUND), initial=0.0))
    wanted = [(F(on), F(v), key) for on, (v, key) in zip(starts, AROUND, strict=False)]

    def written() -> list[tuple[F, F, int]]:
        return [(on, value, music21.pitch.Pitch(name).midi) for on, value, name, _ in exported(server, piece)]

    wrong = set(written()) ^ set(wanted)
    assert wrong
    assert all(12 <= on < 13 for on, _, _ in wrong)  # in the first beat of bar 4
    press(page, "KeyR")
    expect(page.get_by_test_id("doubt-in-hand")).to_be_visible()
    for _ in range(8):
        if "a 16th, an eighth and a 16th" in page.get_by_test_id("doubt-in-hand").inner_text():
            break
        press(page, "v")
        page.wait_for_timeout(150)
    expect(page.get_by_test_id("doubt-in-hand")).to_contain_text("bar 4")
    options = page.get_by_test_id("doubt-in-hand").get_by_role("radio")
    right = page.get_by_test_id("doubt-in-hand").get_by_role("radio", name="a 16th, an eighth and a 16th")
    for k in (1, 2, 3):  # the first rival, the second or the third
        press(page, "x")
        expect(options.nth(k)).to_be_checked()
        if right.is_checked():
            break
    expect(right).to_be_checked()
    assert written() == wanted
