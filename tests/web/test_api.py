"""REST: the shelf, files in and out, the guards, and bad input with words for musicians."""

from __future__ import annotations

import io

import music21
import pytest
from lxml import etree
from starlette.testclient import TestClient
from starlette.websockets import WebSocketDisconnect

from ductus.app.files.file_jobs import Works
from ductus.app.library import Library
from ductus.core.score.note_edits.write import delete_notes
from ductus.demo.keyboard import PROGRAMMES
from ductus.demo.scenario import jig, waltz
from ductus.demo.shelf import FREELY, HASTY, fill_library
from ductus.formats.midi import write_midi
from ductus.formats.musicxml_write import write_musicxml
from tests.building import random_piece

BOMB = b"""<?xml version="1.0"?><!DOCTYPE score-partwise [<!ENTITY a "aaaaaaaaaa">
<!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;">
<!ENTITY c "&b;&b;&b;&b;&b;&b;&b;&b;&b;&b;">]>
<score-partwise version="4.0"><work><work-title>&c;</work-title></work></score-partwise>"""


def test_the_sentence_makes_a_piece_and_unanswered_words_leave_no_text(client: TestClient) -> None:
    made = client.post("/api/pieces", json={"meter": "6/8", "fifths": 2, "pickup_beats": 1, "bpm": 104}).json()["id"]
    xml = client.get(f"/api/pieces/{made}/export.musicxml").content
    score = music21.converter.parseData(xml.decode(), format="musicxml")
    assert score.parts[0].measure(0).duration.quarterLength == 0.5
    assert b"work-title" not in xml
    assert client.get("/api/pieces").json()[0]["meter"] == "6/8"


@pytest.mark.parametrize(
    ("answers", "words"),
    [
        ({"title": "x" * 10_000}, "10,000 letters"),
        ({"meter": "4/5"}, "is no meter"),
        ({"meter": "waltz"}, "is no meter"),
        ({"fifths": 9}, "fifths"),
        ({"layout": "tuba"}, "layout"),
        ({"colour": "red"}, "colour"),
    ],
)
def test_answers_that_cannot_be_used_are_refused_in_words(
    client: TestClient, answers: dict[str, object], words: str
) -> None:
    refused = client.post("/api/pieces", json=answers)
    assert refused.status_code == 422
    assert words in refused.json()["message"]
    assert client.get("/api/pieces").json() == []


def test_an_edit_on_an_old_revision_is_a_conflict(client: TestClient, library: Library) -> None:
    piece = library.add(waltz())
    assert client.patch(f"/api/pieces/{piece}/facts", json={"base": 0, "title": "One"}).json()["title"] == "One"
    refused = client.patch(f"/api/pieces/{piece}/facts", json={"base": 0, "title": "Two"})
    assert refused.status_code == 409
    assert "Nothing was lost" in refused.json()["message"]
    assert library.desk(piece).piece.facts.title == "One"


def test_delete_and_bring_back(client: TestClient, library: Library) -> None:
    piece = library.add(waltz())
    assert client.delete(f"/api/pieces/{piece}").status_code == 204
    assert client.get(f"/api/pieces/{piece}").status_code == 404
    client.post(f"/api/pieces/{piece}/restore")
    assert client.get(f"/api/pieces/{piece}").json()["title"] == "Lock Gate Waltz"


def test_a_midi_file_becomes_a_piece_with_its_take(client: TestClient, library: Library) -> None:
    answer = client.post("/api/import", files={"file": ("barge.mid", write_midi(waltz()))})
    assert answer.status_code == 201
    desk = library.desk(answer.json()["id"])
    assert len(desk.takes) == 1
    assert len(desk.piece.notes) == len(waltz().notes)
    assert "121 notes read" in answer.json()["said"]


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("a.mid", b"not music", "no file that Ductus reads"),
        ("a.mid", b"", "empty"),
        ("a.mid", b"%PDF-1.7 ...", "a PDF file"),
        ("a.mxl", b"RIFF0000WAVEfmt ", "no file that Ductus reads"),
        ("a.musicxml", BOMB, "entities"),
    ],
)
def test_files_that_cannot_be_used_leave_the_shelf_as_it_was(
    client: TestClient, name: str, data: bytes, words: str
) -> None:
    refused = client.post("/api/import", files={"file": (name, data)})
    assert refused.status_code == 422
    assert words in refused.json()["message"]
    assert "Nothing was imported" in refused.json()["message"]
    assert client.get("/api/pieces").json() == []


def test_a_file_that_is_too_large_is_refused(client: TestClient) -> None:
    for start, size, words in (
        (b"MThd", 100_000_000, "up to 2 MB"),
        (b"<?xml", 100_000_000, "up to 64 MB"),
        (b"MThd", 202_000_000, "200 MB"),
    ):
        refused = client.post("/api/import", files={"file": ("a.mid", io.BytesIO(start + bytes(size)))})
        assert refused.status_code == 413
        assert words in refused.json()["message"]
    assert client.get("/api/pieces").json() == []


def test_a_score_comes_onto_the_shelf_with_what_it_could_not_keep(client: TestClient, library: Library) -> None:
    cue = write_musicxml(waltz()).replace(b'<note id="', b'<note print-object="no" id="', 1)
    answer = client.post("/api/import", files={"file": ("../../etc/A letter of 1,000.musicxml", cue)}).json()
    assert answer["left_out"] == ["1 hidden note, bar 1."]
    assert len(library.desk(answer["id"]).piece.notes) == len(waltz().notes) - 1
    assert answer["said"] == "120 notes in 1 part and 16 bars."


def test_a_copy_has_a_title_of_its_own_and_tags_are_kept(client: TestClient, library: Library) -> None:
    piece = library.add(waltz())
    copies = [client.post(f"/api/pieces/{piece}/copy").json()["id"] for _ in range(2)]
    assert client.put(f"/api/pieces/{copies[0]}/tags", json={"tags": [" barge ", "", "waltz", "barge"]}).json() == {
        "tags": ["barge", "waltz"]
    }
    rows = {r["id"]: r for r in client.get("/api/pieces").json()}
    assert sorted(r["title"] for r in rows.values()) == [
        "Lock Gate Waltz",
        "Lock Gate Waltz, copy",
        "Lock Gate Waltz, copy 2",
    ]
    assert rows[copies[0]]["tags"] == ["barge", "waltz"]
    assert rows[piece]["tags"] == []
    assert len(library.desk(copies[1]).piece.notes) == len(waltz().notes)


def test_the_opening_of_a_piece_is_drawn_once_and_again_when_it_changes(client: TestClient, library: Library) -> None:
    piece = library.add(waltz())
    first = client.get(f"/api/pieces/{piece}/opening.svg")
    assert first.headers["content-type"] == "image/svg+xml"
    assert first.text.count('class="note"') > 5
    assert client.get(f"/api/pieces/{piece}/opening.svg").text == first.text
    desk = library.desk(piece)
    desk.apply(delete_notes(desk.piece, [n.id for n in desk.piece.notes.values()]))
    assert 'class="note"' not in client.get(f"/api/pieces/{piece}/opening.svg").text


def test_the_whole_library_goes_out_and_comes_back(client: TestClient, library: Library) -> None:
    client.post("/api/import", files={"file": ("barge.mid", write_midi(waltz()))})
    library.add(jig())
    kept = client.get("/api/backup.ductus")
    assert "ductus-library-" in kept.headers["content-disposition"]
    answer = client.post("/api/import", files={"file": ("library.ductus", kept.content)}).json()
    assert answer["said"] == "2 pieces with 1 take came back as kept."
    assert len(client.get("/api/pieces").json()) == 4


def test_an_unknown_piece_is_said_to_be_unknown_everywhere(client: TestClient) -> None:
    for path in ("", "/export.musicxml", "/export.mid", "/playback"):
        answer = client.get(f"/api/pieces/nowhere{path}")
        assert answer.status_code == 404
        assert "no piece at this address" in answer.json()["message"]
    assert client.get("/api/nonsense").status_code == 404


def test_exports_are_named_after_the_piece(client: TestClient, library: Library) -> None:
    piece = library.add(waltz())
    answer = client.get(f"/api/pieces/{piece}/export.musicxml")
    assert "Lock%20Gate%20Waltz.musicxml" in answer.headers["content-disposition"]
    assert etree.fromstring(answer.content).tag == "score-partwise"
    assert client.get(f"/api/pieces/{piece}/export.mid").content[:4] == b"MThd"


def test_only_our_own_hosts_and_pages_are_answered(client: TestClient) -> None:
    assert client.get("/api/pieces", headers={"host": "evil.example"}).status_code == 400
    refused = client.post("/api/pieces", json={}, headers={"origin": "http://evil.example"})
    assert refused.status_code == 403
    assert client.post("/api/pieces", json={}, headers={"origin": "http://testserver"}).status_code == 201
    with (
        pytest.raises(WebSocketDisconnect),
        client.websocket_connect("/api/pieces/x/desk", headers={"origin": "http://evil.example"}) as ws,
    ):
        ws.receive_text()


def test_no_inline_script_may_run(client: TestClient) -> None:
    policy = client.get("/").headers["content-security-policy"]
    assert "script-src 'self' 'wasm-unsafe-eval';" in policy
    assert "<script>" not in client.get("/").text


def test_the_demo_fills_an_empty_shelf_only(client: TestClient, library: Library) -> None:
    fill_library(library)
    fill_library(library)
    assert [r["title"] for r in client.get("/api/pieces").json()] == [
        "Lock Gate Waltz",
        "Otter at the Tiller",
        "Three Bends of the River",
        "The Lantern-Keeper’s Song",
        "Sparks over the Paddle",
        "Dance of the Paper Crane",
        HASTY,
        FREELY,
    ]
    for programme in PROGRAMMES:
        events = client.get(f"/api/programmes/{programme.name}").json()["events"]
        assert len([e for e in events if e[1] == "down"]) > 10
    assert client.get("/api/programmes/none").status_code == 404


def test_a_file_that_is_being_made_says_how_far_it_is_and_is_stopped_by_its_name(
    client: TestClient, library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It is asked whenever it has gone on, so that no speed of any machine decides what is heard."""
    piece = library.add(random_piece(4, "4/4", 40))
    told: list[float] = []
    watch = Works._watch

    def watch_and_ask(works: Works, name: str, share: float) -> bool:
        goes_on = watch(works, name, share)
        if name == "one":
            told.append(client.get("/api/works/one").json()["share"])
        return goes_on

    monkeypatch.setattr(Works, "_watch", watch_and_ask)
    whole = client.get(f"/api/pieces/{piece}/export.zip", params={"work": "one"})
    assert whole.status_code == 200
    assert told == sorted(told)
    assert len(set(told)) > 2
    assert 0 < min(told) < max(told) <= 1
    assert client.get("/api/works/one").json() == {"share": None}
    assert client.delete("/api/works/two").status_code == 204  # before it has begun: it stops all the same
    stopped = client.get(f"/api/pieces/{piece}/export.zip", params={"work": "two"})
    assert (stopped.status_code, stopped.json()["message"]) == (409, "Stopped; no file was written.")
    assert (
        client.get(f"/api/pieces/{piece}/pages", params={"work": "two"}).status_code == 200
    )  # the stop was for that one
