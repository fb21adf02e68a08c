"""What leaves Ductus, and what the page is made of: files, pages, marks by their beginnings, instruments."""

from __future__ import annotations

import re
from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Query, Response

from ductus.app.files.exporting import Wanted, kind_of
from ductus.core.errors import NotThere
from ductus.core.playback.performance import PlaybackStyle
from ductus.core.score.catalogues.accompaniment_figures import FIGURES
from ductus.core.score.catalogues.drum_patterns import READY, varied_bars
from ductus.core.score.catalogues.drums import DRUMS
from ductus.core.score.catalogues.instruments import INSTRUMENTS
from ductus.core.score.mark_language.suggestions import Suggestion
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import bars_words
from ductus.core.score.model.records import Pattern
from ductus.core.time.bars import MAX_BAR
from ductus.core.words import listed
from ductus.engraving.pages import PageSetup, printed
from ductus.engraving.proofreading import proofread
from ductus.formats.musicxml_write import left_out
from ductus.web import schemas as s
from ductus.web.routes import AllWorks, Lib, WorkName

router = APIRouter(prefix="/api")


@router.get("/pieces/{piece_id}/export.{ending}")
def get_file(
    library: Lib,
    works: AllWorks,
    piece_id: str,
    ending: str,
    how: Annotated[s.FileHow, Query()],
) -> Response:
    """The piece as a file: musicxml, mxl, mid, pdf, svg (one page), zip (all pages as SVG), wav, flac, ogg, mp3."""
    kind, piece = kind_of(ending), library.desk(piece_id).piece
    bars = None if how.first_bar is None else (how.first_bar, how.last_bar)
    packed = library.packed(piece_id, history=how.history) if ending == "ductus" else None
    wanted = Wanted(manner=PlaybackStyle(how.as_played, how.feel, how.seed), bars=bars, packed=packed)
    with works.begun(how.work):
        data = kind.write(piece, setup_of(piece, how), wanted)
    return download(data, kind.media_type, piece, ending)


def setup_of(piece: Piece, how: s.PagesHow) -> PageSetup:
    """How a piece is laid on pages. Raises NotThere for a part that is not in it."""
    return PageSetup(how.size, how.staff_mm, part_id(piece, how.part), how.pages, how.turn_at_rests)


def part_id(piece: Piece, asked: str) -> str:
    """A part that is asked for by its id or its name; "" is none. Raises NotThere."""
    if not asked or asked in piece.parts:
        return asked
    found = next((p.id for p in piece.ordered_parts() if p.name.casefold() == asked.strip().casefold()), None)
    if found is None:
        names = listed([p.name for p in piece.ordered_parts()])
        raise NotThere(f"There is no part “{asked[:40]}” in this piece; its parts are {names}.")
    return found


def download(data: bytes, media_type: str, piece: Piece, ending: str) -> Response:
    """A file named after the piece."""
    name = re.sub(r"[^\w .-]", "", piece.facts.title).strip()[:60] or "piece"
    disposition = f"attachment; filename=\"piece.{ending}\"; filename*=UTF-8''{quote(name)}.{ending}"
    return Response(data, media_type=media_type, headers={"Content-Disposition": disposition})


@router.get("/pieces/{piece_id}/pages")
def get_pages(library: Lib, works: AllWorks, piece_id: str, how: Annotated[s.PagesHow, Query()]) -> s.PagesView:
    """The pages as they will be printed; what is not given is proposed from the music."""
    with works.begun(how.work):
        piece = library.desk(piece_id).piece
        return s.PagesView.model_validate(printed(piece, setup_of(piece, how)))


@router.get("/pieces/{piece_id}/proofread")
def get_proofread(
    library: Lib, works: AllWorks, piece_id: str, how: Annotated[s.PagesHow, Query()]
) -> list[s.FindingView]:
    """What there is to look at on the pages before they are printed, by bar."""
    with works.begun(how.work):
        piece = library.desk(piece_id).piece
        _, found = proofread(piece, setup_of(piece, how))
        timeline = piece.timeline
        return [
            s.FindingView(
                kind=f.kind, page=f.page, tick=timeline.bar(f.bar).start, place=timeline.bar_words(f.bar), words=f.words
            )
            for f in found
        ]


@router.get("/works/{name}")
def get_work(works: AllWorks, name: WorkName) -> s.WorkView:
    """How far a file is that is being made."""
    return s.WorkView(share=works.share(name))


@router.delete("/works/{name}", status_code=204)
def delete_work(works: AllWorks, name: WorkName) -> None:
    """Stop making a file; what asked for it is answered that no file was written."""
    works.stop(name)


@router.get("/pieces/{piece_id}/left-out")
def get_left_out(library: Lib, piece_id: str) -> list[str]:
    """What the piece holds that no exported file says, in sentences."""
    return left_out(library.desk(piece_id).piece)


@router.get("/marks")
def get_marks(library: Lib, text: Annotated[str, Query(max_length=200)] = "") -> list[Suggestion]:
    """Marks that a beginning could become."""
    return library.marks_for(text)


@router.put("/words", status_code=204)
def put_word(library: Lib, word: s.WordKind) -> None:
    """Remember what words of a mark are, so that it is not asked again."""
    library.explain(word.text, word.kind)


@router.get("/drums")
def get_drums() -> list[s.DrumView]:
    """The drums of a kit."""
    return [
        s.DrumView(key=d.key, name=d.name, label=d.label, place=d.place.diatonic, head=d.head, foot=d.foot)
        for d in DRUMS.values()
    ]


@router.get("/pieces/{piece_id}/patterns")
def get_patterns(library: Lib, piece_id: str) -> list[s.PatternView]:
    """The patterns of a piece, in order."""
    piece = library.desk(piece_id).piece
    return [pattern_view(piece, p) for p in sorted(piece.patterns.values(), key=lambda p: p.start)]


def pattern_view(piece: Piece, p: Pattern) -> s.PatternView:
    """A pattern as the strip draws it."""
    first, last = piece.timeline.bar_at(p.start), piece.timeline.bar_at(p.start + p.ticks - 1)
    bars = [piece.timeline.bar(k) for k in range(first.index, last.index + 1)]
    number_of = piece.timeline.number_of
    return s.PatternView(
        id=p.id,
        part=p.part,
        first=first.index,
        last=last.index,
        start=p.start,
        ticks=p.ticks,
        times=p.times,
        where=bars_words(piece, first.index, last.index),
        until=number_of(piece.timeline.bar_at(p.end - 1).index),
        cells=tuple((c.at, c.key, c.velocity) for c in p.cells),
        beats=tuple((t - p.start, t == bar.start) for bar in bars for t in bar.beats()),
        varied=tuple((bar, number_of(bar)) for bar in sorted(set(varied_bars(piece, p)))),
    )


@router.get("/pieces/{piece_id}/ready-patterns")
def get_ready_patterns(
    library: Lib, piece_id: str, bar: Annotated[int, Query(ge=0, le=MAX_BAR)] = 0, pitched: bool = False
) -> list[s.ReadyPatternView]:
    """Patterns to begin with (``pitched``: figures of accompaniment), those for the meter of a bar first."""
    meter = library.desk(piece_id).piece.timeline.bar(bar).meter
    found = [s.ReadyPatternView(name=p.name, fits=p.fits(meter)) for p in (FIGURES if pitched else READY)]
    return sorted(found, key=lambda p: not p.fits)


@router.get("/instruments")
def get_instruments() -> list[s.InstrumentView]:
    """The instruments that parts can be for, by family."""
    return [s.InstrumentView.model_validate(x) for x in INSTRUMENTS]
