"""The choices of a reading by name, as the line offers them: (choices, value) -> choices."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from ductus.core.errors import BadInput
from ductus.core.pitch.keys import check_fifths
from ductus.core.reading.choices import Choices, Passage
from ductus.core.reading.settings import Pins, ReadSettings
from ductus.core.time.meters import parse_meter
from ductus.core.time.values import STEP_BASES

PLAINEST = 2
TUPLETS = {"where played": None, "none": False, "allowed": True}


def _number(value: str, low: float, high: float, what: str) -> float:
    try:
        number = float(value)
    except ValueError:
        number = float("nan")
    if not low <= number <= high:
        raise BadInput(f"'{value[:20]}' is no {what}; it lies between {low:g} and {high:g}. The page is as it was.")
    return number


def _shortest(settings: ReadSettings, value: str) -> ReadSettings:
    if value != "found" and value not in STEP_BASES:
        raise BadInput(f"'{value[:20]}' is no note value; use one of {', '.join(STEP_BASES)}.")
    return replace(settings, shortest=None if value == "found" else value)


def _hands(settings: ReadSettings, value: str) -> ReadSettings:
    if value in ("right", "left"):
        return replace(settings, hand=1 if value == "right" else 2, split=None)
    split = None if value == "reach" else int(_number(value, 0, 127, "key to split at"))
    return replace(settings, hand=None, split=split)


def _tuplets(settings: ReadSettings, value: str) -> ReadSettings:
    if value not in TUPLETS:
        raise BadInput(f"Tuplets can be {', '.join(TUPLETS)}.")
    return replace(settings, tuplets=TUPLETS[value])


def _voices(settings: ReadSettings, value: str) -> ReadSettings:
    return replace(settings, voices=None if value == "as needed" else int(_number(value, 1, 2, "number of voices")))


def _staccato(settings: ReadSettings, value: str) -> ReadSettings:
    return replace(settings, staccato="rest" if value == "rest" else "dot")


def _pedal(settings: ReadSettings, value: str) -> ReadSettings:
    return replace(settings, pedal=value == "used")


def _plainness(settings: ReadSettings, value: str) -> ReadSettings:
    if value in ("plainer", "finer"):
        now = settings.plainness + (1 if value == "plainer" else -1)
        return replace(settings, plainness=min(max(now, -PLAINEST), PLAINEST))
    return replace(settings, plainness=int(_number(value, -PLAINEST, PLAINEST, "step between finer and plainer")))


def _meter(settings: ReadSettings, value: str) -> ReadSettings:
    return replace(settings, meter=None if value == "found" else parse_meter(value))


def _about(settings: ReadSettings, value: str) -> ReadSettings:
    return replace(settings, about=None if value == "found" else _number(value, 5, 1000, "tempo in quarters a minute"))


def _key(settings: ReadSettings, value: str) -> ReadSettings:
    if value == "found":
        return replace(settings, key=None)
    fifths = int(_number(value, -7, 7, "number of sharps or flats"))
    check_fifths(fifths)
    return replace(settings, key=fifths)


SETTINGS: dict[str, Callable[[ReadSettings, str], ReadSettings]] = {
    "shortest": _shortest,
    "tuplets": _tuplets,
    "hands": _hands,
    "voices": _voices,
    "staccato": _staccato,
    "pedal": _pedal,
    "plainness": _plainness,
    "meter": _meter,
    "about": _about,
    "key": _key,
}
OF_THE_WHOLE = ("meter", "about", "key")  # a passage cannot have its own


def _proposal(choices: Choices, value: str) -> Choices:
    return replace(
        choices, rank=int(_number(value, 0, 2, "proposal")), shift=0, bars={}, taps=(), pins=Pins(), settled=frozenset()
    )


def _shift(choices: Choices, value: str) -> Choices:
    return replace(choices, shift=choices.shift + int(_number(value, -64, 64, "number of beats")), bars={}, pins=Pins())


def _taps(choices: Choices, value: str) -> Choices:
    taps = tuple(sorted({int(_number(t, 0, 1e11, "time")) for t in value.split()}))
    if len(taps) == 1:
        raise BadInput("One tap gives no tempo: tap at least two beats. The page is as it was.")
    return replace(choices, taps=taps, shift=0, bars={}, pins=Pins(), rank=0)


def _bar(choices: Choices, value: str) -> Choices:
    tick, _, time = value.partition(" ")
    at = int(_number(tick, -1e15, 1e15, "place"))
    bars = {t: us for t, us in choices.bars.items() if t != at}
    if time != "off":
        bars[at] = int(_number(time, -1e11, 1e11, "time"))
    return replace(choices, bars=bars)


WHOLE: dict[str, Callable[[Choices, str], Choices]] = {
    "proposal": _proposal,
    "shift": _shift,
    "taps": _taps,
    "bar": _bar,
}


def changed_choices(choices: Choices, name: str, value: str, events: frozenset[int] = frozenset()) -> Choices:
    """The choices with one of them changed; with ``events`` only for these notes, joined to what passages there were.

    Raises BadInput for a name or value that does not exist."""
    if name in WHOLE:
        return WHOLE[name](choices, value)
    if name not in SETTINGS:
        raise BadInput("A reading has no such choice.")
    if not events:
        fresh = SETTINGS[name](choices.settings, value)
        if name in ("meter", "about"):
            return Choices(fresh, passages=())
        return replace(choices, settings=fresh)
    if name in OF_THE_WHOLE:
        raise BadInput("The meter, the tempo and the key belong to the whole take; nothing was changed.")
    own = next((p.settings for p in choices.passages if p.events >= events), choices.settings)
    rest = [replace(p, events=p.events - events) for p in choices.passages]
    passage = Passage(events, SETTINGS[name](own, value))
    kept = [p for p in rest if p.events and p.settings != passage.settings]
    same = frozenset().union(*(p.events for p in rest if p.settings == passage.settings))
    passages = [*kept, replace(passage, events=passage.events | same)]
    return replace(choices, passages=tuple(p for p in passages if p.settings != choices.settings))
