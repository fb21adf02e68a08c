"""The line: one sentence that says what the next key will do; its marked phrases are controls.

The browser draws what it gets; the screen reader reads the same. Nothing that can spoil the next note is left out:
part, staff, voice, place, value, policy, and every choice that is not as usual.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from ductus.core.entry.commands.beat import DivideBeat
from ductus.core.entry.commands.mode import (
    BeginPitches,
    BrushedKeys,
    ChordsByKeys,
    ClicksDo,
    DivideHands,
    GraceNext,
    GreyKeys,
    HoldToHarmony,
    KitBy,
    OverWhat,
    PenAdvances,
    PolicyTo,
    PulseKey,
    PulseUntil,
    RepeatHeld,
    RhythmBy,
    WalkRate,
    WayTo,
    WhenWritten,
)
from ductus.core.entry.commands.pen import AtSpanEnd, HoldInBars, PlacePen, ToVoice
from ductus.core.entry.commands.step_value import FillTuplet, FixPitch, FixVelocity, SoundLate, VaryLength
from ductus.core.entry.modes.registry import WAY_WORDS
from ductus.core.entry.state import EntryState
from ductus.core.entry.writing.carried_marks import open_words
from ductus.core.entry.writing.graces import grace_words
from ductus.core.entry.writing.hand_split import divides
from ductus.core.entry.writing.step import open_slot
from ductus.core.phrases import Choice, Phrase, plain
from ductus.core.pitch.pitches import pitch_words, spell_in_key
from ductus.core.score.catalogues.drums import DRUMS
from ductus.core.score.model.note_signs import NOTE_SIGNS
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Part
from ductus.core.score.note_edits.write import MAX_VOICES
from ductus.core.words import article, count_words, listed, with_the

FIRST_WORDS = {
    "step": "Step",
    "pulse": "Pulse",
    "rhythm": "Rhythm first",
    "over": "Over",
    "beat": "One beat again",
    "foot": "Foot-led",
    "walk": "Walking",
}
POLICY = {
    "replace": ("replaces", " what is there"),
    "add": ("is added", " to what is there"),
    "keep": ("keeps", " what is there and goes to the next silence"),
}
WHEN = {"all up": "when you let go", "stroke": "at the stroke", "advance": "when you advance"}
OVER = {
    "pitch": "the pitches",
    "velocity": "the velocities",
    "both": "pitches and velocities",
    "beside": "nothing and stands beside them",
}
LOW_KEYS = (21, 24, 28, 33, 36, 41, 43, 48)
RATES = (40, 60, 85, 100, 120, 160, 200)


def sentence(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    """The line as phrases, in order."""
    ways = tuple(
        Choice(words, WayTo(way), way == state.way)  # type: ignore[arg-type]
        for way, words in WAY_WORDS.items()
    )
    first = Phrase(FIRST_WORDS[state.way], "way of working", ways)
    return (
        first,
        *BUILD[state.way](state, piece),
        *_extras(state, piece),
        plain("; "),
        Phrase("with ...", "with", form="with"),
        plain(" "),
        Phrase("or ...", "more", form="more"),
    )


def line_words(state: EntryState, piece: Piece) -> str:
    """The line as it is said: without the phrases that only open more."""
    words = "".join(p.words for p in sentence(state, piece) if p.form not in ("with", "more"))
    return words.rstrip("; ") + "."


def next_key(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    """The first clause of the line while it speaks of something else: what the next key will do."""
    if not state.down:
        return (plain("The pen is up: keys only sound. "),)
    where = "".join(p.words for p in _where(state, piece, " "))
    does = {
        "step": "steps",
        "pulse": "waits for its pulse",
        "over": "goes over what is written",
        "rhythm": "writes a value",
    }
    act = does.get(state.way, "is written")
    return (plain(f"The next key {act}{where.replace(' into ', ' ')} and {''.join(POLICY[state.policy])}. "),)


def staff_words(part: Part, staff: int) -> str:
    """A staff as the line names it: "piano, left hand"."""
    hand = "" if part.staves == 1 else ", right hand" if staff == 1 else ", left hand"
    return part.name.lower() + hand


def _where(state: EntryState, piece: Piece, into: str = " into ", at: str = ", from ") -> tuple[Phrase, ...]:
    part = piece.part(state.part)
    both = divides(state, piece)
    staves = tuple(
        Choice(staff_words(p, staff), PlacePen(p.id, staff), (p.id, staff) == (state.part, state.staff))
        for p in piece.ordered_parts()
        for staff in range(1, p.staves + 1)
    )
    words = f"{part.name.lower()}, both hands" if both else staff_words(part, state.staff)
    voices = tuple(Choice(f"voice {v}", ToVoice(v), v == state.voice) for v in range(1, MAX_VOICES + 1))
    if part.percussion:
        return (
            plain(into),
            Phrase(words, "part", staves),
            plain(at),
            Phrase(with_the(piece.timeline.place_words(state.tick)), "place", form="place"),
        )
    return (
        plain(into),
        Phrase(words, "part", staves),
        plain(", voice "),
        Phrase(str(state.voice), "voice", voices),
        plain(at),
        Phrase(with_the(piece.timeline.place_words(state.tick)), "place", form="place"),
    )


def _value(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    words = state.step.words
    once = f" once, then {state.step_after.words} again" if state.step_after else ""
    return (
        plain(f"{article(words)} "),
        Phrase(words, "step value", form="ladder"),
        plain(state.step.latch_words + once),
        *_unfinished(state, piece),
    )


def _unfinished(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    """What the tuplet at the pen still lacks, and how it can be filled."""
    slot = open_slot(piece, state) if state.down else None
    if slot is None:
        return ()
    fills = (
        Choice("rest to its end", FillTuplet("rest")),
        Choice("hold the note before to its end", FillTuplet("hold")),
    )
    return plain(" ("), Phrase(slot.left_words(state.tick), "unfinished tuplet", fills), plain(")")


def _pick(name: str, words: dict[str, str], now: str, make: Callable[[Any], Any]) -> Phrase:
    """A phrase of a choice among words: ``make`` turns a choice into its command."""
    return Phrase(words[now], name, tuple(Choice(w, make(key), key == now) for key, w in words.items()))


def _policy(state: EntryState) -> tuple[Phrase, ...]:
    does, rest = POLICY[state.policy]
    labels = tuple(
        Choice("".join(v), PolicyTo(k), k == state.policy)  # type: ignore[arg-type]
        for k, v in POLICY.items()
    )
    return Phrase(does, "replace or add", labels), plain(rest)


def _step(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    return (
        *_where(state, piece), plain(": each step "), *_value(state, piece), plain(", held for "), _sounding(state),
        plain("; a chord is written "), _pick("when", WHEN, state.when, WhenWritten), plain(" and "), *_policy(state),
    )  # fmt: skip


def _sounding(state: EntryState) -> Phrase:
    touch = state.touch
    percent = "its full length" if touch.percent == 100 else f"{touch.percent} % of its length"
    words = percent if touch.ticks is None else "for a value of its own"
    return Phrase(words, "sounding length", form="touch")


def _pulse(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    key = state.pulse_key
    beaten = "the pedal or the advance key" if key is None else f"{spell_in_key(key, 0)}, the pedal or the advance key"
    if state.naming_pulse:
        beaten = "the key that you play now"
    keys = (
        Choice("the pedal or the advance key only", PulseKey(), key is None),
        Choice("a key of the instrument: play it", PulseKey(listen=True), state.naming_pulse),
        *(Choice(f"also {spell_in_key(k, 0)}", PulseKey(k), k == key) for k in LOW_KEYS),
    )
    until = {"next": "until the next", "release": "until it is let go"}
    return (
        *_where(state, piece), plain(": each pulse "), *_value(state, piece), plain(", beaten by "),
        Phrase(beaten, "pulse", keys),
        plain("; a note lasts "), _pick("until", until, state.pulse_until, PulseUntil), plain(" and "), *_policy(state),
    )  # fmt: skip


def _rhythm(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    by = {"step": "any key of the instrument", "time": "a rhythm struck in time on any one key is written"}
    after = (
        (plain(" "), *_value(state, piece))
        if state.rhythm_by == "step"
        else (plain(" down to "), *_value(state, piece)[1:])
    )
    begin = Phrase("the pitches", "pitches", (Choice("begin the pitches where this rhythm began", BeginPitches()),))
    return (
        *_where(state, piece), plain(": each value key writes its value, "),
        _pick("rhythm by", by, state.rhythm_by, RhythmBy),
        *after, plain("; it "), *_policy(state), plain("; then come "), begin,
    )  # fmt: skip


def _over(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    ended = (
        "; the pass is at its end: keys write nothing until you advance, which begins again" if state.over_done else ""
    )
    chosen = [n for n in piece.line_between(state.line, state.tick, state.tick + 1) if n.id in state.chosen]
    only = f" of the {count_words(len(chosen), 'chosen note')} only" if chosen else ""
    return (
        *_where(state, piece, " what is written in "), plain(": the next chord played replaces "),
        _pick("what is replaced", OVER, state.over, OverWhat), plain(only + ended),
    )  # fmt: skip


def _beat(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    parts = tuple(Choice(f"{n} equal parts", DivideBeat(n)) for n in range(2, 9))
    return (
        *_where(state, piece, " in ", ", at "), plain(": play its figure at any speed; it "), *_policy(state),
        plain("; or "),
        Phrase("divide the beat", "division", parts),
    )  # fmt: skip


def _foot(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    grey = {"drop": "not written", "write": "written"}
    return (
        *_where(state, piece), plain(": each tap "), *_value(state, piece), plain("; what is held is written and "),
        *_policy(state),
        plain("; a key let go before the tap is "), _pick("let go early", grey, state.foot_grey, GreyKeys),
    )  # fmt: skip


def _walk(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    rate = round(60e6 / state.walk_us)
    rates = tuple(Choice(f"{r} steps a minute", WalkRate(r), r == rate) for r in RATES)
    return (
        *_where(state, piece), plain(": each step "), *_value(state, piece), plain(", "),
        Phrase(f"{rate} a minute", "rate", rates),
        plain(" while keys are held, which "),
        _pick("held keys", HELD, "repeat" if state.repeats else "last", lambda how: RepeatHeld(how == "repeat")),
        plain("; it "), *_policy(state),
    )  # fmt: skip


HELD = {"last": "sound on", "repeat": "are struck again"}
BUILD: dict[str, Callable[[EntryState, Piece], tuple[Phrase, ...]]] = {
    "step": _step,
    "pulse": _pulse,
    "rhythm": _rhythm,
    "over": _over,
    "beat": _beat,
    "foot": _foot,
    "walk": _walk,
}


def _extras(state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    """Settings that are spoken only while they differ from the usual ones, and what waits at the pen."""
    return (
        *(_drums(state) if piece.part(state.part).percussion else _hands(state)),
        *_harmony(state),
        *(_span(state, piece) if state.span is not None else ()),
        *_touch(state),
        *_moving(state),
        *_graces(state, piece),
        *_waiting(state, piece),
    )


def _drums(state: EntryState) -> Iterator[Phrase]:
    if state.naming_drum is None:
        by = {"map": "by the map of drums", "place": "by their places on the staff"}
        yield from (plain("; keys mean drums "), _pick("what keys mean", by, state.kit_by, KitBy))
    else:
        yield from (plain("; the next key will mean the "), plain(DRUMS[state.naming_drum].label))
    yield from (plain("; or "), Phrase("patterns", "patterns", form="patterns"))


def _hands(state: EntryState) -> Iterator[Phrase]:
    if state.hands == "one":
        return

    def at(key: int) -> str:
        return f"at {pitch_words(spell_in_key(key, 0))}"

    splits = (
        Choice(at(k), DivideHands("split", k), (state.hands, state.split) == ("split", k))
        for k in (48, 53, 55, 57, 60, 62, 64, 67)
    )
    by_reach = Choice("by reach", DivideHands("reach"), state.hands == "reach")
    choices = (Choice("all into one staff", DivideHands("one")), by_reach, *splits)
    yield plain("; keys are divided between the hands ")
    yield Phrase("by reach" if state.hands == "reach" else at(state.split), "hands", choices)


def _harmony(state: EntryState) -> Iterator[Phrase]:
    if state.naming_chord:
        free = (Choice("keys write notes again", ChordsByKeys(False)),)
        yield from (plain("; a chord that is played writes "), Phrase("its symbol", "chords by keys", free))
    if state.harmony != "off":
        words = {
            "off": "free keys",
            "chord": "chord tones",
            "key": "chord and key tones",
            "scale": "tones of the scale",
        }
        yield from (plain("; keys snap to "), _pick("harmony", words, state.harmony, HoldToHarmony))


def _moving(state: EntryState) -> Iterator[Phrase]:
    if state.clicks == "write":
        velocity = state.touch.velocity or 80
        words = {"place": "places the pen", "write": f"writes a note at velocity {velocity}"}
        yield from (plain("; a click on a staff "), _pick("clicks", words, state.clicks, ClicksDo))
    if not state.advances:
        on = (Choice("let it move on", PenAdvances(True)),)
        yield from (plain("; the pen "), Phrase("stays", "moving on", on), plain(" after each step"))


def _graces(state: EntryState, piece: Piece) -> Iterator[Phrase]:
    if state.grace:
        graces = "the next key is a grace note" if state.grace == "next" else "keys are grace notes"
        plainly = (Choice("keys write notes again", GraceNext()),)
        yield from (plain("; "), Phrase(graces, "grace notes", plainly))
    if state.graces:
        yield plain(f"; the next note comes after {grace_words(piece, state)}")
    if state.brushed:
        chord = (Choice("it is a note of the chord", BrushedKeys(False)),)
        yield from (plain("; a brushed key "), Phrase("is a grace note", "brushed keys", chord))


def _waiting(state: EntryState, piece: Piece) -> Iterator[Phrase]:
    if state.carries:
        yield plain(f"; the next note comes with {listed([NOTE_SIGNS[s].words for s in state.carries])}")
    if state.open_marks:
        marks = listed([open_words(m) for m in state.open_marks])
        yield plain(f"; {article(marks)} {marks} goes on" if len(state.open_marks) == 1 else f"; {marks} go on")
    if state.pedal_from is not None:
        yield plain(f"; the pedal is down since {piece.timeline.place_words(state.pedal_from)}")
    if state.held and state.way in ("step", "over", "pulse"):
        yield plain("; Backspace drops the last key held")


def _span(state: EntryState, piece: Piece) -> list[Phrase]:
    assert state.span is not None
    timeline = piece.timeline
    first, last = (timeline.number_of(timeline.bar_at(t).index) for t in (state.span.start, state.span.end - 1))
    ends = {"stop": "then it stops", "wrap": "then it begins again", "run on": "then it runs on"}
    bars = f"bar {first}" if first == last else f"bars {first} to {last}"
    return [
        plain("; the pen stays in "),
        Phrase(bars, "span", (Choice("let the pen go anywhere", HoldInBars()),)),
        plain(", "),
        _pick("end of the span", ends, state.span.then, AtSpanEnd),
    ]


def _touch(state: EntryState) -> list[Phrase]:
    touch, out = state.touch, []
    if touch.late:
        out += [plain("; steps sound "), Phrase(touch.late_words, "early or late", (Choice("on time", SoundLate()),))]
    if touch.vary:
        lengths = (
            Choice("do not vary", VaryLength()),
            *(Choice(f"vary by up to {p} %", VaryLength(p), p == touch.vary) for p in (5, 10, 20, 30)),
        )
        out += [plain("; sounding lengths vary by up to "), Phrase(f"{touch.vary} %", "variation", lengths)]
    if touch.velocity is not None:
        velocities = (
            Choice("as touched", FixVelocity()),
            *(Choice(str(v), FixVelocity(v), v == touch.velocity) for v in (40, 56, 72, 88, 104)),
        )
        out += [plain("; velocity "), Phrase(str(touch.velocity), "velocity", velocities)]
    if touch.pitch is not None:
        name = pitch_words(spell_in_key(touch.pitch, 0))
        out += [plain("; every key writes "), Phrase(name, "pitch", (Choice("pitches as played", FixPitch()),))]
    return out
