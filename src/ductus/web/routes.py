"""REST: the shelf, documents in and out, what is to be sounded. Routes map to use cases and back, no more."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Path, Query, Request, Response

from ductus.app.files.file_jobs import Works
from ductus.app.library import Library
from ductus.app.session.sound_strip import Shape, shape_of
from ductus.app.takes.guided_review import openings
from ductus.app.takes.reading_views import StripShown, strip_of, why_note
from ductus.app.takes.recording import heard_sounds
from ductus.core.capture.delay import SIGN, find_delay
from ductus.core.playback.click import AsWritten, OneTempo, delay_clicks, playback_clicks, practice_map
from ductus.core.playback.performance import PlaybackStyle, Sounding, company_at, playback, take_sounds
from ductus.core.reading.trace import Stage
from ductus.core.score.model.records import checked_text
from ductus.core.score.note_edits.write import change_facts
from ductus.core.time.bars import MAX_BAR
from ductus.demo.keyboard import PROGRAMMES, programme_events
from ductus.engraving.faces import music_font
from ductus.web import schemas as s
from ductus.web.rooms import Rooms

router = APIRouter(
    prefix="/api", responses={404: {"model": s.Problem}, 409: {"model": s.Problem}, 422: {"model": s.Problem}}
)


def library_of(request: Request) -> Library:
    """The library of the running application."""
    library: Library = request.app.state.library
    return library


def rooms_of(request: Request) -> Rooms:
    """The rooms of the running application."""
    rooms: Rooms = request.app.state.rooms
    return rooms


def works_of(request: Request) -> Works:
    """The files that are being made."""
    works: Works = request.app.state.works
    return works


Lib = Annotated[Library, Depends(library_of)]
AllRooms = Annotated[Rooms, Depends(rooms_of)]
AllWorks = Annotated[Works, Depends(works_of)]
WorkName = Annotated[str, Path(max_length=40)]
FromTick = Annotated[int, Query(ge=0, le=2**52)]
FromBar = Annotated[int, Query(ge=0, le=MAX_BAR)]
MOST_BARS = 512  # that the strip shows at once
TakeId = Annotated[int, Path(ge=1, le=2**62)]
Microseconds = Annotated[int, Query(ge=0, le=2**52)]


@router.patch("/pieces/{piece_id}/facts")
def patch_facts(library: Lib, rooms: AllRooms, piece_id: str, edit: s.FactsEdit) -> s.FactsView:
    """Change the head of the page; 409 if the piece was changed since revision ``base``."""
    desk = library.desk(piece_id)
    words = {k: checked_text(v, k) for k, v in edit.model_dump(exclude={"base"}).items() if v is not None}
    with desk.lock:
        change = change_facts(desk.piece, **words)
        if change:
            desk.apply(change, edit.base)
    rooms.notify(desk)
    return s.FactsView.model_validate(desk.piece.facts)


@router.get("/pieces/{piece_id}/playback")
def get_playback(library: Lib, piece_id: str, how: Annotated[s.Listening, Query()]) -> s.PlaybackView:
    """What sounds from a place on, and where its beats fall."""
    piece = library.desk(piece_id).piece
    tempo = AsWritten(how.percent) if how.qpm is None else OneTempo(how.qpm)
    start, end = how.from_tick, how.to_tick
    if how.first_bar is not None:
        first, last = piece.timeline.bar(how.first_bar), piece.timeline.bar(max(how.last_bar, how.first_bar))
        end, start = last.end, start if first.start <= start < last.end else first.start
    heard = playback(
        piece,
        start,
        end,
        repeats=how.repeats,
        pulses=practice_map(piece, tempo),
        manner=PlaybackStyle(how.as_played, how.feel, how.seed),
        cut=how.cut or how.first_bar is not None,
        stretch=how.stretch,
    )
    return s.PlaybackView(
        notes=heard.notes,
        places=heard.places,
        length_us=heard.length_us,
        start=start,
        end=piece.end if end is None else end,
        clicks=tuple(playback_clicks(piece, heard.places)),
    )


@router.get("/pieces/{piece_id}/shape")
def get_shape(library: Lib, piece_id: str, part: str, first: FromBar = 0, last: FromBar = 0) -> Shape:
    """How bars of a part sound: times and velocities of their notes, those that are being played among them."""
    return shape_of(library.desk(piece_id).shown, part, first, min(last, first + MOST_BARS))


@router.get("/pieces/{piece_id}/company")
def get_company(library: Lib, piece_id: str, tick: FromTick, part: str, staff: int) -> list[Sounding]:
    """What the other parts and staves hold at a place, for each step to sound with it; at the written tempi."""
    return list(company_at(library.desk(piece_id).piece, tick, part, staff))


@router.get("/pieces/{piece_id}/takes/{take_id}/playback")
def get_take_playback(library: Lib, piece_id: str, take_id: TakeId) -> s.TakeSoundsView:
    """A take as it was played, from its first note on."""
    take = library.desk(piece_id).take(take_id)
    first = take.notes[0].onset_us if take.notes else 0
    return s.TakeSoundsView(first_us=first, notes=tuple(take_sounds(take)))


@router.get("/pieces/{piece_id}/heard")
def get_heard(library: Lib, piece_id: str, from_us: Microseconds, to_us: Microseconds) -> list[Sounding]:
    """A stretch of the journal as it was played; times of the wall clock."""
    return list(heard_sounds(library.desk(piece_id), from_us, to_us))


@router.get("/pieces/{piece_id}/readings/{reading_id}/strip")
def get_strip(library: Lib, piece_id: str, reading_id: str) -> StripShown:
    """A take on the page over time: strokes, beats, tempo curve."""
    return strip_of(library.desk(piece_id), reading_id)


@router.get("/pieces/{piece_id}/readings/{reading_id}/notes/{note_id}/why")
def get_why(library: Lib, piece_id: str, reading_id: str, note_id: str) -> list[Stage]:
    """Why a note of a take was written as it was: what each stage decided, its evidence and the rivals."""
    return list(why_note(library.desk(piece_id), reading_id, note_id))


@router.get("/pieces/{piece_id}/readings/{reading_id}/openings")
def get_openings(library: Lib, piece_id: str, reading_id: str, question: str) -> list[str]:
    """The first bars of a take for each answer of a question of its lead-through, as SVG ("" where it cannot be read
    so).
    """
    return openings(library.desk(piece_id), reading_id, question)


@router.get("/delay-test")
def get_delay_test() -> s.DelayClicks:
    """The click of the delay test."""
    clicks, counted = delay_clicks()
    return s.DelayClicks(clicks=tuple(clicks), counted=counted)


@router.post("/delay-test")
def post_delay_test(played: s.DelayPlayed) -> s.DelayView:
    """What the delay test shows; nothing is kept by it."""
    found = find_delay(played.clicks_us, played.strokes_us)
    return s.DelayView(
        mean_us=found.mean_us, spread_us=found.spread_us, points=found.points, words=found.words, sign=SIGN
    )


@router.get("/programmes")
def get_programmes() -> list[s.ProgrammeView]:
    """What the rehearsal keyboard can play."""
    return [s.ProgrammeView.model_validate(p) for p in PROGRAMMES]


@router.get("/programmes/{name}")
def get_programme(
    name: str,
    qpm: Annotated[float | None, Query(ge=5, le=1000)] = None,
    lead_us: Annotated[int | None, Query(ge=0, le=600_000_000)] = None,
) -> s.ProgrammeEvents:
    """Key and pedal events of a performance of the rehearsal keyboard, with a click at its own tempo or at ``qpm``
    quarters a minute.
    """
    return s.ProgrammeEvents(events=programme_events(name, qpm, lead_us))


@router.get("/music-font.woff2", include_in_schema=False)
def get_music_font() -> Response:
    """The engraver's music face."""
    return Response(music_font(), media_type="font/woff2", headers={"Cache-Control": "max-age=86400"})
