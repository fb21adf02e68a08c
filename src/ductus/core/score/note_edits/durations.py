"""Edits of length and rhythm."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Literal

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.score.model.changes import Change, Draft, Line
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.base import (
    FINEST_TICKS,
    At,
    Edit,
    Shown,
    chords_of,
    finished,
    next_onset,
    shortened,
    silence_from,
)
from ductus.core.score.note_edits.tuplet_slots import slot_at
from ductus.core.score.note_edits.write import clear_brackets
from ductus.core.time.note_values import NoteValue, describe_value
from ductus.core.time.ticks import ticks_of_shown
from ductus.core.words import article, count_words, plural

Tick = Annotated[int, Ge(0), Le(2**52)]


def with_length(
    piece: Piece, notes: Sequence[Note], length: Callable[[Note], int], words: Callable[[str], str]
) -> Change:
    """Give notes new lengths; none reaches past the next onset of its voice."""
    draft = Draft(piece)
    stopped = 0
    for line, chords in chords_of(notes).items():
        for tick, chord in chords.items():
            following = next_onset(piece, line, tick)
            for note in chord:
                ticks = length(note)
                if following is not None and following - tick < ticks:
                    ticks = following - tick
                    stopped += 1
                if ticks != note.ticks:
                    draft.put(shortened(note, max(ticks, 1)))
    change = finished(draft, words)
    if not stopped:
        return change
    if not change.rows:
        raise BadInput(f"{in_the_way(piece, notes)}. Nothing was changed.")
    return replace(
        change, sentence=f"{change.sentence}; {count_words(stopped, 'note')} only up to the next note of the voice"
    )


def in_the_way(piece: Piece, notes: Sequence[Note]) -> str:
    """What keeps notes from getting longer, in words."""
    first = min(notes, key=lambda n: (n.tick, n.pitch.midi))
    following = next_onset(piece, first.line, first.tick)
    slot = slot_at(
        [
            m
            for m in piece.marks_in_bar(first.part, piece.timeline.bar_at(first.tick).index)
            if m.kind == "tuplet" and (m.staff, m.voice) == (first.staff, first.voice)
        ],
        first.tick,
    )
    place = "" if following is None else f" at {piece.timeline.place_words(following)}"
    inside = f", inside a {slot.words}" if slot is not None else ""
    return f"The next note of the voice{place}{inside} stands in the way"


@dataclass(frozen=True, slots=True)
class HoldToNext(Edit):
    """Hold each to the next; the last goes to the end of its bar; a silence meant as such stays."""

    name: Literal["hold"] = "hold"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        return held(piece, notes, lambda n: f"{n} held to the next")


@dataclass(frozen=True, slots=True)
class TakeRest(Edit):
    """The rest after each chord goes: the chord takes its time."""

    name: Literal["take-rest"] = "take-rest"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        return held(piece, notes, lambda n: f"Rests after {n} removed")


def held(piece: Piece, notes: Sequence[Note], words: Callable[[str], str]) -> Change:
    """Every note up to the next onset of its voice."""
    draft = Draft(piece)
    for line, chords in chords_of(notes).items():
        for tick, chord in chords.items():
            following = next_onset(piece, line, tick)
            end = following if following is not None else piece.timeline.bar_at(tick).end
            end = silence_from(piece, line, tick, end)
            for note in chord:
                if end - tick != note.ticks or note.sounds_ticks is not None:
                    draft.put(shortened(note, max(end - tick, 1)))
    return finished(draft, words)


@dataclass(frozen=True, slots=True)
class SetLength(Edit):
    """Set a written value."""

    value: NoteValue
    name: Literal["length"] = "length"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        words = describe_value(self.value)
        return with_length(piece, notes, lambda _: self.value.ticks, lambda n: f"{n} set to {article(words)} {words}")


@dataclass(frozen=True, slots=True)
class Scale(Edit):
    """Scale lengths and places together: the passage takes ``times``/``over`` of its time.

    Refused where notes are in the way.
    """

    times: Annotated[int, Ge(1), Le(16)]
    over: Annotated[int, Ge(1), Le(16)] = 1
    name: Literal["scale"] = "scale"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        draft = Draft(piece)
        mine = {n.id for n in notes}
        start = min(n.tick for n in notes)
        fresh = []
        for note in notes:
            tick, ticks = (note.tick - start) * self.times, note.ticks * self.times
            if tick % self.over or ticks % self.over or ticks // self.over < FINEST_TICKS:
                raise BadInput("Some of these notes would get lengths that are not written. Nothing was changed.")
            fresh.append(replace(note, tick=start + tick // self.over, ticks=ticks // self.over, sounds_ticks=None))
        end = max(n.end for n in fresh)
        for line in {n.line for n in notes}:
            own = [n for n in notes if n.line == line]
            old_end = max(n.end for n in own)
            blocks = [n for n in piece.line_between(line, start, max(end, old_end)) if n.id not in mine]
            reach = max(n.end for n in fresh if n.line == line)
            blocks = [n for n in blocks if n.end > min(n.tick for n in own) and n.tick < reach]
            if blocks:
                place = piece.timeline.place_words(min(n.tick for n in blocks))
                raise BadInput(
                    f"{count_words(len(blocks), 'note')} from {place} on stand in the way. Nothing was changed."
                )
            clear_brackets(draft, line, start, old_end)
        for note in fresh:
            draft.put(note)
        factor = {(2, 1): "twice as long", (1, 2): "half as long"}.get(
            (self.times, self.over), f"{self.times}/{self.over} times as long"
        )
        return finished(draft, lambda n: f"{n} {factor}")


@dataclass(frozen=True, slots=True)
class Split(Edit):
    """Split each note into equal ones."""

    parts: Annotated[int, Ge(2), Le(16)] = 2
    name: Literal["split"] = "split"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        if any(note.ticks % self.parts or note.ticks // self.parts < FINEST_TICKS for note in notes):
            raise BadInput(f"Some of these notes are too short to be split in {self.parts}. Nothing was changed.")
        whole = {n.id for n in notes}
        draft = Draft(piece)
        for note in notes:
            edges = [note.tick + note.ticks * k // self.parts for k in range(self.parts + 1)]
            draft.put(shortened(note, edges[1] - edges[0]))
            for a, b in itertools.pairwise(edges[1:]):
                draft.put(
                    replace(
                        note, id=draft.new_id("n"), tick=a, ticks=b - a, sounds_ticks=None, lyrics=(), grace_notes=()
                    )
                )
        change = finished(draft, lambda n: n)
        return replace(change, sentence=f"{count_words(len(whole), 'note')} split in {self.parts}")


def put_chord_values(draft: Draft, notes: Sequence[Note], tick: int, ticks: int) -> None:
    """Give the notes of a chord a new place and length."""
    for note in notes:
        draft.put(replace(note, tick=tick, ticks=ticks, sounds_ticks=None))


def shift_rest(draft: Draft, line: Line, tick: int, by: int) -> None:
    """Move everything of a voice that begins at a tick or later."""
    for note in draft.piece.line_between(line, tick, max(draft.piece.end, tick) + 1):
        if note.tick >= tick:
            draft.put(replace(note, tick=note.tick + by))


def shift_in_bar(draft: Draft, first: Note, by: int) -> int:
    """Move what follows a note in its voice and bar; what would go over the bar line is cut there or goes.

    Returns how many notes went.
    """
    end, gone = draft.piece.timeline.bar_at(first.tick).end, 0
    for note in draft.piece.line_between(first.line, first.end, end):
        if not first.end <= note.tick < end:
            continue
        tick = note.tick + by
        if tick >= end:
            draft.drop(note)
            gone += 1
        else:
            draft.put(
                replace(note, tick=tick, ticks=min(note.ticks, end - tick) if note.end <= end else note.ticks - by)
            )
    return gone


def notes_behind(piece: Piece, notes: Sequence[Note]) -> int:
    """How many notes an edit touches that moves all that follows in a voice.

    At most those of its part from there on.
    """
    first = min(n.tick for n in notes)
    return len(piece.notes) if first <= piece.end // 2 else sum(n.tick >= first for n in piece.notes.values())


def steps_of(chords: Mapping[int, Sequence[Note]]) -> dict[int, int]:
    """Which step (from 0) the chord at each tick was, if the steps were as long as most chords are.

    A rest between two of them was stepped, too.
    """
    lengths = [max(n.ticks for n in chord) for chord in chords.values()]
    usual = max(set(lengths), key=lambda t: (lengths.count(t), -t))
    places, at, end = {}, 0, None
    for tick in sorted(chords):
        if end is not None:
            at += 1 + max(round((tick - end) / usual), 0)
        places[tick] = at
        end = max(n.end for n in chords[tick])
    return places


@dataclass(frozen=True, slots=True)
class EqualSteps(Edit):
    """Read entered steps again at another value: the chords of each voice follow one another at that value; chords
    after them in the voice keep their distance to the last one."""

    value: NoteValue
    name: Literal["equal-steps"] = "equal-steps"

    def reach(self, piece: Piece, notes: Sequence[Note]) -> int:
        """See Edit."""
        return notes_behind(piece, notes)

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        step = self.value.ticks
        draft = Draft(piece)
        chosen = {n.id for n in notes}
        rests = 0
        for line, chords in chords_of(notes).items():
            ticks = sorted(chords)
            end = max(n.end for n in chords[ticks[-1]])
            places = steps_of(chords)
            rests += places[ticks[-1]] - len(ticks) + 1
            shift = ticks[0] + step * (places[ticks[-1]] + 1) - end
            for note in piece.line_between(line, ticks[0], end):
                if note.tick in chords:  # the whole chord goes: a voice holds chords of one length
                    put_chord_values(draft, [note], ticks[0] + places[note.tick] * step, step)
            shift_rest(draft, line, end, shift)
            clear_brackets(draft, line, ticks[0], end)
        change = finished(draft, lambda n: n)
        say = f"{count_words(len(chosen), 'note')} read again as {plural(describe_value(self.value))}"
        say += f", with {count_words(rests, 'rest')} between them" if rests else ""
        return replace(change, sentence=say) if change else change


@dataclass(frozen=True, slots=True)
class CorrectValue(Edit):
    """Give one chord another value; what follows in its voice moves with it, up to the "end" or only up to the end
    of its "bar": what does not fit there goes.
    """

    value: NoteValue
    upto: Literal["end", "bar"] = "end"
    name: Literal["correct-value"] = "correct-value"

    def reach(self, piece: Piece, notes: Sequence[Note]) -> int:
        """See Edit."""
        return notes_behind(piece, notes)

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        first = min(notes, key=lambda n: n.tick)
        draft = Draft(piece)
        shift = self.value.ticks - first.ticks
        for note in piece.line_between(first.line, first.tick, first.end):
            if note.tick == first.tick:
                draft.put(shortened(note, self.value.ticks))
        gone = 0
        if self.upto == "end":
            shift_rest(draft, first.line, first.end, shift)
        else:
            gone = shift_in_bar(draft, first, shift)
        clear_brackets(draft, first.line, first.tick, first.ticks)
        words = describe_value(self.value)
        change = finished(draft, lambda n: n)
        how = "what follows moved with it" if self.upto == "end" else "what follows in the bar moved with it"
        say = f"Value corrected to {article(words)} {words}; {how}"
        if gone:
            say += f", {count_words(gone, 'note')} that did not fit {'is' if gone == 1 else 'are'} gone"
        return replace(change, sentence=say) if change else change


@dataclass(frozen=True, slots=True)
class EndLater(Edit):
    """Longer or shorter by ticks as people see them (960 to the quarter)."""

    by: Shown
    name: Literal["end-later"] = "end-later"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        return lengthened(piece, notes, ticks_of_shown(self.by), at)


@dataclass(frozen=True, slots=True)
class EndAt(Edit):
    """That note ends at a tick, the others change as much: what dragging an end does."""

    note: Annotated[str, MaxLen(40)]
    tick: Tick
    name: Literal["end-at"] = "end-at"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        anchor = next((n for n in notes if n.id == self.note), notes[0])
        return lengthened(piece, notes, self.tick - anchor.end, at)


def lengthened(piece: Piece, notes: Sequence[Note], by: int, at: At) -> Change:
    """Ends later by ``by`` ticks (earlier below zero); no note gets shorter than a step, or than it was."""
    least = max(at.step, FINEST_TICKS)
    change = with_length(
        piece,
        notes,
        lambda n: max(n.ticks + by, min(n.ticks, least)),
        lambda n: f"{n} made {'longer' if by > 0 else 'shorter'}",
    )
    if not change and by < 0:
        return Change("No note gets shorter than a step: choose a finer step value first")
    return change
