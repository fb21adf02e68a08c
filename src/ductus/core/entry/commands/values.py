"""Commands that choose the step value and how it sounds."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction

from ductus.core.entry.state import EntryState, Outcome, StepValue, evolved, fraction_of_quarter
from ductus.core.errors import BadInput, CannotWrite
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.score.piece import Piece
from ductus.core.time.ticks import WHOLE, ticks_of_quarters, ticks_of_shown
from ductus.core.time.values import BASE_TICKS, MAX_TUPLET, STEP_BASES, Tuplet

Run = Callable[[EntryState, str, Piece], Outcome]
LONGEST = 4 * WHOLE


def article(words: str) -> str:
    """ "an" before a vowel sound."""
    return "an" if words[:1] in "aeio" else "a"


def value(change: Callable[[StepValue, str], StepValue]) -> Run:
    """A command that changes the step value and says it."""

    def run(state: EntryState, argument: str, _: Piece) -> Outcome:
        step = change(state.step, argument)
        if not 0 < step.ticks <= LONGEST:
            raise CannotWrite("A step lasts at least one tick and at most four whole notes.")
        latched = " (stays on)" if step.dots_latched or step.tuplet_latched else ""
        return Outcome(evolved(state, step=step), say=f"Each step {article(step.words)} {step.words}{latched}")

    return run


def base(step: StepValue, argument: str) -> StepValue:
    """A plain value."""
    if argument not in STEP_BASES:
        raise BadInput(f"'{argument[:20]}' is no step value.")
    return replace(step, base=argument, custom=None, added=None)


def dot(step: StepValue, argument: str) -> StepValue:
    """None, one, two dots in turn; "latch" keeps one on."""
    if argument == "latch":
        on = not step.dots_latched
        return replace(step, dots=max(step.dots, 1) if on else 0, dots_latched=on)
    return replace(step, dots=(step.dots + 1) % 3, dots_latched=False)


def tuplet(step: StepValue, argument: str) -> StepValue:
    """ "3:2", "3:2 latch", or "off"; the same again takes it off."""
    words = argument.split()
    if not words or words[0] == "off":
        return replace(step, tuplet=None, tuplet_latched=False)
    try:
        actual, normal = (int(x) for x in words[0].split(":"))
    except ValueError:
        raise BadInput(f"'{argument[:20]}' is no tuplet; type both numbers, as 7:8 (up to {MAX_TUPLET}).") from None
    chosen, latch = Tuplet(actual, normal), "latch" in words
    if step.tuplet == chosen and step.tuplet_latched == latch:
        return replace(step, tuplet=None, tuplet_latched=False)
    return replace(step, tuplet=chosen, tuplet_latched=latch)


def added(step: StepValue, argument: str) -> StepValue:
    """A second value joined on ("eighth"), or "off"."""
    if argument in ("", "off"):
        return replace(step, added=None)
    if argument not in STEP_BASES:
        raise BadInput(f"'{argument[:20]}' is no value that can be added.")
    return replace(step, added=argument, custom=None)


def custom(step: StepValue, argument: str) -> StepValue:
    """A fraction of a whole note ("5/16") or ticks at 960 to the quarter ("400"), or "off"."""
    text = argument.strip()
    if text in ("", "off"):
        return replace(step, custom=None)
    try:
        ticks = ticks_of_quarters(fraction_of_quarter(text)) if "/" in text else ticks_of_shown(Fraction(text))
    except (ValueError, ZeroDivisionError):
        raise BadInput(
            f"'{text[:20]}' is no length; type a fraction of a whole note (5/16) or ticks (960 to the quarter)."
        ) from None
    return replace(step, custom=ticks, added=None)


def next_only(state: EntryState, argument: str, piece: Piece) -> Outcome:
    """A value for the next note only, then back by itself (JOB 3.4)."""
    back = state.step_after or state.step
    if argument in ("", "off"):
        return Outcome(evolved(state, step=back, step_after=None), say="The step value stays")
    chosen = base(replace(back, dots=0, tuplet=None), argument.split()[0])
    if "dot" in argument.split()[1:]:
        chosen = replace(chosen, dots=1)
    return Outcome(
        evolved(state, step=chosen, step_after=back),
        say=f"Next note {article(chosen.words)} {chosen.words}, then {back.words} again",
    )


def sounding(state: EntryState, argument: str, _: Piece) -> Outcome:
    """ "full", a percentage ("50 %") or a value ("32nd") (JOB 3.5)."""
    text = argument.strip().removesuffix("%").strip()
    if text in ("", "full", "in full"):
        touch = replace(state.touch, percent=100, ticks=None)
        return Outcome(evolved(state, touch=touch), say="Steps sound in full")
    if text in BASE_TICKS:
        return Outcome(
            evolved(state, touch=replace(state.touch, ticks=BASE_TICKS[text], percent=100)),
            say=f"Each step sounds for a {text}",
        )
    if not text.isdigit() or not 1 <= int(text) <= 400:
        raise BadInput(f"'{argument[:20]}' is neither 'in full', a percentage from 1 to 400 nor a note value.")
    return Outcome(
        evolved(state, touch=replace(state.touch, percent=int(text), ticks=None)),
        say=f"Steps sound for {int(text)} % of their value",
    )


def late(state: EntryState, argument: str, _: Piece) -> Outcome:
    """Ticks (960 to the quarter) by which steps sound late, early if negative (JOB 3.3)."""
    try:
        shown = int(argument or 0)
    except ValueError:
        raise BadInput(f"'{argument[:20]}' is no number of ticks.") from None
    if abs(shown) > 480:
        raise BadInput("Steps can sound up to 480 ticks early or late.")
    words = "on time" if not shown else f"{abs(shown)} ticks {'late' if shown > 0 else 'early'}"
    return Outcome(evolved(state, touch=replace(state.touch, late=ticks_of_shown(shown))), say=f"Steps sound {words}")


def vary(state: EntryState, argument: str, _: Piece) -> Outcome:
    """Most variation of the sounding length in percent, 0 to 50, and a seed if wanted: "10", "10 3" (JOB 3.10)."""
    words = argument.replace("%", " ").split() or ["0"]
    if len(words) > 2 or not all(w.isdigit() for w in words) or int(words[0]) > 50:
        raise BadInput("Lengths can vary by 0 to 50 percent; a second number chooses another variation.")
    touch = replace(state.touch, vary=int(words[0]), seed=int(words[-1]) if len(words) == 2 else state.touch.seed)
    say = f"Sounding lengths vary by up to {touch.vary} %" if touch.vary else "Sounding lengths do not vary"
    return Outcome(evolved(state, touch=touch), say=say)


def velocity(state: EntryState, argument: str, _: Piece) -> Outcome:
    """ "touch", or a fixed velocity 1 to 127 (JOB 3.10)."""
    if argument in ("", "touch"):
        return Outcome(evolved(state, touch=replace(state.touch, velocity=None)), say="Velocity as touched")
    if not argument.isdigit() or not 1 <= int(argument) <= 127:
        raise BadInput("A velocity is a number from 1 to 127, or 'touch'.")
    return Outcome(
        evolved(state, touch=replace(state.touch, velocity=int(argument))), say=f"Velocity fixed at {argument}"
    )


def pitch(state: EntryState, argument: str, _: Piece) -> Outcome:
    """ "played", or one pitch for all keys ("B4"): rhythm only (JOB 3.10)."""
    if argument in ("", "played"):
        return Outcome(evolved(state, touch=replace(state.touch, pitch=None)), say="Pitches as played")
    fixed = parse_pitch(argument)
    return Outcome(evolved(state, touch=replace(state.touch, pitch=fixed.midi)), say=f"Every key writes {fixed}")
