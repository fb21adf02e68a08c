"""A take whose beats are known, as written notes: places -> hands -> values -> voices -> key and spelling -> doubts."""

from __future__ import annotations

import itertools
from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ductus.core.capture.takes import SUSTAIN, Take
from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import Pitch
from ductus.core.progress import passed, stretch
from ductus.core.reading.durations.articulation import articulations, detached_lengths, full_lengths
from ductus.core.reading.durations.duration_choice import choose_values
from ductus.core.reading.durations.offset_options import UNIT, Situation
from ductus.core.reading.durations.voice_assignment import with_voices
from ductus.core.reading.hands.features import hands_by_reach
from ductus.core.reading.model import Decisions, Doubt, Ornament, ReadingResult, ReadNote, ReadSettings
from ductus.core.reading.ornaments.detection import dressed, find_ornaments, plainly, rolled_upwards
from ductus.core.reading.ornaments.notation import as_signs, sign_words
from ductus.core.reading.percussion import ROLLED, find_strokes, on_drums, stranger_words, strangers, stroke_lengths
from ductus.core.reading.quantization.beat_grid import BeatGrid, grid_for
from ductus.core.reading.quantization.displaced_onsets import onto_beats
from ductus.core.reading.quantization.placement import NoteArrays, Places, place_take
from ductus.core.reading.review.doubts import find_doubts
from ductus.core.reading.tonality.key_estimation import estimate_key, mode_of
from ductus.core.reading.tonality.spelling import spell_notes
from ductus.core.score.catalogues.drums import DRUMS, drum_pitch
from ductus.core.time.bars import BarLines
from ductus.core.time.note_values import BASE_TICKS
from ductus.core.time.pulse_map import PulseMap
from ductus.core.time.ticks import QUARTER

TICKS_PER_UNIT = QUARTER // UNIT
ROLLED_REACH = 17  # semitones that one hand rolls
PEDAL_DOWN = 64  # MIDI 1.0 detailed specification: 64 and above is on
FINER_APART, FINER_RUN = (
    0.3,
    1.8,
)  # in shortest values: nearer onsets are a chord; four notes within so much are finer playing
LET_GO = 0.35  # of the pick-up that may sound on
CHORD_S = 0.05  # onsets farther apart are no chord, however long the shortest value is
FINEST_PLAIN = 64  # parts of a beat; what stands between them is in a tuplet
PEDAL_CHANGE_US = 120_000  # a pedal that comes up so shortly before the next place is changed for it
SLIP_US, SLIP_VELOCITY = 45_000, 22  # shorter and softer than both: probably brushed by accident


@dataclass(frozen=True, slots=True)
class Decoded:
    """A take with the places of its notes found: what all writing down (with whatever pins) starts from.

    ``take`` is the one that was read, with the ``ornaments`` that are written as such (of those that were ``heard``)
    made plain; ``events`` are those of the ``whole`` take.
    """

    whole: Take
    ornaments: tuple[Ornament, ...]
    events: tuple[int, ...]
    take: Take
    played: NoteArrays
    grid: BeatGrid
    places: Places
    pulses: PulseMap
    settings: ReadSettings
    heard: tuple[Ornament, ...]
    decided: Mapping[int, bool]

    def written(self, pins: Decisions) -> ReadingResult:
        """The written notes, ``pins`` obeyed (but for those of ornaments, which were decided before)."""
        here = {event: n for n, event in enumerate(self.events)}

        def local(mine: Mapping[int, int]) -> dict[int, int]:
            return {here[e]: v for e, v in mine.items() if e in here}

        own = Decisions(
            local(pins.hands),
            local(pins.places),
            local(pins.values),
            left_out=frozenset(here[e] for e in pins.left_out if e in here),
        )
        own = replace(own, hands={**self._rolled_by(own), **own.hands})
        result = write_down(self.take, self.played, self.grid, self.places, self.pulses, self.settings, own)
        notes, doubts = result.notes, result.doubts
        if self.ornaments:
            own_notes = [replace(n, event=self.events[n.event]) for n in notes]
            notes = dressed(own_notes, self.whole, self.ornaments, result.key)
            doubts = tuple(self._doubt(d) for d in doubts)
        return replace(
            result,
            notes=notes,
            doubts=doubts,
            ornaments=self.heard,
            signed=frozenset(o.events[0] for o in self.ornaments),
            remarks=(
                *result.remarks,
                *(sign_words(self.ornaments, self.decided) if self.settings.kit is None else ()),
                *remarks_on(self.whole),
                *finer_heard(self.played, self.pulses, self.settings.shortest),
            ),
        )

    def _rolled_by(self, own: Decisions) -> dict[int, int]:
        """The hands of rolled chords: one hand rolls a chord that it can reach (common practice), the one that has
        most of it.
        """
        here = {event: n for n, event in enumerate(self.events)}
        signed = {o.events for o in self.ornaments}
        rolled = [o for o in self.heard if o.kind == "rolled chord"]
        even = self.places.feel.chord_sd
        rolled = [o for o in rolled if o.events in signed or rolled_upwards(self.whole, o, even)]
        chords = [[here[e] for e in o.events if e in here] for o in rolled]
        keys = self.played.key
        chords = [c for c in chords if c and max(keys[c]) - min(keys[c]) <= ROLLED_REACH]
        if not chords:
            return {}
        hand, _ = assign_hands(self.played, self.places, self.settings, own)
        return {n: 2 if 2 * sum(hand[m] == 2 for m in c) >= len(c) else 1 for c in chords for n in c}

    def _doubt(self, doubt: Doubt) -> Doubt:
        """A doubt in events of the whole take."""

        def whole(mine: tuple[tuple[int, int], ...]) -> tuple[tuple[int, int], ...]:
            return tuple((self.events[n], value) for n, value in mine)

        rivals = tuple(
            replace(r, places=whole(r.places), values=whole(r.values), hands=whole(r.hands)) for r in doubt.rivals
        )
        return replace(doubt, events=tuple(self.events[n] for n in doubt.events), rivals=rivals)


def decode(
    take: Take,
    pulses: PulseMap,
    settings: ReadSettings,
    *,
    centred: bool = False,
    ornaments: Mapping[int, bool] | None = None,
) -> Decoded:
    """Find the places of a take whose beats are known.

    ``centred`` if they were found from its own notes; ``ornaments`` says of first events whether they are written as
    such, where a person decided.
    """
    if settings.kit is not None:
        take = on_drums(take, settings.kit)
    whole, decided = take, ornaments or {}
    grid = grid_for(pulses, settings.bars, take.notes[0].onset_us, max(n.onset_us for n in take.notes))
    heard = tuple(find_ornaments(take)) if settings.kit is None else ()
    taken = as_signs(take, heard, grid, settings, decided) if settings.kit is None else find_strokes(take)
    take, events = plainly(take, taken) if taken else (take, tuple(range(len(take.notes))))
    played = played_notes(take)
    let_go = played.release
    if settings.pedal:
        take = with_pedal(take)
        played = played_notes(take)
    with stretch(0.0, 0.6):
        places = place_take(played, grid, settings, rivals=True, centred=centred)
    if settings.kit is None:
        places = onto_beats(places, played.key, played.onset, let_go, grid, centred=centred)
    return Decoded(whole, taken, events, take, played, grid, places, pulses, settings, heard, decided)


def read_against(
    take: Take, pulses: PulseMap, settings: ReadSettings, pins: Decisions, *, centred: bool = False
) -> ReadingResult:
    """Read a take whose beats are known; ``centred`` if they were found from its own notes."""
    return decode(take, pulses, settings, centred=centred, ornaments=pins.ornaments).written(pins)


class Pedal:
    """The sustain pedal of a take, asked when a key that is let go sounds on until."""

    def __init__(self, take: Take) -> None:
        changes = [(c.time_us, c.value >= PEDAL_DOWN) for c in take.controls if c.controller == SUSTAIN]
        self._times = [t for t, _ in changes]
        self._up: list[int] = [-1] * len(
            changes
        )  # when it comes up, from each change on that finds it down; -1: it is up, or never comes up
        up = -1
        for k in range(len(changes) - 1, -1, -1):
            time, down = changes[k]
            if down:
                self._up[k] = up
            else:
                up = time

    def __bool__(self) -> bool:
        return bool(self._times)

    def end_of(self, release_us: int) -> int:
        """When what is let go at a time stops sounding."""
        k = bisect_right(self._times, release_us) - 1
        return max(self._up[k], release_us) if k >= 0 else release_us


def with_pedal(take: Take) -> Take:
    """The take with every note sounding on while the sustain pedal is down (until its key is struck again)."""
    pedal = Pedal(take)
    again: dict[int, int] = {}  # key -> when it is next struck
    notes = []
    for note in reversed(take.notes):
        end = min(pedal.end_of(note.release_us), again.get(note.key, 2**60))
        again[note.key] = note.onset_us
        notes.append(replace(note, release_us=max(end, note.onset_us + 1)))
    return replace(take, notes=tuple(reversed(notes)))


def played_notes(take: Take) -> NoteArrays:
    """Onsets, releases and keys as arrays, in seconds."""
    return NoteArrays(
        np.array([n.onset_us for n in take.notes], float) / 1e6,
        np.array([n.release_us for n in take.notes], float) / 1e6,
        np.array([n.key for n in take.notes], np.int64),
    )


def write_down(
    take: Take,
    played: NoteArrays,
    grid: BeatGrid,
    places: Places,
    pulses: PulseMap,
    settings: ReadSettings,
    pins: Decisions,
    *,
    doubts: bool = True,
) -> ReadingResult:
    """From places to written notes; without ``doubts`` (while it is still being played) nothing is said about close
    calls.
    """
    bars = settings.bars
    count = len(take.notes)
    left_out = pins.left_out | (strangers(take) if settings.kit is not None else frozenset())
    ticks = [grid.tick_of(int(places.beat[n]), int(places.division[n]), int(places.slot[n])) for n in range(count)]
    for n, tick in pins.places.items():
        ticks[n] = tick
    passed(0.6)
    hand, sure = assign_hands(played, places, settings, pins)
    passed(0.8)
    order = sorted((n for n in range(count) if n not in left_out), key=lambda n: (ticks[n], played.key[n]))
    if not order:
        raise BadInput("Every note of that take is left out of the page. The take is kept.")
    if settings.kit is not None:
        return strokes_written(take, played, places, pulses, settings, pins, ticks, order)
    lengths, choices = note_values(take, pulses, settings, ticks, hand, order)
    passed(0.95)
    shortest = BASE_TICKS[settings.shortest] if settings.shortest else 0
    if settings.staccato == "dot":
        lengths = full_lengths(take, pulses, bars, ticks, lengths, hand, order)
    marks = articulations(take, pulses, lengths, settings)
    if settings.staccato == "rest":
        lengths = detached_lengths(take, pulses, lengths, shortest or QUARTER // 8)
    let_go_for_pickup(take, pulses, bars, ticks, lengths)
    for n, length in pins.values.items():
        lengths[n] = length
    fifths, mode, pitches = names(played, ticks, lengths, hand, order, settings)
    velocity = [n.velocity for n in take.notes]
    struck = played_places(take, pulses, round(places.feel.lag * 1e6))
    written = [
        ReadNote(n, ticks[n], lengths[n], hand[n], 1, pitches[n], velocity[n], marks[n], played=struck[n])
        for n in order
    ]
    notes = tuple(with_voices(written, settings.voices))
    first = min(ticks)
    return ReadingResult(
        notes,
        pulses,
        bars.meter,
        -first % bars.meter.bar_ticks if first < 0 else 0,
        fifths,
        mode,
        settings.shortest or finest_of(notes),
        round(places.feel.lag * 1e6),
        find_doubts(grid, places, bars, ticks, hand, sure, choices, order, pins, pitches) if doubts else (),
        changes=settings.changes,
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


def strokes_written(
    take: Take,
    played: NoteArrays,
    places: Places,
    pulses: PulseMap,
    settings: ReadSettings,
    pins: Decisions,
    ticks: list[int],
    order: list[int],
) -> ReadingResult:
    """What a kit struck, as written."""
    bars, keys = settings.bars, [int(k) for k in played.key]
    ends = {n: round(pulses.tick_at(take.notes[n].release_us)) for n in order}
    lengths = stroke_lengths(
        bars, ticks, keys, order, {n: e for n, e in ends.items() if take.notes[n].channel == ROLLED}
    )
    for n, length in pins.values.items():
        lengths[n] = length
    struck = played_places(take, pulses, round(places.feel.lag * 1e6))
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
    first = min(ticks)
    return ReadingResult(
        notes,
        pulses,
        bars.meter,
        -first % bars.meter.bar_ticks if first < 0 else 0,
        settings.key or 0,
        "major",
        settings.shortest or finest_of(notes),
        round(places.feel.lag * 1e6),
        remarks=stranger_words(len(strangers(take))),
        changes=settings.changes,
    )


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


def played_places(take: Take, pulses: PulseMap, lag_us: int) -> list[tuple[int, int]]:
    """Where each note was struck and how long its key was held, in ticks, once the player's constant lateness is
    taken out.
    """
    out = []
    for n in take.notes:
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


def sounding_ends(take: Take, ticks: list[int], hand: list[int], order: list[int]) -> list[int]:
    """When each note ends, in microseconds.

    When its key is let go; under the sustain pedal it sounds on until the pedal comes up, but no further than the
    next place of its hand (a hand that lets go under the pedal is on its way there, it makes no rest).
    """
    ends = [n.release_us for n in take.notes]
    pedal = Pedal(take)
    if not pedal:
        return ends
    place: dict[
        int, tuple[int, int]
    ] = {}  # hand -> its latest place seen (tick, when it was struck), from the end backwards
    following: dict[int, int] = {}  # hand -> when the place after that was struck
    for n in reversed(order):
        side, struck = hand[n], take.notes[n].onset_us
        if side in place and place[side][0] > ticks[n]:
            following[side] = place[side][1]
        place[side] = (
            ticks[n],
            struck if side not in place or place[side][0] > ticks[n] else min(place[side][1], struck),
        )
        if side not in following:
            continue
        up = pedal.end_of(ends[n])
        if up > ends[n]:
            ends[n] = max(ends[n], following[side] if up >= following[side] - PEDAL_CHANGE_US else up)
    return ends


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


def remarks_on(take: Take) -> tuple[str, ...]:
    """Sentences about the reading as a whole."""
    out = []
    slips = sum(n.release_us - n.onset_us < SLIP_US and n.velocity < SLIP_VELOCITY for n in take.notes)
    if slips:
        out.append(
            f"{slips} very short, soft {'note' if slips == 1 else 'notes'} may be slips; they are written all the same."
        )
    return tuple(out)


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


def finer_heard(played: NoteArrays, pulses: PulseMap, shortest: str | None) -> tuple[str, ...]:
    """A sentence where runs of notes are clearly finer than the shortest value allows: four onsets within the time of
    less than two such values, none of them together."""
    if shortest is None:
        return ()
    step = BASE_TICKS[shortest]
    onset = np.sort(played.onset)
    at = np.array([pulses.tick_at(float(t) * 1e6) for t in onset]) / step
    at = at[np.append(True, (np.diff(at) > FINER_APART) | (np.diff(onset) > CHORD_S))]
    runs = np.flatnonzero(at[3:] - at[:-3] < FINER_RUN)
    if not len(runs):
        return ()
    places = 1 + int((np.diff(runs) > 3).sum())
    where = "one place" if places == 1 else f"{places} places"
    return (f"Finer playing than {shortest}s was heard in {where}; nothing finer is written, as was chosen.",)
