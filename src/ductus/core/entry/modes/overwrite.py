"""Over what is written: each chord played replaces pitch, velocity or both of the next one, or stands beside it.

The number and rhythm of notes stay; chords replace chords (more keys add notes, fewer remove, and it is said). At
the end it says so and stops; the advance command begins again where this pass began.
"""

from __future__ import annotations

from dataclasses import replace

from ductus.core.entry.events import KeyDown, KeyUp
from ductus.core.entry.modes.base import EntryMode, gathered, let_go
from ductus.core.entry.state import EntryState, Outcome, Step, evolved
from ductus.core.entry.writing.step import strikes_of
from ductus.core.pitch.pitches import pitch_words
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.write import Strike
from ductus.core.words import capital, count_words, listed


def next_chord(piece: Piece, state: EntryState, tick: int) -> list[Note]:
    """The first chord of the voice that begins at ``tick`` or later, from low to high."""
    bar = piece.timeline.bar_at(tick)
    while bar.index < piece.bar_count:
        later = [n for n in piece.line_between(state.line, bar.start, bar.end) if n.tick >= max(tick, bar.start)]
        if later:
            first = min(n.tick for n in later)
            return sorted((n for n in later if n.tick == first), key=lambda n: n.pitch.midi)
        bar = piece.timeline.bar(bar.index + 1)
    return []


class Over(EntryMode):
    """Played notes over written ones."""

    def key_down(self, state: EntryState, event: KeyDown, piece: Piece) -> Outcome:
        """Gather the chord."""
        return Outcome(evolved(state, held=gathered(state.held, event)))

    def key_up(self, state: EntryState, event: KeyUp, piece: Piece) -> Outcome:
        """When all keys are up the chord goes over the next one that is written."""
        if not any(h.key == event.key for h in state.held):
            return Outcome(state)
        state = evolved(state, held=let_go(state.held, event.key))
        if any(h.is_down for h in state.held):
            return Outcome(state)
        return self.put_over(state, piece)

    def put_over(self, state: EntryState, piece: Piece) -> Outcome:
        """Replace, or stand beside, and move to the next chord."""
        if state.over_done:
            return Outcome(
                evolved(state, held=()), say="That was the last note; nothing was changed. Advance begins again"
            )
        chord = next_chord(piece, state, state.tick)
        if not chord:
            return Outcome(evolved(state, held=()), say="There is no note from here on to play over")
        tick = chord[0].tick
        here = evolved(state, tick=tick)
        draft = Draft(piece)
        strikes = strikes_of(piece, here, state.held)
        picked = [n for n in chord if n.id in state.chosen]
        if picked:  # of a chord with chosen notes only these are meant, as the line says
            there = {n.pitch.midi for n in chord if n not in picked}
            double = [s for s in strikes if s.pitch.midi in there] if state.over != "velocity" else []
            if double:
                words = listed([pitch_words(s.pitch) for s in double])
                return Outcome(evolved(state, held=()), say=f"{words} is in that chord already; nothing was changed")
            chord = picked
        say = {"velocity": self._velocities, "beside": self._beside}.get(state.over, self._pitches)(
            draft, here, chord, strikes
        )
        say += f", {piece.timeline.place_words(tick)}"
        following = next_chord(piece, here, max(n.end for n in chord)) or next_chord(piece, here, tick + 1)
        turn = ""
        if state.span is not None and following and following[0].tick >= state.span.end > tick:
            if state.span.then == "wrap":
                following, turn = next_chord(piece, here, state.span.start), "; back to the start of the span"
            elif state.span.then == "stop":
                following, turn = [], "; the span is full"
        done = not following
        after = evolved(
            state,
            tick=following[0].tick if following else tick,
            held=(),
            over_done=done,
            steps=(*state.steps, Step(tick, chord[0].ticks)),
        )
        say += turn
        if done and not turn:
            say += "; that was the last note. Advance begins again where this pass began"
        return Outcome(after, draft.change(capital(say)) or None, say)

    def _pitches(self, draft: Draft, state: EntryState, chord: list[Note], strikes: list[Strike]) -> str:
        both = state.over == "both"
        for note, strike in zip(chord, strikes, strict=False):
            draft.put(replace(note, pitch=strike.pitch, velocity=strike.velocity if both else note.velocity))
        for strike in strikes[len(chord) :]:
            draft.put(
                replace(
                    chord[0],
                    id=draft.new_id("n"),
                    pitch=strike.pitch,
                    velocity=strike.velocity if both else chord[0].velocity,
                    lyrics=(),
                )
            )
        for note in chord[len(strikes) :]:
            draft.drop(note)
        say = " and ".join(pitch_words(s.pitch) for s in strikes)
        difference = len(strikes) - len(chord)
        if difference:
            say += f"; {count_words(abs(difference), 'note')} {'more' if difference > 0 else 'fewer'} than before"
        return say

    def _velocities(self, draft: Draft, state: EntryState, chord: list[Note], strikes: list[Strike]) -> str:
        loud = [s.velocity for s in strikes]
        for k, note in enumerate(chord):
            draft.put(replace(note, velocity=loud[min(k, len(loud) - 1)]))
        return f"velocity {', '.join(map(str, loud))}"

    def _beside(self, draft: Draft, state: EntryState, chord: list[Note], strikes: list[Strike]) -> str:
        there = {n.pitch.midi for n in chord}
        added = [s for s in strikes if s.pitch.midi not in there]
        for strike in added:
            draft.put(replace(chord[0], id=draft.new_id("n"), pitch=strike.pitch, velocity=strike.velocity, lyrics=()))
        double = (
            f"; {count_words(len(strikes) - len(added), 'note')} there already" if len(added) < len(strikes) else ""
        )
        return " and ".join(pitch_words(s.pitch) for s in strikes) + " beside it" + double

    def advance(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """At the end of a pass it begins again; else there is nothing to advance to without a chord."""
        if not state.over_done:
            return Outcome(state, say="Play the next chord")
        after = evolved(state, tick=state.pass_start, over_done=False, steps=())
        return Outcome(after, say=f"Again from {piece.timeline.place_words(state.pass_start)}")

    def back(self, state: EntryState, piece: Piece) -> Outcome | None:
        """Back to the chord before, to play over it once more."""
        if not state.steps:
            return Outcome(state, say="This pass began here")
        tick = state.steps[-1].tick
        after = evolved(state, tick=tick, steps=state.steps[:-1], over_done=False)
        return Outcome(after, say=f"Back to {piece.timeline.place_words(tick)}")
