"""Ten named passages of our own, entered through the real input port; what stands on the page is what was meant.

Every gesture is counted (a key of the instrument or of the computer, a press of the pedal, a click of the mouse),
and the counts stand in docs/gestures.md, which these tests hold to what they did.
"""

from __future__ import annotations

import re
from fractions import Fraction as F
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import begin, exported, open_piece, says

DOCUMENT = Path(__file__).parents[2] / "docs" / "gestures.md"


class Hands:
    """A player at a MIDI instrument with pedal, at the computer's keys and with a mouse; counts every gesture."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.keys = self.pedals = self.clicks = 0

    def midi(self, *message: int) -> None:
        self.page.evaluate("m => sendMidi(...m)", list(message))

    def down(self, *keys: int, velocity: int = 80) -> None:
        for key in keys:
            self.keys += 1
            self.midi(0x90, key, velocity)

    def up(self, *keys: int) -> None:
        for key in keys:
            self.midi(0x80, key, 0)

    def play(self, *keys: int, velocity: int = 80) -> None:
        """One chord."""
        self.down(*keys, velocity=velocity)
        self.up(*keys)

    def pedal(self) -> None:
        self.pedals += 1
        self.midi(0xB0, 64, 127)
        self.midi(0xB0, 64, 0)
        self.page.wait_for_timeout(60)  # longer than the gathering time

    def press(self, *names: str) -> None:
        """Keys of the computer."""
        for name in names:
            self.keys += 1
            self.page.keyboard.press(name)

    def hold(self, name: str) -> None:
        """A key of the computer, held for a moment."""
        self.keys += 1
        self.page.keyboard.down(name)
        self.page.wait_for_timeout(600)
        self.page.keyboard.up(name)

    def choose(self, phrase: str, item: str) -> None:
        """A phrase of the line and one of its choices."""
        self.clicks += 2
        self.page.get_by_test_id("line").get_by_role("button", name=re.compile(f"^{phrase}")).click()
        self.page.get_by_role("menuitemradio", name=re.compile(item)).click()

    def click(self, selector: str) -> None:
        self.clicks += 1
        self.page.locator(selector).first.click()

    def count(self) -> tuple[int, int, int]:
        return self.keys, self.pedals, self.clicks


@pytest.fixture
def hands(wired: Page) -> Hands:
    return Hands(wired)


def start(hands: Hands, meter: str = "4/4", key: str = "C major") -> str:
    piece = begin(hands.page, "Passage", meter, key)
    hands.page.evaluate("plugIn()")
    expect(hands.page.get_by_test_id("hearing")).to_contain_text("Barge piano")
    return piece


def documented(name: str) -> tuple[int, int, int]:
    """(keys, pedal presses, mouse clicks) that docs/gestures.md states for a passage."""
    for line in DOCUMENT.read_text(encoding="utf-8").splitlines():
        cells = [c.strip() for c in line.strip("|").split("|")]
        if cells[0] == name:
            return int(cells[2]), int(cells[3]), int(cells[4])
    raise AssertionError(f"docs/gestures.md does not speak of '{name}'")


def check(hands: Hands, name: str, server: Server, piece: str, expected: list[tuple[F, F, str]], part: int = 0) -> None:
    written = [n[:3] for n in exported(server, piece) if n[3] == part]
    assert sorted(written) == sorted(expected)
    assert documented(name) == hands.count(), f"{name}: {hands.count()}"


def test_melody_with_dotted_values(hands: Hands, server: Server) -> None:
    piece = start(hands)
    hands.press("Backquote", "Digit1")
    hands.play(62)
    hands.press("Digit8")
    hands.play(64)
    hands.press("Digit7")
    hands.play(65)
    hands.play(67)
    hands.press("Digit6", "Digit1")
    hands.play(69)
    hands.press("Digit7")
    hands.play(67)
    says(hands.page, "G 4, quarter, bar 2, beat 4")
    expected = [
        (F(0), F(3, 2), "D4"),
        (F(3, 2), F(1, 2), "E4"),
        (F(2), F(1), "F4"),
        (F(3), F(1), "G4"),
        (F(4), F(3), "A4"),
        (F(7), F(1), "G4"),
    ]
    check(hands, "melody with dotted values", server, piece, expected)


def test_chords(hands: Hands, server: Server) -> None:
    piece = start(hands)
    hands.press("Backquote", "Digit6")
    chords = [(60, 64, 67), (60, 65, 69), (59, 62, 67), (60, 64, 67, 72)]
    for chord in chords:
        hands.play(*chord)
    says(hands.page, "half, bar 2, beat 3")
    names = {60: "C4", 64: "E4", 67: "G4", 65: "F4", 69: "A4", 59: "B3", 62: "D4", 72: "C5"}
    check(hands, "chords", server, piece, [(F(2 * k), F(2), names[n]) for k, c in enumerate(chords) for n in c])


def test_triplets_in_one_hand(hands: Hands, server: Server) -> None:
    piece = start(hands)
    hands.press("Backquote", "Digit8")
    hands.hold("Digit3")
    for key in (60, 62, 64, 65, 64, 62):
        hands.play(key)
    hands.hold("Digit3")
    hands.press("Digit6")
    hands.play(60)
    says(hands.page, "C 4, half, bar 1, beat 3")
    line = zip((F(0), F(1, 3), F(2, 3), F(1), F(4, 3), F(5, 3)), ("C4", "D4", "E4", "F4", "E4", "D4"), strict=True)
    check(hands, "triplets in one hand", server, piece, [*((F(t), F(1, 3), p) for t, p in line), (F(2), F(2), "C4")])


def test_held_note_over_a_moving_voice(hands: Hands, server: Server) -> None:
    piece = start(hands)
    hands.choose("way of working", "^Foot-led")
    hands.press("Backquote")
    hands.down(72)
    for key in (64, 65, 67, 65):
        hands.down(key)
        hands.pedal()
        hands.up(key)
    hands.up(72)
    hands.press("Escape")
    says(hands.page, "Pen up")
    expected = [(F(0), F(4), "C5"), *((F(k), F(1), p) for k, p in enumerate(("E4", "F4", "G4", "F4")))]
    check(hands, "held note over a moving voice", server, piece, expected)


def test_a_bar_of_seven_in_the_time_of_four(hands: Hands, server: Server) -> None:
    piece = start(hands)
    page = hands.page
    hands.press("Backquote")
    hands.clicks += 1
    page.get_by_role("button", name=re.compile("^step value")).click()
    for label, text in (("notes", "7"), ("in the time of", "4")):
        hands.clicks += 1
        page.get_by_label(label, exact=True).fill(text)
        hands.keys += 1
    hands.press("Enter", "Escape")
    for key in (60, 62, 64, 65, 67, 69, 71):
        hands.play(key)
    says(page, "B 4, quarter septuplet, bar 1")
    score = server.get(f"/api/pieces/{piece}/export.musicxml").decode()
    assert "<actual-notes>7</actual-notes><normal-notes>4</normal-notes>" in score
    expected = [(F(4 * k, 7), F(4, 7), p) for k, p in enumerate(("C4", "D4", "E4", "F4", "G4", "A4", "B4"))]
    check(hands, "a bar of 7:4", server, piece, expected)


def test_re_pitching_eight_bars(hands: Hands, server: Server) -> None:
    piece = open_piece(hands.page, "Lock Gate Waltz")
    before = [n for n in exported(server, piece) if n[3] == 0 and n[0] < 24]
    hands.page.evaluate("plugIn()")
    hands.choose("way of working", "^Over")
    hands.press("Home", "Backquote")
    onsets = sorted({n[0] for n in before})
    for k in range(len(onsets)):
        hands.play(74 if k % 2 else 72)
    says(hands.page, "bar 8, beat 1")
    after = [n for n in exported(server, piece) if n[3] == 0 and n[0] < 24]
    assert [(n[0], n[2]) for n in after] == [(t, "D5" if k % 2 else "C5") for k, t in enumerate(onsets)]
    assert {(n[0], n[1]) for n in after} == {(n[0], n[1]) for n in before}
    assert documented("re-pitching eight bars") == hands.count(), hands.count()


def test_adding_a_third_below(hands: Hands, server: Server) -> None:
    piece = start(hands)
    page = hands.page
    hands.press("Backquote")
    for key in (64, 65, 67, 65):
        hands.play(key)
    hands.press("Escape", "Home")
    hands.choose("way of working", "^Over")
    hands.choose("what is replaced", "stands beside")
    hands.press("Home", "Backquote")
    for key in (60, 62, 64, 62):
        hands.play(key)
    says(page, "that was the last note")
    upper, lower = ("E4", "F4", "G4", "F4"), ("C4", "D4", "E4", "D4")
    check(
        hands,
        "adding a third below",
        server,
        piece,
        [(F(k), F(1), p) for row in (upper, lower) for k, p in enumerate(row)],
    )


def test_pulse_hand_waltz(hands: Hands, server: Server) -> None:
    piece = start(hands, "3/4")
    hands.choose("way of working", "^Pulse")
    hands.press("Backquote", "Digit8")
    tune = {1: 67, 4: 69, 6: 71, 7: 72, 11: 71}
    for pulse in range(1, 13):
        hands.pedal()
        if pulse in tune:
            hands.play(tune[pulse])
            hands.page.wait_for_timeout(60)
    hands.press("Escape")
    says(hands.page, "Pen up")
    expected = [
        (F(0), F(3, 2), "G4"),
        (F(3, 2), F(1), "A4"),
        (F(5, 2), F(1, 2), "B4"),
        (F(3), F(2), "C5"),
        (F(5), F(1), "B4"),
    ]
    check(hands, "pulse-hand waltz", server, piece, expected)


def test_a_left_hand_figure_copied_through_eight_bars(hands: Hands, server: Server) -> None:
    piece = start(hands)
    page = hands.page
    hands.press("ArrowDown", "Backquote", "Digit8")
    for key in (48, 55, 52, 55, 48, 55, 52, 55):
        hands.play(key)
    hands.press("Home", "KeyB")
    says(page, "8 notes selected")
    hands.clicks += 1
    page.get_by_test_id("line").get_by_role("button", name=re.compile("^repeat")).click()
    hands.keys += 1
    page.get_by_label("Times").fill("7")
    hands.press("Enter")
    says(page, "1 bar repeated 7 times")
    names = ("C3", "G3", "E3", "G3") * 16
    check(
        hands,
        "a left-hand figure copied through eight bars",
        server,
        piece,
        [(F(k, 2), F(1, 2), p) for k, p in enumerate(names)],
        part=1,
    )


def test_a_wrong_value_ten_notes_ago(hands: Hands, server: Server) -> None:
    piece = start(hands)
    page = hands.page
    hands.press("Backquote")
    for key in (60, 62, 64, 65, 67, 69, 71, 72, 71, 69, 67):
        hands.play(key)
    says(page, "G 4, quarter, bar 3, beat 3")
    hands.keys = hands.clicks = hands.pedals = 0  # only the correction counts
    hands.click(".system g.note .notehead")
    expect(page.get_by_test_id("line")).to_contain_text("This note")
    hands.choose("set value", "^half, shifting")
    says(page, "Value corrected to a half")
    names = ("C4", "D4", "E4", "F4", "G4", "A4", "B4", "C5", "B4", "A4", "G4")
    expected = [(F(0), F(2), "C4"), *((F(k + 1), F(1), p) for k, p in enumerate(names) if k)]
    check(hands, "a wrong value ten notes ago", server, piece, expected)


def test_a_learned_pedal_advances_and_a_learned_key_no_longer_writes(hands: Hands, server: Server) -> None:
    piece = start(hands)
    page = hands.page
    page.keyboard.press("F1")
    page.get_by_role("button", name="Learn a control for: Rest").first.click()
    hands.midi(0x90, 36, 80)
    expect(page.get_by_test_id("learned")).to_contain_text("Learned: key C2 runs “Rest”")
    hands.midi(0x80, 36, 0)
    page.get_by_role("button", name="Learn a control for: Step back").first.click()
    hands.midi(0x90, 36, 80)
    expect(page.get_by_test_id("learned")).to_contain_text("already runs “Rest”")
    page.get_by_role("button", name="Learn a control for: Step back").first.click()
    page.get_by_role("button", name="Close").click()  # what was being learned ends with the page
    hands.press("Backquote")
    hands.play(60)
    hands.play(36)
    hands.play(64)
    says(page, "E 4, quarter, bar 1, beat 3")
    assert [n[:3] for n in exported(server, piece)] == [(F(0), F(1), "C4"), (F(2), F(1), "E4")]


def test_keys_held_to_harmony_are_shown_and_written_as_chord_tones(hands: Hands, server: Server) -> None:
    piece = start(hands)
    page = hands.page
    page.get_by_role("button", name="More", exact=True).click()
    page.get_by_label("Chord symbol (Bbm7), or none").fill("G7")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="chord tones", exact=True).click()
    page.keyboard.press("Escape")
    expect(page.get_by_test_id("line")).to_contain_text("keys snap to chord tones")
    hands.press("Backquote")
    hands.play(61)
    hands.play(66)
    says(page, "bar 1, beat 2")
    assert [n[2] for n in exported(server, piece)] == [
        "D4",
        "F4",
    ]  # the nearest tones of G7; of two equally near the lower
    assert b"<root-step>G</root-step>" in server.get(f"/api/pieces/{piece}/export.musicxml")
