"""What leaves Ductus, and what the page is made of: files, pages, marks by their beginnings, instruments."""

from __future__ import annotations

import re
from typing import Annotated, Literal
from urllib.parse import quote

from fastapi import APIRouter, Query, Response

from ductus.app.export import kind_of
from ductus.core.score.instruments import INSTRUMENTS
from ductus.core.score.piece import Piece
from ductus.core.score.wording import suggestions
from ductus.engraving.pages import LARGEST, SMALLEST, PageSetup, printed
from ductus.formats.musicxml_write import left_out
from ductus.web import schemas as s
from ductus.web.routes import Lib

router = APIRouter(prefix="/api")
Size = Annotated[Literal["a4", "letter"], Query()]
Staff = Annotated[float | None, Query(ge=SMALLEST, le=LARGEST)]
OfPart = Annotated[str, Query(max_length=40)]


@router.get("/pieces/{piece_id}/export.{ending}")
def get_file(
    library: Lib, piece_id: str, ending: str, size: Size = "a4", staff_mm: Staff = None, part: OfPart = ""
) -> Response:
    """The piece as a file: musicxml, mid, pdf, svg (one page), zip (all pages as SVG)."""
    kind, piece = kind_of(ending), library.desk(piece_id).piece
    return download(kind.write(piece, PageSetup(size, staff_mm, part)), kind.media_type, piece, ending)


def download(data: bytes, media_type: str, piece: Piece, ending: str) -> Response:
    """A file named after the piece."""
    name = re.sub(r"[^\w .-]", "", piece.facts.title).strip()[:60] or "piece"
    disposition = f"attachment; filename=\"piece.{ending}\"; filename*=UTF-8''{quote(name)}.{ending}"
    return Response(data, media_type=media_type, headers={"Content-Disposition": disposition})


@router.get("/pieces/{piece_id}/pages")
def get_pages(library: Lib, piece_id: str, size: Size = "a4", staff_mm: Staff = None, part: OfPart = "") -> s.PagesView:
    """The pages as they will be printed; what is not given is proposed from the music."""
    return s.PagesView.model_validate(printed(library.desk(piece_id).piece, PageSetup(size, staff_mm, part)))


@router.get("/pieces/{piece_id}/left-out")
def get_left_out(library: Lib, piece_id: str) -> list[str]:
    """What the piece holds that no exported file says, in sentences."""
    return left_out(library.desk(piece_id).piece)


@router.get("/marks")
def get_marks(text: Annotated[str, Query(max_length=200)] = "") -> list[s.SuggestionView]:
    """Marks that a beginning could become."""
    return [s.SuggestionView.model_validate(x) for x in suggestions(text)]


@router.get("/instruments")
def get_instruments() -> list[s.InstrumentView]:
    """The instruments that parts can be for, by family."""
    return [s.InstrumentView.model_validate(x) for x in INSTRUMENTS]
