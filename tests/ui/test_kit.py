"""A kit and its sound, as a person goes through it.

A beat clicked in, drummed over, a bass line in a loop, times and velocities shaped, parts alone.
"""

from __future__ import annotations

import io
import json
import re
from fractions import Fraction as F

import mido
import music21
import pytest
from playwright.sync_api import Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import begin_with, exported, open_piece, opened, play_through, press, says
from tests.ui.test_instruments import until
from tests.ui.test_playing import rehearse, to_record

KICK, SNARE, CLOSED, OPEN, CRASH = 36, 38, 42, 46, 49
HEARD = (
    "() => { window.heard = []; window.addEventListener('note-scheduled', (e) => window.heard.push({ ...e.detail, at: "
    "performance.now() })) }"
)


def band(page: Page, title: str, parts: list[str]) -> str:
    """A piece for these instruments, open at its desk; returns its id."""
    return begin_with(page, {"title": title, "parts": parts, "bpm": 120})


def line(page: Page):  # type: ignore[no-untyped-def]
    return page.get_by_test_id("line")


def phrase(page: Page, name: str) -> None:
    line(page).locator(f'[data-phrase="{name}"]').first.click()


def pick(page: Page, name: str, option: str | re.Pattern[str]) -> None:
    phrase(page, name)
    page.get_by_role("menuitemradio", name=option).first.click()


def drums(server: Server, piece: str) -> list[tuple[F, int]]:
    """(quarter, key) of all strokes in the exported MIDI file."""
    midi = mido.MidiFile(file=io.BytesIO(server.get(f"/api/pieces/{piece}/export.mid")))
    out = []
    for track in midi.tracks:
        now = 0
        for message in track:
            now += message.time
            if message.type == "note_on" and message.channel == 9 and message.velocity:
                out.append((F(now, midi.ticks_per_beat), message.note))
    return sorted(out)


def cell(page: Page, row: int, column: int, columns: int, dy: float = 0) -> tuple[float, float]:
    """Where a cell of the pattern's lines is."""
    box = page.get_by_test_id("pattern-grid").bounding_box()
    assert box
    width = box["width"] - 118 - 24
    return box["x"] + 118 + 16 + width * column / columns, box["y"] + 16 + row * 21 + 10.5 + dy


def strike(page: Page, row: int, *columns: int, of: int = 8) -> None:
    cells = page.locator("[data-cell]")
    for column in columns:
        before = cells.count()
        page.mouse.click(*cell(page, row, column, of))
        expect(cells).not_to_have_count(before)


def test_a_beat_is_clicked_in_repeated_varied_exported_and_drummed_over(page: Page, server: Server) -> None:
    piece = band(page, "Ballast beat", ["Piano", "Drum kit"])
    press(page, "ArrowDown", "ArrowDown", "BracketRight")  # the kit's staff, eighths
    expect(line(page)).to_contain_text("drum kit")
    expect(page.get_by_test_id("keys")).to_contain_text("bass drum")
    press(page, "Shift+KeyB")
    expect(line(page)).to_contain_text("Pattern into drum kit")
    strike(page, 1, 0, 2, 4, 6)  # the closed hat
    strike(page, 6, 2, 6)  # the snare
    strike(page, 8, 0, 4)  # the bass drum
    phrase(page, "times")
    page.get_by_label("Repetitions in all").fill("4")
    page.keyboard.press("Enter")
    says(page, "The pattern stands 4 times, to bar 4")
    bar = sorted([(F(k), CLOSED) for k in range(4)] + [(F(1), SNARE), (F(3), SNARE), (F(0), KICK), (F(2), KICK)])
    assert drums(server, piece) == sorted((at + 4 * k, key) for k in range(4) for at, key in bar)
    # one bar is varied by hand; then a stroke of the pattern goes into all others
    phrase(page, "done")
    note = json.loads(server.get(f"/api/pieces/{piece}/shape?part=p2&first=2&last=2"))["notes"][0]["id"]
    page.locator(f"[id='{note}'] .notehead").click()
    press(page, "Delete")
    says(page, "deleted")
    press(page, "Shift+KeyB")
    strike(page, 0, 7)  # the open hat
    says(page, "bar 3 is varied and stays")
    expect(line(page)).to_contain_text("bar 3 is varied")
    opens = [at for at, key in drums(server, piece) if key == OPEN]
    assert opens == [F(7, 2), F(15, 2), F(31, 2)]
    # by keys alone: the crash on the first beat of every copy, then away again
    page.get_by_test_id("pattern-grid").focus()
    press(page, *["ArrowLeft"] * 8, *["ArrowUp"] * 10, "ArrowDown", "ArrowDown", "ArrowDown")
    says(page, "crash, bar 1 of the pattern, beat 1: nothing")
    press(page, "Enter")
    says(page, "Crash, bar 1, beat 1, velocity")
    assert [at for at, key in drums(server, piece) if key == CRASH] == [0, 4, 12]
    press(page, "Enter")
    says(page, "taken away")
    # read back by others
    score = music21.converter.parseData(server.get(f"/api/pieces/{piece}/export.musicxml").decode(), format="musicxml")
    assert sum(len(n.notes) if hasattr(n, "notes") else 1 for n in score.parts[-1].recurse().notes) == len(
        drums(server, piece)
    )


@pytest.mark.own_page
def test_pads_are_recorded_and_read_onto_the_kit(page: Page, server: Server) -> None:
    piece = band(page, "On the pads", ["Drum kit"])
    page.clock.install()
    to_record(page)
    rehearse(page, "Sparks over the Paddle, on the pads")
    play_through(page)
    expect(line(page)).to_contain_text(re.compile("^Read"), timeout=60_000)
    found = drums(server, piece)
    hats = [at for at, key in found if key in (CLOSED, OPEN)]
    assert hats[:7] == [F(k, 2) for k in range(7)]
    assert [at for at, key in found if key == SNARE][:6] == [1, 3, 5, 7, 9, 11]
    assert len(found) > 50


def test_a_bass_line_by_steps_in_bars_that_go_round_with_the_beat_heard(page: Page, server: Server) -> None:
    piece = band(page, "Round and round", ["Bass guitar", "Drum kit"])
    press(page, "ArrowDown", "Shift+KeyB")
    expect(line(page)).to_contain_text("into drum kit")  # the pen is there; its line stays as it is now
    pick(page, "ready pattern", "eighths with a backbeat")
    says(page, "is a pattern")
    phrase(page, "done")
    press(page, "ArrowUp", "F7")
    phrase(page, "bars that go round")
    page.get_by_label("Bars", exact=True).fill("1")
    page.get_by_label("to", exact=True).fill("1")
    page.keyboard.press("Enter")
    expect(page.locator("[data-loop=first]")).to_be_visible()
    phrase(page, "the pen, too")
    says(page, "it begins again")
    press(page, "F7", "Backquote", "KeyN", "KeyN")
    for letter in "asdfg":
        press(page, f"Key{letter.upper()}")
    says(
        page, "G 3, quarter, bar 1, beat 1"
    )  # as it is read; the fifth quarter is back at the start, and replaces the first
    assert [(at, name) for at, _, name, part in exported(server, piece) if part == 0] == [
        (0, "G3"),
        (1, "D3"),
        (2, "E3"),
        (3, "F3"),
    ]
    page.evaluate(HEARD)
    press(page, "Home", "Enter")
    until(page, "window.heard.filter((n) => n.key === 36).length >= 5")  # two strokes a bar: it has gone round twice
    press(page, "Enter")
    heard = page.evaluate("window.heard")
    assert {n["part"] for n in heard} == {"p1", "p2"}
    assert max(n["lateS"] for n in heard) < 0.25


def test_times_are_quantized_in_place_and_taken_back_the_writing_never_changes(page: Page, server: Server) -> None:
    piece = band(page, "Shaped", ["Piano"])
    press(page, "Backquote", "BracketRight")
    for _ in range(4):
        press(page, "KeyA", "KeyD")
    says(page, "bar 1, beat 4 and")
    press(page, "Backquote", "Home", "Shift+KeyR")
    before = server.get(f"/api/pieces/{piece}/export.musicxml")
    pick(page, "how far", "60 % of the way")
    pick(page, "grid", "eighths")
    phrase(page, "long and short")
    page.get_by_role("button", name="58", exact=True).click()
    expect(page.get_by_text("The first of each pair gets longer: 58 to 42.")).to_be_visible()
    page.get_by_role("button", name="Set", exact=True).click()
    expect(page.get_by_test_id("in-place-counts")).to_contain_text(
        "4 of 8 notes move, by 24 ms on average"
    )  # 8 % of a quarter at 120 is 40 ms; 60 % of it
    expect(page.get_by_test_id("ghosts")).to_have_attribute("data-count", "4")
    phrase(page, "done")
    expect(page.get_by_test_id("shape-strip")).to_have_count(0)
    press(page, "Shift+KeyR", "Shift+KeyC")
    says(page, "The writing stays")
    assert server.get(f"/api/pieces/{piece}/export.musicxml") == before
    page.evaluate(HEARD)
    press(page, "Control+Enter")
    says(page, "Select some notes first")
    press(page, "Enter")
    until(page, "window.heard.length >= 8")
    sound = json.loads(server.get(f"/api/pieces/{piece}/playback"))
    onsets = [n["onset_us"] for n in sound["notes"]]
    assert onsets == [0, 274_000, 500_000, 774_000, 1_000_000, 1_274_000, 1_500_000, 1_774_000]
    press(page, "Enter", "Control+KeyZ")
    says(page, "Undone")
    assert [n["onset_us"] for n in json.loads(server.get(f"/api/pieces/{piece}/playback"))["notes"]] == [
        k * 250_000 for k in range(8)
    ]


def test_velocities_are_drawn_typed_and_played_over(page: Page, server: Server) -> None:
    piece = band(page, "Loud and soft", ["Piano"])
    press(page, "Backquote")
    for letter in "ASDF":
        press(page, f"Key{letter}")
    says(page, "bar 1, beat 4")
    press(page, "Backquote", "Home", "Shift+KeyR")
    phrase(page, "velocities")
    strokes = page.locator("[data-note]")
    expect(strokes).to_have_count(4)
    box = page.get_by_test_id("shape-drawing").bounding_box()
    assert box
    page.mouse.move(box["x"] + 36, box["y"] + 108)
    page.mouse.down()
    page.mouse.move(box["x"] + 160, box["y"] + 78, steps=8)
    page.mouse.move(box["x"] + 330, box["y"] + 20, steps=12)
    page.mouse.up()
    says(page, "Velocity of 4 notes drawn")
    drawn = [
        n["velocity"] for n in json.loads(server.get(f"/api/pieces/{piece}/shape?part=p1&first=0&last=0"))["notes"]
    ]
    assert drawn == sorted(drawn)
    assert drawn[-1] - drawn[0] > 40
    phrase(page, "as a list")
    page.get_by_label(re.compile("^velocity of E 4")).fill("33")
    page.keyboard.press("Enter")
    says(page, "set to 33")
    page.get_by_label(re.compile("^milliseconds late of D 4")).fill("12")
    page.keyboard.press("Enter")
    says(page, "12 ms late")
    phrase(page, "done")
    expect(page.get_by_test_id("shape-strip")).to_have_count(0)
    press(page, "Escape")
    pick(page, "way of working", re.compile("^Over"))
    pick(page, "what is replaced", "the velocities")
    press(page, "Backquote", "Shift+KeyM", "Shift+KeyM", "KeyK", "KeyK")
    says(page, "velocity 96, bar 1, beat 2")
    shaped = json.loads(server.get(f"/api/pieces/{piece}/shape?part=p1&first=0&last=0"))["notes"]
    assert [n["velocity"] for n in shaped][:3] == [96, 96, 33]
    assert [n["pitch"] for n in shaped] == ["C 4", "D 4", "E 4", "F 4"]


SPY = """() => {
  const connect = AudioNode.prototype.connect
  const ears = new Map()
  AudioNode.prototype.connect = function (to, ...more) {
    if (to instanceof AudioDestinationNode && !(to.context instanceof OfflineAudioContext)) {
      if (!ears.has(to.context)) ears.set(to.context, Object.assign(to.context.createAnalyser(), { fftSize: 2048 }))
      connect.call(this, ears.get(to.context))
    }
    return connect.call(this, to, ...more)
  }
  window.loudness = () => Math.max(0, ...[...ears.values()].map((ear) => { const a = new Float32Array(2048);
    ear.getFloatTimeDomainData(a); return Math.max(...a.map(Math.abs)) }))
}"""


@pytest.mark.own_page
def test_parts_sound_with_their_own_instruments_alone_or_off_and_at_a_practice_tempo(
    page: Page, server: Server
) -> None:
    page.add_init_script(f"({SPY})()")
    page.reload()
    open_piece(page, "Sparks over the Paddle")
    until(page, "performance.getEntriesByName('sound 033').length && performance.getEntriesByName('sound kit').length")
    fetched = page.evaluate(
        "performance.getEntriesByType('resource').map((r) => r.name).filter((n) => n.includes('/sounds/')).map((n) => "
        "n.split('/').pop())"
    )
    assert sorted(fetched) == ["033.sf3", "kit.sf3"]
    page.evaluate(HEARD)
    press(page, "F7", "Enter")
    until(page, "new Set(window.heard.map((n) => n.part)).size === 3")
    until(page, "window.loudness() > 0.01")
    press(page, "Enter")
    phrase(page, "parts heard")
    page.get_by_label("Bass guitar alone").check()
    page.keyboard.press("Escape")
    expect(line(page)).to_contain_text("Bass guitar")
    phrase(page, "practice tempo")
    page.get_by_role("button", name="50 %").click()
    page.keyboard.press("Escape")
    expect(line(page)).to_contain_text("at 50 % of the tempo")
    page.evaluate("window.heard = []")
    press(page, "Enter")
    until(page, "window.loudness() > 0.01")
    until(page, "window.heard.length >= 3")
    press(page, "Enter")
    heard = page.evaluate("window.heard")
    assert {n["part"] for n in heard} == {"p2"}
    apart = (heard[1]["eventUs"] - heard[0]["eventUs"]) / 1e6  # the audio clock of a busy machine stands still at times
    assert abs(apart - 2 * 60 / 112) < 0.02  # a quarter at half of 112
    # it comes back as it was left
    page.reload()
    opened(page)
    press(page, "F7")
    expect(line(page)).to_contain_text("at 50 % of the tempo")
    phrase(page, "parts heard")
    expect(page.get_by_label("Bass guitar alone")).to_be_checked()
    page.get_by_label("level of Drum kit").focus()
    press(page, "ArrowLeft")
    says(page, "Drum kit sounds at 78 %")


def test_keys_are_held_to_the_harmony_and_freed_to_compare(page: Page, server: Server) -> None:
    piece = band(page, "Held", ["Piano"])
    press(page, "Backquote", "Digit6", "Shift+Digit2")
    for letters in ("adg", "sfh"):
        for letter in letters:
            page.keyboard.down(letter)
        for letter in letters:
            page.keyboard.up(letter)
    says(page, "Dm over bar 1, beat 3")
    press(page, "Shift+Digit2", "Home", "Shift+KeyQ")
    says(page, "nearest chord tone")
    expect(line(page)).to_contain_text("chord tones")
    press(page, "KeyS", "KeyS")
    says(page, "bar 1, beat 3")
    press(page, "Home", "Shift+KeyQ")
    says(page, "Keys are free")
    press(page, "ArrowRight", "ArrowRight")
    names = [name for at, _, name, _ in exported(server, piece)]
    assert names == ["C4", "D4"]


def test_the_sheet_is_zoomed_by_keys_and_wheel_and_opens_so_again(page: Page, server: Server) -> None:
    open_piece(page, "Lock Gate Waltz")
    width = page.get_by_test_id("sheet").bounding_box()["width"]  # type: ignore[index]
    press(page, "Control+Equal", "Control+Equal")
    says(page, "The sheet at 150 %")
    assert page.get_by_test_id("sheet").bounding_box()["width"] > 1.3 * width  # type: ignore[index]
    page.get_by_test_id("sheet-scroll").hover()
    page.keyboard.down("Control")
    page.mouse.wheel(0, 60)
    page.keyboard.up("Control")
    says(page, "The sheet at 125 %")
    page.reload()
    opened(page)
    assert page.get_by_test_id("sheet").bounding_box()["width"] > 1.1 * width  # type: ignore[index]
    press(page, "Control+Digit0")
    says(page, "as large as it fits")
