"""Commands that choose how entry works: way, when, policy, harmony and the options of the ways."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ductus.core.entry.state import HARMONIES, OVERS, WAYS, WHENS, EntryState, Outcome, evolved
from ductus.core.entry.ways.registry import WAY_WORDS, way_of
from ductus.core.errors import BadInput
from ductus.core.pitch.chords import parse_chord
from ductus.core.score.changes import Draft
from ductus.core.score.edits import POLICIES
from ductus.core.score.piece import Piece
from ductus.core.score.records import Mark

Run = Callable[[EntryState, str, Piece], Outcome]


def choice(name: str, options: Sequence[str], words: dict[str, str]) -> Run:
    """A command that sets a field of the state to one of some words (without argument: the next one)."""

    def run(state: EntryState, argument: str, _: Piece) -> Outcome:
        now = getattr(state, name)
        chosen = argument or options[(options.index(now) + 1) % len(options)]
        if chosen not in options:
            raise BadInput(f"'{argument[:20]}' is none of: {', '.join(options)}.")
        return Outcome(evolved(state, held=(), **{name: chosen}), say=words[chosen])

    return run


when = choice(
    "when",
    WHENS,
    {
        "all up": "A step is written when all keys are up",
        "stroke": "A step is written at the stroke",
        "advance": "A step is written when you advance",
    },
)
policy = choice(
    "policy",
    POLICIES,
    {
        "replace": "New notes replace what is there",
        "add": "New notes are added to what is there",
        "keep": "What is there stays; the pen goes to the next silence",
    },
)
harmony = choice(
    "harmony",
    HARMONIES,
    {
        "off": "Keys are free",
        "chord": "Keys become the nearest chord tone",
        "key": "Keys become the nearest chord or key tone",
    },
)
over = choice(
    "over",
    OVERS,
    {
        "pitch": "Keys replace pitches",
        "velocity": "Keys replace velocities",
        "both": "Keys replace pitches and velocities",
        "beside": "Keys add notes beside those written",
    },
)
pulse_until = choice(
    "pulse_until",
    ("next", "release"),
    {"next": "A note lasts until the next", "release": "A note lasts until it is let go"},
)
foot_grey = choice(
    "foot_grey",
    ("drop", "write"),
    {"drop": "A key let go before the tap is not written", "write": "A key let go before the tap is written"},
)


rhythm_by = choice(
    "rhythm_by",
    ("step", "time"),
    {"step": "Any key writes the step value", "time": "The rhythm is struck in time on any one key"},
)
clicks = choice(
    "clicks",
    ("place", "write"),
    {"place": "A click on a staff places the pen", "write": "A click on a staff writes a note there"},
)


def way(state: EntryState, argument: str, piece: Piece) -> Outcome:
    """Change the way of working; what is half done is finished first (JOB 4.7)."""
    if argument not in WAYS:
        raise BadInput(f"'{argument[:20]}' is no way of working.")
    finished = way_of(state).finish(state, piece) if state.down else Outcome(state)
    after = evolved(finished.state.fresh(), way=argument, pass_start=finished.state.tick)
    return Outcome(after, finished.change, WAY_WORDS[argument])


def pitches(state: EntryState, _: str, piece: Piece) -> Outcome:
    """The second half of "rhythm first": pitches over what was written, from where the pass began (JOB 4.2)."""
    after = evolved(state.fresh(), way="over", over="pitch", tick=state.pass_start)
    return Outcome(after, say=f"Now the pitches, from {piece.timeline.place_words(state.pass_start)}")


def advances(state: EntryState, _: str, __: Piece) -> Outcome:
    """Let the pen stay where it is after a step, or move on (JOB 3.7)."""
    on = not state.advances
    return Outcome(
        evolved(state, advances=on), say="The pen moves on after each step" if on else "The pen stays after each step"
    )


def pulse_key(state: EntryState, argument: str, _: Piece) -> Outcome:
    """The MIDI key that beats the pulse, or "off"."""
    if argument in ("", "off"):
        return Outcome(evolved(state, pulse_key=None), say="No key of the instrument beats the pulse")
    if not argument.isdigit() or int(argument) > 127:
        raise BadInput("The pulse key is a MIDI key from 0 to 127.")
    return Outcome(evolved(state, pulse_key=int(argument)), say=f"Key {argument} beats the pulse")


def walk_rate(state: EntryState, argument: str, _: Piece) -> Outcome:
    """Steps a minute of walking entry, 20 to 300."""
    if not argument.isdigit() or not 20 <= int(argument) <= 300:
        raise BadInput("Walking goes at 20 to 300 steps a minute.")
    return Outcome(evolved(state, walk_us=60_000_000 // int(argument)), say=f"{argument} steps a minute")


def chord_symbol(state: EntryState, argument: str, piece: Piece) -> Outcome:
    """Write a chord symbol at the pen ("Bbm7"), or remove it ("")."""
    draft = Draft(piece)
    old = [
        m
        for m in piece.marks_in_bar(state.part, piece.timeline.bar_at(state.tick).index)
        if m.kind == "chord" and m.tick == state.tick
    ]
    for mark in old:
        draft.drop(mark)
    text = argument.strip()
    if text:
        parse_chord(text)
        draft.put(Mark(draft.new_id("m"), "chord", state.part, 1, 1, state.tick, 0, text))
    place = piece.timeline.place_words(state.tick)
    say = f"{text} over {place}" if text else f"No chord symbol at {place}"
    return Outcome(state, draft.change(say) or None, say)
