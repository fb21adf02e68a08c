"""The one way from a take to written notes; live recording, re-reading and the command line all come through here.

take + pulse map (or none) + settings + pins -> ReadingResult
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from ductus.core.capture.takes import Take
from ductus.core.errors import BadInput
from ductus.core.reading.beat_tracking.beam_search import SALIENCE_WEIGHT
from ductus.core.reading.beat_tracking.onset_clusters import cluster, salience
from ductus.core.reading.decoding import read_against
from ductus.core.reading.model import Decisions, ReadingResult, ReadSettings
from ductus.core.reading.quantization.beat_grid import grid_for
from ductus.core.reading.quantization.placement import place_notes
from ductus.core.reading.writing import played_notes
from ductus.core.time.bars import BarLines
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import PulseMap

METER_SHARES = ((Meter(4, 4), 0.4), (Meter(3, 4), 0.27), (Meter(2, 4), 0.13), (Meter(6, 8), 0.2))


def read(take: Take, pulses: PulseMap | None, settings: ReadSettings, pins: Decisions | None = None) -> ReadingResult:
    """Read a take against a pulse map (tick 0 = a bar line); without one, beats and bars are found first.

    Raises BadInput when the take holds no note.
    """
    if not take.notes:
        raise BadInput("Nothing was played in that take, so there is nothing to write. The take is kept.")
    pins = pins or Decisions()
    if pulses is None:
        from ductus.core.reading.beat_tracking.tracker import read_freely  # takes 30 ms that a click needs not

        return read_freely(take, settings, pins)
    return read_against(take, pulses, replace(settings, meter=settings.meter or likely_meter(take, pulses)), pins)


def likely_meter(take: Take, pulses: PulseMap) -> Meter:
    """The meter of a take with a click whose meter nobody told.

    How usual its rhythm is in simple and in compound beats, and where its weighty chords lie, tick 0 being a bar
    line.
    """
    played = played_notes(take)
    velocity = np.array([n.velocity for n in take.notes], np.int64)
    chords = cluster(played.onset, played.release, played.key, velocity)
    weight = salience(chords)
    rhythm: dict[bool, float] = {}
    scores: dict[Meter, float] = {}
    for meter, share in METER_SHARES:
        if meter.compound not in rhythm:
            grid = grid_for(pulses, BarLines(meter), take.notes[0].onset_us, take.notes[-1].onset_us)
            rhythm[meter.compound] = place_notes(played, grid, ReadSettings(meter=meter), centred=True).score
        step = meter.beat_ticks // (3 if meter.compound else 2)
        total = math.log(share) + rhythm[meter.compound]
        for time, row in zip(chords.time, weight, strict=True):
            at = pulses.tick_at(float(time) * 1e6) / step
            level = meter.level_at(round(at) * step) if abs(at - round(at)) < 0.25 else 4
            total += SALIENCE_WEIGHT * float(row[min(level, 4)])
        scores[meter] = total
    return max(scores, key=scores.__getitem__)
