"""One bar of a part as symbols: the only way from written notes to the page."""

from __future__ import annotations

import contextlib
import itertools
from collections import OrderedDict, defaultdict
from collections.abc import Sequence
from dataclasses import replace

from ductus.core.notation.beams import beam
from ductus.core.notation.splitting import split_in_span, split_plain
from ductus.core.notation.symbols import PartBar, Symbol, TupletSpan, VoiceBar
from ductus.core.notation.tuplets import infer_spans
from ductus.core.pitch.keys import signature
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark, Note
from ductus.core.score.note_edits.tuplet_slots import cut_at, slot_of
from ductus.core.time.bars import Bar
from ductus.core.time.note_values import NoteValue, Tuplet, value_for_ticks

KEPT_BARS = 4096
BETWEEN = Tuplet(2, 1)  # two chords of a tremolo, each written as long as both
_kept: OrderedDict[tuple[object, ...], tuple[tuple[object, ...], PartBar]] = OrderedDict()


def notate_bar(piece: Piece, part_id: str, index: int) -> PartBar:
    """Return what stands in bar ``index`` (from 0) of a part: every voice fills the bar exactly.

    Pure, so results are kept: pieces share what did not change, and a bar is known again by the very objects it was
    made from. A bar whose notes reach past the next one is worked out each time.
    """
    before, here, following = (piece.by_bar.get((part_id, i)) for i in (index - 1, index, index + 1))
    keys = (piece.key_at(max(index - 1, 0)), piece.key_at(index))
    parts = (before, here, following, piece.timeline, *keys, piece.part(part_id), piece.facts.cautions)
    name = (index, *map(id, parts))
    known = _kept.get(name)
    if known is not None:
        return known[1]
    made = _notate(piece, part_id, index)
    end = piece.timeline.bar(index + 1).end
    if all(record.end <= end for record in (here or {}).values()):
        _kept[name] = (parts, made)  # the objects are kept too, so that no other can take their identity
        if len(_kept) > KEPT_BARS:
            with contextlib.suppress(KeyError):
                _kept.popitem(last=False)
    return made


def _notate(piece: Piece, part_id: str, index: int) -> PartBar:
    bar = piece.timeline.bar(index)
    notes = piece.notes_in_bar(part_id, index)
    marks = piece.marks_in_bar(part_id, index)
    voices = []
    for staff in piece.part(part_id).staff_numbers:
        used = sorted({n.voice for n in notes if n.staff == staff} | {1})
        for voice in used:
            mine = [n for n in notes if n.staff == staff and n.voice == voice]
            asked = [s for m in marks if (m.staff, m.voice) == (staff, voice) for s in spans_of(m, bar)]
            follow = next_onset(piece, (part_id, staff, voice), bar, mine)
            line = (part_id, staff, voice)
            drawn_bar = _voice_bar(bar, line, mine, asked, follow)
            voices.append(drawn_bar if voice == 1 else _without_outer_rests(piece, line, index, drawn_bar))
    drawn, cautions = _accidentals(piece, part_id, index, voices)
    return PartBar(index, tuple(voices), drawn, cautions)


def next_onset(piece: Piece, line: tuple[str, int, int], bar: Bar, mine: Sequence[Note]) -> int:
    """Where the next note of the voice begins after this bar, if a note of the bar reaches over its end."""
    last = max((n.end for n in mine), default=bar.end)
    if last <= bar.end:
        return last
    later = (n.tick for n in piece.line_between(line, bar.end, last) if n.tick >= bar.end)
    return min(later, default=last)


def spans_of(mark: Mark, bar: Bar) -> list[TupletSpan]:
    """The brackets of a tuplet mark in a bar.

    One, or parts of one that reaches over a bar line, none when its length does not fit its ratio; the span of a
    tremolo between two chords.
    """
    if mark.kind == "tremolo":
        written = value_for_ticks(mark.ticks)
        return [TupletSpan(mark.tick, mark.end, BETWEEN, written.base, int(mark.text), mark.id)] if written else []
    slot = slot_of(mark)
    if slot is None:
        return []
    parts = cut_at(slot, (bar.start, bar.end))
    return [
        TupletSpan(s.start, s.end, s.tuplet, s.base, part=len(parts) > 1)
        for s in parts
        if bar.start <= s.start and s.end <= bar.end
    ]


def written_chords(notes: Sequence[Note], limit: int) -> list[tuple[int, int, tuple[Note, ...]]]:
    """Chords (start, end, notes) of one voice: nothing is written past the next onset of the voice.

    ``limit`` is the tick at which the notes after these begin.
    """
    at: dict[int, list[Note]] = defaultdict(list)
    for note in notes:
        at[note.tick].append(note)
    ticks = sorted(at)
    out = []
    for tick, following in zip(ticks, [*ticks[1:], limit], strict=False):
        end = max(n.end for n in at[tick])
        out.append((tick, min(end, following) if following > tick else end, tuple(at[tick])))
    return out


def _voice_bar(
    bar: Bar, line: tuple[str, int, int], notes: Sequence[Note], asked: Sequence[TupletSpan], follow: int
) -> VoiceBar:
    part, staff, voice = line

    def rest_id(tick: int) -> str:
        return f"r-{part}-{staff}-{voice}-{tick}"

    if not notes and bar.whole:
        value = value_for_ticks(bar.ticks) or NoteValue("whole")
        return VoiceBar(staff, voice, (Symbol(rest_id(bar.start), bar.start, bar.ticks, value, whole_bar=True),))
    stretches = _fill(bar, written_chords(notes, follow))
    edges = {(a, b) for a, b, chord in stretches if chord}
    asked = [s for s in asked if not s.strokes or {(s.start, m := (s.start + s.end) // 2), (m, s.end)} <= edges]
    asked = [s for s in asked if not s.part or divided(s, stretches)]
    spans = infer_spans(bar, [t for a, b, _ in stretches for t in (a, b)], asked)
    symbols: list[Symbol] = []
    for start, end, chord in stretches:
        for a, length, value, span in _cut(bar, start, end, spans, rest=not chord):
            continues = bool(chord) and (a > start or chord[0].tick < a)
            first = not continues
            ids = frozenset(n.id for n in chord)
            over = chord and (a + length < end or (end == bar.end and _written_end(chord, follow) > bar.end))
            symbols.append(
                Symbol(
                    (chord[0].id if first else f"{chord[0].id}_{a}") if chord else rest_id(a),
                    a,
                    length,
                    value,
                    chord,
                    span,
                    ids if continues else frozenset(),
                    ids if over else frozenset(),
                )
            )
    return VoiceBar(staff, voice, beam(bar, symbols))


def divided(span: TupletSpan, stretches: Sequence[tuple[int, int, tuple[Note, ...]]]) -> bool:
    """Does a part of a bracket that is cut at a bar line hold a note, and more than one symbol?"""
    inside = [(a, b, chord) for a, b, chord in stretches if a < span.end and b > span.start]
    return any(chord for _, _, chord in inside) and len(inside) > 1


def _written_end(chord: Sequence[Note], follow: int) -> int:
    return min(max(n.end for n in chord), follow)


def _fill(bar: Bar, chords: Sequence[tuple[int, int, tuple[Note, ...]]]) -> list[tuple[int, int, tuple[Note, ...]]]:
    """Chords clipped to the bar, with the silences between them as empty chords."""
    out: list[tuple[int, int, tuple[Note, ...]]] = []
    now = bar.start
    for start, end, chord in chords:
        a, b = max(start, bar.start), min(end, bar.end)
        if b <= a:
            continue
        if a > now:
            out.append((now, a, ()))
        out.append((a, b, chord))
        now = b
    if now < bar.end:
        out.append((now, bar.end, ()))
    return out


def _cut(
    bar: Bar, start: int, end: int, spans: Sequence[TupletSpan], *, rest: bool
) -> list[tuple[int, int, NoteValue, TupletSpan | None]]:
    """Cut a stretch at bracket edges, then each part into values."""
    edges = sorted({start, end} | {x for s in spans for x in (s.start, s.end) if start < x < end})
    out: list[tuple[int, int, NoteValue, TupletSpan | None]] = []
    for a, b in itertools.pairwise(edges):
        span = next((s for s in spans if s.start <= a and b <= s.end), None)
        pieces = split_in_span(span, a, b, rest=rest) if span else split_plain(bar, a, b, rest=rest)
        out += [(t, n, value, span) for t, n, value in pieces]
    return out


def _without_outer_rests(piece: Piece, line: tuple[str, int, int], index: int, drawn: VoiceBar) -> VoiceBar:
    """Silence before a further voice begins, and after it has ended, is not drawn (common practice in music for
    keyboards, where the number of voices changes: the first voice goes on and shows the beats). A bar beside it
    that has notes of the voice keeps its rests, a bracket keeps its own.
    """
    first = next(i for i, s in enumerate(drawn.symbols) if s.notes)
    last = max(i for i, s in enumerate(drawn.symbols) if s.notes)
    bars = piece.timeline.bar
    begun = index > 0 and bool(piece.line_between(line, bars(index - 1).start, bars(index).start))
    goes_on = bool(piece.line_between(line, bars(index).end, bars(index + 1).end))
    spans = {s.span for s in drawn.symbols if s.notes and s.span}

    def outside(i: int, symbol: Symbol) -> bool:
        return ((i < first and not begun) or (i > last and not goes_on)) and symbol.span not in spans

    return replace(drawn, symbols=tuple(replace(s, hidden=outside(i, s)) for i, s in enumerate(drawn.symbols)))


def grace_note_id(note: Note, k: int) -> str:
    """The id of the k-th grace note before a note."""
    return f"{note.id}_g{k}"


def _accidentals(
    piece: Piece, part: str, index: int, voices: Sequence[VoiceBar]
) -> tuple[dict[str, int], frozenset[str]]:
    """Note id -> alteration to draw, and those of them that only remind.

    An accidental holds for its line or space to the end of the bar (common practice); a note tied over the bar line
    repeats none. A reminder stands where the bar before (or the same letter in another octave of this bar) had
    another alteration, if the piece wants it.
    """
    base = signature(piece.key_at(index).fifths)
    drawn: dict[str, int] = {}
    cautions: set[str] = set()
    wanted = piece.facts.cautions != "none"
    for staff in {v.staff for v in voices}:
        state: dict[tuple[str, int], int] = {}
        letters: dict[str, int] = {}  # what the letter was last, in any octave
        earlier = altered_before(piece, part, staff, index) if wanted else {}
        symbols = sorted((s for v in voices if v.staff == staff for s in v.symbols if s.notes), key=lambda s: s.tick)
        for symbol in symbols:
            struck = [n for n in symbol.notes if n.id not in symbol.tied_from]
            grace_notes = [(grace_note_id(n, k), p) for n in struck for k, p in enumerate(n.grace_notes)]
            for name, pitch in [*grace_notes, *((n.id, n.pitch) for n in struck)]:
                place = (pitch.step, pitch.octave)
                reminds = letters.get(pitch.step, earlier.get(place, pitch.alter)) != pitch.alter
                if state.get(place, base[pitch.step]) != pitch.alter:
                    drawn[name] = pitch.alter
                elif wanted and place not in state and reminds:
                    drawn[name] = pitch.alter
                    cautions.add(name)
                state[place] = letters[pitch.step] = pitch.alter
    return drawn, frozenset(cautions)


def altered_before(piece: Piece, part: str, staff: int, index: int) -> dict[tuple[str, int], int]:
    """(letter, octave) -> alteration of the notes of the bar before that were not as the signature has them."""
    if index == 0:
        return {}
    base = signature(piece.key_at(index - 1).fifths)
    notes = (n for n in piece.notes_in_bar(part, index - 1) if n.staff == staff)
    last = {(n.pitch.step, n.pitch.octave): n.pitch.alter for n in notes}
    return {place: alter for place, alter in last.items() if alter != base[place[0]]}
