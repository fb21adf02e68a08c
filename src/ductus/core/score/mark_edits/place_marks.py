"""Putting marks on the page: what ``wording`` read goes to notes that are selected, or to a place.

Signs of notes become part of the notes; marks stand at places or span what is selected; signs of bars, tempi and
clefs become records of their own. The same mark again takes it away; "no ..." takes it away wherever it is.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from ductus.core.errors import BadInput
from ductus.core.score.catalogues.drums import sound_words
from ductus.core.score.catalogues.layouts import felt_beat
from ductus.core.score.mark_edits.lyrics import fingered, sung
from ductus.core.score.mark_language.modifiers import at_once, base_of
from ductus.core.score.mark_language.parser import Wish
from ductus.core.score.mark_language.terms import RETURNING
from ductus.core.score.model.changes import Change, Draft, Line
from ductus.core.score.model.mark_kinds import KINDS, shared_evenly
from ductus.core.score.model.note_signs import BAR_SIGNS, DIVIDING, LINES, with_sign, words_of_sign
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import implied_end
from ductus.core.score.model.records import BarSign, ClefChange, Mark, Note, TempoMark
from ductus.core.time.note_values import value_for_ticks
from ductus.core.words import capital, count_words

MOST_SLOW_BARS = 8  # that an "a tempo" looks back for what it ends
SLOWEST, FASTEST = 10, 400  # beats a minute


@dataclass(frozen=True, slots=True)
class Where:
    """Where a mark goes: notes that are selected (in order of place), or none and a place in a voice."""

    notes: tuple[Note, ...]
    line: Line
    tick: int

    @property
    def start(self) -> int:
        """First tick of it."""
        return min((n.tick for n in self.notes), default=self.tick)

    @property
    def end(self) -> int:
        """First tick behind it; the place itself where nothing is selected."""
        return max((n.end for n in self.notes), default=self.tick)

    @property
    def staff(self) -> tuple[str, int]:
        """Part and staff that its marks stand at: of its first note."""
        first = min(self.notes, key=lambda n: (n.tick, n.staff, n.voice), default=None)
        return (first.part, first.staff) if first else self.line[:2]


def where(notes: Sequence[Note], line: Line, tick: int) -> Where:
    """The place of a mark."""
    return Where(tuple(sorted(notes, key=lambda n: (n.tick, n.line, n.pitch.midi))), line, tick)


def marked(piece: Piece, wish: Wish, at: Where) -> Change:
    """The change that puts a mark on the page (or takes it away). Raises BadInput."""
    draft = Draft(piece)
    say = PUT[wish.sort](draft, wish, at)
    more = wish.also
    while more is not None:
        say = f"{say}; {PUT[more.sort](draft, more, where((), at.line, at.end) if more.behind else at)}"
        more = more.also
    change = draft.change(opening(wish.kind, say))
    return change if change or not wish.without else replace(change, sentence=f"Nothing to change: {say}")


def opening(kind: str, sentence: str) -> str:
    """A sentence that begins with the words of a mark: with a capital, but "mf" is not said "Mf"."""
    return sentence if kind in ("dynamic", "octave", "tempo-word", "swing") else capital(sentence)


def place_of(draft: Draft, tick: int) -> str:
    """A place in words."""
    return draft.piece.timeline.place_words(tick)


# --- signs of notes -----------------------------------------------------------------------


def _put_sign(draft: Draft, wish: Wish, at: Where) -> str:
    if not at.notes:
        raise BadInput(f"Select the notes for {wish.words} first; nothing was changed.")
    notes = [n for n in at.notes if n.grace_notes or wish.kind != "bare-grace"]
    if not notes:
        raise BadInput("None of these notes has grace notes. Nothing was changed.")
    there = all(wish.kind in n.signs for n in notes)
    count = 0
    for note in notes:
        signs = (
            tuple(s for s in note.signs if s != wish.kind)
            if wish.without or there
            else with_sign(note.signs, wish.kind)
        )
        if signs != note.signs:
            draft.put(replace(note, signs=signs))
            count += 1
    off = wish.without or there
    return (
        f"{count_words(count, 'note')} without {wish.words}"
        if off
        else f"{wish.words} on {count_words(len(notes), 'note')}"
    )


# --- marks at places ----------------------------------------------------------------------


def _put_mark(draft: Draft, wish: Wish, at: Where) -> str:
    if wish.without:
        return _without_mark(draft, wish, at)
    if wish.kind == "slur":
        return _put_slurs(draft, at)
    if KINDS[wish.kind].pair:
        return _put_between(draft, wish, at)
    part, staff = home_of(draft.piece, wish.kind, at)
    spans = KINDS[wish.kind].spans and at_once(wish.text) is None and base_of(wish.text) not in RETURNING
    ticks = at.end - at.start if spans and (wish.kind != "tempo-word" or len({n.tick for n in at.notes}) > 1) else 0
    if spans and not ticks and wish.kind != "tempo-word":
        raise BadInput(f"Select the notes that the {wish.words} is to reach over; nothing was changed.")
    same = [
        m
        for m in at_place(draft.piece, part, at.start)
        if m.kind == wish.kind and (m.staff == staff or KINDS[wish.kind].whole)
    ]
    share = round(wish.number) if wish.kind == "swing" else 0
    again = next((m for m in same if m.text == wish.text and m.ticks == ticks), None)
    if again is not None:
        draft.drop(again)
        return f"no {wish.words} at {place_of(draft, at.start)} any more"
    for old in same:
        if KINDS[wish.kind].alone:
            draft.drop(old)
    if spans and ticks:  # one of a kind at a time on a staff: what overlaps goes
        for old in spanning(draft.piece, part, wish.kind, at.start, at.end):
            if old.staff == staff:
                draft.drop(old)
    draft.put(
        Mark(draft.new_id("m"), wish.kind, part, staff, 1, at.start, ticks, wish.text, share=share, side=wish.side)
    )
    if wish.kind == "tempo-word" and base_of(wish.text) in RETURNING:
        _end_slowing(draft, part, at.start)
    over = f" to {place_of(draft, at.end)}" if ticks else ""
    return f"{wish.words} {'from' if ticks else 'at'} {place_of(draft, at.start)}{over}"


def _end_slowing(draft: Draft, part: str, tick: int) -> None:
    """A rit. or accel. reaches up to the "a tempo" behind it, and no further."""
    timeline = draft.piece.timeline
    bars = range(max(timeline.bar_at(tick).index - MOST_SLOW_BARS, 0), timeline.bar_at(tick).index + 1)
    before = [
        m for bar in bars for m in draft.piece.marks_in_bar(part, bar) if m.kind == "tempo-word" and m.tick < tick
    ]
    last = max(before, key=lambda m: m.tick, default=None)
    changed = any(t.printed and last and last.tick < t.tick < tick for t in draft.piece.tempi.values())
    if last is not None and last.ticks and last.end != tick and not changed:
        draft.put(replace(last, ticks=tick - last.tick))


def home_of(piece: Piece, kind: str, at: Where) -> tuple[str, int]:
    """Part and staff that a kind of mark stands at.

    Tempo words over the whole score, pedal under the lowest staff of its part, chord symbols over its highest.
    """
    part, staff = at.staff
    if KINDS[kind].whole:
        return piece.ordered_parts()[0].id, 1
    return part, {"pedal": piece.part(part).staves, "chord": 1}.get(kind, staff)


def at_place(piece: Piece, part: str, tick: int) -> list[Mark]:
    """Marks of a part that begin at a tick."""
    return [m for m in piece.marks_in_bar(part, piece.timeline.bar_at(tick).index) if m.tick == tick]


def spanning(piece: Piece, part: str, kind: str, start: int, end: int) -> list[Mark]:
    """Marks of a kind that reach into [start, end)."""
    bars = range(piece.timeline.bar_at(start).index, piece.timeline.bar_at(max(end - 1, start)).index + 1)
    found = {m.id: m for bar in bars for m in piece.marks_in_bar(part, bar) if m.kind == kind}
    return [m for m in found.values() if m.tick < end and m.end > start]


def _put_slurs(draft: Draft, at: Where) -> str:
    """A slur for each voice, from its first to its last chord; the same slur again goes."""
    said = ""
    for line in dict.fromkeys(n.line for n in at.notes):
        notes = tops([n for n in at.notes if n.line == line])
        if len(notes) < 2:
            continue
        ids = tuple(n.id for n in notes)
        old = [
            m
            for m in slurs_of(draft.piece, line, notes[0].tick, notes[-1].end)
            if (m.notes[0], m.notes[-1]) == (ids[0], ids[-1])
        ]
        for mark in old:
            draft.drop(mark)
        if not old:
            part, staff, voice = line
            draft.put(
                Mark(
                    draft.new_id("m"),
                    "slur",
                    part,
                    staff,
                    voice,
                    notes[0].tick,
                    notes[-1].end - notes[0].tick,
                    notes=ids,
                )
            )
        said = said or (
            "slur taken away"
            if old
            else f"slur from {place_of(draft, notes[0].tick)} to {place_of(draft, notes[-1].tick)}"
        )
    if not said:
        raise BadInput(
            "A slur joins notes of one voice: select at least two, one after the other. Nothing was changed."
        )
    return said


def _put_between(draft: Draft, wish: Wish, at: Where) -> str:
    """A glissando or tremolo from a chord to the next of its voice.

    The two that are selected, the one that is selected and the next, or with none the two that the pen stands
    between or behind. The same again goes.
    """
    first, last = neighbours(draft.piece, at)
    if wish.kind == "tremolo" and not (
        shared_evenly(first, last)
        and value_for_ticks(last.end - first.tick)
        and last.end <= draft.piece.timeline.bar_at(first.tick).end
    ):
        raise BadInput(
            "A tremolo goes between two equally long notes of one bar, one after the other. Nothing was changed."
        )
    there = [m for m in spanning(draft.piece, first.part, wish.kind, first.tick, last.end) if m.notes[0] == first.id]
    for mark in there:
        draft.drop(mark)
    if any(m.text == wish.text for m in there):
        return f"{wish.words} taken away"
    ends = (first.id, last.id)
    span = (first.tick, last.end - first.tick)
    draft.put(Mark(draft.new_id("m"), wish.kind, *first.line, *span, wish.text, notes=ends))
    part = draft.piece.part(first.part)
    names = " to ".join(sound_words(part, n.pitch) for n in (first, last))
    return f"{wish.words} from {names}, at {place_of(draft, first.tick)}"


def neighbours(piece: Piece, at: Where) -> tuple[Note, Note]:
    """The top notes of two chords that follow each other in a voice. Raises BadInput when there are no such two."""
    line = at.notes[0].line if at.notes else at.line
    voice = tops([n for n in piece.notes.values() if n.line == line])
    places = [n.tick for n in voice]
    wanted = sorted({n.tick for n in at.notes if n.line == line})
    k = places.index(wanted[0]) if wanted else max(bisect_left(places, at.tick) - 1, 0)
    if not wanted and k and k + 1 >= len(voice):
        k -= 1
    if len(wanted) > 2 or k + 1 >= len(voice) or (len(wanted) == 2 and places[k + 1] != wanted[1]):
        raise BadInput("Select a note and the next one of its voice for that; nothing was changed.")
    return voice[k], voice[k + 1]


def slurs_of(piece: Piece, line: Line, start: int, end: int) -> list[Mark]:
    """The slurs of a voice in a stretch."""
    return [m for m in spanning(piece, line[0], "slur", start, end) if (m.part, m.staff, m.voice) == line]


def tops(notes: Sequence[Note]) -> list[Note]:
    """The top note of each chord, in order."""
    by_tick: dict[int, Note] = {}
    for note in notes:
        old = by_tick.get(note.tick)
        if old is None or note.pitch.midi > old.pitch.midi:
            by_tick[note.tick] = note
    return [by_tick[t] for t in sorted(by_tick)]


def _without_mark(draft: Draft, wish: Wish, at: Where) -> str:
    part, _ = home_of(draft.piece, wish.kind, at)
    ids = {n.id for n in at.notes}
    count = 0
    for mark in spanning(draft.piece, part, wish.kind, at.start, max(at.end, at.start + 1)) + [
        m for m in at_place(draft.piece, part, at.start) if m.kind == wish.kind and not m.ticks
    ]:
        mine = not mark.notes or ids & set(mark.notes)
        if mine and wish.text in ("", mark.text) and draft.mark(mark.id) is not None:
            draft.drop(mark)
            count += 1
    return f"{count_words(count, KINDS[wish.kind].words)} taken away" if count else f"no {wish.words} there"


# --- signs of bars, tempi, clefs ------------------------------------------------------------


def _put_bar_sign(draft: Draft, wish: Wish, at: Where) -> str:
    piece = draft.piece
    first = piece.timeline.bar_at(at.start).index
    last = piece.timeline.bar_at(max(at.end - 1, at.start)).index
    kind = BAR_SIGNS[wish.kind]
    if not at.notes and kind.right and at.start == piece.timeline.bar(first).start and first:
        written = [any(piece.notes_in_bar(part, bar) for part in piece.parts) for bar in (first - 1, first)]
        cut = piece.timeline.number_of(first) == piece.timeline.number_of(first - 1)
        last = (
            first - 1 if cut or written == [True, False] else last
        )  # where a bar was just finished, that one is meant
    bar = last if kind.right else first
    if wish.kind == "repeat-end":  # inside an ending it stands at the end of it
        bar = next(
            (e.bar + e.bars - 1 for e in piece.signs.values() if e.kind == "ending" and e.bar <= bar < e.bar + e.bars),
            bar,
        )
    old = [s for s in piece.signs.values() if s.bar == bar and s.kind == wish.kind]
    number = piece.timeline.bar_words(bar)
    if wish.without or any(s.text == wish.text for s in old):
        for sign in old if wish.without else [s for s in old if s.text == wish.text]:
            draft.drop(sign)
        return f"no {words_of_sign(wish.kind, wish.text)} at {number} {'any more' if old else ''}".rstrip()
    rivals = LINES if wish.kind in LINES else ()
    for sign in piece.signs.values():
        if (sign.bar == bar and (sign.kind == wish.kind or sign.kind in rivals)) or (
            kind.alone and sign.kind == wish.kind
        ):
            draft.drop(sign)
    bars = last - first + 1 if wish.kind == "ending" else 1
    if wish.kind == "ending":
        for sign in piece.signs.values():
            if sign.kind == "ending" and sign.bar <= last and sign.bar + sign.bars > first:
                draft.drop(sign)
    draft.put(BarSign(draft.new_id("s"), wish.kind, bar, wish.text, bars))
    words = words_of_sign(wish.kind, wish.text)
    if wish.kind == "ending":
        over = f"over {number}" if bars == 1 else f"over {bars} bars from {number} on"
        return f"{words} {over}{_repeat_of_endings(draft)}"
    inside = not at.notes and piece.timeline.bar(bar).start < at.start < piece.timeline.bar(bar).end
    hint = "; for one in its middle, cut the bar there first" if inside and wish.kind in DIVIDING else ""
    return f"{words} at the {'end' if kind.right else 'beginning'} of {number}{hint}"


def _repeat_of_endings(draft: Draft) -> str:
    """A first ending that another one follows is repeated: the sign that says so is put where it is missing.

    What that means, in words.
    """
    page = draft.change("").apply(draft.piece)
    endings = [s for s in page.signs.values() if s.kind == "ending"]
    ends = {s.bar for s in page.signs.values() if s.kind == "repeat-end"}
    missing = [e for e in endings if e.bar + e.bars - 1 not in ends and implied_end(endings, e.bar + e.bars - 1)]
    for ending in missing:
        draft.put(BarSign(draft.new_id("s"), "repeat-end", ending.bar + ending.bars - 1))
    if missing:
        return "; the repeat sign before it was put, too"
    return "" if ends else "; nothing is repeated yet, so it is played once"


def _put_tempo(draft: Draft, wish: Wish, at: Where) -> str:
    piece = draft.piece
    here = next((t for t in piece.tempi.values() if t.tick == at.start and t.printed), None)
    if wish.without:
        if here is None or here.tick == 0:
            raise BadInput("There is no tempo mark to take away there. Nothing was changed.")
        draft.drop(here)
        return f"no tempo mark at {place_of(draft, at.start)} any more"
    now = piece.tempo_at(at.start)
    bpm, beat = wish.number, wish.beat or felt_beat(piece.timeline.bar_at(at.start).meter)
    if wish.text and not bpm:  # words that say nothing of it: as fast as it is
        bpm, beat = now.bpm, now.beat
    if not SLOWEST <= bpm <= FASTEST:
        raise BadInput(f"{bpm:g} is no tempo: use {SLOWEST} to {FASTEST} beats a minute. Nothing was changed.")
    draft.put(
        TempoMark(
            here.id if here else draft.new_id("t"),
            at.start,
            bpm,
            beat,
            wish.text or (here.text if here else ""),
        )
    )
    return f"tempo {wish.text + ' ' if wish.text else ''}{bpm:g} from {place_of(draft, at.start)} on"


def _put_clef(draft: Draft, wish: Wish, at: Where) -> str:
    piece = draft.piece
    part, staff = at.staff
    for mark in spanning(piece, part, "tuplet", at.start, at.start + 1):
        if mark.staff == staff and mark.tick < at.start:
            raise BadInput(
                f"A clef does not change inside a tuplet; put it at {place_of(draft, mark.tick)}. Nothing was changed."
            )
    mine = [c for c in piece.clefs.values() if (c.part, c.staff) == (part, staff)]
    here = next((c for c in mine if c.tick == at.start), None)
    if wish.without:
        if here is None:
            raise BadInput("No clef changes there. Nothing was changed.")
        draft.drop(here)
        return f"no other clef at {place_of(draft, at.start)} any more"
    if at.start == 0:
        owner = piece.part(part)
        draft.put(replace(owner, clefs=tuple(wish.kind if k == staff else c for k, c in enumerate(owner.clefs, 1))))
    else:
        draft.put(ClefChange(here.id if here else draft.new_id("c"), part, staff, at.start, wish.kind))
    return f"{wish.kind} clef from {place_of(draft, at.start)} on"


# --- words under notes, fingers, grace notes ---------------------------------------------------


def _put_lyrics(draft: Draft, wish: Wish, at: Where) -> str:
    verse = int(wish.kind)
    chords = tops(at.notes) if len({n.tick for n in at.notes}) > 1 else _voice_from(draft.piece, at)
    if not chords:
        raise BadInput("There are no notes to sing from there on. Nothing was changed.")
    return sung(draft, chords, wish.text, verse)


def _voice_from(piece: Piece, at: Where) -> list[Note]:
    """The top notes of a voice from a place on."""
    line = at.notes[0].line if at.notes else at.line
    return tops([n for n in piece.notes.values() if n.line == line and n.tick >= at.start])


def _put_fingers(draft: Draft, wish: Wish, at: Where) -> str:
    digits = wish.text.split()
    line = at.notes[0].line if at.notes else at.line
    notes = list(at.notes) if len(at.notes) > 1 else sorted(
        (n for n in draft.piece.notes.values() if n.line == line and n.tick >= at.start),
        key=lambda n: (n.tick, n.pitch.midi)
    )  # fmt: skip
    count = fingered(draft, notes, [int(d) for d in digits])
    return f"fingering on {count_words(count, 'note')}"


def _put_grace(draft: Draft, wish: Wish, at: Where) -> str:
    """What is selected becomes grace notes of the chord that follows.

    "no grace note" makes plain notes of none, and leaves them out.
    """
    if not at.notes:
        raise BadInput("Select the notes that are to be grace notes first; nothing was changed.")
    if wish.without:
        mine = [n for n in at.notes if n.grace_notes]
        for note in mine:
            draft.put(replace(note, grace_notes=()))
        return f"{count_words(len(mine), 'note')} without grace notes"
    line = at.notes[0].line
    following = [n for n in _voice_from(draft.piece, replace(at, notes=(), line=line, tick=at.end)) if n.tick >= at.end]
    if not following:
        raise BadInput("No note follows that these could lead to. Nothing was changed.")
    for note in at.notes:
        draft.drop(note)
    target = following[0]
    draft.put(replace(target, grace_notes=(*(n.pitch for n in tops(at.notes)), *target.grace_notes)))
    moved = closed_up(draft, line, target.tick, at.start - target.tick)
    say = f"{count_words(len(at.notes), 'grace note')} before {place_of(draft, at.start)}"
    return f"{say}; {count_words(moved, 'note')} moved up to {'it' if moved == 1 else 'them'}" if moved else say


def closed_up(draft: Draft, line: Line, start: int, by: int) -> int:
    """Move what follows in a voice without a silence by ``by`` ticks (negative.

    Earlier); returns how many notes moved. Only what is left behind as a rest by notes that take no time any more is
    closed.
    """
    end, count = start, 0
    for note in sorted(
        (n for n in draft.piece.notes.values() if n.line == line and n.tick >= start), key=lambda n: n.tick
    ):
        if note.tick > end:
            break
        now = draft.note(note.id)
        if now is not None:
            draft.put(replace(now, tick=now.tick + by))
            count += 1
        end = max(end, note.end)
    return count


PUT: dict[str, Callable[[Draft, Wish, Where], str]] = {
    "note": _put_sign,
    "mark": _put_mark,
    "bar": _put_bar_sign,
    "tempo": _put_tempo,
    "clef": _put_clef,
    "lyrics": _put_lyrics,
    "fingers": _put_fingers,
    "grace": _put_grace,
}
