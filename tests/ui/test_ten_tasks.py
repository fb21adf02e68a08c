"""Ten plain tasks by what is seen alone: only visible text and accessible names, and every gesture is counted.

A gesture is a click, a key, a choice of a list, or a field that is filled; notes are not counted.
"""

from __future__ import annotations

import re
from pathlib import Path

import music21
from playwright.sync_api import Locator, Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import to_shelf

MOST_GESTURES = 110
LOOK_MS = 300  # a person looks before clicking on a note


class Newcomer:
    """Someone who reads what stands on the screen, and clicks on it."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.gestures = 0
        self.of_task: dict[str, int] = {}

    def task(self, name: str) -> None:
        """What is done from here on counts for a task."""
        self.of_task[name] = self.gestures

    def click(self, name: str | re.Pattern[str], role: str = "button") -> None:
        """Click something by its accessible name."""
        self._named(name, role).click()
        self.gestures += 1

    def fill(self, name: str, text: str, role: str = "textbox") -> None:
        """Write into a field that says what it is."""
        self._named(name, role).fill(text)
        self.gestures += 1

    def choose(self, name: str, option: str) -> None:
        """Choose from a list that says what it is."""
        self._named(name, "combobox").select_option(label=option)
        self.gestures += 1

    def press(self, key: str) -> None:
        """One key that is no note."""
        self.page.keyboard.press(key)
        self.gestures += 1

    def note(self, bar: int, number: int, *, staff: int = 1, more: bool = False) -> None:
        """Click the head of a note that is seen on a staff of a bar, all counted from one; ``more`` with Shift."""
        there = self.page.locator(f".system g.measure[id^='b{bar}-'] g.staff").nth(staff - 1)
        head = there.locator("g.note .notehead").nth(number - 1)
        expect(head).to_be_visible()
        self.page.wait_for_timeout(LOOK_MS)
        head.click(force=True, modifiers=["Shift"] if more else [])
        self.gestures += 1

    def play(self, keys: str) -> None:
        """Notes, one after the other, by the letters that stand for keys: "Play something" names them."""
        for key in keys:
            before = self.page.get_by_test_id("said").inner_text()
            self.page.keyboard.press(key)
            expect(self.page.get_by_test_id("said")).not_to_have_text(before)

    def chord(self, keys: str) -> None:
        """Keys held together."""
        for key in keys:
            self.page.keyboard.down(key)
        for key in keys:
            self.page.keyboard.up(key)

    def say(self, words: str) -> None:
        """Say what is to be done, in the field that More opens; it is weighed before it is done."""
        self.click("More")
        self.fill("Say it, or find it", words)
        expect(self.page.get_by_role("dialog", name="more").get_by_role("status")).to_contain_text("Enter")
        self.press("Enter")
        expect(self.page.get_by_role("dialog", name="more")).to_have_count(0)

    def mark(self, words: str) -> None:
        """Give a mark to what is selected."""
        self.click("with a mark")
        self.fill("mark", words, role="combobox")
        self.press("Enter")
        expect(self._named("mark", "combobox")).to_have_count(0)

    def sees(self, words: str | re.Pattern[str]) -> None:
        """The announcement or the line says this."""
        expect(self.page.get_by_role("contentinfo")).to_contain_text(words)

    def _named(self, name: str | re.Pattern[str], role: str) -> Locator:
        exact = isinstance(name, str)
        return self.page.get_by_role(role, name=name, exact=exact).first  # type: ignore[arg-type]


def test_ten_plain_tasks_by_what_is_seen_alone(page: Page, server: Server) -> None:
    someone = Newcomer(page)
    to_shelf(page)

    someone.task("begin in 3/4 with a pick-up")
    someone.fill("title", "Plain Tasks")
    someone.fill("meter", "3/4", role="combobox")
    someone.choose("key", "G major")
    someone.choose("pick-up", "a pick-up of a quarter")
    someone.click("Begin")
    page.wait_for_selector(".system svg")
    piece = page.url.rsplit("/", 1)[1]

    someone.task("eight bars")
    someone.click("Pen up")
    someone.play("sfghjhgfdsdfsfghjhgfdfghk")
    someone.sees("bar 9, beat 1")

    someone.task("chords")
    someone.click(re.compile("^part:"))
    someone.click("piano, left hand", role="menuitemradio")
    someone.click(re.compile("^place:"))
    someone.fill("Bar and beat, as 5.2", "1")
    someone.press("Enter")
    someone.click(re.compile("^step value:"))
    someone.click("half")
    someone.click("keep the dot on")
    someone.press("Escape")
    someone.click(re.compile("^Input:"))
    someone.click(re.compile("^Octave lower"), role="menuitem")
    someone.press("Escape")
    for keys in ("adg", "fhk", "gjs", "adg"):
        someone.chord(keys)
    someone.sees("bar 5, beat 1")

    someone.task("mend a wrong pitch")
    someone.note(1, 1)
    someone.sees("This note: F 4")
    someone.click(re.compile("^pitch:"))
    someone.click("a semitone up", role="menuitemradio")
    someone.sees("This note: F sharp 4")

    someone.task("respell")
    someone.click(re.compile("^pitch:"))
    someone.click(re.compile("^its other name"), role="menuitemradio")
    someone.sees("This note: G flat 4")
    someone.click("Undo")
    someone.sees("F sharp")
    someone.click("done")

    someone.task("mf, a slur and a hairpin")
    someone.note(1, 1)
    someone.mark("mf")
    someone.note(2, 1, more=True)
    someone.mark("slur")
    someone.mark("<")
    someone.click("done")

    someone.task("a repeat with two endings")
    someone.say("repeat bars 1 to 4 with two endings")

    someone.task("tempo")
    someone.say("tempo 84 from bar 1")

    someone.task("record and mend")
    someone.say("go to bar 6")
    someone.click("Record")
    expect(page.get_by_role("button", name="Stop recording")).to_be_visible()
    page.wait_for_timeout(5000)
    for key in "gfd":
        page.keyboard.press(key, delay=400)
        page.wait_for_timeout(300)
    page.wait_for_timeout(1000)
    someone.click("Stop recording")
    someone.sees("Take 1: 3 notes written from bar 6")
    for number in (2, 3, 4):  # the G before it may be tied, by when the clock of this machine had it end
        someone.note(6, number, staff=2)
        page.wait_for_timeout(500)
        if "This note: F 3" in page.get_by_role("contentinfo").inner_text():
            break
    someone.sees("This note: F 3")
    someone.click(re.compile("^pitch:"))
    someone.click("a semitone up", role="menuitemradio")
    someone.sees("This note: F sharp 3")
    someone.click("done")

    someone.task("print")
    someone.click("Export")
    someone.click(re.compile("^Pages: print"), role="menuitem")
    with page.expect_download() as paper:
        someone.click("Save as PDF")
    assert Path(paper.value.path()).read_bytes().startswith(b"%PDF")

    assert len(someone.of_task) == 10
    assert someone.gestures <= MOST_GESTURES, someone.of_task
    score = music21.converter.parseData(server.get(f"/api/pieces/{piece}/export.musicxml").decode(), format="musicxml")
    right, left = score.parts[0], score.parts[1]
    bars = {m.number: m for m in right.getElementsByClass("Measure")}
    assert bars[0].duration.quarterLength == 1
    assert [n.nameWithOctave for n in bars[1].notes] == ["F#4", "G4", "A4"]  # the wrong pitch is mended
    assert [len(c.pitches) for c in left.recurse().notes][:4] == [3, 3, 3, 3]
    assert [n.nameWithOctave for n in left.measure(6).notes] == ["G3", "F#3", "E3"]  # played, and one mended
    (slur,) = right.recurse().getElementsByClass("Slur")
    assert [n.nameWithOctave for n in (slur.getFirst(), slur.getLast())] == ["F#4", "B4"]
    assert score.recurse().getElementsByClass("Crescendo")
    assert score.recurse().getElementsByClass("Dynamic")
    order = [m.number for m in score.expandRepeats().parts[0].getElementsByClass("Measure")]
    assert order == [0, 1, 2, 3, 4, 1, 2, 3, 5, 6, 7, 8]
    assert [t.number for t in score.recurse().getElementsByClass("MetronomeMark")] == [84]
