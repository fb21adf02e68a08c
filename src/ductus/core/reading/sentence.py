"""The line while a take is looked at: how it was read, every choice of it a phrase that can be changed."""

from __future__ import annotations

from collections.abc import Sequence

from ductus.core.entry.line import Phrase, plain
from ductus.core.pitch.pitches import spell_in_key
from ductus.core.reading.choices import Choices
from ductus.core.reading.settings import MIDDLE_C, ReadingResult
from ductus.core.reading.to_piece import typical_quarter_us
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER

SHORTEST = ("half", "quarter", "eighth", "16th", "32nd", "64th")
METERS = ("2/4", "3/4", "4/4", "2/2", "3/8", "6/8", "9/8", "12/8", "5/4", "5/8", "7/8")
SPLITS = (48, 52, 55, 57, 59, MIDDLE_C, 62, 64, 67)
PLAINNESS = {
    -2: "much finer than usual",
    -1: "finer than usual",
    0: "as plain as is true",
    1: "plainer than usual",
    2: "as plain as can be",
}
STACCATO = {"dot": "in full with a dot", "rest": "short with rests"}
TUPLET_WORDS = {None: "where played", False: "none", True: "allowed"}
VOICES = {None: "as many voices as it needs", 1: "one voice a staff", 2: "two voices a staff"}


def read_sentence(
    name: str, source: str, place: str, choices: Choices, result: ReadingResult, proposals: Sequence[str]
) -> tuple[Phrase, ...]:
    """The phrases, in order; ``proposals`` are the readings of the whole, in words (free takes only)."""
    settings = choices.settings
    shortest = settings.shortest or result.shortest
    found = "" if settings.shortest else " (as found)"
    return (
        Phrase("Read", "way of working", "read", "", ()),
        plain(f" {name.lower()} from {place}, in "),
        *_beats(source, choices, result, proposals),
        plain(", down to "),
        Phrase(f"{shortest}s", "shortest value", "shortest", settings.shortest or "found",
               (("found", "as the playing shows"), *((v, f"{v}s") for v in SHORTEST))),
        plain(f"{found}, tuplets "),
        Phrase(TUPLET_WORDS[settings.tuplets], "tuplets", "tuplets", TUPLET_WORDS[settings.tuplets],
               tuple((w, w) for w in TUPLET_WORDS.values())),
        plain("; hands "),
        _hands(choices),
        plain(", "),
        Phrase(VOICES[settings.voices], "voices", "voices", "as needed" if settings.voices is None else str(settings.voices),
               (("as needed", VOICES[None]), ("1", VOICES[1]), ("2", VOICES[2]))),
        plain("; detached notes "),
        Phrase(STACCATO[settings.staccato], "detached notes", "staccato", settings.staccato, tuple(STACCATO.items())),
        plain(", the pedal "),
        Phrase("lengthens notes" if settings.pedal else "left aside", "pedal", "pedal", "used" if settings.pedal else "ignored",
               (("used", "lengthens notes"), ("ignored", "left aside"))),
        plain("; written "),
        Phrase(PLAINNESS[settings.plainness], "plainer or finer", "plainness", str(settings.plainness),
               tuple((str(k), w) for k, w in sorted(PLAINNESS.items(), reverse=True))),
        plain("."),
    )  # fmt: skip


def _hands(choices: Choices) -> Phrase:
    settings = choices.settings
    if settings.hand is not None:
        words, value = ("all in the right" if settings.hand == 1 else "all in the left"), str(settings.hand)
        value = "right" if settings.hand == 1 else "left"
    elif settings.split is not None:
        words, value = f"split at {spell_in_key(settings.split, 0)}", str(settings.split)
    else:
        words, value = "by reach", "reach"
    splits = tuple((str(k), f"split: {spell_in_key(k, 0)} and above to the right") for k in SPLITS)
    return Phrase(
        words,
        "hands",
        "hands",
        value,
        (
            ("reach", "by reach: what a hand can hold"),
            *splits,
            ("right", "all in the right hand"),
            ("left", "all in the left hand"),
        ),
    )


def tempo_words(meter: Meter, result: ReadingResult) -> str:
    """The typical tempo in beats of the meter: "♩ ≈ 72"."""
    beat = meter.beat_ticks
    sign = "♩." if meter.compound else "♩" if beat == QUARTER else "beat"
    return f"{sign} ≈ {round(60e6 / typical_quarter_us(result) * QUARTER / beat)}"


def _beats(source: str, choices: Choices, result: ReadingResult, proposals: Sequence[str]) -> tuple[Phrase, ...]:
    meter = str(result.meter)
    if source != "free":
        beat = "click" if source == "click" else "beat of its file"
        moved = ", some bar lines set by hand" if choices.taps or choices.bars else ""
        return (plain(f"{meter} against the {beat}{moved}"),)
    quarters = round(60e6 / typical_quarter_us(result), 1)
    tempi = (
        (f"{quarters / 2:g}", "half as fast: longer notes, fewer bars"),
        (f"{quarters * 2:g}", "twice as fast: shorter notes, more bars"),
        ("found", "as the playing shows"),
        *((str(q), f"about {q} quarters a minute") for q in (50, 60, 72, 84, 96, 108, 120, 138, 160)),
    )
    how = ", tapped" if choices.taps else ", following every bar"
    return (
        Phrase(meter, "meter", "meter", meter if choices.settings.meter else "found",
               (("found", "as the playing shows"), *((m, m) for m in METERS))),
        plain(" at "),
        Phrase(tempo_words(result.meter, result), "tempo", "about", f"{choices.settings.about:g}" if choices.settings.about else "found", tempi),
        plain(how + " ("),
        Phrase(f"{('first', 'second', 'third')[choices.rank]} of {max(len(proposals), 1)} readings" if not choices.taps else "own beats",
               "reading of the whole", "proposal", str(choices.rank), tuple((str(k), w) for k, w in enumerate(proposals))),
        plain("), the bar line "),
        Phrase("where it is" if not choices.shift else f"moved by {choices.shift} {'beat' if abs(choices.shift) == 1 else 'beats'}", "first beat", "shift", "",
               (("1", "a beat later"), ("-1", "a beat earlier"), ("2", "two beats later"), ("-2", "two beats earlier"))),
    )  # fmt: skip
