"""What a musician does on the first day, through the real interface.

A waltz with grace notes and two endings at the pen, and a file from elsewhere.
"""

from __future__ import annotations

import io
import json
import re

import mido
from playwright.sync_api import Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import about, begin, choose, press, to_shelf, with_mark
from tests.ui.test_page import at_bar, quarters


def heard(server: Server, piece: str) -> list[int]:
    """The keys that playback strikes, in order (common practice: a first ending is left out the second time)."""
    notes = json.loads(server.get(f"/api/pieces/{piece}/playback"))["notes"]
    return [n["key"] for n in sorted(notes, key=lambda n: (n["onset_us"], n["key"]))]


def weighed_and_done(page: Page) -> str:
    """What the line says that it would do, after it was done."""
    words = page.get_by_test_id("weighed").inner_text()
    press(page, "Enter")
    return words


def test_a_waltz_with_grace_notes_and_endings_plays_as_before_when_bars_and_meter_have_changed_and_come_back(
    page: Page, server: Server
) -> None:
    piece = begin(page, "Landing Waltz", "3/4", "G major")
    press(page, "Backquote")
    quarters(page, "asd")
    press(page, "Shift+Digit0", "f")  # a grace note before the next
    quarters(page, "ghjkjhgfdsafgag")
    press(page, "Backquote")
    for bar, words in ((4, "1st ending"), (5, "2nd ending")):
        at_bar(page, bar)
        press(page, "KeyB")
        with_mark(page, words)
        press(page, "Escape")
    whole = heard(server, piece)
    assert len(whole) == (4 + 3 + 2) * 3 + 2  # 1 to 4, 1 to 3, 5 and 6; a grace note each time
    at_bar(page, 4)
    about(page, "bars")
    page.get_by_test_id("line").get_by_role("button", name=re.compile("^remove")).first.click()
    page.locator('[data-phrase="do it"]').click()
    expect(page.locator(".system g.note")).to_have_count(16)
    shorter = heard(server, piece)
    assert len(shorter) < len(whole)
    assert shorter[-6:] == whole[-6:]  # what was the second ending is still heard
    press(page, "Escape", "Control+z")
    expect(page.locator(".system g.note")).to_have_count(19)
    assert heard(server, piece) == whole
    at_bar(page, 1)
    for meter, on in (("4/4", "3/4"), ("3/4", "4/4")):
        about(page, "meter")
        choose(page, "meter", meter)
        assert meter in weighed_and_done(page)
        yes = page.get_by_role("button", name=re.compile("^(Do it all the same|Change it|Yes)"))
        if yes.count():
            yes.first.click()
        expect(page.get_by_test_id("line")).to_contain_text(f"meter {meter}")
        press(page, "Escape")
        assert on != meter
    assert heard(server, piece) == whole


def trio() -> bytes:
    """Flute, violin, bass and drums, four bars each, with a tempo and no meter."""
    file = mido.MidiFile(type=1, ticks_per_beat=480)
    file.tracks.append(mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=600_000, time=0)]))
    for name, programme, channel, keys, length in (
        ("Flute", 73, 0, (72, 74, 76, 77), 480),
        ("Violin", 40, 1, (64, 65, 67, 69), 480),
        ("Bass", 32, 2, (36, 43), 960),
        ("Drums", 0, 9, (36, 42, 38, 42), 240),
    ):
        track = mido.MidiTrack([mido.MetaMessage("track_name", name=name, time=0)])
        track.append(mido.Message("program_change", program=programme, channel=channel, time=0))
        for k in range(4 * 1920 // length):
            key = keys[k % len(keys)]
            track.append(mido.Message("note_on", note=key, velocity=80, channel=channel, time=0))
            track.append(mido.Message("note_off", note=key, velocity=0, channel=channel, time=length))
        file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def test_a_file_of_three_instruments_and_drums_without_a_meter_comes_in_as_such(page: Page, server: Server) -> None:
    to_shelf(page)
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name=re.compile("Bring in|Import|file", re.I)).first.click()
    chooser.value.set_files({"name": "quay trio.mid", "mimeType": "audio/midi", "buffer": trio()})
    expect(page.get_by_test_id("sheet")).to_be_visible(timeout=60_000)
    xml = server.get(f"/api/pieces/{page.url.rstrip('/').split('/')[-1]}/export.musicxml").decode()
    assert re.findall(r"<part-name[^>]*>([^<]+)</part-name>", xml) == ["Flute", "Violin", "Bass", "Drums"]
    assert "<beats>4</beats>" in xml
    assert "<work-title>quay trio</work-title>" in xml
    assert xml.count("<unpitched>") == 32
    assert "percussion" in xml


def test_a_leading_note_of_minor_is_the_raised_letter(page: Page, server: Server) -> None:
    """G minor: F sharp and never G flat (common practice)."""
    piece = begin(page, "Minor", "4/4", "G minor")
    press(page, "Backquote")
    for letter in ("g", "t", "g"):  # G, F sharp, G
        press(page, letter)
    expect(page.locator(".system g.note")).to_have_count(3)
    xml = server.get(f"/api/pieces/{piece}/export.musicxml").decode()
    assert re.findall(r"<step>(\w)</step>\s*(?:<alter>(-?\d)</alter>)?", xml)[:3] == [("G", ""), ("F", "1"), ("G", "")]
