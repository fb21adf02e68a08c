"""The containers between finding places and written notes: a located take, and what the stages found for each note."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ductus.core.capture.takes import Take
from ductus.core.pitch.pitches import Pitch
from ductus.core.reading.model import ReadSettings
from ductus.core.reading.quantization.beat_grid import BeatGrid
from ductus.core.reading.quantization.placement import NoteArrays, Places
from ductus.core.reading.quantization.swing import Swing
from ductus.core.time.pulse_map import PulseMap


@dataclass(frozen=True, slots=True)
class Located:
    """A take with a place in the beats for each of its notes; its times are even where it was played with ``swing``."""

    take: Take
    played: NoteArrays
    grid: BeatGrid
    places: Places
    pulses: PulseMap
    settings: ReadSettings
    swing: Swing | None = None

    @property
    def lag_us(self) -> int:
        """The player's constant lateness behind the beat, in microseconds."""
        return round(self.places.feel.lag * 1e6)


@dataclass(frozen=True, slots=True)
class NoteEvidence:
    """What the stages of writing found for each note of a located take, by its number in the take.

    order         the notes that are written, by place and key
    ticks         place in ticks
    hand, sure    1 right or 2 left, and by how many nats it is likelier than the other hand
    lengths       written length in ticks
    choices       lengths that it could have, as (ticks, probability), the likeliest first
    articulations signs from how it was let go
    key, mode     of the whole: fifths, "major" or "minor"
    pitches       spelled pitches
    """

    located: Located
    order: Sequence[int]
    ticks: Sequence[int]
    hand: Sequence[int]
    sure: Sequence[float]
    lengths: Sequence[int]
    choices: Sequence[Sequence[tuple[int, float]]]
    articulations: Sequence[tuple[str, ...]]
    key: int
    mode: str
    pitches: Sequence[Pitch]
