"""Playing, as a person goes through it.

Passes on top of each other, changes of meter, free playing, the journal, the delay test.
"""

from __future__ import annotations

import re
import signal
from fractions import Fraction as F

import pytest
from playwright.sync_api import Page, TimeoutError, expect

from ductus.core.score.model.piece import Piece
from ductus.demo.scenario import bends, waltz
from tests.ui.conftest import Server
from tests.ui.desk import begin, exported, open_piece, pass_time, play_through, play_until, press, says

RECORD = re.compile("^Record")


def written(piece: Piece, bars: int, staff: int = 0) -> list[tuple[F, str]]:
    """(onset in quarters, pitch) of the first bars of a piece."""
    end = piece.timeline.bar(bars).start
    notes = [n for n in piece.notes.values() if n.tick < end and staff in (0, n.staff)]
    return sorted((F(n.tick, 23_063_040), str(n.pitch).replace("b", "-")) for n in notes)


def on_page(server: Server, piece: str) -> list[tuple[F, str]]:
    return sorted((onset, pitch) for onset, _, pitch, _ in exported(server, piece))


def line(page: Page):  # type: ignore[no-untyped-def]
    return page.get_by_test_id("line")


def to_record(page: Page) -> None:
    for _ in range(3):  # a reading that arrives meanwhile draws the line anew, and its menu with it
        page.get_by_role("button", name=re.compile("^way of working")).click()
        try:
            page.get_by_role("menuitemradio", name=RECORD).click(timeout=4000)
            break
        except TimeoutError:
            continue
    expect(line(page)).to_contain_text("Record into")


def choose(page: Page, phrase: str, label: str) -> None:
    line(page).get_by_role("button", name=re.compile(f"^{phrase}")).click()
    page.get_by_role("menuitemradio", name=label, exact=True).click()


def rehearse(page: Page, title: str) -> None:
    page.get_by_test_id("hearing").click()
    page.get_by_role("menuitem", name=re.compile(f"^{title} ?record this")).click()


@pytest.mark.own_page
def test_a_further_take_of_the_same_bars_is_read_together_with_the_first(page: Page, server: Server) -> None:
    """Played twice: the second take stands on the page, and the first is read with it by one click; all takes stay."""
    piece = begin(page, "Twice", "3/4", "G minor")
    page.clock.install()
    for _ in range(2):
        to_record(page)
        rehearse(page, "Lock Gate Waltz, bars 1 to 8")
        play_through(page)
        expect(page.get_by_test_id("strip")).to_be_visible()
    takes = page.get_by_test_id("take")
    expect(takes.filter(has_text="Take 1").filter(has_text="not on the page")).to_be_visible()
    takes.filter(has_text="Take 1").get_by_role("button", name="Read with Take 2").click()
    says(page, "Take 3, read from takes 2 and 1: all takes agree")
    expect(takes).to_have_count(3)
    assert on_page(server, piece) == written(waltz(), 8)
    press(page, "Control+z")
    joined = takes.filter(has=page.get_by_role("heading", name=re.compile("^Take 3")))
    expect(joined).to_contain_text("not on the page")


@pytest.mark.own_page
def test_three_tries_with_slips_make_one_page_without(page: Page, server: Server) -> None:
    """The rehearsal keyboard tries three times, each time with wrong keys.

    Each join leaves no more corrections than before, the last one none.
    """
    piece = begin(page, "Three tries", "3/4", "G minor")
    page.clock.install()
    right = written(waltz(), 8)
    for which in ("first", "second", "third"):
        to_record(page)
        rehearse(page, f"Lock Gate Waltz, {which} try")
        play_through(page)
        expect(page.get_by_test_id("strip")).to_be_visible()
    alone = len(set(on_page(server, piece)) ^ set(right))
    assert alone > 2
    takes = page.get_by_test_id("take")

    def join(number: int, made: str) -> int:
        takes.filter(has=page.get_by_role("heading", name=re.compile(f"^Take {number},"))).get_by_role(
            "button", name=re.compile("^Read with")
        ).click()
        says(page, made)
        expect(
            takes.filter(has=page.get_by_role("heading", name=re.compile(f"^{made.partition(',')[0]},")))
        ).not_to_contain_text("not on the page")
        return len(set(on_page(server, piece)) ^ set(right))

    two = join(2, "Take 4, read from takes 3 and 2")
    assert two <= alone
    assert join(1, "Take 5, read from takes 3, 2 and 1") == 0


@pytest.mark.own_page
def test_one_hand_then_the_other_against_it_then_some_bars_again(page: Page, server: Server) -> None:
    piece = begin(page, "Two passes", "3/4", "G minor")
    page.clock.install()
    to_record(page)
    choose(page, "hands", "right hand")
    rehearse(page, "Lock Gate Waltz, right hand")
    play_through(page)
    expect(page.get_by_test_id("strip")).to_be_visible()
    assert on_page(server, piece) == written(waltz(), 8, 1)
    to_record(page)
    choose(page, "hands", "left hand")
    rehearse(page, "Lock Gate Waltz, left hand")
    play_through(page)
    says(page, re.compile("Take 2: .* written"))
    assert on_page(server, piece) == written(waltz(), 8)
    to_record(page)
    line(page).get_by_role("button", name=re.compile("^place")).click()
    page.get_by_label("Bar and beat").fill("5.1")
    press(page, "Enter", "Escape")
    expect(line(page)).to_contain_text("from bar 5 on")
    line(page).get_by_role("button", name=re.compile("^span")).click()
    page.get_by_label("last bar written").fill("8")
    press(page, "Enter", "Escape")
    expect(line(page)).to_contain_text("from bar 5 to bar 8")
    rehearse(page, "Lock Gate Waltz, left hand again")
    play_through(page)
    says(page, re.compile("Take 3: .* written"))
    assert on_page(server, piece) == written(waltz(), 8)
    expect(page.get_by_test_id("take")).to_have_count(3)


@pytest.mark.own_page
def test_a_tune_with_a_pick_up_over_changes_of_meter(page: Page, server: Server) -> None:
    piece = open_piece(page, "Three Bends of the River")
    page.clock.install()
    to_record(page)
    rehearse(page, "Three Bends of the River")
    says(page, "Recording: 2 bars of count-in")
    play_through(page)
    expect(page.get_by_test_id("strip")).to_be_visible()
    source = bends()
    mine = on_page(server, piece)
    wanted = written(source, source.bar_count)
    assert [pitch for _, pitch in mine] == [pitch for _, pitch in wanted]
    assert sum(a != b for a, b in zip(mine, wanted, strict=True)) == 0
    press(page, "Control+z")
    says(page, "Undone")


def test_a_recording_is_ended_by_any_key_and_begun_again_by_one(page: Page) -> None:
    begin(page, "Ended")
    to_record(page)
    button = page.get_by_test_id("record")
    for key in ("Escape", "Space", "Backslash"):
        press(page, "Backslash")
        expect(button).to_have_text("Stop recording")
        says(page, "count-in")
        press(page, key)
        expect(button).to_have_text("Record")
        says(page, "Nothing was heard")
    press(page, "Backslash")
    says(page, "count-in")
    page.keyboard.press("a", delay=30)
    press(page, "Shift+Backslash")
    expect(page.get_by_test_id("take")).to_contain_text("1 note, ")
    expect(button).to_have_text("Stop recording")
    press(page, "Escape")
    expect(button).to_have_text("Record")
    choose(page, "count-in", "at once with the first key")
    expect(line(page)).to_contain_text("from the first key on")
    press(page, "Backslash")
    says(page, "Ready: the recording begins with your first key")
    press(page, "Escape")
    says(page, "Nothing was recorded")
    press(page, "Backslash")
    says(page, "Ready")
    page.keyboard.press("d", delay=200)
    says(page, "Recording")
    page.wait_for_timeout(300)
    press(page, "Escape")
    expect(page.locator(".system g.note").first).to_be_visible()


@pytest.mark.own_page
def test_free_playing_is_seen_at_once_led_through_and_brought_into_time(page: Page, server: Server) -> None:
    piece = begin(page, "Freely waltzing")
    page.clock.install()
    to_record(page)
    line(page).get_by_role("button", name=re.compile("^click")).click()
    page.get_by_role("radio", name=re.compile("freely")).click()
    press(page, "Escape")
    rehearse(page, "Lock Gate Waltz, freely")
    play_until(page, page.locator("[data-testid=free-heads] g[data-stroke]").nth(5), 4000)
    play_through(page)
    expect(page.get_by_test_id("strip")).to_be_visible(timeout=60_000)
    expect(page.get_by_test_id("lead")).to_contain_text("How does it go?")
    expect(page.get_by_test_id("lead")).to_contain_text("3/4")
    expect(page.locator("[data-testid=openings] svg").first).to_be_attached(timeout=30_000)
    asked = []
    for _ in range(6):
        if not page.get_by_test_id("lead").count():
            break
        words = page.get_by_test_id("lead").locator("span").first.inner_text()
        asked.append(words)
        press(page, "c")
        expect(page.get_by_text(words, exact=True)).to_have_count(0)
    assert asked[0] == "How does it go?"
    assert any("first beat" in q for q in asked)
    expect(line(page)).to_contain_text("Read take 1")
    phrase = line(page).get_by_role("button", name=re.compile("^what becomes of time"))
    phrase.click()
    page.get_by_role(
        "radio", name=re.compile("^the bars follow me: the page keeps its notes; playback of \\d+ notes moves")
    ).click()
    press(page, "Escape")
    expect(phrase).to_have_text("the bars follow me")
    sound = b"<sound tempo"
    assert server.get(f"/api/pieces/{piece}/export.musicxml").count(sound) > 20
    phrase.click()
    page.get_by_label("rounded tempo").fill("104")
    press(page, "Enter", "Escape")
    expect(phrase).to_have_text("one steady tempo, 104")
    assert server.get(f"/api/pieces/{piece}/export.musicxml").count(sound) == 1
    press(page, "Control+z")
    expect(phrase).to_have_text("the bars follow me")
    checks = page.get_by_test_id("checks")
    expect(checks).to_contain_text("on average")
    page.locator(".system g.note .notehead").nth(20).click(force=True)
    page.get_by_role("button", name="More", exact=True).click()
    page.get_by_role("button", name=re.compile("its place in time")).click()
    page.get_by_label("This note is bar").fill("3")
    press(page, "Enter")
    says(page, "This note is bar 3")
    press(page, "Escape", "Escape")
    checks.get_by_role("button", name=re.compile("set by hand go")).click()
    says(page, "All bar lines where they were found")


@pytest.mark.own_server
def test_what_was_played_with_the_pen_up_is_written_from_the_journal_after_a_restart(
    page: Page, server: Server
) -> None:
    piece = begin(page, "From the journal")
    for letter in "asdfgfds":
        page.keyboard.press(letter, delay=60)
    expect(page.get_by_test_id("kept")).to_have_text("saved")
    says(page, "Keys only sound while the pen is up: press ` to write")
    expect(page.get_by_role("button", name="Write these 8 notes here")).to_be_visible(timeout=20_000)
    expect(page.locator("[data-testid=offered-heads] [data-stroke]")).to_have_count(8)  # faintly at the pen, too
    server.stop(signal.SIGKILL)
    server.start()
    page.reload()
    page.get_by_role("button", name="heard, not written: 1").click()
    entry = page.get_by_test_id("heard")
    expect(entry).to_contain_text("8 notes")
    entry.get_by_role("button", name="Hear").click()
    expect(page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
    press(page, "Space")
    entry.get_by_role("button", name="Write").click()
    says(page, re.compile("Take 1: 8 notes written"))
    expect(page.locator(".system g.note").nth(7)).to_be_attached()
    expect(page.get_by_test_id("heard")).to_have_count(0)
    assert len(exported(server, piece)) == 8


@pytest.mark.own_page
def test_the_delay_test_finds_the_lateness_and_sets_it(page: Page) -> None:
    begin(page, "Late")
    page.clock.install()
    page.get_by_test_id("hearing").click()
    page.get_by_role("menuitem", name=re.compile("Delay test")).click()
    test = page.get_by_test_id("delay-test")
    test.get_by_role("button", name="Let the rehearsal keyboard play").click()
    expect(test).to_contain_text("Play a quarter on each click")
    for _ in range(12):
        pass_time(page, 1500)
    page.clock.resume()
    words = page.get_by_test_id("delay-words")
    expect(words).to_contain_text("ms late on average")
    found = int(re.search(r"arrive (\d+) ms late", words.inner_text()).group(1))  # type: ignore[union-attr]
    assert abs(found - 37.4) <= 3
    expect(test).to_contain_text("my notes arrive late; move them earlier")
    test.get_by_role("button", name=re.compile("for later takes")).click()
    says(page, f"From now on your notes are read {found} ms earlier")
    expect(page.get_by_test_id("delay-now")).to_contain_text(f"+{found} ms")
    page.get_by_role("button", name="Close").click()
    to_record(page)
    expect(line(page)).to_contain_text(f"({found} ms earlier than it arrives)")
    page.get_by_test_id("hearing").click()
    page.get_by_role("menuitem", name=re.compile("Delay test")).click()
    test.get_by_role("button", name="Set to nothing").click()
    says(page, "as they arrive")


@pytest.mark.own_page
def test_the_list_of_notes_goes_with_the_playing(page: Page, server: Server) -> None:
    begin(page, "Watched", "3/4", "G minor")
    page.clock.install()
    to_record(page)
    press(page, "Shift+KeyR")
    line(page).locator('[data-phrase="as a list"]').click()
    rehearse(page, "Lock Gate Waltz, bars 1 to 8")
    rows = page.get_by_test_id("note-list").locator("[data-row]")
    play_until(page, rows.nth(12), 9000)
    expect(page.get_by_test_id("record")).to_have_text("Stop recording")  # it still goes on
    expect(rows.first).to_have_attribute("data-row", re.compile("^live"))
    expect(rows.first.get_by_role("spinbutton").first).not_to_be_editable()
    play_through(page)
    expect(page.get_by_test_id("shape-strip").get_by_role("spinbutton").first).to_be_editable()
    expect(page.get_by_test_id("note-list").locator('[data-row^="live"]')).to_have_count(0)


@pytest.mark.own_page
def test_bars_are_recorded_round_and_round_and_the_last_whole_round_stands(page: Page, server: Server) -> None:
    """Eight bars of the waltz against a round of four: two takes of bars 1 to 4, the second on the page."""
    piece = begin(page, "Round", "3/4", "G minor")
    page.clock.install()
    to_record(page)
    line(page).get_by_role("button", name=re.compile("^span")).click()
    page.get_by_role("radio", name="to bar 4, round and round").click()
    page.keyboard.press("Escape")
    expect(line(page)).to_contain_text("to bar 4, round and round")
    rehearse(page, "Lock Gate Waltz, bars 1 to 8")
    play_through(page)
    says(page, re.compile("Take 2: .* written from bar 1"))
    expect(page.get_by_test_id("take")).to_have_count(2)
    second = [(onset - 12, pitch) for onset, pitch in written(waltz(), 8) if onset >= 12]
    assert on_page(server, piece) == second
