"""REST: the shelf, documents in and out, what is to be sounded. Routes map to use cases and back, no more."""

from __future__ import annotations

import base64
import re
from functools import lru_cache
from importlib import resources
from typing import Annotated
from urllib.parse import quote

import verovio
from fastapi import APIRouter, Depends, Request, Response, UploadFile
from pydantic import TypeAdapter

from ductus.app.imports import import_file
from ductus.app.library import Library
from ductus.core.errors import BadInput, NotThere, TooMuch
from ductus.core.pitch.keys import check_fifths
from ductus.core.playback.events import click_ranks, company_at, piece_events, take_events, written_tempo_map
from ductus.core.score.edits import change_facts
from ductus.core.score.layouts import new_piece
from ductus.core.score.piece import Piece
from ductus.core.score.records import checked_text
from ductus.core.time.meters import parse_meter
from ductus.core.time.pulse import US_PER_MINUTE, steady_map
from ductus.demo.keyboard import PROGRAMMES, programme_events
from ductus.formats.midi import write_midi
from ductus.formats.musicxml_write import write_musicxml
from ductus.web import schemas as s
from ductus.web.reading_side import strip_view
from ductus.web.rooms import Rooms

MAX_UPLOAD = 20_000_000
router = APIRouter(
    prefix="/api", responses={404: {"model": s.Problem}, 409: {"model": s.Problem}, 422: {"model": s.Problem}}
)


def library_of(request: Request) -> Library:
    """The library of the running application."""
    library: Library = request.app.state.library
    return library


Lib = Annotated[Library, Depends(library_of)]


@router.get("/pieces")
def get_shelf(library: Lib) -> list[s.PieceRow]:
    """All pieces, the latest worked on first."""
    return [s.PieceRow.model_validate(row) for row in library.shelf()]


@router.post("/pieces", status_code=201)
def post_piece(library: Lib, answers: s.NewPiece) -> s.PieceId:
    """Make a clean piece."""
    return s.PieceId(id=library.add(piece_from(answers)))


def piece_from(a: s.NewPiece) -> Piece:
    """The piece that the fill-in sentence describes."""
    meter = parse_meter(a.meter)
    check_fifths(a.fifths)
    return new_piece(
        a.layout,
        a.title,
        meter,
        a.fifths,
        a.mode,
        a.pickup_beats * meter.unit_ticks,
        a.bpm,
        a.tempo_text,
        a.composer,
        a.subtitle,
    )


@router.get("/pieces/{piece_id}")
def get_piece(library: Lib, piece_id: str) -> s.PieceRow:
    """One piece of the shelf."""
    row = next((r for r in library.shelf() if r.id == piece_id), None)
    if row is None:
        raise NotThere("There is no piece at this address. It may have been deleted; the shelf shows what is there.")
    return s.PieceRow.model_validate(row)


@router.delete("/pieces/{piece_id}", status_code=204)
def delete_piece(library: Lib, piece_id: str) -> None:
    """Take a piece off the shelf (it can be brought back)."""
    library.delete(piece_id)


@router.post("/pieces/{piece_id}/restore", status_code=204)
def restore_piece(library: Lib, piece_id: str) -> None:
    """Bring a deleted piece back."""
    library.restore(piece_id)


@router.patch("/pieces/{piece_id}/facts")
def patch_facts(library: Lib, request: Request, piece_id: str, edit: s.FactsEdit) -> s.FactsView:
    """Change the head of the page; 409 if the piece was changed since revision ``base``."""
    desk = library.desk(piece_id)
    words = {k: checked_text(v, k) for k, v in edit.model_dump(exclude={"base"}).items() if v is not None}
    with desk.lock:
        change = change_facts(desk.piece, **words)
        if change:
            desk.apply(change, edit.base)
    rooms: Rooms = request.app.state.rooms
    request.app.state.loop.call_soon_threadsafe(rooms.notify, desk)
    return s.FactsView.model_validate(desk.piece.facts)


@router.post("/import", status_code=201)
def post_import(library: Lib, file: UploadFile) -> s.PieceId:
    """Bring in a MIDI file: the performance is kept as a take and read into a new piece."""
    data = file.file.read(MAX_UPLOAD + 1)
    if len(data) > MAX_UPLOAD:
        raise TooMuch(
            f"That file has more than {MAX_UPLOAD // 1_000_000} MB; Ductus takes no larger ones. Nothing was imported."
        )
    imported = import_file(data, file.filename or "")
    piece_id = library.add(imported.piece, imported.take, "file", imported.choices, imported.start)
    return s.PieceId(id=piece_id, said=imported.said)


@router.get("/pieces/{piece_id}/export.musicxml")
def get_musicxml(library: Lib, piece_id: str) -> Response:
    """The piece as MusicXML 4.0."""
    piece = library.desk(piece_id).piece
    return download(write_musicxml(piece), "application/vnd.recordare.musicxml+xml", piece, "musicxml")


@router.get("/pieces/{piece_id}/export.mid")
def get_midi(library: Lib, piece_id: str) -> Response:
    """The piece as a Standard MIDI File."""
    piece = library.desk(piece_id).piece
    return download(write_midi(piece), "audio/midi", piece, "mid")


def download(data: bytes, kind: str, piece: Piece, ending: str) -> Response:
    """A file named after the piece."""
    name = re.sub(r"[^\w .-]", "", piece.facts.title).strip()[:60] or "piece"
    return Response(
        data,
        media_type=kind,
        headers={
            "Content-Disposition": f"attachment; filename=\"piece.{ending}\"; filename*=UTF-8''{quote(name)}.{ending}"
        },
    )


@router.get("/pieces/{piece_id}/playback")
def get_playback(library: Lib, piece_id: str, from_tick: int = 0) -> list[s.SoundingView]:
    """What sounds from a place on, at the written tempi."""
    return [s.SoundingView.model_validate(x) for x in piece_events(library.desk(piece_id).piece, max(from_tick, 0))]


@router.get("/pieces/{piece_id}/playback/places")
def get_places(library: Lib, piece_id: str, from_tick: int = 0) -> list[tuple[int, int]]:
    """(microseconds from the start of playback, tick) of each beat, for following on the sheet."""
    piece = library.desk(piece_id).piece
    pulses = written_tempo_map(piece)
    zero = pulses.time_at(from_tick)
    return [(pulses.time_at(t) - zero, t) for bar in piece.bars() for t in bar.beats() if t >= from_tick]


@router.get("/pieces/{piece_id}/company")
def get_company(library: Lib, piece_id: str, tick: int, part: str, staff: int) -> list[s.SoundingView]:
    """What the other parts and staves hold at a place, for each step to sound with it; at the written tempi."""
    return [
        s.SoundingView.model_validate(x) for x in company_at(library.desk(piece_id).piece, max(tick, 0), part, staff)
    ]


@router.get("/pieces/{piece_id}/takes/{take_id}/playback")
def get_take_playback(library: Lib, piece_id: str, take_id: int) -> list[s.SoundingView]:
    """A take as it was played."""
    return [s.SoundingView.model_validate(x) for x in take_events(library.desk(piece_id).take(take_id))]


@router.get("/pieces/{piece_id}/readings/{reading_id}/strip")
def get_strip(library: Lib, piece_id: str, reading_id: str) -> s.StripView:
    """A take on the page over time: strokes, beats, tempo curve."""
    return strip_view(library.desk(piece_id), reading_id)


@router.get("/pieces/{piece_id}/clicks")
def get_clicks(
    library: Lib, piece_id: str, bar: int, qpm: float, count_in: int = 2, bars: int = 64
) -> list[s.ClickView]:
    """The click of a recording that starts to write at ``bar``: count-in (negative times) and ``bars`` bars."""
    timeline = library.desk(piece_id).piece.timeline
    if not (0 <= bar <= 9999 and 0 <= count_in <= 8 and 1 <= bars <= 400):
        raise BadInput("That is no place to record from.")
    first = timeline.bar(bar)
    pulses = steady_map(qpm, 0, US_PER_MINUTE)
    out = []
    for k in range(-count_in, bars):
        model = timeline.bar(bar + max(k, 0))
        start = model.start - first.start if k >= 0 else k * first.meter.bar_ticks
        for tick, rank in click_ranks(model if k >= 0 else timeline.bar(max(bar, 1))):
            inside = tick - (model.start if k >= 0 else timeline.bar(max(bar, 1)).start)
            out.append(s.ClickView(time_us=pulses.time_at(start + inside) - US_PER_MINUTE, rank=rank))  # type: ignore[arg-type]
    return out


@router.get("/programmes")
def get_programmes() -> list[s.ProgrammeView]:
    """What the rehearsal keyboard can play."""
    return [s.ProgrammeView.model_validate(p) for p in PROGRAMMES]


@router.get("/programmes/{name}")
def get_programme(name: str) -> s.ProgrammeEvents:
    """Key and pedal events of a performance of the rehearsal keyboard."""
    return s.ProgrammeEvents(events=programme_events(name))


@lru_cache(maxsize=1)
def music_font() -> bytes:
    """The music face that the engraver ships (for note signs inside words), as WOFF2."""
    css = (resources.files(verovio) / "data" / "Leipzig.css").read_text(encoding="utf-8")
    found = re.search(r"base64,([A-Za-z0-9+/=]+)", css)
    return base64.b64decode(found.group(1)) if found else b""


@router.get("/music-font.woff2", include_in_schema=False)
def get_music_font() -> Response:
    """The engraver's music face."""
    return Response(music_font(), media_type="font/woff2", headers={"Cache-Control": "max-age=86400"})


def wire_schema() -> dict[str, object]:
    """JSON schema of the WebSocket's messages."""
    return TypeAdapter(s.WireMessages).json_schema(ref_template="#/components/schemas/{model}")
