"""Edits of pitch and velocity."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Literal

from ductus.core.limits import Ge, Le
from ductus.core.pitch.intervals import check_interval, interval_words
from ductus.core.pitch.keys import degree_words, key_words, signature
from ductus.core.pitch.pitches import STEPS, Pitch, pitch_on_line, pitch_words, spell_in_key
from ductus.core.pitch.speller import names_in_key
from ductus.core.score.model.changes import Change
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import KeyChange, Note
from ductus.core.score.note_edits.base import At, Edit, each
from ductus.core.score.structure_edits.moving_bars import moved_note
from ductus.core.words import article, count_words, listed


def key_of(piece: Piece, note: Note) -> KeyChange:
    """The key in force where a note stands."""
    return piece.key_at(piece.timeline.bar_at(note.tick).index)


def fifths_at(piece: Piece, note: Note) -> int:
    """The signature in force where a note stands."""
    return key_of(piece, note).fifths


def function_words(pitch: Pitch, key: KeyChange) -> str:
    """What a pitch is in a key: "leading note of G minor"."""
    return f"{degree_words(pitch, key.fifths, key.mode)} of {key_words(key.fifths, key.mode)}"


def next_name(note: Note, key: KeyChange) -> Pitch:
    """The name after the one that a pitch has.

    All names with at most two accidentals come in turn, the usual one of the key first.
    """
    names = names_in_key(note.pitch.midi, key.fifths, key.mode)
    return pitch_on_line(note.pitch.midi, names[(names.index(note.pitch.fifths) + 1) % len(names)])


@dataclass(frozen=True, slots=True)
class Respell(Edit):
    """The next name of each pitch; what it is in the key is said."""

    name: Literal["respell"] = "respell"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        change = each(
            piece,
            notes,
            lambda n: replace(n, pitch=next_name(n, key_of(piece, n))),
            lambda n: f"{n} respelled",
        )
        named = [a for _, a in change.rows if isinstance(a, Note)]
        if not 0 < len(named) <= 4:
            return change
        said = dict.fromkeys(f"{pitch_words(n.pitch)}, {function_words(n.pitch, key_of(piece, n))}" for n in named)
        return replace(change, sentence="; ".join(said))


def with_those_that_stay(change: Change, notes: Sequence[Note], stay: Sequence[Note]) -> Change:
    """The change, with the notes that would have left the keyboard named in its sentence."""
    if not stay:
        return change
    names = listed([pitch_words(n.pitch) for n in stay])
    words = f"{names} {'stays' if len(stay) == 1 else 'stay'}, since the keyboard ends there"
    return replace(change, sentence=words if len(stay) == len(notes) else f"{change.sentence}; {words}")


@dataclass(frozen=True, slots=True)
class Octave(Edit):
    """Octaves up (positive) or down; what would leave the keyboard stays."""

    by: Annotated[int, Ge(-4), Le(4)] = 1
    name: Literal["octave"] = "octave"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""

        def moved(note: Note) -> Note | None:
            pitch, *grace_notes = (replace(p, octave=p.octave + self.by) for p in (note.pitch, *note.grace_notes))
            return replace(note, pitch=pitch, grace_notes=tuple(grace_notes)) if 0 <= pitch.midi <= 127 else None

        many = "an octave" if abs(self.by) == 1 else count_words(abs(self.by), "octave")
        change = each(piece, notes, moved, lambda n: f"{n} {'up' if self.by > 0 else 'down'} {many}")
        return with_those_that_stay(change, notes, [n for n in notes if moved(n) is None])


@dataclass(frozen=True, slots=True)
class Transpose(Edit):
    """Semitones, signed; spelled by the signature. What would leave the keyboard stays."""

    semitones: Annotated[int, Ge(-60), Le(60)]
    name: Literal["transpose"] = "transpose"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""

        def moved(note: Note) -> Note | None:
            key, fifths = note.pitch.midi + self.semitones, fifths_at(piece, note)
            if not 0 <= key <= 127:
                return None
            grace_notes = (spell_in_key(min(max(p.midi + self.semitones, 0), 127), fifths) for p in note.grace_notes)
            return replace(note, pitch=spell_in_key(key, fifths), grace_notes=tuple(grace_notes))

        way = "up" if self.semitones > 0 else "down"
        change = each(
            piece, notes, moved, lambda n: f"{n} transposed {way} by {count_words(abs(self.semitones), 'semitone')}"
        )
        return with_those_that_stay(change, notes, [n for n in notes if moved(n) is None])


@dataclass(frozen=True, slots=True)
class ByInterval(Edit):
    """By an interval: staff steps and semitones, signed, so that letters move alike.

    What would leave the keyboard stays.
    """

    steps: Annotated[int, Ge(-28), Le(28)]
    semitones: Annotated[int, Ge(-48), Le(48)]
    name: Literal["by-interval"] = "by-interval"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        check_interval(self.steps, self.semitones)
        way = "up" if self.semitones > 0 or (not self.semitones and self.steps > 0) else "down"
        words = (
            f"{way} by {article(interval_words(self.steps, self.semitones))} "
            f"{interval_words(self.steps, self.semitones)}"
        )
        return each(
            piece, notes, lambda n: moved_note(n, self.steps, self.semitones), lambda n: f"{n} transposed {words}"
        )


@dataclass(frozen=True, slots=True)
class Accidental(Edit):
    """An accidental by hand: the letter stays, and is raised or lowered by a semitone (``by``), or set ``to`` an
    alteration (-2..2).
    """

    by: Annotated[int, Ge(-1), Le(1)] = 0
    to: Annotated[int, Ge(-2), Le(2)] | None = None
    name: Literal["accidental"] = "accidental"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit. No note gets more than two accidentals."""

        def altered(note: Note) -> Note | None:
            alter = self.to if self.to is not None else note.pitch.alter + self.by
            pitch = replace(note.pitch, alter=alter)
            return replace(note, pitch=pitch) if abs(alter) <= 2 and 0 <= pitch.midi <= 127 else None

        change = each(piece, notes, altered, lambda n: f"{n} altered")
        names = [pitch_words(a.pitch) for _, a in change.rows if isinstance(a, Note)]
        return replace(change, sentence=f"Now {listed(names)}") if 0 < len(names) <= 4 else change


@dataclass(frozen=True, slots=True)
class SpellByDirection(Edit):
    """Chromatic notes by the way the line goes.

    Sharp where it rises to the next note, flat where it falls (common practice).
    """

    name: Literal["spell-by-direction"] = "spell-by-direction"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        following: dict[str, int] = {}
        for line in {n.line for n in notes}:
            mine = sorted((n for n in notes if n.line == line), key=lambda n: (n.tick, n.pitch.midi))
            last = max(n.end for n in mine)
            after = next((n for n in piece.line_between(line, last, last + 1) if n.tick >= last), None)
            for here, then in itertools.pairwise([*mine, *([after] if after else [])]):
                following[here.id] = then.pitch.midi - here.pitch.midi

        def spelled(note: Note) -> Note:
            fifths = fifths_at(piece, note)
            plain = spell_in_key(note.pitch.midi, fifths)
            way = following.get(note.id, 0)
            if plain.alter == signature(fifths)[plain.step] or not way:
                return note  # a tone of the key
            return replace(note, pitch=spell_in_key(note.pitch.midi, fifths, 1 if way > 0 else -1))

        change = each(piece, notes, spelled, lambda n: f"{n} spelled by the way the line goes")
        return change or Change("They are spelled by the way the line goes already")


@dataclass(frozen=True, slots=True)
class StaffSteps(Edit):
    """Staff steps up (positive) or down, with the accidentals of the signature.

    What dragging a note up or down does.
    """

    by: Annotated[int, Ge(-35), Le(35)]
    name: Literal["steps"] = "steps"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""

        def moved(note: Note) -> Note | None:
            scale = signature(fifths_at(piece, note))
            octave, index = divmod(note.pitch.diatonic + self.by, 7)
            pitch = Pitch(STEPS[index], scale[STEPS[index]], octave)
            return replace(note, pitch=pitch) if 0 <= pitch.midi <= 127 else None

        change = each(piece, notes, moved, lambda n: f"{n} moved")
        names = [pitch_words(a.pitch) for _, a in change.rows if isinstance(a, Note)]
        what = f"Now {listed(names)}" if 0 < len(names) <= 4 else change.sentence
        way = f"{count_words(abs(self.by), 'step')} {'up' if self.by > 0 else 'down'}"
        return replace(change, sentence=f"{what}, {way}") if change else change


@dataclass(frozen=True, slots=True)
class Velocity(Edit):
    """A velocity for all, or ``by``: a change for each; stays in 1..127."""

    velocity: Annotated[int, Ge(1), Le(127)] | None = None
    by: Annotated[int, Ge(-126), Le(126)] = 0
    name: Literal["velocity"] = "velocity"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""

        def touched(note: Note) -> Note:
            wanted = self.velocity if self.velocity is not None else note.velocity + self.by
            return replace(note, velocity=min(max(wanted, 1), 127))

        what = f"set to {self.velocity}" if self.velocity is not None else f"changed by {self.by:+d}"
        return each(piece, notes, touched, lambda n: f"Velocity of {n} {what}")
