"""Without eyes, without a mouse, as a newcomer.

What is announced is enough, nothing stands in the way, the tour goes on by real gestures.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from fractions import Fraction as F
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import begin, chord, exported, goes_on, open_piece, press, says, to_shelf

AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
# Web Content Accessibility Guidelines 2.0 to 2.2, levels A and AA, as far as axe-core can tell (targets of 24 pixels
# among them).
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]


def told(page: Page) -> str:
    """What a screen reader has been told last."""
    return page.get_by_test_id("said").inner_text()


def violations(page: Page) -> list[str]:
    """What axe finds in the page as it is."""
    page.evaluate(AXE.read_text(encoding="utf-8") + ";0")
    found: list[str] = page.evaluate(
        """async (tags) => (await axe.run(document, { runOnly: { type: 'tag', values: tags } })).violations
             .flatMap((v) => v.nodes.map((n) => `${v.id}: ${n.html.slice(0, 160)}`))""",
        RULES,
    )
    return found


def key(*names: str) -> Callable[[Page], None]:
    return lambda page: press(page, *names)


def on_shelf(page: Page) -> None:
    to_shelf(page)
    page.get_by_label(re.compile("^Tags of Lock Gate Waltz")).first.click()


def evening(page: Page) -> None:
    page.get_by_role("button", name="Desk").click()
    page.get_by_role("menuitem", name=re.compile("[Ee]vening")).click()


def in_piece(title: str, *keys: str) -> Callable[[Page], None]:
    """Another piece of the shelf, and keys there."""

    def go(page: Page) -> None:
        open_piece(page, title)
        press(page, *keys)

    return go


def doubts_of_a_take(page: Page) -> None:
    """The questions are passed over; a doubt is in hand."""
    in_piece("Tiller Tune", "KeyR")(page)
    ask_no_more, in_hand = page.get_by_role("button", name="ask no more"), page.get_by_test_id("doubt-in-hand")
    expect(ask_no_more.or_(in_hand).first).to_be_visible()
    if ask_no_more.count():
        ask_no_more.click()
    expect(in_hand).to_be_visible()


def delay_test(page: Page) -> None:
    page.get_by_test_id("hearing").click()
    page.get_by_role("menuitem", name=re.compile("^Delay test")).click()


STATES: dict[str, Callable[[Page], None]] = {
    "desk": key("Escape"),
    "selection": key("KeyB"),
    "mark being written": key("Digit2"),
    "frame": key("F4"),
    "listening": key("F7"),
    "shape of the notes": key("Shift+KeyR"),
    "keys and controls": key("F1"),
    "recording": lambda page: (
        page.get_by_test_id("line").get_by_role("button", name=re.compile("^way of working")).click()
    ),
    "print": key("F9"),
    "evening": evening,
    "lead-through": in_piece("Tiller Tune", "KeyR"),
    "doubts": doubts_of_a_take,
    "proof": key("Shift+F8"),
    "pattern of a kit": in_piece("Sparks over the Paddle", "ArrowDown", "ArrowDown", "ArrowDown", "Shift+KeyB"),
    "delay test": delay_test,
    "shelf": on_shelf,
}


@pytest.mark.parametrize("state", STATES)
def test_no_barrier_in_any_state(page: Page, server: Server, state: str) -> None:
    open_piece(page, "Lock Gate Waltz")
    STATES[state](page)
    page.wait_for_timeout(500)  # menus and views have opened
    assert violations(page) == []


# window, and how much of its height the music has at least while notes are entered
HEIGHTS = {(1280, 800): 620, (1920, 1080): 895, (2560, 1440): 1255, (1024, 768): 585, (820, 1180): 925, (500, 800): 480}


STAFF_HEIGHT = """() => {
    const lines = [...document.querySelectorAll('.system .staff > path')].slice(0, 5)
    return lines.at(-1).getBoundingClientRect().top - lines[0].getBoundingClientRect().top
}"""


def test_music_has_most_of_the_height_at_any_size_in_both_themes(page: Page, server: Server) -> None:
    open_piece(page, "Lock Gate Waltz")
    press(page, "Backquote")
    evening(page)
    for (wide, high), least in HEIGHTS.items():
        page.set_viewport_size({"width": wide, "height": high})
        page.wait_for_timeout(300)
        page.get_by_role("button", name="More").wait_for()
        music, line = page.get_by_test_id("sheet-scroll").bounding_box(), page.get_by_test_id("line").bounding_box()
        assert music
        assert line
        assert music["height"] >= least, (wide, high)
        assert line["y"] + line["height"] <= high  # the line is whole
        assert page.evaluate("document.documentElement.scrollWidth") <= wide  # nothing leaves the screen sideways
        page.wait_for_function(f"({STAFF_HEIGHT})() >= 26")  # lines grow shorter in a narrow window
        assert violations(page) == []


def test_the_check_itself_sees_barriers(page: Page, server: Server) -> None:
    """A picture with no name and a button of four pixels are found; else nothing would be proved by finding none."""
    to_shelf(page)
    page.evaluate(
        "document.querySelector('main').insertAdjacentHTML('beforeend', '<img src=x><button "
        'style="width:4px;height:4px;padding:0"></button>\')'
    )
    found = {v.partition(":")[0] for v in violations(page)}
    assert {"image-alt", "button-name"} <= found


def focused(page: Page) -> str:
    """The name of what has the focus, as a screen reader says it."""
    name: str = page.evaluate(
        "(() => { const e = document.activeElement; return e.getAttribute('aria-label') || e.labels?.[0]?.textContent "
        "|| e.textContent || '' })()"
    )
    return name


def test_eight_bars_are_entered_heard_back_and_corrected_without_eyes(page: Page, server: Server) -> None:
    to_shelf(page)
    for _ in range(60):
        page.keyboard.press("Tab")
        if focused(page) == "Begin":
            break
    page.keyboard.press("Enter")
    page.wait_for_selector(".system svg")
    piece = page.url.rpartition("/")[2]

    press(page, "F10")
    says(page, "Pen up. Step into piano, right hand, voice 1, from bar 1, beat 1: each step a quarter")
    press(page, "Backquote")
    says(page, "Pen down at bar 1, beat 1")
    tune = "adgdsdfsadgdfdsagfdsadgkjhgfdsaa"
    wrong = tune[:21] + "s" + tune[22:]  # the second note of bar 6 will be wrong
    for letter in wrong:
        press(page, letter)
    says(page, "C 4, quarter, bar 8, beat 4")

    press(page, "PageUp")  # from behind the end to the bar before, bar after bar
    heard: dict[int, str] = {}
    for _ in range(8):
        press(page, "Control+F3")
        says(page, "of 8")
        words = told(page)
        found = re.match(r"Bar (\d+) of 8", words)
        assert found, words
        heard[int(found[1])] = words
        before = told(page)
        press(page, "PageUp")
        expect(page.get_by_test_id("said")).not_to_have_text(before)
    assert sorted(heard) == list(range(1, 9))
    assert "C 4, quarter; E 4, quarter; G 4, quarter; E 4, quarter" in heard[1]
    assert "C 4, quarter; D 4, quarter; G 4, quarter; C 5, quarter" in heard[6]  # here it is: D where E should be

    for _ in range(5):
        press(page, "PageDown")
    says(page, "bar 6, beat 1")
    press(page, "Shift+ArrowRight")
    says(page, "bar 6, beat 2, right hand: D 4")
    press(page, "d")  # what is there is replaced, as the line said
    says(page, "E 4, quarter, bar 6, beat 2")
    press(page, "PageUp", "Shift+F3")
    says(page, "Bar 6, right hand, voice 1: C 4, quarter; E 4, quarter; G 4, quarter; C 5, quarter")

    pitch = {"a": "C4", "s": "D4", "d": "E4", "f": "F4", "g": "G4", "h": "A4", "j": "B4", "k": "C5"}
    assert [n[:3] for n in exported(server, piece)] == [(F(k), F(1), pitch[c]) for k, c in enumerate(tune)]


def test_what_stands_at_a_note_is_said_with_it(page: Page, server: Server) -> None:
    begin(page, "Aloud")
    press(page, "Backquote")
    chord(page, "adg")
    press(page, "Control+Shift+ArrowLeft", "Digit2")
    page.keyboard.type("staccato")
    press(page, "Enter")
    says(page, "Staccato on 3 notes")
    press(page, "Escape", "ArrowLeft")
    says(page, "bar 1, beat 1, right hand: C 4 and E 4 and G 4")
    press(page, "Digit2")
    page.keyboard.type("mf")
    press(page, "Enter")
    says(page, "mf at bar 1, beat 1")
    press(page, "F3")
    says(page, "Bar 1, beat 1. Right hand: C 4, E 4 and G 4, quarter. Left hand: silence. With mf.")
    press(page, "Shift+F3")
    says(page, "Bar 1, right hand, voice 1: mf, C 4, E 4 and G 4, quarter, staccato; rest, quarter; rest, half.")


def in_words(page: Page, words: str) -> None:
    press(page, "Control+m")
    page.get_by_label("Say it, or find it").fill(words)
    press(page, "Enter")


def recorded_notes(page: Page) -> None:
    """A few notes with the click: one bar is counted in first."""
    press(page, "Backslash")
    goes_on(page)
    for _ in range(26):
        page.keyboard.press("a", delay=150)
    press(page, "Backslash")
    expect(page.get_by_test_id("record")).to_have_text("Record")


def test_the_tour_waits_for_each_gesture(page: Page, server: Server) -> None:
    to_shelf(page)
    page.get_by_role("button", name="Show me").click()
    page.wait_for_selector(".system svg")
    tour = page.get_by_test_id("tour")
    expect(tour).to_contain_text("1 of 16")
    press(page, "a")  # keys only sound: nothing was written, so the tour waits
    expect(tour).to_contain_text("1 of 16")
    gestures: list[Callable[[], object]] = [
        lambda: press(page, "Backquote"),
        lambda: press(page, "a"),
        lambda: press(page, "BracketRight"),
        lambda: chord(page, "adg"),
        lambda: press(page, "Control+z"),
        lambda: (press(page, "Digit2"), page.keyboard.type("mf"), press(page, "Enter")),
        lambda: press(page, "ArrowDown"),
        lambda: press(page, "d"),
        lambda: press(page, "KeyB"),
        lambda: in_words(page, "everything an octave higher"),
        lambda: press(page, "Escape", "Enter"),
        lambda: recorded_notes(page),
        lambda: press(page, "KeyV"),
        lambda: press(page, "F3"),
        lambda: press(page, "F9"),
        lambda: press(page, "Escape", "F1"),
    ]
    for k, gesture in enumerate(gestures, 1):
        expect(tour).to_contain_text(f"{k} of 16")
        gesture()
    expect(tour).to_contain_text("That was the tour")
    press(page, "Escape")
    tour.get_by_role("button", name="Close").click()
    to_shelf(page)
    expect(page.get_by_test_id("tour-offer")).to_have_count(0)  # it is not offered twice
    expect(page.get_by_role("link", name="First Steps aboard").first).to_be_visible()


def test_help_is_searched_for_commands_and_tasks(page: Page, server: Server) -> None:
    begin(page, "Help")
    press(page, "F1")
    field = page.get_by_label("Find")
    expect(field).to_be_focused()
    page.keyboard.type("octave")
    found = page.get_by_test_id("help-found")
    expect(found).to_contain_text("Selected notes an octave up")
    expect(found).to_contain_text(re.compile(r"\d+ commands, [1-9]\d* tasks? of the guide"))
    field.fill("words to sing")
    expect(found.get_by_role("region", name="Words to sing")).to_contain_text("puts a syllable under its note")
    field.fill("xylem")
    expect(found).to_contain_text("Nothing is said of “xylem”")
    press(page, "Escape")
    expect(page.get_by_role("heading", name="Selecting", exact=True)).to_be_visible()


def test_four_hundred_percent_and_forced_colours_are_usable(chromium: Browser, server: Server) -> None:
    """At 400 % of 1280 pixels a page has 320 (WCAG 2.1, 1.4.10 Reflow).

    The line, the pen and the sheet can all be reached.
    """
    context = chromium.new_context(viewport={"width": 320, "height": 640}, forced_colors="active")
    page = context.new_page()
    to_shelf(page, server.url)
    page.get_by_role("link", name="Lock Gate Waltz").first.click()
    page.wait_for_selector(".system svg")
    for target in (
        page.get_by_test_id("pen-state"),
        page.get_by_test_id("line").get_by_role("button").first,
        page.get_by_role("button", name="Export"),
    ):
        target.scroll_into_view_if_needed()
        expect(target).to_be_visible()
        box = target.bounding_box()
        assert box is not None
        assert box["x"] >= 0
        assert box["x"] + box["width"] <= 321
    page.get_by_test_id("pen-state").click()
    expect(page.get_by_test_id("pen-state")).to_have_text("Pen down")
    context.close()


@pytest.mark.own_server
def test_answers_are_walked_through_with_the_arrows(page: Page, server: Server) -> None:
    """The lead-through of the demo's free take: one stop of Tab for the group, the arrows go from answer to answer."""
    open_piece(page, "Tiller Tune")
    press(page, "KeyR")
    group = page.get_by_role("radiogroup").first
    answers = group.get_by_role("radio")
    expect(answers.first).to_be_checked()
    assert answers.count() > 1
    answers.first.focus()
    page.keyboard.down("ArrowRight")  # held for as long as a hand holds it: the group chooses while it is down
    expect(answers.nth(1)).to_be_focused()
    page.keyboard.up("ArrowRight")
    expect(answers.nth(1)).to_be_checked()
