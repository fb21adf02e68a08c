"""Grace notes at the pen: keys that wait for the note that they lead to and take no time of their own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ductus.core.entry.events import KeyDown, KeyUp
from ductus.core.entry.state import BRUSHED_US, EntryState, Outcome, evolved
from ductus.core.entry.writing.step import heard_as
from ductus.core.pitch.pitches import pitch_words, spell_in_key
from ductus.core.pitch.speller import grace_pitches
from ductus.core.score.catalogues.drums import drum_pitch
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.words import count_words, listed

MOST_GRACES = 16


def grace_struck(state: EntryState, event: KeyDown, piece: Piece) -> Outcome:
    """A key that is struck as a grace note waits for the next note."""
    graces = (*state.graces, heard_as(piece, state, event.key))[-MOST_GRACES:]
    after = evolved(state, graces=graces, grace=state.grace if state.grace == "latched" else "")
    return Outcome(after, say=f"{count_words(len(graces), 'grace note')} for the next note")


def brushed(state: EntryState, event: KeyUp) -> EntryState | None:
    """The state with a key that was let go as a grace note: brushed just before another that is still down.

    None where it was not.
    """
    mine = next((h for h in state.held if h.key == event.key), None)
    if not state.brushed or mine is None or event.time_us - mine.down_us > BRUSHED_US:
        return None
    if not any(h.is_down and h.down_us > mine.down_us for h in state.held):
        return None
    return evolved(
        state, held=tuple(h for h in state.held if h.key != event.key), graces=(*state.graces, mine.key)[-MOST_GRACES:]
    )


def give_graces(draft: Draft, keys: Sequence[int], fresh: Sequence[Note]) -> None:
    """Give grace notes to the note of a new chord that the last of them is nearest to."""
    piece = draft.piece
    main = min(fresh, key=lambda n: (abs(n.pitch.midi - keys[-1]), -n.pitch.midi))
    key = piece.key_at(piece.timeline.bar_at(main.tick).index)
    kit = piece.part(main.part).percussion
    pitches = tuple(map(drum_pitch, keys)) if kit else grace_pitches(keys, main.pitch, key.fifths, key.mode)
    now = draft.note(main.id) or main
    draft.put(replace(now, grace_notes=pitches))


def grace_words(piece: Piece, state: EntryState) -> str:
    """The grace notes that wait, in words: "2 grace notes (D 5 and E 5)"."""

    key = piece.key_at(piece.timeline.bar_at(state.tick).index)
    names = [pitch_words(spell_in_key(k, key.fifths)) for k in state.graces]
    return f"{count_words(len(names), 'grace note')} ({listed(names)})"
