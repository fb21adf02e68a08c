"""The shelf over REST: pieces made, copied, tagged, taken off and brought back.

Files that come in; the whole library as one file.
"""

from __future__ import annotations

from datetime import date

from fastapi import APIRouter, Response, UploadFile

from ductus.app.files.importing import take_in
from ductus.core.errors import NotThere, TooMuch
from ductus.core.pitch.keys import check_fifths
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import Piece
from ductus.core.time.meters import meter_sign, parse_meter
from ductus.core.time.ticks import ticks_of_shown
from ductus.demo.scenario import waltz
from ductus.store.packed import MEDIA_TYPE
from ductus.web import schemas as s
from ductus.web.routes import AllRooms, Lib

MAX_UPLOAD = 200_000_000
WAIT_S = 1.5  # a file that is read within this time is answered as read
router = APIRouter(
    prefix="/api", responses={404: {"model": s.Problem}, 409: {"model": s.Problem}, 422: {"model": s.Problem}}
)


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
        ticks_of_shown(a.pickup) or a.pickup_beats * meter.unit_ticks,
        a.bpm if a.bpm_to is None else (a.bpm + a.bpm_to) / 2,
        a.tempo_text,
        a.composer,
        a.subtitle,
        a.arranger,
        a.lyricist,
        a.number,
        a.parts,
        "" if a.bpm_to is None else f"{a.bpm:g}–{a.bpm_to:g}",
        meter_sign(a.meter),
    )


@router.get("/pieces/{piece_id}")
def get_piece(library: Lib, piece_id: str) -> s.PieceRow:
    """One piece of the shelf."""
    row = next((r for r in library.shelf() if r.id == piece_id), None)
    if row is None:
        raise NotThere("There is no piece at this address. It may have been deleted; the shelf shows what is there.")
    return s.PieceRow.model_validate(row)


@router.delete("/pieces/{piece_id}", status_code=204)
def delete_piece(library: Lib, rooms: AllRooms, piece_id: str) -> None:
    """Take a piece off the shelf (it can be brought back)."""
    library.delete(piece_id)
    rooms.deleted(piece_id, True)


@router.post("/pieces/{piece_id}/restore", status_code=204)
def restore_piece(library: Lib, rooms: AllRooms, piece_id: str) -> None:
    """Bring a deleted piece back."""
    library.restore(piece_id)
    rooms.deleted(piece_id, False)


@router.post("/pieces/{piece_id}/copy", status_code=201)
def post_copy(library: Lib, piece_id: str) -> s.PieceId:
    """A copy of a piece, with its takes."""
    return s.PieceId(id=library.copy(piece_id))


@router.put("/pieces/{piece_id}/tags")
def put_tags(library: Lib, piece_id: str, edit: s.TagsEdit) -> s.TagsView:
    """Give a piece tags."""
    return s.TagsView(tags=library.tag(piece_id, edit.tags))


@router.get("/pieces/{piece_id}/opening.svg")
def get_opening(library: Lib, piece_id: str) -> Response:
    """The first bars of a piece; the address names its revision, so that it can be kept."""
    return Response(
        library.opening(piece_id), media_type="image/svg+xml", headers={"Cache-Control": "max-age=31536000"}
    )


@router.get("/example.svg")
def get_example(library: Lib) -> Response:
    """The first bars of a piece of the demo, for a shelf that is still empty."""
    return Response(library.drawn_opening(waltz()), media_type="image/svg+xml")


@router.post("/import", status_code=201)
def post_import(library: Lib, rooms: AllRooms, file: UploadFile) -> s.ArrivedView:
    """Bring in a file: a performance is kept as a take and read onto a new page (which goes on at the desk if it
    takes long), a score or a file of our own becomes pieces.
    """
    data = file.file.read(MAX_UPLOAD + 1)
    if len(data) > MAX_UPLOAD:
        raise TooMuch(
            f"That file has more than {MAX_UPLOAD // 1_000_000} MB; Ductus takes no larger ones. Nothing was imported."
        )
    arrived = take_in(library, data, file.filename or "")
    first = arrived.pieces[0]
    done = arrived.job is None or rooms.start(library.desk(first), arrived.job, WAIT_S)
    return s.ArrivedView(
        id=first, pieces=arrived.pieces, said=arrived.said if done else arrived.waiting, left_out=arrived.left_out
    )


@router.get("/backup.ductus")
def get_backup(library: Lib) -> Response:
    """The whole library as one file."""
    name = f"ductus-library-{date.today().isoformat()}.ductus"
    return Response(
        library.backup(), media_type=MEDIA_TYPE, headers={"Content-Disposition": f'attachment; filename="{name}"'}
    )
