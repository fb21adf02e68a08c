"""The line while a take is looked at: how it was read, every choice of it a phrase that can be changed."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from ductus.core.phrases import Choice, Phrase, plain
from ductus.core.pitch.keys import key_words, signature_words
from ductus.core.pitch.pitches import spell_in_key
from ductus.core.reading.beat_tracking.tempo_curve import average_quarter_us
from ductus.core.reading.model import MIDDLE_C, ReadingResult, ReadSettings
from ductus.core.reading.review.beat_options import (
    ReadAbout,
    ReadBeats,
    ReadExtent,
    ReadMeter,
    ReadProposal,
    ReadShift,
    ReadSize,
    ReadTaps,
    ReadTime,
    ReadUnpinned,
)
from ductus.core.reading.review.note_options import (
    ReadDetached,
    ReadHands,
    ReadKey,
    ReadPedal,
    ReadPlainness,
    ReadShortest,
    ReadSwing,
    ReadTuplets,
    ReadVoices,
    Value,
)
from ductus.core.reading.review.options import ReadingOptions
from ductus.core.score.catalogues.layouts import counted_beat
from ductus.core.score.mark_language.swing import STRAIGHT, TWO_TO_ONE
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER
from ductus.core.words import count_words, plural

SHORTEST: tuple[Value, ...] = ("half", "quarter", "eighth", "16th", "32nd", "64th")
METERS = ("2/4", "3/4", "4/4", "2/2", "3/8", "6/8", "9/8", "12/8", "5/4", "5/8", "7/8")
SPLITS = (48, 52, 55, 57, 59, MIDDLE_C, 62, 64, 67)
PLAINNESS = {
    -2: "much finer than usual",
    -1: "finer than usual",
    0: "as plain as is true",
    1: "plainer than usual",
    2: "as plain as can be",
}
STACCATO: dict[Any, str] = {"dot": "in full with a dot", "rest": "short with rests"}
TUPLETS = {
    ReadTuplets(): "where played",
    ReadTuplets(False): "none",
    ReadTuplets(True): "of all kinds allowed",
    ReadTuplets(True, (3,)): "only triplets",
    ReadTuplets(True, (3,), "eighth"): "only triplets, down to eighths in them",
    ReadTuplets(True, (3,), "quarter"): "only triplets, down to quarters in them",
    ReadTuplets(True, (3, 5)): "triplets and quintuplets",
    ReadTuplets(True, (3, 5, 7)): "triplets, quintuplets and septuplets",
    ReadTuplets(True, (2, 4)): "only duplets and quadruplets (compound beats)",
}
FOUND = ("free", "journal")  # takes whose beats were found
SIZES = {
    0: "notes as long as they were found",
    1: "notes twice as long: beats twice as fast, more bars",
    -1: "notes half as long: beats half as fast, fewer bars",
}
OUTCOME_WORDS = {
    "": "at the tempo found",
    "follow": "the bars follow me",
    "steady": "one steady tempo",
    "fitted": "fitted to the tempo of the piece",
}
PACE_SIGNS = {("quarter", 0): "♩", ("quarter", 1): "♩.", ("eighth", 0): "♪"}
PEDAL = {True: "lengthens notes", False: "left aside"}
VOICES: dict[Any, str] = {None: "as many voices as it needs", 1: "one voice a staff", 2: "two voices a staff"}


def read_sentence(
    name: str,
    source: str,
    place: str,
    choices: ReadingOptions,
    result: ReadingResult,
    proposals: Sequence[str],
    outcomes: Mapping[str, str],
) -> tuple[Phrase, ...]:
    """The phrases, in order; of free takes ``proposals`` are the readings of the whole, in words, and ``outcomes``
    say what each outcome for the player's time would move.
    """
    settings = choices.settings
    shortest = settings.shortest or result.shortest
    found = "" if settings.shortest else " (as found)"
    values = (
        Choice("as the playing shows", ReadShortest(), settings.shortest is None),
        *(Choice(plural(v), ReadShortest(v), v == settings.shortest) for v in SHORTEST),
    )
    asked = (settings.tuplets, settings.tuplet_kinds, settings.tuplet_shortest)
    tuplets = tuple(Choice(w, t, (t.tuplets, t.kinds, t.shortest) == asked) for t, w in TUPLETS.items())
    now = next((c.label for c in tuplets if c.chosen), "as chosen")
    return (
        Phrase("Read", "way of working"),
        plain(f" {name.lower()} from {place}, in "),
        *_beats(source, choices, result, proposals),
        plain(", down to "),
        Phrase(plural(shortest), "shortest value", values),
        plain(f"{found}, tuplets "),
        Phrase(now, "tuplets", tuplets),
        *((plain("; as drums"),) if settings.kit is not None else (plain("; hands "), _hands(choices))),
        *_time(choices, outcomes),
        *_seldom(choices, source, result.swing),
    )


def _swings(settings: ReadSettings, found: int) -> tuple[Choice, ...]:
    """Swung or not: ``found`` is the share that the reading was written with, in thousandths."""
    now = None if settings.swing is None else round(settings.swing * 1000)
    long = round(found / 10)
    heard = f"swung ({long} to {100 - long}), written even" if found else "even, as they sound"
    choices = [Choice(heard if now is None else "as the playing shows", ReadSwing(), now is None)]
    choices.append(Choice("as they were played", ReadSwing(STRAIGHT), now == STRAIGHT))
    choices.append(Choice("swung two to one, written even", ReadSwing(TWO_TO_ONE), now == TWO_TO_ONE))
    if now not in (None, STRAIGHT, TWO_TO_ONE):
        choices.append(Choice(heard, ReadSwing(now), True))
    return tuple(choices)


def _seldom(choices: ReadingOptions, source: str, swing: int) -> tuple[Phrase, ...]:
    """What is seldom chosen: a phrase of its own where it differs from the usual, and all else behind "or ..."."""
    settings, usual = choices.settings, ReadSettings()
    voices = tuple(Choice(w, ReadVoices(v), v == settings.voices) for v, w in VOICES.items())
    detached = tuple(Choice(w, ReadDetached(k), k == settings.staccato) for k, w in STACCATO.items())
    pedal = tuple(Choice(w, ReadPedal(used), used == settings.pedal) for used, w in PEDAL.items())
    plainer = tuple(
        Choice(w, ReadPlainness(k), k == settings.plainness) for k, w in sorted(PLAINNESS.items(), reverse=True)
    )
    rows = (
        ("", "voices", voices, settings.voices == usual.voices),
        ("detached notes ", "detached notes", detached, settings.staccato == usual.staccato),
        ("eighths ", "swing", _swings(settings, swing), settings.swing is None and not swing),
        ("the pedal ", "pedal", pedal, settings.pedal == usual.pedal),
        ("written ", "plainer or finer", plainer, settings.plainness == usual.plainness),
    )
    out: list[Phrase] = []
    hidden: list[Choice] = []
    if source not in FOUND and not choices.size:
        hidden += _sizes(choices)[1:]
    if source not in FOUND and not choices.shift:
        hidden += [Choice(f"the bar line {c.label}", c.do) for c in _shifts()]
    for before, phrase, options, as_usual in rows:
        if as_usual:
            hidden += [Choice(before + c.label, c.do) for c in options if not c.chosen]
        else:
            out += [plain("; " + before), Phrase(next(c.label for c in options if c.chosen), phrase, options)]
    return (*out, plain("; "), Phrase("or ...", "more", tuple(hidden))) if hidden else (*out, plain("."))


def _sizes(choices: ReadingOptions) -> tuple[Choice, ...]:
    return tuple(Choice(w, ReadSize(k), k == choices.size) for k, w in SIZES.items())  # type: ignore[arg-type]


def _shifts() -> tuple[Choice, ...]:
    beats = (1, -1, 2, -2, 3, -3)
    return tuple(
        Choice(f"{count_words(abs(k), 'beat')} {'later' if k > 0 else 'earlier'}", ReadShift(k)) for k in beats
    )


def _hands(choices: ReadingOptions) -> Phrase:
    settings = choices.settings
    if settings.hand is not None:
        words = "all in the right" if settings.hand == 1 else "all in the left"
    else:
        words = "by reach" if settings.split is None else f"split at {spell_in_key(settings.split, 0)}"
    splits = (
        Choice(
            f"split: {spell_in_key(k, 0)} and above to the right",
            ReadHands(split=k),
            settings.hand is None and settings.split == k,
        )
        for k in SPLITS
    )
    return Phrase(
        words,
        "hands",
        (
            Choice("by reach: what a hand can hold", ReadHands(), settings.hand is None and settings.split is None),
            *splits,
            Choice("all in the right hand", ReadHands("right"), settings.hand == 1),
            Choice("all in the left hand", ReadHands("left"), settings.hand == 2),
        ),
    )


def _key(choices: ReadingOptions, result: ReadingResult) -> Phrase:
    asked = choices.settings.key
    keys = sorted(range(-7, 8), key=lambda k: (abs(k), k))
    return Phrase(
        key_words(result.key, result.mode),
        "key",
        (
            Choice("as the notes show", ReadKey(), asked is None),
            *(Choice(signature_words(k), ReadKey(k), asked == k) for k in keys),
        ),
    )


def tempo_words(meter: Meter, result: ReadingResult) -> str:
    """The average tempo in beats of the meter: "♩ ≈ 72"."""
    return pace_words(meter, average_quarter_us(result))


def pace_words(meter: Meter, quarter_us: float) -> str:
    """A tempo, given in microseconds to the quarter, in beats of a meter."""
    beat = counted_beat(meter, quarter_us)
    sign, ticks = PACE_SIGNS.get((beat.base, beat.dots), "beat"), beat.ticks
    if meter.irregular:
        sign, ticks = "beat", meter.beat_ticks
    return f"{sign} ≈ {round(60e6 / quarter_us * QUARTER / ticks)}"


def _time(choices: ReadingOptions, outcomes: Mapping[str, str]) -> tuple[Phrase, ...]:
    """What becomes of the player's time; nothing for a take to the click."""
    if not outcomes:
        return ()
    now = OUTCOME_WORDS[choices.time] + (f", {choices.tempo:g}" if choices.tempo else "")
    options = tuple(
        Choice(
            f"{OUTCOME_WORDS[k]}: the page keeps its notes; {moves}",
            ReadTime(k),  # type: ignore[arg-type]
            k == choices.time,
        )
        for k, moves in outcomes.items()
    )
    return (plain("; in playback "), Phrase(now, "what becomes of time", options, form="outcome"))


def lateness_words(lag_us: int) -> str:
    """How late the player was throughout, in words: "on average 23 ms behind the click"."""
    ms = round(lag_us / 1000)
    return "on the click" if abs(ms) < 3 else f"on average {abs(ms)} ms {'behind' if ms > 0 else 'ahead of'} the click"


def _tempi(choices: ReadingOptions) -> Iterator[Choice]:
    about = choices.settings.about
    yield from (c for c in _sizes(choices) if not c.chosen)
    yield Choice("as the playing shows", ReadAbout(), about is None)
    for q in (50, 60, 72, 84, 96, 108, 120, 138, 160):
        yield Choice(f"about {q} quarters a minute", ReadAbout(q), q == about)


def _beats(source: str, choices: ReadingOptions, result: ReadingResult, proposals: Sequence[str]) -> tuple[Phrase, ...]:
    meter = str(result.meter) + ("" if not result.changes else " and as the meter changes")
    meters = (
        Choice(
            "as the playing shows" if source != "click" else "as the piece has it",
            ReadMeter(),
            choices.settings.meter is None,
        ),
        *(Choice(m, ReadMeter(m), choices.settings.meter is not None and m == str(result.meter)) for m in METERS),
    )
    moved = f"moved by {count_words(choices.shift, 'beat')}" if choices.shift else "where it is"
    first = (plain(", the bar line "), Phrase(moved, "first beat", _shifts()), *_by_hand(choices))
    if source not in FOUND and not choices.unbound:
        against = f", {lateness_words(result.lag_us)}" if source == "click" else ""
        out = [
            Phrase(meter, "meter", meters),
            plain(", in "),
            _key(choices, result),
            *([plain(against)] if source == "click" else [plain(" "), _file_beats(choices)]),
        ]
        if choices.size:
            out += [plain(", "), Phrase(SIZES[choices.size].partition(":")[0], "size of values", _sizes(choices))]
        return (*out, *(first if choices.shift else _by_hand(choices)))
    which = ("first", "second", "third")[choices.rank]
    readings = tuple(Choice(w, ReadProposal(k), k == choices.rank) for k, w in enumerate(proposals[:3]))
    how = ", tapped" if choices.taps else ", following every bar"
    file = (plain(", "), _file_beats(choices)) if choices.unbound else ()
    own = (Choice("as they were found", ReadTaps(())),) if choices.taps else readings
    return (
        Phrase(meter, "meter", meters),
        plain(", in "),
        _key(choices, result),
        plain(" at "),
        Phrase(tempo_words(result.meter, result), "tempo", tuple(_tempi(choices))),
        plain(how + " ("),
        Phrase(
            "own beats" if choices.taps else f"{which} of {count_words(max(len(proposals), 1), 'reading')}",
            "reading of the whole",
            own,
        ),
        plain(")"),
        *file,
        *first,
    )


def _file_beats(choices: ReadingOptions) -> Phrase:
    """The beats of a file, or those that are found."""
    now = "as played freely" if choices.unbound else "against the beat of its file"
    options = (
        Choice("against the beat of its file, its tempi and its meters", ReadBeats(False), not choices.unbound),
        Choice("as played freely: the beats are found", ReadBeats(True), choices.unbound),
    )
    return Phrase(now, "beats of the file", options)


def _by_hand(choices: ReadingOptions) -> tuple[Phrase, ...]:
    """How many bar lines and beats were set by hand, and how to take them back; what of the take is left out."""
    out: list[Phrase] = []
    if choices.bars:
        back = (Choice("all where they were found", ReadUnpinned()),)
        out += [plain(", "), Phrase(f"{len(choices.bars)} set by hand", "set by hand", back)]
    if choices.extent:
        out += [plain(", "), Phrase("its ends left out", "ends", (Choice("write all of the take", ReadExtent()),))]
    return tuple(out)
