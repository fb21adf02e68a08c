"""Free reading: beats, bars, meter, pick-up and tempo of a take that was played without a click (JOB 9.1, 9.2).

    chords + hints (about, meter) and pins -> pulse map, rival pulse maps -> each read as with a click

One beam search for each meter; the best tracks that differ in meter, tempo octave or first beat become the readings, so that
a person can choose among them. A pinned beat is heard as certain: the track is bent through it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from ductus.core.performance.takes import Take
from ductus.core.reading.beam import PAUSED, BeamSearch, Frame, Track, frame_of
from ductus.core.reading.chords import Chords, cluster, salience
from ductus.core.reading.divisions import COMPOUND, SIMPLE, Floats, allowed_divisions, rhythm_table
from ductus.core.reading.settings import Pins, ReadingResult, ReadSettings
from ductus.core.time.meters import Meter
from ductus.core.time.pulse import Pulse, PulseMap
from ductus.core.time.ticks import QUARTER

METER_PRIOR = {"4/4": 0.32, "3/4": 0.24, "2/4": 0.20, "6/8": 0.13, "3/8": 0.04, "9/8": 0.03, "12/8": 0.04}
SIGMA_S = 0.027
TIME_SD_S, PERIOD_SD = 0.025, 0.05  # of the smoother that turns a track into beats
RIVAL_COST = 0.02  # nats a chord: rivals that are worse than this by far are still shown, but last


@dataclass(frozen=True, slots=True)
class Beats:
    """A proposal: frame, pulse map (tick 0 a bar line), and how good it is (nats a chord)."""

    frame: Frame
    pulses: PulseMap
    score: float


def read_freely(take: Take, settings: ReadSettings, pins: Pins) -> ReadingResult:
    """Read a take of which nothing or little is known; ``settings.readings`` says how many rivals are wanted."""
    from ductus.core.reading.read import read_against

    proposals = find_beats(take, settings, pins)
    results = [
        read_against(take, b.pulses, replace(settings, meter=b.frame.meter), pins)
        for b in proposals[: max(settings.readings, 1)]
    ]
    return replace(results[0], rivals=tuple(results[1:]))


def find_beats(take: Take, settings: ReadSettings, pins: Pins) -> list[Beats]:
    """Proposals for the beats of a take, best first (at least one)."""
    onset = np.array([n.onset_us for n in take.notes], float) / 1e6
    release = np.array([n.release_us for n in take.notes], float) / 1e6
    key = np.array([n.key for n in take.notes], np.int64)
    velocity = np.array([n.velocity for n in take.notes], np.int64)
    chords = cluster(onset, release, key, velocity)
    if len(pins.beats) >= 2:
        return [beats_of_pins(take, settings, pins)]
    if len(chords.time) < 3:
        return [plain_beats(take, settings)]
    tracks = search(chords, settings)
    return [Beats(t.frame, pulses_of(t, chords.time), t.score) for t in tracks]


def search(chords: Chords, settings: ReadSettings) -> list[Track]:
    """The best tracks over all meters that may be meant, distinct ones first."""
    weight = salience(chords)
    meters = [settings.meter] if settings.meter else [Meter(*(int(x) for x in name.split("/"))) for name in METER_PRIOR]
    found: list[Track] = []
    for meter in meters:
        frame = frame_of(meter)
        about_s = 60 / settings.about * frame.beat_ticks / QUARTER if settings.about else None
        divisions = allowed_divisions(frame.beat_ticks, frame.family, settings.shortest, settings.tuplets)
        beam = BeamSearch(frame, rhythm_table(), divisions, about_s)
        prior = math.log(METER_PRIOR.get(str(meter), 0.05))
        found += [replace(t, score=t.score + prior) for t in beam.run(chords.time, weight, SIGMA_S)]
    found.sort(key=lambda t: -t.score)
    return distinct_tracks(found, len(chords.time))


def distinct_tracks(tracks: list[Track], chords: int) -> list[Track]:
    """Order tracks so that the first few differ in what a person would have to mend: the beat's length in time and the bar."""
    chosen: list[Track] = []
    rest: list[Track] = []
    for track in tracks:
        if any(alike(track, other) for other in chosen):
            rest.append(track)
        else:
            chosen.append(track)
    del chords
    return [*chosen, *rest]


def alike(a: Track, b: Track) -> bool:
    """Do two tracks have the same bars (whatever their meter is called) and the same beats?"""
    pace_a, pace_b = quarters(a), quarters(b)
    if abs(math.log(pace_a / pace_b)) > 0.2:
        return False
    if a.frame.beats * a.frame.beat_ticks != b.frame.beats * b.frame.beat_ticks or a.frame.family != b.frame.family:
        return False
    bar = a.frame.beats
    same = np.abs((a.place - b.place + bar / 2) % bar - bar / 2) < 0.02
    return float(same.mean()) > 0.5


def quarters(track: Track) -> float:
    """How many quarters the track counts from first chord to last."""
    return max(float(track.place[-1] - track.place[0]), 1e-6) * track.frame.beat_ticks / QUARTER


def pulses_of(track: Track, time: Floats) -> PulseMap:
    """The pulse map of a track: beat times from its smoothed chord times."""
    place, smooth = smoothed(track, time)
    first = math.floor(place[0]) - 1
    last = math.ceil(place[-1]) + 2
    beats = np.arange(first, last + 1)
    at = np.interp(beats, place, smooth)
    head = _slope(place, smooth, 0)
    tail = _slope(place, smooth, -1)
    at = np.where(beats < place[0], smooth[0] + (beats - place[0]) * head, at)
    at = np.where(beats > place[-1], smooth[-1] + (beats - place[-1]) * tail, at)
    pulses: list[Pulse] = []
    for k, s in zip(beats, at, strict=True):
        us = round(float(s) * 1e6)
        if pulses and us <= pulses[-1].time_us:
            us = pulses[-1].time_us + 1000
        pulses.append(Pulse(int(k) * track.frame.beat_ticks, us))
    return PulseMap(tuple(pulses))


def _slope(place: Floats, time: Floats, end: int) -> float:
    n = min(6, len(place) - 1)
    a, b = (0, n) if end == 0 else (len(place) - 1 - n, len(place) - 1)
    return max(float((time[b] - time[a]) / max(place[b] - place[a], 1e-6)), 0.05)


def smoothed(track: Track, time: Floats) -> tuple[Floats, Floats]:
    """Rauch-Tung-Striebel smoothing of the chord times along a track: (places, times), places strictly rising."""
    keep = np.concatenate(([True], np.diff(track.place) > 1e-9))
    place, x, move = track.place[keep], time[keep], track.move[keep]
    n = len(place)
    if n < 2:
        return np.array([place[0], place[0] + 1.0]), np.array([x[0], x[0] + track.period])
    state, cov = np.zeros((n, 2)), np.zeros((n, 2, 2))
    ahead, ahead_cov = np.zeros((n, 2)), np.zeros((n, 2, 2))
    span = max(float(x[-1] - x[0]) / max(float(place[-1] - place[0]), 1e-6), 0.05)
    state[0], cov[0] = (x[0], span), np.diag([TIME_SD_S**2, (0.3 * span) ** 2])
    for q in range(1, n):
        r = place[q] - place[q - 1]
        turn = np.array([[1.0, r], [0.0, 1.0]])
        noise = np.diag([(0.02 * span) ** 2 * r + (1.0 if move[q] == PAUSED else 0.0), (PERIOD_SD * span) ** 2 * r])
        ahead[q], ahead_cov[q] = turn @ state[q - 1], turn @ cov[q - 1] @ turn.T + noise
        s = ahead_cov[q, 0, 0] + TIME_SD_S**2
        gain = ahead_cov[q, :, 0] / s
        state[q] = ahead[q] + gain * (x[q] - ahead[q, 0])
        cov[q] = ahead_cov[q] - np.outer(gain, ahead_cov[q, 0, :])
    for q in range(n - 2, -1, -1):
        r = place[q + 1] - place[q]
        turn = np.array([[1.0, r], [0.0, 1.0]])
        back = cov[q] @ turn.T @ np.linalg.inv(ahead_cov[q + 1])
        state[q] = state[q] + back @ (state[q + 1] - ahead[q + 1])
    return place, np.maximum.accumulate(state[:, 0] + np.arange(n) * 1e-6)


def beats_of_pins(take: Take, settings: ReadSettings, pins: Pins) -> Beats:
    """Beats that a person set (two or more): they are the pulse map."""
    meter = settings.meter or Meter(4, 4)
    pulses = tuple(Pulse(tick, us, True) for us, tick in sorted(pins.beats))
    return Beats(frame_of(meter), PulseMap(pulses), 0.0)


def plain_beats(take: Take, settings: ReadSettings) -> Beats:
    """Too little was played to hear a beat: the first note is on a bar line, at the tempo hinted or 100."""
    from ductus.core.time.pulse import steady_map

    meter = settings.meter or Meter(4, 4)
    return Beats(frame_of(meter), steady_map(settings.about or 100.0, 0, take.notes[0].onset_us), 0.0)


assert (SIMPLE, COMPOUND) == (0, 1)
