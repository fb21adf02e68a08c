"""The one way from a take to written notes."""

from __future__ import annotations

from ductus.core.errors import BadInput
from ductus.core.performance.takes import Take
from ductus.core.pitch.pitches import spell_in_key
from ductus.core.reading.settings import MIDDLE_C, Pins, ReadingResult, ReadNote, ReadSettings
from ductus.core.time.meters import Meter
from ductus.core.time.pulse import PulseMap, steady_map
from ductus.core.time.values import BASE_TICKS


def read(take: Take, pulses: PulseMap | None, settings: ReadSettings, pins: Pins | None = None) -> ReadingResult:
    """Read a take against a pulse map (tick 0 = a bar line).

    Raises BadInput when the take holds no note.
    """
    if not take.notes:
        raise BadInput("Nothing was played in that take, so there is nothing to write. The take is kept.")
    meter = settings.meter or Meter(4, 4)
    shortest = settings.shortest or "16th"
    pulses = pulses or steady_map(settings.about or 100, 0, take.notes[0].onset_us)
    grid = BASE_TICKS[shortest]
    key = settings.key or 0
    split = MIDDLE_C if settings.split is None else settings.split
    notes = []
    for event, played in enumerate(take.notes):
        tick = round(pulses.tick_at(played.onset_us) / grid) * grid
        end = round(pulses.tick_at(played.release_us) / grid) * grid
        hand = settings.hand or (1 if played.key >= split else 2)
        pitch = spell_in_key(played.key, key)
        notes.append(ReadNote(event, tick, max(end - tick, grid), hand, 1, pitch, played.velocity))
    pickup = 0
    first = min(n.tick for n in notes)
    if first < 0:
        pickup = -first % meter.bar_ticks
    return ReadingResult(tuple(notes), pulses, meter, pickup, key, "major", shortest, 0)
