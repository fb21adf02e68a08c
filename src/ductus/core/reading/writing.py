"""From places to written notes: hands, lengths, signs, key and spelling, voices, doubts.

``Located`` + decisions -> ``NoteEvidence`` (``weigh``) -> ``ReadingResult`` (``write_down``)
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ductus.core.capture.takes import Take
from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import Pitch
from ductus.core.progress import passed
from ductus.core.reading.durations.articulation import articulations, detached_lengths, full_lengths
from ductus.core.reading.durations.duration_choice import choose_values
from ductus.core.reading.durations.offset_options import UNIT, Situation
from ductus.core.reading.durations.voice_assignment import with_voices
from ductus.core.reading.evidence import Located, NoteEvidence
from ductus.core.reading.hands.features import hands_by_reach
from ductus.core.reading.model import Decisions, ReadingResult, ReadNote, ReadSettings
from ductus.core.reading.percussion import ROLLED, stranger_words, strangers, stroke_lengths
from ductus.core.reading.quantization.placement import NoteArrays, Places
from ductus.core.reading.review.doubts import find_doubts
from ductus.core.reading.sustain import sounding_ends
from ductus.core.reading.tonality.key_estimation import estimate_key, mode_of
from ductus.core.reading.tonality.spelling import spell_notes
from ductus.core.score.catalogues.drums import DRUMS, drum_pitch
from ductus.core.time.bars import BarLines
from ductus.core.time.note_values import BASE_TICKS
from ductus.core.time.pulse_map import PulseMap
from ductus.core.time.ticks import QUARTER

TICKS_PER_UNIT = QUARTER // UNIT
LET_GO = 0.35  # of the pick-up that may sound on
FINEST_PLAIN = 64  # parts of a beat; what stands between them is in a tuplet


def played_notes(take: Take) -> NoteArrays:
    """Onsets, releases and keys as arrays, in seconds."""
    return NoteArrays(
        np.array([n.onset_us for n in take.notes], float) / 1e6,
        np.array([n.release_us for n in take.notes], float) / 1e6,
        np.array([n.key for n in take.notes], np.int64),
    )


def write_down(located: Located, decisions: Decisions, *, doubts: bool = True) -> ReadingResult:
    """The written notes of a located take; without ``doubts`` (while it is still being played) none are looked for.

    Raises BadInput where every note is left out.
    """
    if located.settings.kit is not None:
        return strokes_written(located, decisions)
    found = weigh(located, decisions)
    struck = played_places(located)
    velocity = [n.velocity for n in located.take.notes]
    written = [
        ReadNote(
            n,
            found.ticks[n],
            found.lengths[n],
            found.hand[n],
            1,
            found.pitches[n],
            velocity[n],
            found.articulations[n],
            played=struck[n],
        )
        for n in found.order
    ]
    notes = tuple(with_voices(written, located.settings.voices))
    result = _result(located, notes, found.ticks, found.key, found.mode)
    return replace(result, doubts=find_doubts(found, decisions)) if doubts else result


def weigh(located: Located, decisions: Decisions) -> NoteEvidence:
    """Go through the stages for each note: place, hand, length, signs, key and spelling; decisions are obeyed."""
    take, settings, pulses = located.take, located.settings, located.pulses
    bars = settings.bars
    ticks, order = _places_in_order(located, decisions, decisions.left_out)
    passed(0.6)
    hand, sure = assign_hands(located.played, located.places, settings, decisions)
    passed(0.8)
    lengths, choices = note_values(take, pulses, settings, ticks, hand, order)
    passed(0.95)
    shortest = BASE_TICKS[settings.shortest] if settings.shortest else 0
    if settings.staccato == "dot":
        lengths = full_lengths(take, pulses, bars, ticks, lengths, hand, order)
    signs = articulations(take, pulses, lengths, settings)
    if settings.staccato == "rest":
        lengths = detached_lengths(take, pulses, lengths, shortest or QUARTER // 8)
    let_go_for_pickup(take, pulses, bars, ticks, lengths)
    for n, length in decisions.values.items():
        lengths[n] = length
    key, mode, pitches = names(located.played, ticks, lengths, hand, order, settings)
    return NoteEvidence(located, order, ticks, hand, sure, lengths, choices, signs, key, mode, pitches)


def _places_in_order(located: Located, decisions: Decisions, left_out: frozenset[int]) -> tuple[list[int], list[int]]:
    """The place of each note in ticks, and the notes that are written, by place and key."""
    grid, places, count = located.grid, located.places, len(located.take.notes)
    ticks = [grid.tick_of(int(places.beat[n]), int(places.division[n]), int(places.slot[n])) for n in range(count)]
    for n, tick in decisions.places.items():
        ticks[n] = tick
    order = sorted((n for n in range(count) if n not in left_out), key=lambda n: (ticks[n], located.played.key[n]))
    if not order:
        raise BadInput("Every note of that take is left out of the page. The take is kept.")
    return ticks, order


def _result(located: Located, notes: tuple[ReadNote, ...], ticks: Sequence[int], key: int, mode: str) -> ReadingResult:
    """The result of a reading without its doubts; a first note before bar 0 makes a pick-up."""
    first, meter = min(ticks), located.settings.bars.meter
    return ReadingResult(
        notes,
        located.pulses,
        meter,
        -first % meter.bar_ticks if first < 0 else 0,
        key,
        mode,
        located.settings.shortest or finest_of(notes),
        located.lag_us,
        changes=located.settings.changes,
        swing=round(located.swing.share * 1000) if located.swing else 0,
    )


def let_go_for_pickup(take: Take, pulses: PulseMap, bars: BarLines, ticks: Sequence[int], lengths: list[int]) -> None:
    """Where the take begins with a pick-up its last bar is so much shorter (common practice).

    Last notes that were let go by then end there.
    """
    bar = bars.meter.bar_ticks
    inside = min(ticks) % bar
    pickup = bar - inside if 2 * inside >= bar else 0
    last = max(ticks)
    end = bars.bar_at(last)[1]
    if not pickup or last >= end - pickup:
        return
    for n, tick in enumerate(ticks):
        sounded = pulses.tick_at(take.notes[n].release_us) - (end - pickup)
        if tick + lengths[n] == end and tick < end - pickup and sounded < LET_GO * pickup:
            lengths[n] = end - pickup - tick


def strokes_written(located: Located, decisions: Decisions) -> ReadingResult:
    """The strokes of a kit, as written: each on the line of its drum."""
    take, pulses, bars = located.take, located.pulses, located.settings.bars
    keys = [int(k) for k in located.played.key]
    unknown = strangers(take)
    ticks, order = _places_in_order(located, decisions, decisions.left_out | unknown)
    passed(0.8)
    rolls = {n: round(pulses.tick_at(take.notes[n].release_us)) for n in order if take.notes[n].channel == ROLLED}
    lengths = stroke_lengths(bars, ticks, keys, order, rolls)
    for n, length in decisions.values.items():
        lengths[n] = length
    struck = played_places(located)
    notes = tuple(
        ReadNote(
            n,
            ticks[n],
            lengths[n],
            1,
            DRUMS[keys[n]].voice,
            drum_pitch(keys[n]),
            take.notes[n].velocity,
            played=struck[n],
        )
        for n in order
    )
    result = _result(located, notes, ticks, located.settings.key or 0, "major")
    return replace(result, remarks=stranger_words(len(unknown)))


def assign_hands(
    played: NoteArrays, places: Places, settings: ReadSettings, pins: Decisions
) -> tuple[list[int], list[float]]:
    """Hand of each note, and how sure (nats)."""
    count = len(played.key)
    if settings.hand is not None:
        hand, sure = [settings.hand] * count, [50.0] * count
    elif settings.split is not None:
        hand, sure = [1 if k >= settings.split else 2 for k in played.key], [50.0] * count
    else:
        order = np.lexsort((played.onset, places.chord))
        onset = np.maximum.accumulate(played.onset[order])
        back = {int(n): k for k, n in enumerate(order)}
        pinned = {back[n]: h for n, h in pins.hands.items()}
        found, margin = hands_by_reach(onset, played.release[order], played.key[order], places.chord[order], pinned)
        hand, sure = [0] * count, [0.0] * count
        for k, n in enumerate(order):
            hand[n], sure[n] = int(found[k]), float(margin[k])
    for n, h in pins.hands.items():
        hand[n] = h
    return hand, sure


def played_places(located: Located) -> list[tuple[int, int]]:
    """For each note where it was struck and how long its key was held, in ticks.

    The player's constant lateness is taken out.
    """
    pulses, lag_us = located.pulses, located.lag_us
    out = []
    for n in located.take.notes:
        at = pulses.tick_at(n.onset_us - lag_us)
        out.append((round(at), max(round(pulses.tick_at(n.release_us - lag_us) - at), 1)))
    return out


def note_values(
    take: Take, pulses: PulseMap, settings: ReadSettings, ticks: list[int], hand: list[int], order: list[int]
) -> tuple[list[int], list[list[tuple[int, float]]]]:
    """Length of each note in ticks, and its choices (ticks, probability)."""
    bars = settings.bars
    beats = [bars.beat_at(ticks[n]) for n in order]
    end_us = sounding_ends(take, ticks, hand, order)
    situation = Situation(
        [ticks[n] // TICKS_PER_UNIT for n in order],
        [(pulses.tick_at(end_us[n]) - pulses.tick_at(take.notes[n].onset_us)) / TICKS_PER_UNIT for n in order],
        [take.notes[n].onset_us / 1e6 for n in order],
        [end_us[n] / 1e6 for n in order],
        [hand[n] for n in order],
        [take.notes[n].key for n in order],
        [bars.bar_at(ticks[n])[1] // TICKS_PER_UNIT for n in order],
        [b[0] // TICKS_PER_UNIT for b in beats],
        [b[1] // TICKS_PER_UNIT for b in beats],
    )
    found, ranked = choose_values(situation, least_lengths(settings, [ticks[n] for n in order]))
    lengths: list[int] = [0] * len(take.notes)
    choices: list[list[tuple[int, float]]] = [[] for _ in take.notes]
    for k, n in enumerate(order):
        lengths[n] = found[k] * TICKS_PER_UNIT
        choices[n] = [(length * TICKS_PER_UNIT, p) for length, p in ranked[k]]
    return lengths, choices


def names(
    played: NoteArrays, ticks: list[int], lengths: list[int], hand: list[int], order: list[int], settings: ReadSettings
) -> tuple[int, str, list[Pitch]]:
    """Key signature, mode, and the spelled pitch of each note."""
    keys = [int(played.key[n]) for n in order]
    starts = [ticks[n] / QUARTER for n in order]
    spans = [lengths[n] / QUARTER for n in order]
    if settings.key is None:
        fifths, mode = estimate_key(keys, starts, spans)
    else:
        fifths, mode = settings.key, mode_of(settings.key, keys, starts, spans)
    first, last = ticks[order[0]], max(ticks[n] for n in order)
    bar_starts = [start for start, _, _ in settings.bars.between(first, last + 1)]
    spelled = spell_notes(keys, [ticks[n] for n in order], [hand[n] for n in order], fifths, mode, bar_starts)
    pitches = [spelled[0]] * len(played.key)
    for k, n in enumerate(order):
        pitches[n] = spelled[k]
    return fifths, mode, pitches


def finest_of(notes: tuple[ReadNote, ...]) -> str:
    """The value that the smallest step between onsets needs."""
    onsets = sorted({n.tick for n in notes})
    gaps = [b - a for a, b in itertools.pairwise(onsets)] or [QUARTER]
    smallest = min(gaps)
    return next((base for base, ticks in BASE_TICKS.items() if ticks <= smallest), "256th")


def least_lengths(settings: ReadSettings, ticks: Sequence[int]) -> list[int] | None:
    """The shortest length (in UNITs) of a note that begins at each of these ticks; None: nothing was chosen.

    Where only a tuplet stands, the value of the tuplet holds: two thirds of the plain one.
    """
    if settings.shortest is None:
        return None
    least, out = BASE_TICKS[settings.shortest] // TICKS_PER_UNIT, []
    for tick in ticks:
        start, length = settings.bars.beat_at(tick)
        unit = length // 3 if settings.bars.bar_at(tick)[2].compound else length
        out.append(least if (tick - start) * FINEST_PLAIN % unit == 0 else least * 2 // 3)
    return out
