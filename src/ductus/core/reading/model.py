"""How a take is to be read, and what comes out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from ductus.core.pitch.pitches import Pitch
from ductus.core.time.bars import BarLines
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import PulseMap

MIDDLE_C = 60
EVEN = 0.5  # of a beat: eighths that are not swung


@dataclass(frozen=True, slots=True)
class ReadSettings:
    """Every choice has a default that fits most playing; None means "found from the playing".

    ``shortest`` is the finest value written ("16th"); ``tuplets`` None allows them where clearly played,
    ``tuplet_kinds`` only some of them, ``tuplet_shortest`` is the finest value in them; ``split`` is a MIDI key
    (that key and above to the upper staff), or None for hands by reach; ``hand`` 1 or 2 puts everything on one
    staff; ``key`` in fifths; ``plainness`` -2 (finer) .. 2 (plainer); ``pedal`` True lets the sustain pedal lengthen
    notes; ``staccato`` "dot" writes detached notes in full with a dot, "rest" writes them short; ``voices`` on a
    staff: None as many as keep every length; ``changes`` are the changes of ``meter`` after the beginning, as (tick
    of the reading, meter); ``kit`` for a percussion part: the keys that mean other drums than usual, as (key, drum);
    ``about`` a rough tempo in quarters a minute for free playing; ``readings`` how many readings of the whole are
    wanted; ``swing`` is the share of a beat that the first of two eighths takes (EVEN: written as it was played).
    """

    meter: Meter | None = None
    shortest: str | None = None
    tuplets: bool | None = None
    split: int | None = None
    hand: int | None = None
    voices: int | None = None
    key: int | None = None
    staccato: str = "dot"
    pedal: bool = False
    plainness: int = 0
    about: float | None = None
    readings: int = 1
    changes: tuple[tuple[int, Meter], ...] = ()
    tuplet_kinds: tuple[int, ...] | None = None
    tuplet_shortest: str | None = None
    kit: tuple[tuple[int, int], ...] | None = None
    swing: float | None = None

    @property
    def bars(self) -> BarLines:
        """The bars of a reading whose meter is known."""
        assert self.meter is not None
        return BarLines(self.meter, self.changes)


@dataclass(frozen=True, slots=True)
class Decisions:
    """What a person has decided: hard constraints.

    Event index -> hand, place in ticks, length in ticks; beats as (time in microseconds, tick); ``left_out`` are
    events that are not to be written (they stay in the take); ``ornaments`` says of the first events of ornaments
    whether they are written as such or note by note; others are as such where they are too fast to be counted.
    """

    hands: Mapping[int, int] = field(default_factory=dict)
    places: Mapping[int, int] = field(default_factory=dict)
    values: Mapping[int, int] = field(default_factory=dict)
    beats: tuple[tuple[int, int], ...] = ()
    left_out: frozenset[int] = frozenset()
    ornaments: Mapping[int, bool] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ReadNote:
    """One played note as written: ``event`` is its index in the take, times in ticks, ``hand`` 1 right, 2 left.

    ``played`` is where it was struck and how long its key was held, the player's constant lateness taken out.
    """

    event: int
    tick: int
    ticks: int
    hand: int
    voice: int
    pitch: Pitch
    velocity: int
    articulations: tuple[str, ...] = ()
    grace_notes: tuple[Pitch, ...] = ()
    played: tuple[int, int] | None = None


@dataclass(frozen=True, slots=True)
class Rival:
    """Another reading of a doubtful place, in words, with its probability.

    The notes it moves as (event, tick), those whose value it changes as (event, ticks), those it gives to the other
    hand as (event, hand).
    """

    words: str
    probability: float
    places: tuple[tuple[int, int], ...] = ()
    values: tuple[tuple[int, int], ...] = ()
    hands: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True, slots=True)
class Doubt:
    """A close call: where, which played notes, how sure the reading is, what it reads in words, and the rivals."""

    bar: int
    tick: int
    events: tuple[int, ...]
    probability: float
    rivals: tuple[Rival, ...]
    words: str = ""


@dataclass(frozen=True, slots=True)
class Ornament:
    """Kind "trill", "turn", "tremolo", "rolled chord", "run" or "crushed note" (of a kit "roll" or "flam"), and the
    events of the take that make it, in order.
    """

    kind: str
    events: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class ReadingResult:
    """A reading of a take: notes in ticks of ``pulses``, tick 0 being the first bar line of bar 0 (a pick-up is bar
    0).
    """

    notes: tuple[ReadNote, ...]
    pulses: PulseMap
    meter: Meter
    pickup: int
    key: int
    mode: str
    shortest: str
    lag_us: int
    doubts: tuple[Doubt, ...] = ()
    ornaments: tuple[Ornament, ...] = ()
    signed: frozenset[int] = frozenset()  # first events of the ornaments that are written as such
    rivals: tuple[ReadingResult, ...] = ()
    remarks: tuple[str, ...] = ()
    changes: tuple[tuple[int, Meter], ...] = ()  # of the meter, as in the settings
    swing: int = 0  # share of a beat that the first of two eighths took, in thousandths; 0: even

    @property
    def signs(self) -> dict[int, bool]:
        """First events of the ornaments that were heard, and whether each is written as its sign.

        What a reading of a part has to keep to.
        """
        return {o.events[0]: o.events[0] in self.signed for o in self.ornaments}

    @property
    def bars(self) -> BarLines:
        """The bars that it was read in."""
        return BarLines(self.meter, self.changes)
