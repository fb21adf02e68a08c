"""What is told of the frame and of marks on the page: where they stand, how they are, what can be done with them."""

from __future__ import annotations

from dataclasses import replace

from ductus.app import wire as m
from ductus.app.session.sound_strip import weighed_notes
from ductus.core.entry.state import EntryState
from ductus.core.errors import BadInput, NotThere
from ductus.core.notation.reading_aloud import bar_aloud, column_aloud, voice_aloud
from ductus.core.pitch.keys import key_words
from ductus.core.prompt.entry import line_words
from ductus.core.prompt.instruction_scope import Asked
from ductus.core.prompt.instructions import instruction
from ductus.core.score.catalogues.layouts import felt_beat
from ductus.core.score.mark_edits.commands import drawn_records, mark_words, record_words
from ductus.core.score.model.changes import Change
from ductus.core.score.model.mark_kinds import KINDS
from ductus.core.score.model.note_signs import MOVABLE
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import bars_words
from ductus.core.score.model.records import BarSign, Mark, Part, Record
from ductus.core.score.structure_edits.base import FrameConfirmationNeeded
from ductus.core.score.structure_edits.settling import frame_change
from ductus.core.score.structure_edits.split_bars import short_end
from ductus.core.time.bars import Bar, beat_number
from ductus.core.time.meters import default_groups
from ductus.core.time.note_values import describe_value
from ductus.core.time.ticks import shown_ticks
from ductus.core.words import listed


def about_page(
    piece: Piece, message: m.WeighFrame | m.WeighNotes | m.LookAtFrame | m.PickMarks
) -> m.FrameFact | m.WeighedFact | m.WeighedNotesFact | m.MarksFact:
    """What is answered to a question about the page. Raises BadInput, NotThere."""
    match message:
        case m.WeighFrame(do):
            return weighed(piece, do)
        case m.WeighNotes(do, ids):
            return weighed_notes(piece, do, ids)
        case m.LookAtFrame():
            return frame_fact(piece, message)
        case m.PickMarks(ids):
            return marks_fact(piece, ids)


def in_words(piece: Piece, text: str, asked: Asked) -> m.InstructionFact:
    """What an instruction in words would do; where it cannot be done, why."""
    try:
        found = instruction(piece, text, asked)
    except BadInput as error:
        return m.InstructionFact(text, str(error), ())
    steps = tuple(m.InstructionStepFact(s.kind, s.do, s.ids) for s in found.steps)  # type: ignore[arg-type]
    return m.InstructionFact(text, found.words, steps)


def aloud(piece: Piece, state: EntryState, what: str) -> str:
    """What stands at the pen, said in full; "where": the place of the pen and what the next key will do."""
    index = piece.timeline.bar_at(state.tick).index
    match what:
        case "bar":
            return bar_aloud(piece, min(index, piece.bar_count - 1))
        case "voice":
            return voice_aloud(piece, state.line, index)
        case "column" | "sounding":
            return column_aloud(piece, state.tick, sounding=what == "sounding")
    pen = "Pen down" if state.down else "Pen up"
    return f"{pen}. {line_words(state, piece)}"


def page_change(piece: Piece, message: m.EditFrame | m.EditMarks) -> Change:
    """The change that an edit of the frame or of marks makes.

    Raises BadInput. A mark of a take that a person words anew or makes longer is theirs from then on; one that is
    only moved still goes with the take.
    """
    if isinstance(message, m.EditFrame):
        return frame_change(piece, message.do)
    change = message.do.change(piece, message.ids)
    return replace(change, rows=tuple((old, own_mark(old, new)) for old, new in change.rows))


def own_mark(old: Record | None, new: Record | None) -> Record | None:
    """A record as a person leaves it: a mark that says something else, or elsewhere, than before is theirs."""
    if not isinstance(old, Mark) or not isinstance(new, Mark):
        return new
    same = (old.text, old.tick, old.ticks) == (new.text, new.tick, new.ticks)
    return new if same else replace(new, take=None)


def marks_left(piece: Piece, ids: tuple[str, ...]) -> m.MarksFact:
    """Those of chosen marks that are still there after an edit."""
    return marks_fact(piece, tuple(i for i in ids if drawn_records(piece, (i,))))


def _meant(piece: Piece, about: m.LookAtFrame, part: Part, staff: int, bar: Bar) -> int:
    """The tick of the change that is asked about: of this tempo, of the nearest clef, or the place itself."""
    if about.id in piece.tempi:
        return piece.tempi[about.id].tick
    tick = max(about.tick, bar.start) if about.tick < bar.end else bar.start
    if about.what != "clef" or not about.near:
        return tick
    changes = [c.tick for c in piece.clefs.values() if (c.part, c.staff) == (part.id, staff)]
    near = [t for t in changes if abs(t - about.tick) <= bar.ticks]
    return min(near, key=lambda t: abs(t - about.tick), default=tick)


def frame_fact(piece: Piece, about: m.LookAtFrame) -> m.FrameFact:
    """The frame at a place. Raises NotThere for a part that is gone."""
    part = piece.part(about.part)
    staff = min(max(about.staff, 1), part.staves)
    bar = piece.timeline.bar(min(about.bar, piece.bar_count - 1))
    last = min(max(about.last, bar.index), piece.bar_count - 1)
    tick = _meant(piece, about, part, staff, bar)
    bar = piece.timeline.bar_at(tick)
    key, tempo = piece.key_at(bar.index), piece.tempo_at(tick)
    meter = bar.meter
    groups = "" if meter.groups == default_groups(meter.count, meter.unit) else f" ({'+'.join(map(str, meter.groups))})"
    return m.FrameFact(
        what=about.what,
        bar=bar.index,
        last=last,
        bars=bars_words(piece, bar.index, last),
        tick=tick,
        place=piece.timeline.place_words(tick),
        part=part.id,
        staff=staff,
        meter=f"{meter}{groups}",
        fifths=key.fifths,
        mode=key.mode,  # type: ignore[arg-type]
        key=key_words(key.fifths, key.mode),
        bpm=tempo.bpm,
        tempo_text=tempo.text,
        beat=describe_value(felt_beat(meter)),
        clef=piece.clef_at(part, staff, tick),
        part_name=part.name,
        short=part.short,
        programme=part.programme,
        transpose=part.transpose,
        staves=part.staves,
        order=piece.ordered_parts().index(part),
        parts=len(piece.parts),
        pickup=round(shown_ticks(piece.timeline.pickup)),
        beat_here=round(float(beat_number(bar, tick)), 4),
        cut=len(piece.timeline.parts_of(bar.index)) > 1 or short_end(piece, bar.index),
        going_on=tuple(piece.timeline.going_on),
        sections=tuple(s.text for s in sorted(piece.signs.values(), key=lambda s: s.bar) if s.kind == "section"),
        here=tuple(standing_at(piece, about, part, staff, bar.index, tick)),
    )


def standing_at(piece: Piece, about: m.LookAtFrame, part: Part, staff: int, bar: int, tick: int) -> list[str]:
    """Ids of what stands right at the place, so that it can be taken away."""
    match about.what:
        case "clef":
            return [c.id for c in piece.clefs.values() if (c.part, c.staff, c.tick) == (part.id, staff, tick)]
        case "key":
            return [k.id for k in piece.keys.values() if k.bar == bar and bar]
        case "tempo":
            return [t.id for t in piece.tempi.values() if t.tick == tick and t.printed]
        case "bar":
            return [s.id for s in piece.signs_at(bar)]
    return []


def weighed(piece: Piece, do: m.AnyFrameEdit) -> m.WeighedFact:
    """What an edit of the frame would do, in words. Raises BadInput for one that cannot be made."""
    try:
        return m.WeighedFact(do, frame_change(piece, do).sentence)
    except FrameConfirmationNeeded as question:  # what it takes away is said here, so that it is not asked again
        words = str(question).removesuffix(" Nothing was changed.")
        return m.WeighedFact(question.again, words)  # type: ignore[arg-type]


def marks_fact(piece: Piece, ids: tuple[str, ...]) -> m.MarksFact:
    """Marks that are chosen on the sheet, in words. Raises NotThere when none of them is there any more."""
    records = drawn_records(piece, ids)
    if ids and not records:
        raise NotThere("That mark is not on the page any more.")
    marks = [r for r in records if isinstance(r, Mark)]
    signs = [r for r in records if isinstance(r, BarSign) and r.kind in MOVABLE]
    pairs = any(KINDS[k.kind].pair for k in marks)
    spans = len(marks) == 1 and KINDS[marks[0].kind].spans and not pairs
    return m.MarksFact(
        tuple(r.id for r in records),
        listed([record_words(piece, r) for r in records]),
        movable=bool(records) and len(marks) + len(signs) == len(records) and not pairs,
        moved=any(k.shift != (0, 0) or k.side or k.bend for k in marks) or any(s.shift != (0, 0) for s in signs),
        bends=any(k.kind == "slur" for k in marks),
        spans=spans,
        text=mark_words(piece, marks[0]) if len(marks) == 1 and marks[0].text else "",
        start=marks[0].tick if spans else 0,
        end=marks[0].end if spans else 0,
        part=marks[0].part if marks else "",
        staff=marks[0].staff if marks else 1,
    )
