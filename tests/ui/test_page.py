"""The finished page through the real interface.

Marks, frame, parts, print; a song brought from nothing to a printed page by keys alone.
"""

from __future__ import annotations

import re
import shutil
import subprocess
from pathlib import Path

import music21
import pytest
import soundfile
from music21 import dynamics, expressions, harmony, spanner
from playwright.sync_api import Page, expect

from ductus.engraving.pdf import CONVERTER
from tests.ui.conftest import Server
from tests.ui.desk import about, begin, choose, chord, exported, open_piece, opened, press, says, to_shelf, with_mark


def score_of(server: Server, piece: str) -> music21.stream.Score:
    return music21.converter.parseData(server.get(f"/api/pieces/{piece}/export.musicxml").decode(), format="musicxml")


def quarters(page: Page, letters: str) -> None:
    """Notes by letters of the computer keyboard, each waited for by the server's answer at the end."""
    for letter in letters:
        press(page, letter)


def tab_to(page: Page, label: str) -> None:
    """Go to a field of the sentence by Tab alone."""
    for _ in range(60):
        page.keyboard.press("Tab")
        if (
            page.evaluate("document.activeElement?.getAttribute('aria-label') ?? document.activeElement?.textContent")
            == label
        ):
            return
    raise AssertionError(f"{label} is not reached by Tab")


STAVES = {"singer": "singer", "right": "right hand", "left": "left hand"}


def at_bar(page: Page, number: int, staff: str = "") -> None:
    """The pen at the first beat of a bar, by keys."""
    here = page.get_by_test_id("line").locator('[data-phrase="part"]')
    for _ in range(3 if staff else 0):
        before = here.inner_text()
        if STAVES[staff] in before:
            break
        press(page, "ArrowDown")
        expect(here).not_to_have_text(before)
    position = page.get_by_test_id("position")
    while position.inner_text() != "bar 1 · beat 1":
        press(page, "Control+ArrowLeft")
    press(page, *["Control+ArrowRight"] * (number - 1))
    expect(position).to_have_text(f"bar {number} · beat 1")


def select_bar(page: Page) -> None:
    """The notes of the bar at the pen, by key; as a person does, one looks that they are selected."""
    press(page, "KeyB")
    expect(page.locator("[data-selected]").first).to_be_attached()


def song_by_keys(page: Page) -> str:
    """Set-up and notes of the song, by keys alone; returns its id."""
    to_shelf(page)
    tab_to(page, "layout")
    page.keyboard.type("singer")
    tab_to(page, "title")
    page.keyboard.type("The Heron Ferry")
    tab_to(page, "meter")
    page.keyboard.press("Control+a")
    page.keyboard.type("4/4")
    tab_to(page, "key")
    page.keyboard.type("F major")
    tab_to(page, "more")
    page.keyboard.press("Enter")
    for label, words in (
        ("subtitle", "for the lantern scene"),
        ("number", "7"),
        ("composer", "L. Marsh"),
        ("lyricist", "words: N. Oar"),
        ("arranger", "arr. the pit band"),
    ):
        tab_to(page, label)
        page.keyboard.type(words)
    tab_to(page, "tempo word")
    page.keyboard.type("Flowing")
    page.keyboard.press("Enter")
    piece = opened(page)
    page.locator("body").press("Escape")
    at_bar(page, 1, "singer")
    press(page, "Backquote")
    quarters(page, "ghkhgfgdhkjhgfdfghjk" + "lkhgfghjkkhgf")  # 33 quarters
    press(page, "Backquote")
    at_bar(page, 1, "right")
    press(page, "BracketLeft", "Backquote")
    for pair in ("fh", "fh", "fg", "dg", "fh", "dg", "fh", "dg", "fh", "fh", "dg", "dg", "fh", "fh", "dg", "dg"):
        chord(page, pair)
    press(page, "Backquote")
    at_bar(page, 1, "left")
    press(page, "BracketLeft", "KeyN", "Backquote")
    quarters(page, "fsffdsaf")
    press(page, "Backquote", "KeyM", "BracketRight", "BracketRight")
    return piece


def test_a_song_is_brought_from_nothing_to_a_printed_page_by_keys_alone(
    page: Page, server: Server, tmp_path: Path
) -> None:
    piece = song_by_keys(page)
    expect(page.locator(".system g.note")).not_to_have_count(0)

    # the frame: the last two bars in 3/4 and back is a change of meter at bar 8
    at_bar(page, 8, "singer")
    about(page, "meter")
    page.keyboard.press("Escape")
    about(page, "meter")
    choose(page, "meter", "2/4")
    expect(page.get_by_test_id("weighed")).to_contain_text("Bar 8 on is in 2/4, was 4/4: values stay")
    press(page, "Enter")
    says(page, "Bar 8 on is in 2/4")
    press(page, "Escape")

    # words, two verses, pasted as texts from the pen on
    at_bar(page, 1)
    with_mark(
        page,
        "lyrics Ri-ver _ car-ry me o-ver_ the dark, ri-ver let none of us drown",
        "lyrics 2: Lan-tern lan-tern show me the way to the bank where the he-rons sleep",
    )
    with_mark(page, "dolce", "mf", "section A", "F")
    at_bar(page, 2)
    with_mark(page, "|:", "segno", "Bb")
    at_bar(page, 3)
    with_mark(page, "C7/E")
    # slurs, hairpin and pedal on what is selected
    select_bar(page)
    with_mark(page, "slur", "<")
    press(page, "Escape")
    at_bar(page, 4)
    with_mark(page, "f", "to coda", "Dm7")
    at_bar(page, 5)
    select_bar(page)
    with_mark(page, "1st ending", "repeat end")
    press(page, "Escape")
    at_bar(page, 6)
    select_bar(page)
    with_mark(page, "2nd ending", "rit.", "staccato")
    press(page, "Escape")
    at_bar(page, 7)
    with_mark(page, "a tempo", "p")
    select_bar(page)
    with_mark(page, "D.S. al Coda")
    press(page, "Escape")
    at_bar(page, 8)
    with_mark(page, "coda")
    at_bar(page, 1, "left")
    select_bar(page)
    press(page, "Control+Shift+ArrowRight")
    expect(page.locator("[data-selected]")).to_have_count(2)
    with_mark(page, "pedal")
    press(page, "Escape")

    page.get_by_role("button", name="Add a copyright line").focus()
    page.keyboard.press("Enter")
    page.keyboard.type("© 2026 the barge")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="© 2026 the barge")).to_be_visible()

    marks_are_read_back(score_of(server, piece))
    playing_order_is_right(server, piece)
    it_is_printed(page, tmp_path)
    it_is_changed_undone_and_redone(page, server, piece)


def marks_are_read_back(score: music21.stream.Score) -> None:
    """The exported file holds each mark, where it was put, and who is named."""
    named = score.metadata
    assert (named.composer, named.lyricist, named.copyright) == ("L. Marsh", "words: N. Oar", "© 2026 the barge")

    def places(kind: type) -> list[tuple[str, float]]:
        def said(x: object) -> str:
            return str(getattr(x, "value", None) or getattr(x, "content", None) or getattr(x, "figure", ""))

        return [(said(x), x.getOffsetInHierarchy(score)) for x in score.recurse().getElementsByClass(kind)]

    assert places(dynamics.Dynamic) == [("mf", 0.0), ("f", 12.0), ("p", 24.0)]
    assert [figure for figure, _ in places(harmony.ChordSymbol)] == ["F", "B-", "C7/E", "Dm7"]
    assert places(expressions.RehearsalMark) == [("A", 0.0)]
    (slur,) = score.recurse().getElementsByClass(spanner.Slur)
    assert [n.getOffsetInHierarchy(score) for n in slur.getSpannedElements()] == [8, 11]
    assert len(score.recurse().getElementsByClass(dynamics.Crescendo)) == 1
    endings = sorted(
        (b.number, [m.number for m in b.getSpannedElements()])
        for b in score.parts[0].recurse().getElementsByClass(spanner.RepeatBracket)
    )
    assert [n for _, n in endings] == [[5], [6]]
    sounding = [n for n in score.parts[0].recurse().notes if not isinstance(n, harmony.Harmony)]
    sung = [[(x.number, x.text) for x in n.lyrics if x.text] for n in sounding][:3]
    assert sung == [[(1, "Ri"), (2, "Lan")], [(1, "ver"), (2, "tern")], [(2, "lan")]]
    assert [str(m.ratioString) for m in score.parts[0].recurse().getElementsByClass(music21.meter.TimeSignature)] == [
        "4/4",
        "2/4",
    ]
    assert sum(len(n.articulations) for n in sounding) == 4


def playing_order_is_right(server: Server, piece: str) -> None:
    """1, then the repeat with both endings, D.S. to the coda.

    Bars 1 2345 2346 7, 234 (the sign stands at the end of bar 4, where the pen was), 8 on.
    """
    import json

    places = json.loads(server.get(f"/api/pieces/{piece}/playback?from_tick=0"))["places"]
    quarter = 23_063_040
    ticks = [t for _, t in places]
    bars = [
        b
        for b in dict.fromkeys((t // (4 * quarter), k) for k, t in enumerate(ticks))
        if ticks[b[1]] % (4 * quarter) == 0 and b[0] < 7
    ]
    assert [b + 1 for b, _ in bars] == [1, 2, 3, 4, 5, 2, 3, 4, 6, 7, 2, 3, 4]
    assert ticks[-1] >= 28 * quarter
    us = [t for t, _ in places]
    assert us == sorted(us)


def it_is_printed(page: Page, tmp_path: Path) -> None:
    """Print view and PDF agree on the number of pages; the PDF holds the words of the page."""
    press(page, "F9")
    count = page.get_by_test_id("page-count")
    expect(count).to_have_text(re.compile(r"[1-9]\d* pages?"))
    expect(page.locator(".pages .page svg")).to_have_count(int(count.inner_text().split()[0]))
    if shutil.which(CONVERTER) is None:  # then it is said what is missing
        page.locator('[data-phrase="PDF"]').press("Enter")
        expect(page.get_by_test_id("print-problem")).to_contain_text("librsvg2-bin")
        press(page, "Escape")
        return
    with page.expect_download() as download:
        page.locator('[data-phrase="PDF"]').press("Enter")
    file = tmp_path / download.value.suggested_filename
    download.value.save_as(file)
    assert file.name == "The Heron Ferry.pdf"
    assert file.read_bytes().startswith(b"%PDF")
    if shutil.which("pdftotext"):
        words = subprocess.run(["pdftotext", str(file), "-"], capture_output=True, text=True, check=True).stdout
        for expected in (
            "The Heron Ferry",
            "for the lantern scene",
            "L. Marsh",
            "D.S. al Coda",
            "Singer",
            "dolce",
            "drown",
        ):
            assert expected in words
    press(page, "Escape")
    expect(count).to_have_count(0)


def to_the_end(page: Page, button: str, key: str) -> None:
    """Strike a key of the history until there is nothing left for it, some strokes at a time as impatient hands do."""
    left = page.get_by_role("button", name=button)
    for _ in range(20):
        if left.is_disabled():
            break
        press(page, *[key] * 12)
    expect(left).to_be_disabled()


def it_is_changed_undone_and_redone(page: Page, server: Server, piece: str) -> None:
    """Transposed for the singer, a bar inserted, a section copied.

    Undone to the beginning of the marks and redone, the file is the same.
    """
    at_bar(page, 1, "singer")
    about(page, "key")
    choose(page, "transpose to", "A flat major")
    expect(page.get_by_test_id("weighed")).to_contain_text("transposed up by a minor third")
    press(page, "Enter")
    says(page, "now in A flat major")
    assert [x.figure for x in score_of(server, piece).recurse().getElementsByClass(harmony.ChordSymbol)] == [
        "A-",
        "D-",
        "E-7/G",
        "Fm7",
    ]
    press(page, "Escape")
    about(page, "bars")
    page.get_by_test_id("line").locator('[data-phrase="insert bars"]').press("Enter")
    page.get_by_label("How many bars").press("Enter")
    says(page, "1 bar inserted before bar 1")
    press(page, "Escape")
    at_bar(page, 9)
    about(page, "bars")
    choose(page, "section again", "A again here")
    expect(page.get_by_test_id("weighed")).to_contain_text("Section A again from bar 9 on")
    press(page, "Enter")
    says(page, "Section A again from bar 9 on")
    press(page, "Escape")
    whole = server.get(f"/api/pieces/{piece}/export.musicxml")
    to_the_end(page, "Undo", "Control+z")
    expect(page.locator(".system g.note")).to_have_count(0)
    to_the_end(page, "Redo", "Control+y")
    assert server.get(f"/api/pieces/{piece}/export.musicxml") == whole


def test_the_line_speaks_of_what_is_clicked_on_the_page(page: Page, server: Server) -> None:
    open_piece(page, "Three Bends of the River")
    line = page.get_by_test_id("line")
    for selector, words in (
        (".system g.meterSig", "meter 6/8"),
        (".system g.clef", "treble clef"),
        ("g.tempo", "Tempo at"),
        ("g.barLine", "insert bars before it"),
    ):
        page.locator(selector).first.click(force=True)
        expect(line).to_contain_text(words)
        press(page, "Escape")
        expect(line).to_contain_text("Step into")


def test_parts_are_added_named_moved_and_removed(page: Page, server: Server) -> None:
    piece = begin(page, "Parts")
    about(page, "part")
    choose(page, "add a part", "Clarinet in B flat (winds)")
    says(page, "Clarinet in B flat added under Piano")
    expect(page.locator("g.label")).to_have_count(2)
    choose(page, "other part", "Clarinet in B flat")
    page.get_by_test_id("line").locator('[data-phrase="part name"]').click()
    page.get_by_label("Its name").fill("Reed")
    press(page, "Enter")
    says(page, "is now called Reed")
    page.get_by_test_id("line").locator('[data-phrase="up"]').click()
    says(page, "Reed moved up, above Piano")
    assert score_of(server, piece).parts[0].partName == "Reed"
    assert b"<chromatic>-2</chromatic>" in server.get(f"/api/pieces/{piece}/export.musicxml")
    page.get_by_test_id("line").locator('[data-phrase="remove it"]').click()
    expect(page.get_by_test_id("weighed")).to_contain_text("Reed removed")
    press(page, "Enter")
    says(page, "Reed removed")
    expect(page.locator("g.staff")).not_to_have_count(0)
    press(page, "Backquote", "a")
    expect(page.locator(".system g.note")).to_have_count(1)


@pytest.mark.parametrize("size", ["US letter"])
def test_the_printed_page_follows_what_is_chosen(page: Page, server: Server, size: str) -> None:
    open_piece(page, "Otter at the Tiller")
    press(page, "F9")
    view = page.get_by_test_id("print-line")
    expect(view).to_contain_text("on A4")
    view.locator('[data-phrase="page size"]').click()
    page.get_by_role("menuitemradio", name=size).click()
    expect(page.locator(".pages .page svg").first).to_have_attribute("width", "215.9mm")
    view.locator('[data-phrase="staff size"]').click()
    page.get_by_role("menuitemradio", name="5 mm high", exact=True).click()
    expect(view).to_contain_text("staves 5 mm high, on")


def test_the_sheet_stands_in_pages_is_written_on_there_and_stays_so(page: Page) -> None:
    begin(page, "Leaves")
    press(page, "Shift+F9")
    says(page, "The sheet stands on A4 pages, as it is printed")
    leaf = page.get_by_role("region", name="page 1")
    expect(leaf.locator(".system svg").first).to_be_visible()
    box = leaf.bounding_box()
    assert box
    assert box["height"] / box["width"] == pytest.approx(297 / 210, rel=0.01)
    press(page, "Backquote")
    quarters(page, "adgk")
    expect(leaf.locator("g.note")).to_have_count(4)
    press(page, "Backquote")
    page.reload()
    opened(page)
    expect(page.get_by_role("region", name="page 1").locator("g.note")).to_have_count(4)
    press(page, "Shift+F9")
    says(page, "The sheet goes on without pages")
    expect(page.get_by_role("region", name="page 1")).to_have_count(0)
    expect(page.locator(".system g.note")).to_have_count(4)


def test_a_left_hand_on_a_treble_staff_is_offered_a_bass_clef_where_it_happens(page: Page, server: Server) -> None:
    piece = begin(page, "Low notes")
    press(page, "Backquote", "KeyN", "KeyN")
    quarters(page, "adgadgad")
    offer = page.get_by_test_id("offer")
    expect(offer).to_contain_text("on many ledger lines: move them to the left hand?")
    offer.get_by_role("button", name="no").click()
    expect(offer).to_contain_text("notes far below the staff: bass clef?")
    offer.hover()
    where = offer.bounding_box()
    quarters(page, "a")
    says(page, "C 2, quarter, bar 3, beat 1")
    assert offer.bounding_box() == where  # it does not run away from the mouse
    offer.get_by_role("button", name="yes").click()
    says(page, "Bass clef from bar 1, beat 1 on")
    expect(offer).to_have_count(0)
    assert b"<sign>F</sign><line>4</line>" in server.get(f"/api/pieces/{piece}/export.musicxml").split(b'number="2"')[0]


def test_notes_on_many_ledger_lines_are_moved_to_the_other_hand_with_the_pen(page: Page, server: Server) -> None:
    piece = begin(page, "Wrong hand")
    press(page, "Backquote", "KeyN", "KeyN")
    quarters(page, "adg")
    page.get_by_test_id("offer").get_by_role("button", name="yes").click()
    expect(page.get_by_test_id("line")).to_contain_text("left hand")
    quarters(page, "k")
    says(page, "C 3, quarter, bar 1, beat 4")
    assert {n[3] for n in exported(server, piece)} == {1}


def test_one_part_is_shown_alone_and_the_pen_goes_there(page: Page, server: Server) -> None:
    open_piece(page, "The Lantern-Keeper")
    staves = page.locator('[data-system="0"] g.measure').first.locator(":scope > g.staff")
    expect(staves).to_have_count(3)
    about(page, "part")
    choose(page, "other part", "Singer")
    choose(page, "shown", "Singer alone")
    expect(staves).to_have_count(1)
    says(page, "Only Singer is shown; the pen is there")
    press(page, "Escape")
    expect(page.get_by_test_id("line")).to_contain_text("singer, voice 1")
    about(page, "part")
    choose(page, "shown", "all parts")
    expect(staves).to_have_count(3)


def test_marks_and_frame_are_there_after_a_restart(page: Page, server: Server) -> None:
    piece = begin(page, "Kept")
    press(page, "Backquote")
    quarters(page, "adgk")
    press(page, "Backquote", "Control+ArrowLeft", "Control+ArrowLeft")
    select_bar(page)
    with_mark(page, "slur", "mf", "1st ending", "lyrics Ri-ver run on")
    says(page, "Words under 4 notes")
    press(page, "Escape")
    before = server.get(f"/api/pieces/{piece}/export.musicxml")
    page.reload()
    opened(page)
    assert server.get(f"/api/pieces/{piece}/export.musicxml") == before
    expect(page.locator("g.slur")).to_have_count(1)
    expect(page.locator("g.dynam")).to_have_count(1)
    expect(page.locator("g.verse")).to_have_count(4)


def test_a_sound_file_is_saved_with_its_progress_and_can_be_stopped(page: Page, server: Server, tmp_path: Path) -> None:
    open_piece(page, "Lock Gate Waltz")
    page.get_by_role("button", name="Export").click()
    with page.expect_download() as download:
        page.get_by_role("menuitem", name="OGG").click()
    download.value.save_as(tmp_path / "waltz.ogg")
    assert download.value.suggested_filename == "Lock Gate Waltz.ogg"
    assert soundfile.info(tmp_path / "waltz.ogg").duration > 20
    says(page, "OGG file saved")
    expect(page.get_by_test_id("busy")).to_have_count(0)
    page.route("**/export.wav*", lambda route: (page.wait_for_timeout(600), route.continue_()))  # a slow machine
    page.get_by_role("button", name="Export").click()
    page.get_by_role("menuitem", name="WAV").click()
    expect(page.get_by_role("progressbar", name="WAV file is being made")).to_be_visible()
    page.get_by_test_id("busy").get_by_role("button", name="Stop").click()
    expect(page.get_by_test_id("problem")).to_contain_text("Stopped; no file was written.")
    expect(page.get_by_test_id("busy")).to_have_count(0)


def test_a_ready_figure_accompanies_bars_by_their_chord_symbols(page: Page, server: Server) -> None:
    piece = begin(page, "Accompanied", "3/4", "G minor")
    press(page, "Backquote")
    for symbol in ("Gm", "D7"):
        with_mark(page, symbol)
        quarters(page, "sdf")
    press(page, "Escape")
    about(page, "bars")
    choose(page, "bars of the figure", "2 bars")
    line = page.get_by_test_id("line")
    expect(line).to_contain_text("accompany 2 bars in Piano, left hand with")
    press(page, "Escape", "Home")
    about(page, "bars")
    choose(page, "bars of the figure", "2 bars")
    choose(page, "ready figure", "waltz bass")
    expect(page.get_by_test_id("weighed")).to_contain_text(
        "Waltz bass in bars 1 to 2 of Piano, left hand, by the chord symbols"
    )
    press(page, "Enter")
    says(page, "Waltz bass in bars 1 to 2")
    left = score_of(server, piece).parts[1].flatten().notes
    assert [[p.nameWithOctave for p in n.pitches] for n in left] == [
        ["G2"], ["D3", "G3", "B-3"], ["D3", "G3", "B-3"], ["D2"], ["D3", "F#3", "A3", "C4"], ["D3", "F#3", "A3", "C4"],
    ]  # fmt: skip
    press(page, "Escape", "Control+KeyZ")
    says(page, "Undone: Waltz bass")
