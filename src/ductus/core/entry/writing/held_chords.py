"""Chords that grow while they are held: advance, foot-led and walking entry share this.

A chord that is lengthened stays one note (ties are derived), so that the writing at the bar line is always the
simplest. A key that joins begins a note of its own while the others sound on.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ductus.core.entry.state import Beating, EntryState, Outcome, Sounding, evolved
from ductus.core.entry.writing.step import heard_as, moved_on, put_step, span_is_full, step_words, strikes_of, with_room
from ductus.core.score.catalogues.drums import sound_words
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.write import clear_span, free_voice
from ductus.core.words import capital, count_words, listed


def write_held(state: EntryState, piece: Piece, time_us: int, grey: str = "drop") -> Outcome:
    """Write one step of what is down and move on.

    Keys that sounded already sound on, new ones begin; with nothing down it is a rest. ``grey``: what becomes of
    keys that were let go before ("drop" or "write").
    """
    full = span_is_full(state)
    if full is not None:
        return full
    state, clipped = with_room(piece, state)
    old = {k for s in state.beating.sounding for k in s.keys}
    new = [h for h in state.held if h.key not in old and (h.is_down or grey == "write")]
    lost = sum(not h.is_down for h in state.held) if grey == "drop" else 0
    start, end = state.tick, state.tick + state.step.ticks
    draft = Draft(piece)
    stretch(draft, state, state.beating.sounding, start, end)
    sounding = list(state.beating.sounding)
    ids: tuple[str, ...] = ()
    slot = None
    if new or not old:
        strikes = strikes_of(piece, state, new)
        placed = put_step(draft, evolved(state, policy="add") if old else state, start, end - start, strikes)
        start, ids, slot = placed.tick, placed.ids, placed.slot
        say = step_words(piece, state, placed, strikes)
        keys = {heard_as(piece, state, h.key): h.key for h in new if h.is_down}
        sounding += [
            Sounding(n.tick, (n.id,), (keys[n.pitch.midi],))
            for i in ids
            if (n := draft.note(i)) is not None and n.pitch.midi in keys
        ]
    else:
        say = f"held to {piece.timeline.place_words(end)}"
    say += clipped
    if lost:
        say += f"; {count_words(lost, 'key')} let go before, not written"
    after = evolved(
        moved_on(state, start, ids, slot),
        held=tuple(h for h in state.held if h.is_down),
        beating=Beating(state.beating.count + 1, time_us, tuple(sounding)),
    )
    return Outcome(after, draft.change(capital(say)), say)


def stretch(draft: Draft, state: EntryState, sounding: Sequence[Sounding], start: int, end: int) -> None:
    """Let chords that sound until ``start`` go on to ``end``; "replace" clears what was in the way."""
    notes = [n for chord in sounding for i in chord.ids if (n := draft.note(i)) is not None]
    if not notes:
        return
    growing = {n.id for n in notes}
    for line in {n.line for n in notes}:
        if state.policy == "replace":
            clear_span(draft, line, start, end, growing)
    for note in notes:
        for left in draft.line_between(note.line, note.tick, end):
            if left.id not in growing:  # a voice holds one chord at a time
                moved = replace(left, voice=free_voice(draft, left.line, left.tick, left.ticks))
                draft.put(moved)
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
    for i in last.ids:
        gone = draft.note(i)
        if gone is not None:
            draft.drop(gone)
    place = piece.timeline.place_words(last.tick)
    say = f"held to {place}" if left else f"erased; back to {place}"
    beating = replace(state.beating, sounding=tuple(left))
    after = evolved(state, tick=last.tick, steps=state.steps[:-1], beating=beating)
    return Outcome(after, draft.change(f"{names_of(piece, sounding)} {say}"), say)


def names_of(piece: Piece, sounding: Sequence[Sounding]) -> str:
    """The pitches of chords in words."""
    notes = [piece.notes[i] for chord in sounding for i in chord.ids if i in piece.notes]
    return listed([sound_words(piece.part(n.part), n.pitch) for n in notes]) if notes else "Nothing"
