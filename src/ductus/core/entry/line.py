"""The line: one sentence that says what the next key will do; its marked phrases are controls.

A phrase is words, and (if it is a control) the command that changes it with the choices it has. The browser draws what it gets;
the screen reader reads the same. Nothing that can spoil the next note is left out: part, staff, voice, place, value, policy.
"""

from __future__ import annotations

from dataclasses import dataclass

from ductus.core.entry.commands.values import article
from ductus.core.entry.state import EntryState
from ductus.core.entry.ways.registry import WAY_WORDS
from ductus.core.pitch.pitches import spell_in_key
from ductus.core.score.piece import Piece

FIRST_WORDS = {
    "step": "Step",
    "pulse": "Pulse",
    "rhythm": "Rhythm first",
    "over": "Over",
    "beat": "One beat again",
    "foot": "Foot-led",
    "walk": "Walking",
}


@dataclass(frozen=True, slots=True)
class Phrase:
    """Words; with a ``name`` they are a control. ``form`` names a control that is more than a list ("place", "ladder",
    "span", "sounding"); ``choices`` are (argument of the command, label)."""

    words: str
    name: str = ""
    command: str = ""
    value: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    form: str = ""


def plain(words: str) -> Phrase:
    """Words that are no control."""
    return Phrase(words)


POLICY = {
    "replace": ("replaces", " what is there"),
    "add": ("is added", " to what is there"),
    "keep": ("keeps", " what is there and goes to the next silence"),
}
WHEN = {"all up": "when all keys are up", "stroke": "at the stroke", "advance": "when you advance"}
OVER = {
    "pitch": "the pitches",
    "velocity": "the velocities",
    "both": "pitches and velocities",
    "beside": "nothing and stands beside them",
}


def sentence(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    """The line as phrases, in order."""
    build = {
        "step": _step, "pulse": _pulse, "rhythm": _rhythm, "over": _over, "beat": _beat, "foot": _foot, "walk": _walk,
    }[state.way]  # fmt: skip
    first = Phrase(FIRST_WORDS[state.way], "way of working", "way", state.way, tuple(WAY_WORDS.items()))
    return (first, *build(state, piece), *_extras(state, piece), plain("."))


def _where(state: EntryState, piece: Piece, into: str = " into ", at: str = ", from ") -> tuple[Phrase, ...]:
    places = []
    for part in piece.ordered_parts():
        for staff in range(1, part.staves + 1):
            places.append((f"{part.id} {staff} {state.tick}", _staff_words(part.name, part.staves, staff)))
    part = piece.part(state.part)
    timeline = piece.timeline
    place = timeline.place_words(state.tick).replace("pick-up", "the pick-up")
    return (
        plain(into),
        Phrase(
            _staff_words(part.name, part.staves, state.staff),
            "part",
            "place",
            f"{state.part} {state.staff} {state.tick}",
            tuple(places),
        ),
        plain(", voice "),
        Phrase(str(state.voice), "voice", "voice", str(state.voice), tuple((v, f"voice {v}") for v in "1234")),
        plain(at),
        Phrase(place, "place", "place", "", (), "place"),
    )


def _staff_words(name: str, staves: int, staff: int) -> str:
    hand = "" if staves == 1 else ", right hand" if staff == 1 else ", left hand"
    return name.lower() + hand


def _value(state: EntryState) -> tuple[Phrase, ...]:
    words = state.step.words
    latched = " (stays on)" if state.step.dots_latched or state.step.tuplet_latched else ""
    once = f" once, then {state.step_after.words} again" if state.step_after else ""
    return (
        plain(f"{article(words)} "),
        Phrase(words, "step value", "value", state.step.base, (), "ladder"),
        plain(latched + once),
    )


def _policy(state: EntryState) -> tuple[Phrase, ...]:
    does, rest = POLICY[state.policy]
    labels = tuple((k, "".join(v)) for k, v in POLICY.items())
    return Phrase(does, "replace or add", "policy", state.policy, labels), plain(rest)


def _choice(words: dict[str, str], name: str, command: str, value: str) -> Phrase:
    return Phrase(words[value], name, command, value, tuple(words.items()))


def _step(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    return (
        *_where(state, piece), plain(": each step "), *_value(state), plain(", sounding "), _sounding(state), plain("; a chord is written "),
        _choice(WHEN, "when", "when", state.when), plain(" and "), *_policy(state),
    )  # fmt: skip


def _sounding(state: EntryState) -> Phrase:
    touch = state.touch
    percent = "in full" if touch.percent == 100 else f"{touch.percent} % of it"
    words = percent if touch.ticks is None else "for a value of its own"
    return Phrase(words, "sounding length", "sounding", str(touch.percent), (), "sounding")


def _pulse(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    until = {"next": "until the next", "release": "until it is let go"}
    if state.pulse_key is None:
        beaten = "the pedal or the advance key"
    else:
        beaten = f"{spell_in_key(state.pulse_key, 0)}, the pedal or the advance key"
    keys = (
        ("off", "the pedal or the advance key only"),
        *((str(k), f"also {spell_in_key(k, 0)}") for k in (21, 24, 28, 33, 36, 41, 43, 48)),
    )
    return (
        *_where(state, piece), plain(": each pulse "), *_value(state), plain(", beaten by "),
        Phrase(beaten, "pulse", "pulse-key", str(state.pulse_key or "off"), keys),
        plain("; a note lasts "), _choice(until, "until", "pulse-until", state.pulse_until), plain(" and "), *_policy(state),
    )  # fmt: skip


def _rhythm(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    by = {"step": "any key of the instrument", "time": "a rhythm struck in time on any one key is written"}
    after = (plain(" "), *_value(state)) if state.rhythm_by == "step" else (plain(" down to "), *_value(state)[1:])
    return (
        *_where(state, piece), plain(": each value key writes its value, "), _choice(by, "rhythm by", "rhythm-by", state.rhythm_by),
        *after, plain("; it "), *_policy(state), plain("; then come "), Phrase("the pitches", "pitches", "pitches", "", (("", "begin the pitches where this pass began"),)),
    )  # fmt: skip


def _over(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    ended = "; the pass is at its end and begins again with the next key" if state.over_done else ""
    return (
        *_where(state, piece, " what is written in "), plain(": the next chord played replaces "),
        _choice(OVER, "what is replaced", "over", state.over), plain(ended),
    )  # fmt: skip


def _beat(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    parts = tuple((str(n), f"{n} equal parts") for n in range(2, 9))
    return (
        *_where(state, piece, " in ", ", at "), plain(": play its figure at any speed; it "), *_policy(state), plain("; or "),
        Phrase("divide the beat", "division", "divide", "", parts),
    )  # fmt: skip


def _foot(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    grey = {"drop": "not written", "write": "written"}
    return (
        *_where(state, piece), plain(": each tap "), *_value(state), plain("; what is held is written and "), *_policy(state),
        plain("; a key let go before the tap is "), _choice(grey, "let go early", "grey", state.foot_grey),
    )  # fmt: skip


def _walk(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    rate = round(60e6 / state.walk_us)
    rates = tuple((str(r), f"{r} steps a minute") for r in (40, 60, 85, 100, 120, 160, 200))
    return (
        *_where(state, piece), plain(": each step "), *_value(state), plain(", "), Phrase(f"{rate} a minute", "rate", "walk-rate", str(rate), rates),
        plain(" while keys are held; it "), *_policy(state),
    )  # fmt: skip


def _extras(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    """Choices that are spoken only while they differ from what is usual."""
    out: list[Phrase] = []
    if state.harmony != "off":
        words = {"off": "free keys", "chord": "chord tones", "key": "chord and key tones"}
        out += [plain("; keys are held to "), _choice(words, "harmony", "harmony", state.harmony)]
    if state.span is not None:
        timeline = piece.timeline
        first, last = (timeline.number_of(timeline.bar_at(t).index) for t in (state.span.start, state.span.end - 1))
        ends = {"stop": "then it stops", "wrap": "then it begins again", "run on": "then it runs on"}
        out += [
            plain("; the pen stays in "),
            Phrase(f"bars {first} to {last}", "span", "span", "", (("off", "let the pen go anywhere"),)),
            plain(", "),
            _choice(ends, "end of the span", "span", state.span.then),
        ]
    if state.touch.vary:
        lengths = (("0", "do not vary"), *((str(p), f"vary by up to {p} %") for p in (5, 10, 20, 30)))
        out += [
            plain("; sounding lengths vary by up to "),
            Phrase(f"{state.touch.vary} %", "variation", "vary", str(state.touch.vary), lengths),
        ]
    if state.clicks == "write":
        velocity = state.touch.velocity or 80
        words = {"place": "places the pen", "write": f"writes a note at velocity {velocity}"}
        out += [plain("; a click on a staff "), _choice(words, "clicks", "clicks", state.clicks)]
    if state.touch.velocity is not None:
        out += [
            plain("; velocity "),
            Phrase(
                str(state.touch.velocity),
                "velocity",
                "velocity",
                "",
                (("touch", "as touched"), *((str(v), str(v)) for v in (40, 56, 72, 88, 104))),
            ),
        ]
    if state.touch.pitch is not None:
        out += [
            plain("; every key writes "),
            Phrase(str(spell_in_key(state.touch.pitch, 0)), "pitch", "pitch", "", (("played", "pitches as played"),)),
        ]
    if not state.advances:
        out += [
            plain("; the pen "),
            Phrase("stays", "moving on", "advances", "", (("", "let it move on"),)),
            plain(" after each step"),
        ]
    return tuple(out)
