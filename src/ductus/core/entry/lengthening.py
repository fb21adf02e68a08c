"""Chords that grow while they are held: advance, foot-led and walking entry share this.

A chord that is lengthened stays one note (ties are derived), so that the writing at the bar line is always the simplest.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ductus.core.entry.state import EntryState, Outcome, Sounding, Step, evolved
from ductus.core.pitch.pitches import pitch_words
from ductus.core.score.changes import Draft
from ductus.core.score.edits import clear_span, free_voice
from ductus.core.score.piece import Piece


def lengthen(state: EntryState, piece: Piece, sounding: Sequence[Sounding]) -> Outcome:
    """Lengthen chords to the end of the next step and move the pen there; "replace" clears what was in the way."""
    end = state.tick + state.step.ticks
    draft = Draft(piece)
    stretch(draft, state, sounding, state.tick, end)
    steps = (*state.steps, Step(state.tick, end - state.tick))
    say = f"held to {piece.timeline.place_words(end)}"
    change = draft.change(f"{names_of(piece, sounding)} {say}")
    return Outcome(evolved(state, tick=end, steps=steps), change or None, say)


def stretch(draft: Draft, state: EntryState, sounding: Sequence[Sounding], start: int, end: int) -> None:
    """Let chords that sound until ``start`` go on to ``end``."""
    notes = [n for chord in sounding for i in chord.ids if (n := draft.note(i)) is not None]
    if state.policy == "replace" and notes:
        keep = {n.id for n in notes}
        for line in {n.line for n in notes}:
            clear_span(draft, line, start, end, keep)
    growing = {n.id for n in notes}
    for note in notes:
        for left in draft.line_between(note.line, note.tick, note.tick + 1):
            if left.id not in growing and left.tick == note.tick:  # a voice holds chords of one length only
                draft.put(replace(left, voice=free_voice(draft, left.line, left.tick, left.ticks)))
        draft.put(replace(note, ticks=max(end - note.tick, 1), sounds_ticks=None))


def shorten(state: EntryState, piece: Piece, sounding: Sequence[Sounding]) -> Outcome:
    """Take the last step of held chords back; a chord with nothing left is erased."""
    last = state.steps[-1]
    draft = Draft(piece)
    left: list[Sounding] = []
    for chord in sounding:
        if last.tick > chord.tick:
            left.append(chord)
        for i in chord.ids:
            note = draft.note(i)
            if note is not None and last.tick > chord.tick:
                draft.put(replace(note, ticks=last.tick - note.tick))
            elif note is not None:
                draft.drop(note)
    place = piece.timeline.place_words(last.tick)
    say = f"held to {place}" if left else f"erased; back to {place}"
    beating = replace(state.beating, sounding=tuple(left))
    after = evolved(state, tick=last.tick, steps=state.steps[:-1], beating=beating)
    return Outcome(after, draft.change(f"{names_of(piece, sounding)} {say}") or None, say)


def names_of(piece: Piece, sounding: Sequence[Sounding]) -> str:
    """The pitches of chords in words."""
    notes = [piece.notes[i] for chord in sounding for i in chord.ids if i in piece.notes]
    return " and ".join(pitch_words(n.pitch) for n in notes) or "Nothing"
