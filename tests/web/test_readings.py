"""Takes on the page over the WebSocket: recorded freely and with the click, read again, doubts decided, undone."""

from __future__ import annotations

from typing import Any

import pytest
from starlette.testclient import TestClient

from ductus.app.library import Library
from ductus.core.score.layouts import new_piece
from ductus.core.score.piece import Piece
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER
from ductus.demo.keyboard import programme_events
from tests.web.test_socket import Browser, desk

JIG_BAR = Meter(6, 8).bar_ticks


def play(browser: Browser, name: str, **start: Any) -> None:
    """Record a programme of the rehearsal keyboard and wait until it is on the page."""
    browser.ask(type="record-start", origin_us=0, now_us=0, bar=0, shortest=None, **start)
    events = programme_events(name)
    part = [{"at_us": t, "kind": kind, "key": key, "value": value} for t, kind, key, value in events]
    browser.ask(type="keys", epoch_us=0, events=part)
    browser.ask(type="record-stop", end_us=events[-1][0] + 100_000)
    reading(browser, lambda r: True)


def reading(browser: Browser, wanted: Any) -> dict[str, Any]:
    """The next message about the readings whose first one fits."""
    while True:
        found = browser.until("readings")["readings"]
        if found and wanted(found[0]):
            first: dict[str, Any] = found[0]
            return first


def line(view: dict[str, Any]) -> str:
    return "".join(p["words"] for p in view["line"])


def onsets(piece: Piece) -> list[tuple[int, int]]:
    return sorted((n.tick, n.pitch.midi) for n in piece.notes.values())


@pytest.fixture
def waltz_taken(client: TestClient, library: Library) -> Any:
    """A browser at a piece into which the waltz was recorded with the click."""
    piece = library.add(new_piece(meter=Meter(3, 4), fifths=-2, bpm=96))
    with desk(client, piece) as socket:
        browser = Browser(socket)
        play(browser, "waltz-with-click", qpm=96, count_in=2)
        yield browser, library.desk(piece)


def test_the_line_tells_how_a_take_was_read_and_changes_it(waltz_taken: Any) -> None:
    browser, open_desk = waltz_taken
    view = browser.latest["readings"]["readings"][0]
    assert line(view).startswith("Read take 1 from bar 1, beat 1, in 3/4 against the click, down to eighths")
    assert any(n.ticks == QUARTER // 2 for n in open_desk.piece.notes.values())
    before = onsets(open_desk.piece)
    browser.ask(type="reading-set", reading=view["id"], name="shortest", value="quarter")
    view = reading(browser, lambda r: "down to quarters" in line(r))
    assert all(n.tick % QUARTER == 0 and n.ticks % QUARTER == 0 for n in open_desk.piece.notes.values())
    browser.ask(type="reading-set", reading=view["id"], name="hands", value="right")
    reading(browser, lambda r: "all in the right" in line(r))
    assert {n.staff for n in open_desk.piece.notes.values()} == {1}
    open_desk.undo()
    open_desk.undo()
    assert onsets(open_desk.piece) == before


def test_what_was_put_right_by_hand_stays_when_the_take_is_read_again(waltz_taken: Any) -> None:
    browser, open_desk = waltz_taken
    view = browser.latest["readings"]["readings"][0]
    notes = sorted(open_desk.piece.notes.values(), key=lambda n: (n.tick, n.pitch.midi))
    moved, gone, renamed = notes[5], notes[9], notes[14]
    base = open_desk.history.revision
    browser.ask(type="edit", name="length", ids=[moved.id], argument="eighth", base=base)
    browser.ask(type="edit", name="delete", ids=[gone.id], base=base + 1)
    browser.ask(type="edit", name="octave", ids=[renamed.id], argument="1", base=base + 2)
    browser.ask(type="reading-set", reading=view["id"], name="staccato", value="rest")
    reading(browser, lambda r: "short with rests" in line(r))
    piece = open_desk.piece
    assert piece.notes[moved.id].ticks == QUARTER // 2
    assert gone.id not in piece.notes
    assert not any(n.event == gone.event for n in piece.notes.values())
    assert piece.notes[renamed.id].pitch.midi == renamed.pitch.midi + 12


def test_some_notes_are_read_otherwise_and_the_rest_stays(waltz_taken: Any) -> None:
    browser, open_desk = waltz_taken
    view = browser.latest["readings"]["readings"][0]
    bar = Meter(3, 4).bar_ticks
    chosen = {n.id: n for n in open_desk.piece.notes.values() if n.tick < 2 * bar}
    rest = {i: n for i, n in open_desk.piece.notes.items() if n.tick >= 2 * bar}
    browser.ask(type="reading-set", reading=view["id"], name="shortest", value="quarter", ids=list(chosen))
    browser.until("busy")
    browser.until("readings")
    assert all(open_desk.piece.notes[i].tick % QUARTER == 0 for i in chosen)
    assert any(n.tick % QUARTER for n in rest.values())
    assert {i: open_desk.piece.notes[i].tick for i in rest} == {i: n.tick for i, n in rest.items()}
    other = open_desk.history.revision
    browser.ask(type="reading-set", reading=view["id"], name="meter", value="2/4", ids=list(chosen))
    browser.until("problem")
    assert "belong to the whole take" in browser.problems[-1]
    assert open_desk.history.revision == other


def test_a_doubt_is_decided_for_a_rival_and_back_and_settled(waltz_taken: Any) -> None:
    browser, open_desk = waltz_taken
    view = browser.latest["readings"]["readings"][0]
    before = onsets(open_desk.piece)
    doubt = next(d for d in view["doubts"] if len(d["options"]) > 1)
    assert doubt["chosen"] == 0
    assert set(doubt["ids"]) <= set(open_desk.piece.notes)
    browser.ask(type="doubt", reading=view["id"], key=doubt["key"], action="choose", option=1)
    view = reading(browser, lambda r: any(d["key"] == doubt["key"] and d["chosen"] == 1 for d in r["doubts"]))
    assert open_desk.history.undo
    browser.ask(type="doubt", reading=view["id"], key=doubt["key"], action="choose", option=0)
    view = reading(browser, lambda r: any(d["key"] == doubt["key"] and d["chosen"] == 0 for d in r["doubts"]))
    assert onsets(open_desk.piece) == before
    browser.ask(type="doubt", reading=view["id"], key=doubt["key"], action="settle")
    view = reading(browser, lambda r: all(d["key"] != doubt["key"] for d in r["doubts"]))
    assert view["settled"] == 1
    browser.ask(type="doubt", reading=view["id"], action="settle all")
    assert reading(browser, lambda r: not r["doubts"])["settled"] >= 1
    browser.ask(type="doubt", reading=view["id"], key=999, action="settle")
    browser.until("problem")
    assert "not there any more" in browser.problems[-1]


def test_a_free_take_gives_an_empty_piece_its_meter_and_offers_rival_readings(
    client: TestClient, library: Library
) -> None:
    piece = library.add(new_piece())
    with desk(client, piece) as socket:
        browser = Browser(socket)
        play(browser, "otter-freely", qpm=None)
        view = browser.latest["readings"]["readings"][0]
        assert view["free"]
        chooser = next(p for p in view["line"] if p["name"] == "reading of the whole")
        assert len(chooser["choices"]) == 3
        assert len({words for _, words in chooser["choices"]}) == 3
        browser.ask(type="reading-set", reading=view["id"], name="meter", value="6/8")
        view = reading(browser, lambda r: "in 6/8" in line(r))
        opened = library.desk(piece)
        assert opened.piece.timeline.bar(1).meter == Meter(6, 8)
        assert opened.piece.facts.pickup in (QUARTER // 2, 0)
        seconds = [n[0] for n in client.get(f"/api/pieces/{piece}/readings/{view['id']}/strip").json()["strokes"]]
        assert seconds == sorted(seconds)
        tempo = opened.piece.tempo_at(0).quarters_per_minute
        browser.ask(type="reading-set", reading=view["id"], name="about", value=str(tempo / 2))
        reading(browser, lambda r: next(p for p in r["line"] if p["name"] == "tempo")["value"] == f"{tempo / 2:g}")
        assert abs(opened.piece.tempo_at(0).quarters_per_minute / tempo - 0.5) < 0.1
        opened.undo()
        assert opened.piece.tempo_at(0).quarters_per_minute == tempo


def test_taps_and_bar_lines_set_by_hand_are_obeyed(client: TestClient, library: Library) -> None:
    piece = library.add(new_piece())
    with desk(client, piece) as socket:
        browser = Browser(socket)
        play(browser, "otter-freely", qpm=None)
        identity = browser.latest["readings"]["readings"][0]["id"]
        strokes = client.get(f"/api/pieces/{piece}/readings/{identity}/strip").json()["strokes"]
        lows = sorted({s[0] for s in strokes if s[2] < 52})
        taps = [lows[0] + k * (lows[-1] - lows[0]) // 14 for k in range(15)]
        browser.ask(type="reading-set", reading=identity, name="taps", value=" ".join(map(str, taps)))
        reading(browser, lambda r: "tapped" in line(r))
        beats = client.get(f"/api/pieces/{piece}/readings/{identity}/strip").json()["beats"]
        times = {us for us, *_ in beats}
        assert {t for t in taps if t > lows[0]} - times == set()
        bars = [b for b in beats if b[2] is not None]
        second = bars[2]
        browser.ask(type="reading-set", reading=identity, name="bar", value=f"{second[1]} {second[0] + 40_000}")
        browser.until("busy")
        browser.until("readings")
        again = client.get(f"/api/pieces/{piece}/readings/{identity}/strip").json()["beats"]
        now = {tick: us for us, tick, *_ in again}
        assert now[second[1]] == second[0] + 40_000
        assert now[bars[1][1]] == bars[1][0]  # neighbours stay where they were
        assert now[bars[3][1]] == bars[3][0]
        browser.ask(type="reading-set", reading=identity, name="bar", value=f"{second[1]} {bars[3][0] + 1}")
        browser.until("problem")
        assert "cannot pass" in browser.problems[-1]
        browser.ask(type="reading-set", reading=identity, name="taps", value="5")
        browser.until("problem")
        assert "at least two beats" in browser.problems[-1]


def test_a_take_that_was_undone_can_be_put_on_the_page_at_another_place(waltz_taken: Any) -> None:
    browser, open_desk = waltz_taken
    before = onsets(open_desk.piece)
    browser.ask(type="take-read", take=1, part="p1", bar=0)
    assert "on the page already" in browser.problems[-1]
    open_desk.undo()
    assert not open_desk.piece.notes
    browser.ask(type="take-read", take=1, part="p1", bar=4)
    browser.until("readings")
    shift = 4 * Meter(3, 4).bar_ticks
    assert onsets(open_desk.piece) == [(tick + shift, key) for tick, key in before]


def test_an_imported_performance_can_be_read_again_after_a_restart(client: TestClient, library: Library) -> None:
    from ductus.demo.player import play as perform
    from ductus.demo.scenario import waltz
    from tests.building import midi_of

    data = midi_of(perform(waltz(), range(8), 3, 96), 96, (3, 4))
    answer = client.post("/api/import", files={"file": ("a.mid", data, "audio/midi")})
    piece = answer.json()["id"]
    library.close_desk(piece)
    with desk(client, piece) as socket:
        browser = Browser(socket)
        view = reading(browser, lambda r: True)
        assert "the beat of its file" in line(view)
        browser.ask(type="reading-set", reading=view["id"], name="plainness", value="plainer")
        reading(browser, lambda r: "plainer than usual" in line(r))
    library.close_desk(piece)
    with desk(client, piece) as socket:
        assert "plainer than usual" in line(reading(Browser(socket), lambda r: True))


def test_ornaments_are_offered_written_as_such_and_taken_back(client: TestClient, library: Library) -> None:
    piece = library.add(new_piece(bpm=84))
    with desk(client, piece) as socket:
        browser = Browser(socket)
        play(browser, "crane-with-click", qpm=84, count_in=2)
        view = browser.latest["readings"]["readings"][0]
        offers = [d for d in view["doubts"] if d["key"] < 0]
        assert len(offers) == 11
        trill = next(d for d in offers if "trill" in d["options"][1][0])
        assert trill["options"][0][0] == f"{len(trill['ids'])} notes one by one"
        opened = library.desk(piece)
        before = onsets(opened.piece)
        browser.ask(type="doubt", reading=view["id"], key=trill["key"], action="choose", option=1)
        reading(browser, lambda r: any(d["key"] == trill["key"] and d["chosen"] == 1 for d in r["doubts"]))
        (note,) = [n for n in opened.piece.notes.values() if "trill" in n.articulations]
        assert note.ticks == 2 * QUARTER
        browser.ask(type="reading-set", reading=view["id"], name="hands", value="60")
        reading(browser, lambda r: "split at C4" in line(r))
        assert any("trill" in n.articulations for n in opened.piece.notes.values())  # read again, the choice stays
        opened.undo()
        browser.ask(type="doubt", reading=view["id"], key=trill["key"], action="choose", option=0)
        reading(browser, lambda r: any(d["key"] == trill["key"] and d["chosen"] == 0 for d in r["doubts"]))
        assert onsets(opened.piece) == before
        browser.ask(type="doubt", reading=view["id"], key=trill["key"], action="settle")
        reading(browser, lambda r: all(d["key"] != trill["key"] for d in r["doubts"]))
        browser.ask(type="doubt", reading=view["id"], key=-9999, action="settle")
        browser.until("problem")
        assert "not there any more" in browser.problems[-1]
