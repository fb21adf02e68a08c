"""Free reading: beats, bars, meter, pick-up and tempo of a take that was played without a click.

chords + hints (about, meter) and pins -> pulse map, rival pulse maps -> each read as with a click

One beam search for each meter; the best tracks that differ in meter, tempo octave or first beat become the readings,
so that a person can choose among them. A pinned beat is heard as certain: the track is bent through it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import product

import numpy as np

from ductus.core.capture.takes import Take
from ductus.core.progress import passed
from ductus.core.reading.beat_tracking.bar_features import Evidence, beat_s, evidence_of
from ductus.core.reading.beat_tracking.beam_search import PAUSED, BeamSearch, Frame, Track, frame_of, in_units
from ductus.core.reading.beat_tracking.meter_candidates import in_order
from ductus.core.reading.beat_tracking.onset_clusters import Chords, cluster, salience, spread_joined
from ductus.core.reading.beat_tracking.tempo_changes import TempoChange, tempo_change
from ductus.core.reading.decoding import read_against
from ductus.core.reading.model import Decisions, ReadingResult, ReadSettings
from ductus.core.reading.quantization.subdivisions import COMPOUND, Floats, allowed_divisions, rhythm_table
from ductus.core.time.meters import Meter, parse_meter
from ductus.core.time.pulse_map import Pulse, PulseMap
from ductus.core.time.ticks import QUARTER

# Near the shares of the open scores of tools/fit_corpus.py, where 3/8 is a sixth of 6/8 and 12/8 is not found at all.
METER_PRIOR = {"4/4": 0.34, "3/4": 0.24, "2/4": 0.19, "6/8": 0.16, "3/8": 0.02, "9/8": 0.03, "12/8": 0.02}
IN_EIGHTHS = ("3/8", "6/8")  # may be so slow that their eighths are the beats (common practice)
SIGMA_S = 0.027
TIME_SD_S, PERIOD_SD = 0.025, 0.05  # of the smoother that turns a track into beats
YIELDS_S = 0.03  # by trial on open scores
FOLLOWED, FIRM_FOLLOWED = 4, 2  # tracks of the beams that are labelled in all ways
FAR_LIKELIER = 4.0  # nats
NEAR_TEMPO = math.log(1.25)  # a tempo that the page says is meant roughly
NEARLY_ALL = 0.95  # of the chords of a take
UNLIKELY = math.log(10)  # nats
# of the chords of a take: a labelling with more of them in tuplets goes behind the others where tuplets are refused;
# else a compound one is offered too
MANY = 0.25
SLOW_S = 0.7  # of a beat
HEAT = 24  # chords after which meters are compared; one that is BEHIND nats back is dropped, but LEAST_LEFT stay
BEHIND, LEAST_LEFT = 18.0, 3


@dataclass(frozen=True, slots=True)
class Beats:
    """A proposal: frame and pulse map (tick 0 a bar line)."""

    frame: Frame
    pulses: PulseMap


def read_freely(take: Take, settings: ReadSettings, pins: Decisions) -> ReadingResult:
    """Read a take of which nothing or little is known; ``settings.readings`` says how many rivals are wanted."""
    results = [
        late_start(read_against(take, b.pulses, replace(settings, meter=b.frame.meter), pins, centred=True))
        for b in find_beats(take, settings, pins, max(settings.readings, 1))
    ]
    return replace(results[0], rivals=tuple(results[1:]))


def late_start(result: ReadingResult) -> ReadingResult:
    """A first note in the second half of its bar makes a pick-up (common practice).

    Found bars begin where the playing begins.
    """
    bar = result.meter.bar_ticks
    inside = min(n.tick for n in result.notes) % bar
    return replace(result, pickup=bar - inside) if 2 * inside >= bar else result


def find_beats(
    take: Take, settings: ReadSettings, pins: Decisions, wanted: int = 1, page: tuple[Meter, float] | None = None
) -> list[Beats]:
    """Up to ``wanted`` proposals for the beats of a take, best first (at least one).

    ``page``: the meter and the quarters a minute that the page says, which are believed where nothing was told.
    """
    if len(pins.beats) >= 2:
        return [beats_of_pins(settings, pins)]
    known = heard(take)
    if len(known.chords.time) < 3:
        return [plain_beats(take, settings)]
    tracks = search(known, settings)
    if page is not None and settings.meter is None and settings.about is None:
        tracks = as_page_says(known, tracks, settings, page)
    beats = [Beats(t.frame, pulses_of(t, known.chords.time)) for t in tracks[:wanted]]
    change = tempo_change(take, known.chords.time)
    if change is None:
        return beats
    return [*_over_change(take, settings, change, page)[: max(wanted - 1, 1)], *beats][:wanted]


def _over_change(
    take: Take, settings: ReadSettings, change: TempoChange, page: tuple[Meter, float] | None
) -> list[Beats]:
    """Proposals for a take whose tempo changes once: found as if it did not."""
    known = heard(change.without(take))
    tracks = search(known, settings)
    if page is not None and settings.meter is None and settings.about is None:
        tracks = as_page_says(known, tracks, settings, page)
    return [Beats(t.frame, change.back(pulses_of(t, known.chords.time))) for t in tracks]


def heard(take: Take) -> Evidence:
    """The chords of a take, and what speaks for its bars."""
    onset = np.array([n.onset_us for n in take.notes], float) / 1e6
    release = np.array([n.release_us for n in take.notes], float) / 1e6
    key = np.array([n.key for n in take.notes], np.int64)
    velocity = np.array([n.velocity for n in take.notes], np.int64)
    chords = spread_joined(cluster(onset, release, key, velocity), onset, release, key, velocity)
    return evidence_of(chords, salience(chords), key, release - onset)


def frames_for(settings: ReadSettings) -> list[Frame]:
    """The frames that a beam looks for: of the meter that was told (slow ones also in their eighths), or of all
    usual ones.
    """
    if settings.meter is None:
        return [frame_of(parse_meter(name)) for name in METER_PRIOR]
    slow = [in_units(settings.meter)] if str(settings.meter) in IN_EIGHTHS else []
    return [frame_of(settings.meter), *slow]


def priors() -> dict[str, float]:
    """ln of the share of each meter."""
    return {name: math.log(share) for name, share in METER_PRIOR.items()}


def beam_tracks(chords: Chords, weight: Floats, settings: ReadSettings) -> list[Track]:
    """The best tracks of the beams over all meters that may be meant, best first.

    Meters that fall far behind on the way are dropped.

    What the page may hold (shortest value, tuplets) is not asked here: with fewer places to stand on, an uneven
    chord would have to be a turn of the tempo.
    """
    beams: list[tuple[float, BeamSearch]] = []
    for frame, firm in product(frames_for(settings), searches_for(settings)):
        about_s = 60 / settings.about * frame.beat_ticks / QUARTER if settings.about else None
        divisions = allowed_divisions(frame.beat_ticks, frame.family, None, None)
        prior = math.log(METER_PRIOR.get(str(frame.meter), 0.05))
        beams.append((prior, BeamSearch(frame, rhythm_table(), divisions, about_s, firm)))
    at = 0
    while at < len(chords.time):
        passed(at / len(chords.time))
        heat = slice(at, at + HEAT)
        scores = [prior + beam.advance(chords.time[heat], weight[heat], SIGMA_S) for prior, beam in beams]
        limit = min(max(scores) - BEHIND, sorted(scores)[-min(LEAST_LEFT, len(scores))])
        beams = [b for b, score in zip(beams, scores, strict=True) if score >= limit]
        at += HEAT
    found = [replace(t, score=t.score + prior) for prior, beam in beams for t in beam.tracks()]
    best = {firm: max(t.score for t in found if t.firm == firm) for firm in {t.firm for t in found}}
    return sorted((replace(t, score=t.score - best[t.firm]) for t in found), key=lambda t: (-t.score, t.firm))


def searches_for(settings: ReadSettings) -> tuple[bool, ...]:
    """Where meter and tempo are told two searches listen, one that lets the tempo go where the playing leads and one
    that holds it (``firm``): what is a wait or a slower stretch for one is another beat for the other, and
    neither is always right.
    """
    return (False, True) if settings.meter is not None and settings.about is not None else (False,)


def search(take: Evidence, settings: ReadSettings) -> list[Track]:
    """The ways in which the beats and bars of a take may lie, likeliest first, those that differ as a musician would
    doubt in front.
    """
    time = take.chords.time
    tracks = beam_tracks(take.chords, take.weight, settings)
    tick_s = 60 / settings.about / QUARTER if settings.about else None
    ordered = in_order(followed(tracks), frames_for(settings), take, priors(), tick_s)
    if settings.meter is not None:
        return other_beats_second(distinct_tracks(ordered))
    if settings.tuplets is False:
        ordered = sorted(ordered, key=lambda t: in_tuplets(t) > MANY)
    offered = with_halved(distinct_tracks(ordered), float(time[-1] - time[0]))
    return offered if settings.tuplets is False else with_triplets(offered)


def as_page_says(take: Evidence, tracks: list[Track], settings: ReadSettings, page: tuple[Meter, float]) -> list[Track]:
    """The tracks behind the best one in the meter of the page.

    At its tempo, if any likely reading has beats that are near to it.
    """
    meter, quarters = page
    time, best = take.chords.time, max(t.score for t in tracks)

    def near(track: Track) -> bool:
        a_minute = 60 / beat_s(track, time) * track.frame.beat_ticks / QUARTER
        return track.score > best - FAR_LIKELIER and abs(math.log(a_minute / quarters)) < NEAR_TEMPO

    about = quarters if any(near(t) for t in tracks) else None
    first = search(take, replace(settings, meter=meter, about=about))[0]
    return [first, *(t for t in tracks if not alike(t, first))]


def followed(tracks: list[Track]) -> list[Track]:
    """The best tracks of each search."""
    return [*[t for t in tracks if not t.firm][:FOLLOWED], *[t for t in tracks if t.firm][:FIRM_FOLLOWED]]


def in_tuplets(track: Track) -> float:
    """The share of the chords of a track that stand where only a tuplet could.

    At no sixteenth of its beats, or of their thirds where they are compound.
    """
    plain = track.place * (48 if track.frame.family == COMPOUND else 16)
    return float((np.abs(plain - np.round(plain)) > 0.01).mean())


def with_halved(tracks: list[Track], span_s: float) -> list[Track]:
    """A slow three-four could as well be a three-eight (common practice).

    Where the third of the offers is far behind, the same bars in halved values take its place. ``span_s``: seconds
    from the first chord to the last.
    """
    first = tracks[0]
    slow = span_s / max(float(first.place[-1] - first.place[0]), 1e-6) >= SLOW_S
    doubted = len(tracks) >= OFFERED and first.score - tracks[OFFERED - 1].score < FAR_LIKELIER
    halved = replace(first, frame=in_units(Meter(3, 8)))
    there = any(alike(halved, t) for t in tracks[: OFFERED - 1])
    if str(first.frame.meter) != "3/4" or not slow or doubted or there:
        return tracks
    return [*tracks[: OFFERED - 1], halved, *tracks[OFFERED - 1 :]]


def with_triplets(tracks: list[Track]) -> list[Track]:
    """A compound meter could as well be a simple one in triplets (common practice.

    12/8 and 4/4, 6/8 and 2/4): where all that are offered are compound, or the first is and the third is far less
    likely, the longest bars of the compound ones come third in beats of quarters; not where the same beats are
    offered so already.
    """
    offered = tracks[:OFFERED]
    if len(offered) < OFFERED:
        return tracks
    if offered[0].frame.family != COMPOUND:
        return with_compound(tracks)
    compound = [t for t in offered[:-1] if t.frame.family == COMPOUND]
    widest = max(compound, key=lambda t: t.frame.beats)
    if widest.frame.beats < 2:  # bars of one beat: no meter of quarters is like them
        return tracks
    simple = replace(widest, frame=frame_of(Meter(widest.frame.beats, 4)))
    there = any(t.frame.family != COMPOUND and same_beats(t, simple) for t in offered)
    third = offered[-1]
    if there or (third.frame.family != COMPOUND and offered[0].score - third.score < UNLIKELY):
        return tracks
    return [*offered[:-1], simple, *tracks[OFFERED - 1 :]]


def with_compound(tracks: list[Track]) -> list[Track]:
    """A simple meter full of triplets could as well be a compound one (common practice).

    Where none of its beats is offered and the third is far less likely than the first, the likeliest such takes its
    place.
    """
    first = tracks[0]
    compound = next((k for k, t in enumerate(tracks) if t.frame.family == COMPOUND and same_beats(t, first)), 0)
    doubted = first.score - tracks[OFFERED - 1].score < UNLIKELY
    if in_tuplets(first) <= MANY or compound < OFFERED or doubted:
        return tracks
    return [*tracks[: OFFERED - 1], tracks[compound], *tracks[OFFERED - 1 : compound], *tracks[compound + 1 :]]


def same_beats(a: Track, b: Track) -> bool:
    """Are the beats of two tracks equally long?"""
    spans = [float(t.place[-1] - t.place[0]) for t in (a, b)]
    return abs(math.log(max(spans[0], 1e-6) / max(spans[1], 1e-6))) < 0.1


def other_beats_second(tracks: list[Track]) -> list[Track]:
    """The likeliest track whose beats are not those of the first stands second.

    Bar lines that only lie elsewhere are moved by one command, a beat too many in the middle is not.
    """
    first = tracks[0]
    others = [t for t in tracks if t.frame == first.frame and not beaten_alike(t, first)]
    if not others:
        return tracks
    other = max(others, key=lambda t: t.score)
    return other_bars_among([first, other, *(t for t in tracks if t is not first and t is not other)])


def beaten_alike(a: Track, b: Track) -> bool:
    """Do two tracks of one frame have the same beats nearly everywhere, wherever their bar lines are?"""
    apart = np.round((a.place - b.place) * 12)
    return float((apart == np.median(apart)).mean()) > NEARLY_ALL


OFFERED = 3
LOOKED_AT = 12  # of tracks that differ; what comes after them is not told apart any more


def distinct_tracks(tracks: list[Track]) -> list[Track]:
    """Order tracks so that the first few differ in what a person would have to mend.

    The beat's length in time and the bar. The three that are offered never have the same bar lines all.
    """
    chosen: list[Track] = []
    rest: list[Track] = []
    for track in tracks:
        if len(chosen) >= LOOKED_AT or any(alike(track, other) for other in chosen):
            rest.append(track)
        else:
            chosen.append(track)
    return [*other_bars_among(chosen), *rest]


def other_bars_among(tracks: list[Track]) -> list[Track]:
    """Where all that are offered have the bar lines of the first, the next track with others comes third."""
    if len(tracks) > OFFERED and all(same_bars(t, tracks[0]) for t in tracks[1:OFFERED]):
        other = next((k for k, t in enumerate(tracks) if not same_bars(t, tracks[0])), None)
        if other is not None:
            return [*tracks[: OFFERED - 1], tracks[other], *tracks[OFFERED - 1 : other], *tracks[other + 1 :]]
    return tracks


def same_bars(a: Track, b: Track) -> bool:
    """Do two tracks draw their bar lines at the same chords, whatever stands between them?"""
    bars_a, bars_b = a.place / a.frame.beats, b.place / b.frame.beats
    length_a, length_b = bars_a[-1] - bars_a[0], bars_b[-1] - bars_b[0]
    if abs(math.log(max(float(length_a), 1e-6) / max(float(length_b), 1e-6))) > 0.1:
        return False
    return float((np.abs((bars_a - bars_b + 0.5) % 1.0 - 0.5) < 0.05).mean()) > 0.5


def alike(a: Track, b: Track) -> bool:
    """Do two tracks have the same bars (whatever their meter is called) and the same beats?"""
    pace_a, pace_b = quarters(a), quarters(b)
    if abs(math.log(pace_a / pace_b)) > 0.2:
        return False
    bar = a.frame.beats * a.frame.beat_ticks
    same_kind = a.frame.family == b.frame.family or a.frame.meter == b.frame.meter
    if bar != b.frame.beats * b.frame.beat_ticks or not same_kind:
        return False
    apart = (a.place * a.frame.beat_ticks - b.place * b.frame.beat_ticks) / bar
    same = np.abs((apart + 0.5) % 1.0 - 0.5) < 0.02 / a.frame.beats
    return float(same.mean()) > 0.5


def quarters(track: Track) -> float:
    """How many quarters the track counts from first chord to last."""
    return max(float(track.place[-1] - track.place[0]), 1e-6) * track.frame.beat_ticks / QUARTER


def pulses_of(track: Track, time: Floats) -> PulseMap:
    """The pulse map of a track: beat times from its smoothed chord times.

    A beat that is played is never further than ``YIELDS_S`` from its chord, however much the tempo bends there: else
    it would be read as a very fine value beside the beat.
    """
    place, struck, smooth = smoothed(track, time)
    off = struck - smooth
    far = (np.abs(place - np.round(place)) < 1e-6) & (np.abs(off) > YIELDS_S)
    smooth = rising(np.where(far, struck - np.sign(off) * YIELDS_S, smooth))
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


def rising(times: Floats) -> Floats:
    """The times, each at least a microsecond after the one before."""
    return np.maximum.accumulate(times + np.arange(len(times)) * 1e-6)


def smoothed(track: Track, time: Floats) -> tuple[Floats, Floats, Floats]:
    """Rauch-Tung-Striebel smoothing of the chord times along a track.

    (places, times as struck, times smoothed), places strictly rising.
    """
    keep = np.concatenate(([True], np.diff(track.place) > 1e-9))
    place, x, move = track.place[keep], time[keep], track.move[keep]
    n = len(place)
    if n < 2:
        beats = np.array([x[0], x[0] + track.period])
        return np.array([place[0], place[0] + 1.0]), beats, beats
    span = max(float(x[-1] - x[0]) / max(float(place[-1] - place[0]), 1e-6), 0.05)
    t, p = float(x[0]), span
    tt, tp, pp = TIME_SD_S**2, 0.0, (0.3 * span) ** 2
    kept = [(t, p, tt, tp, pp)]
    ahead = [(t, p, tt, tp, pp)]
    for q in range(1, n):
        r = float(place[q] - place[q - 1])
        t, tt, tp, pp = (
            t + r * p,
            tt + 2 * r * tp + r * r * pp + (0.02 * span) ** 2 * r + (1.0 if move[q] == PAUSED else 0.0),
            tp + r * pp,
            pp + (PERIOD_SD * span) ** 2 * r,
        )
        ahead.append((t, p, tt, tp, pp))
        s = tt + TIME_SD_S**2
        z = float(x[q]) - t
        t, p, tt, tp, pp = t + tt / s * z, p + tp / s * z, tt - tt * tt / s, tp - tt * tp / s, pp - tp * tp / s
        kept.append((t, p, tt, tp, pp))
    smooth = [0.0] * n
    smooth[-1], s_t, s_p = t, t, p
    for q in range(n - 2, -1, -1):
        r = float(place[q + 1] - place[q])
        t, p, tt, tp, pp = kept[q]
        at, ap, att, atp, app = ahead[q + 1]
        det = att * app - atp * atp
        a, b = tt + r * tp, tp + r * pp  # covariance of the kept time and period with the time ahead
        d_t, d_p = (app * (s_t - at) - atp * (s_p - ap)) / det, (att * (s_p - ap) - atp * (s_t - at)) / det
        s_t, s_p = t + a * d_t + tp * d_p, p + b * d_t + pp * d_p
        smooth[q] = s_t
    return place, x, rising(np.array(smooth))


def beats_of_pins(settings: ReadSettings, pins: Decisions) -> Beats:
    """Beats that a person set (two or more): they are the pulse map."""
    meter = settings.meter or Meter(4, 4)
    pulses = tuple(Pulse(tick, us, True) for us, tick in sorted(pins.beats))
    return Beats(frame_of(meter), PulseMap(pulses))


def plain_beats(take: Take, settings: ReadSettings) -> Beats:
    """Too little was played to hear a beat: the first note is on a bar line, at the tempo hinted or 100."""
    from ductus.core.time.pulse_map import steady_map

    meter = settings.meter or Meter(4, 4)
    return Beats(frame_of(meter), steady_map(settings.about or 100.0, 0, take.notes[0].onset_us))
