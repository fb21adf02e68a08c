"""Commands that beat time or end something: advance, pulse, tap, divide."""

from __future__ import annotations

from dataclasses import replace

from ductus.core.entry.commands.pen import place
from ductus.core.entry.state import EntryState, Held, Outcome, evolved
from ductus.core.entry.ways.foot import Foot
from ductus.core.entry.ways.one_beat import OneBeat, beat_at, bracket_for
from ductus.core.entry.ways.pulse import Pulse
from ductus.core.entry.ways.rhythm import Rhythm, write_value
from ductus.core.entry.ways.stepping import Stepping
from ductus.core.entry.writing import last_note, moved_on, put_chord, step_words, write_step
from ductus.core.errors import BadInput
from ductus.core.pitch.keys import signature
from ductus.core.pitch.pitches import STEPS, Pitch, parse_pitch
from ductus.core.score.changes import Draft
from ductus.core.score.edits import Strike, clear_span, place_chord
from ductus.core.score.piece import Piece
from ductus.core.time.values import STEP_BASES

CLICKED_VELOCITY = 80
PEN_UP = "The pen is up; nothing was written"


def advance(state: EntryState, time_us: int, piece: Piece) -> Outcome:
    """One key for "go on": it writes the step, beats the pulse, taps the foot, ends the figure, as the way has it."""
    if not state.down:
        return Outcome(state, say=PEN_UP)
    match state.way:
        case "pulse":
            return Pulse().pulse(state, time_us, piece)
        case "foot" | "walk":
            return Foot().tap(state, time_us, piece)
        case "beat":
            return OneBeat().write(state, piece, time_us)
        case "rhythm":
            return write_value(state, piece) if state.rhythm_by == "step" else Rhythm().write(state, piece, time_us)
        case "step":
            return Stepping().advance(state, piece)
        case _:
            return Outcome(state, say="Play the next chord")


def rhythm_value(state: EntryState, argument: str, piece: Piece) -> Outcome:
    """In "rhythm first" a value key writes a note of that value."""
    if argument not in STEP_BASES:
        raise BadInput(f"'{argument[:20]}' is no step value.")
    state = evolved(state, step=replace(state.step, base=argument, custom=None, added=None))
    if not state.down or state.way != "rhythm":
        return Outcome(state, say=f"Each step: {state.step.words}")
    return write_value(state, piece)


def divide(state: EntryState, argument: str, piece: Piece) -> Outcome:
    """Divide the beat at the pen into n equal parts of what stands on it (JOB 4.4)."""
    if not argument.isdigit() or not 1 <= int(argument) <= 16:
        raise BadInput("A beat can be divided into 1 to 16 equal parts.")
    count = int(argument)
    start, stop = beat_at(piece, state.tick)
    there = [n for n in piece.line_between(state.line, start, stop) if n.tick <= start]
    if not there:
        return Outcome(state, say="There is nothing on this beat to divide")
    draft = Draft(piece)
    strikes = [Strike(n.pitch, n.velocity) for n in sorted(there, key=lambda n: n.pitch.midi)]
    clear_span(draft, state.line, start, stop)
    for mark in draft.marks_between(state.line, "tuplet", start, stop):
        draft.drop(mark)
    bracket_for(draft, state, start, stop, count)
    for k in range(count):
        a, b = start + (stop - start) * k // count, start + (stop - start) * (k + 1) // count
        place_chord(draft, state.line, a, b - a, strikes, "add")
    say = f"{piece.timeline.place_words(start)} divided in {count}"
    return Outcome(evolved(state, held=()), draft.change(say) or None, say)


def letter(state: EntryState, argument: str, piece: Piece) -> Outcome:
    """Write a note by its letter ("C", "F#"): the octave nearest to the note before (JOB 7.4)."""
    if not state.down:
        return Outcome(state, say=PEN_UP)
    before = last_note(piece, state)
    near = before.pitch.midi if before else (72 if state.staff == 1 else 48)
    pitch = parse_pitch(f"{argument.strip()[:2]}4")
    key = min((pitch.midi + 12 * o for o in range(-4, 5)), key=lambda k: abs(k - near))
    return write_step(evolved(state, held=(Held(key, state.touch.velocity or 80, 0, False),)), piece)


def click(state: EntryState, argument: str, piece: Piece) -> Outcome:
    """Write a note of the step value where a person clicked (JOB 7.4): "part staff tick diatonic" (staff steps above C0), with the
    accidental of the signature and the velocity that the line states. The pen goes behind it. With the pen up, or where
    clicks place the pen, it goes there and nothing is written."""
    words = argument.split()
    if len(words) != 4 or not all(w.isdigit() for w in words[1:]) or words[0] not in piece.parts:
        raise BadInput("A click needs a place on a staff.")
    staff, tick, diatonic = (int(w) for w in words[1:])
    if not 1 <= staff <= piece.part(words[0]).staves or not 7 <= diatonic <= 66:
        raise BadInput("A click needs a place on a staff.")
    if not state.down or state.clicks == "place":
        return place(state, f"{words[0]} {staff} {tick}", piece)
    fifths = piece.key_at(piece.timeline.bar_at(tick).index).fifths
    step = STEPS[diatonic % 7]
    pitch = Pitch(step, signature(fifths)[step], diatonic // 7)
    there = evolved(state.fresh(), part=words[0], staff=staff, tick=tick, pass_start=tick)
    draft = Draft(piece)
    strike = Strike(pitch, state.touch.velocity or CLICKED_VELOCITY)
    here = [n for n in piece.line_between(there.line, tick, tick + 1) if n.tick == tick]
    same = bool(here) and all(n.ticks == there.step.ticks for n in here)
    placed = put_chord(draft, evolved(there, policy="add") if same else there, tick, there.step.ticks, [strike])
    say = step_words(piece, there, placed, [strike])
    after = moved_on(there, placed.tick, placed.ids)
    return Outcome(after, draft.change(say[:1].upper() + say[1:]) or None, say)
