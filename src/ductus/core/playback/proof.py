"""A page held against someone's playing of it, at any speed and from any bar: where do they differ?

page of a part + take -> runs through the page -> each run aligned with its bars -> differences, by place

What is played twice (a restart, a repeat) counts as it was played last. Differences are wrong keys, keys that one of
the two has not, and notes that were struck at another place in the bar; how long keys are held says nothing, since
nobody holds them as written. Tempo is free: places are judged by the chords around them.
"""

from __future__ import annotations

import statistics
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.comparison.alignment import Alignment, align, mapped
from ductus.core.comparison.following import Follower, Run, runs
from ductus.core.entry.writing.spelling import spelled_at
from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import Pitch, pitch_words, spell_in_key
from ductus.core.playback.performance import Shape
from ductus.core.playback.tempo_map import written_tempo_map
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.write import Strike, delete_notes, place_chord
from ductus.core.time.pulse_map import PulseMap
from ductus.core.time.ticks import QUARTER
from ductus.core.words import count_words

LEAST_SHARE = 0.5  # of page and playing that has to agree
SILENT_SHARE = 0.15  # a staff of which less was played was not played
PAIRED_QUARTERS = 0.3  # a key that is missing and one too many so near to each other are one wrong key
MOVED_QUARTERS = 1.01  # the same key: one note that was struck elsewhere
SLIP_SEMITONES = 12
AROUND = 4  # chords on each side by which the place of one is judged
LEAST_AROUND = 3
STEADY = 1.3  # the time over a chord may be so much longer or shorter than that around it
LEAST_OFF_QUARTERS = 0.15
SURE = 5.0  # spreads of the take's own unevenness
LEAST_SPREAD_QUARTERS = 0.02
CLEAR = 2.5  # what is late is so much later than its neighbours are off a steady tempo
GRIDS = (QUARTER // 4, QUARTER // 3)


@dataclass(frozen=True, slots=True)
class Difference:
    """Where page and playing differ.

    ``kind``: "pitch" (another key), "missing" (not played), "extra" (not on the page), "place" (struck elsewhere).
    ``tick`` is its place, ``notes`` those of the page, ``pitch`` and ``velocity`` what was played, ``at`` where it
    was (for "place") and ``ticks`` how long (for "extra"); ``staff`` that of the page.
    """

    kind: str
    tick: int
    notes: tuple[str, ...]
    words: str
    staff: int = 1
    pitch: Pitch | None = None
    velocity: int = 0
    at: int = 0
    ticks: int = 0

    @property
    def key(self) -> str:
        """The same for the same difference, however often it is looked for."""
        return f"{self.kind}/{self.tick}/{self.staff}/{'+'.join(self.notes)}/{self.pitch or ''}/{self.at}"


@dataclass(frozen=True, slots=True)
class Proof:
    """What came of it: bars (numbers, first and last) that were played, the staff that was played alone (0.

    All), how many notes agree, the differences.
    """

    bars: tuple[int, int]
    staff: int
    agree: int
    differences: tuple[Difference, ...]


def chords_of(piece: Piece, part: str, staff: int = 0) -> list[tuple[int, list[Note]]]:
    """The notes that a part (one staff of it, if given) plays, by their places."""
    by_tick: dict[int, list[Note]] = defaultdict(list)
    for note in piece.notes.values():
        if note.part == part and staff in (0, note.staff) and "cue" not in note.signs:
            by_tick[note.tick].append(note)
    return [(tick, by_tick[tick]) for tick in sorted(by_tick)]


@dataclass(frozen=True, slots=True)
class ToStrike:
    """What is to be struck at each place, with what signs and grace notes add.

    ``lasting``: places where that goes on and on.
    """

    keys: list[frozenset[int]]
    lasting: frozenset[int]


def to_strike(piece: Piece, chords: Sequence[tuple[int, Sequence[Note]]]) -> ToStrike:
    """The keys of each place of the page."""
    shape = Shape(piece, written_tempo_map(piece))
    keys, lasting = [], set()
    for c, (_, notes) in enumerate(chords):
        own = {n.pitch.midi for n in notes}
        for n in [n for n in notes if not shape.is_plain(n)]:
            sounds = shape.sounds(n)
            own |= {s.key for s in sounds}
            if len(sounds) > 1 + len(n.grace_notes):
                lasting.add(c)
        keys.append(frozenset(own))
    return ToStrike(keys, frozenset(lasting))


class Place:
    """Where someone is who plays a part of a page: heard key by key."""

    def __init__(self, piece: Piece, part: str) -> None:
        chords = chords_of(piece, part)
        self._ticks = [tick for tick, _ in chords]
        strike = to_strike(piece, chords)
        self._follower = Follower(strike.keys, strike.lasting, remembers=False)

    def hear(self, key: int, onset_us: int) -> int | None:
        """The tick after one more key; None for a page without notes."""
        return self._ticks[self._follower.hear(key, onset_us)] if self._ticks else None


def prove(piece: Piece, part: str, take: Take) -> Proof:
    """Hold a take against a part of the page.

    Raises BadInput where the page has no notes, or something else was played.
    """
    if not take.notes:
        raise BadInput("Nothing was played, so there is nothing to compare with the score.")
    notes = tuple(sorted(take.notes, key=lambda n: (n.onset_us, n.key)))
    take = replace(take, notes=notes)
    chords = chords_of(piece, part)
    if not chords:
        raise BadInput("There are no notes of this part on the page to hold the playing against. The take is kept.")
    found = _held_against(piece, part, chords, take)
    silent = [s for s in found.staves if found.share(s) < SILENT_SHARE]
    if silent and len(found.staves) > len(silent):
        staff = next(s for s in found.staves if s not in silent)
        found = _held_against(piece, part, chords_of(piece, part, staff), take)
        return found.proof(staff)
    return found.proof(0)


@dataclass(slots=True)
class _Held:
    """A part of the page held against a take: what is where, before it is put into words."""

    piece: Piece
    part: str
    take: Take
    pulses: PulseMap
    covered: list[Note]  # notes of the page in the bars that were played
    pairs: dict[str, tuple[Note, PlayedNote]]
    extra: list[tuple[float, PlayedNote]]  # keys that the page has not, with their ticks
    whens: dict[int, dict[int, float]]  # run -> tick -> when it was struck (us)
    run_of: dict[int, int]  # tick -> the run that counts there
    dressed: frozenset[str]  # notes of the page with signs or grace notes that are played, too
    edges: frozenset[int]  # ticks where a run begins or ends: a chord half played there may be made whole by another

    @property
    def staves(self) -> list[int]:
        return sorted({n.staff for n in self.covered})

    def share(self, staff: int) -> float:
        """How much of a staff was played."""
        own = [n for n in self.covered if n.staff == staff]
        return sum(n.id in self.pairs for n in own) / len(own)

    def proof(self, staff: int) -> Proof:
        """The differences in words. Raises BadInput where less than half agrees."""
        missing = [n for n in self.covered if n.id not in self.pairs]
        count = 2 * len(self.pairs) + len(missing) + len(self.extra)
        share = 2 * len(self.pairs) / count if count else 0.0
        if share < LEAST_SHARE:
            raise BadInput(
                f"What was played is not what stands on the page: {share:.0%} of it agrees, and at least half must. "
                "Nothing was marked; the take is kept."
            )
        slips, missing, extra = self._slips(missing)
        moved = self._moved()
        differences = [*slips, *moved, *(self._missing(n) for n in missing), *(self._extra(t, p) for t, p in extra)]
        elsewhere = {i for d in moved for i in d.notes}
        numbers = [
            self.piece.timeline.number_of(self.piece.timeline.bar_at(n.tick).index)
            for n in (self.covered[0], self.covered[-1])
        ]
        return Proof(
            (numbers[0], numbers[1]),
            staff,
            sum(i not in elsewhere for i in self.pairs),
            tuple(sorted(differences, key=lambda d: (d.tick, d.kind, d.key))),
        )

    def _fifths(self, tick: int) -> int:
        return self.piece.key_at(self.piece.timeline.bar_at(tick).index).fifths

    def _snap(self, tick: float) -> int:
        return snapped(tick, compound=self.piece.timeline.bar_at(max(round(tick), 0)).meter.compound)

    def _slips(self, missing: list[Note]) -> tuple[list[Difference], list[Note], list[tuple[float, PlayedNote]]]:
        """Missing and extra keys that belong together.

        Another key at the place, or the same key elsewhere; and what is left of both.
        """
        close = []
        for n in missing:
            for k, (tick, p) in enumerate(self.extra):
                apart = abs(tick - n.tick) / QUARTER
                wide = abs(p.key - n.pitch.midi)
                if (wide and wide <= SLIP_SEMITONES and apart <= PAIRED_QUARTERS) or (
                    not wide and PAIRED_QUARTERS < apart <= MOVED_QUARTERS
                ):
                    close.append((wide + 4 * apart, n.tick, k, n))
        out, gone, used = [], set(), set()
        for _, _, k, n in sorted(close, key=lambda c: c[:3]):
            if n.id in gone or k in used:
                continue
            gone.add(n.id)
            used.add(k)
            tick, p = self.extra[k]
            out.append(self._elsewhere([n], self._snap(tick)) if p.key == n.pitch.midi else self._slip(n, p))
        return out, [n for n in missing if n.id not in gone], [e for k, e in enumerate(self.extra) if k not in used]

    def _slip(self, n: Note, p: PlayedNote) -> Difference:
        (played,) = spelled_at(self.piece, n.line, n.tick, [p.key])
        words = f"{pitch_words(n.pitch)} on the page, {pitch_words(played)} played"
        return Difference("pitch", n.tick, (n.id,), words, n.staff, played, p.velocity)

    def _missing(self, n: Note) -> Difference:
        return Difference("missing", n.tick, (n.id,), f"{pitch_words(n.pitch)} on the page, not played", n.staff)

    def _extra(self, tick: float, p: PlayedNote) -> Difference:
        at = self._nearest(tick)
        pitch = spell_in_key(p.key, self._fifths(at))
        staff, length = self._home(at, p)
        return Difference(
            "extra", at, (), f"{pitch_words(pitch)} played, not on the page", staff, pitch, p.velocity, at, length
        )

    def _nearest(self, tick: float) -> int:
        """The place of a chord of the page that is near, else one of the grid."""
        near = min((n.tick for n in self.covered), key=lambda t: abs(t - tick))
        return near if abs(near - tick) <= PAIRED_QUARTERS / 2 * QUARTER else max(self._snap(tick), 0)

    def _home(self, tick: int, p: PlayedNote) -> tuple[int, int]:
        """The staff that a key goes to, and how long it is written.

        As its neighbours of that place, else up to the next of the staff.
        """
        beside = [n for n in self.covered if abs(n.tick - tick) <= 2 * QUARTER]
        staff = min(beside or self.covered, key=lambda n: (abs(n.pitch.midi - p.key), abs(n.tick - tick))).staff
        same = [n.ticks for n in self.covered if n.tick == tick and n.staff == staff]
        if same:
            return staff, min(same)
        later = [n.tick for n in self.covered if n.tick > tick and n.staff == staff]
        end = min([*later, self.piece.timeline.bar_at(tick).end])
        return staff, max(min(end - tick, QUARTER), GRIDS[0])

    def _elsewhere(self, notes: Sequence[Note], at: int) -> Difference:
        at = max(at, 0)
        what = pitch_words(notes[-1].pitch) if len(notes) == 1 else count_words(len(notes), "note")
        timeline = self.piece.timeline
        words = f"{what} struck at {timeline.place_words(at)} instead"
        first = notes[0]
        return Difference("place", first.tick, tuple(n.id for n in notes), words, first.staff, at=at)

    def _moved(self) -> list[Difference]:
        """Notes that were struck where the chords around them say that another place of the grid is."""
        off: list[tuple[float, int, int, int]] = []  # quarters late, tick, staff, run
        played: dict[tuple[int, int], list[float]] = defaultdict(list)
        by_place: dict[tuple[int, int], list[Note]] = defaultdict(list)
        for n, p in self.pairs.values():
            if n.id in self.dressed:
                continue  # which of its keys is the note itself is a matter of taste
            played[n.tick, n.staff].append(p.onset_us)
            by_place[n.tick, n.staff].append(n)
        lines = {run: _Line(when) for run, when in self.whens.items()}
        for (tick, staff), times in sorted(played.items()):
            run = self.run_of[tick]
            late = lines[run].late_at(tick, statistics.median(times))
            if late is not None:
                off.append((late, tick, staff, run))
        if not off:
            return []
        middle = statistics.median(abs(late) for late, *_ in off) * 1.4826
        spread = max(middle, LEAST_SPREAD_QUARTERS)
        out = []
        for late, tick, staff, run in off:
            at = self._snap(tick + late * QUARTER)
            whole = abs(at - tick) / QUARTER
            if at == tick or abs(late) < max(SURE * spread, LEAST_OFF_QUARTERS, 0.6 * whole):
                continue
            before, after = lines[run].beside(tick)
            if before < at < after:
                out.append(self._elsewhere(sorted(by_place[tick, staff], key=lambda n: n.pitch.midi), at))
        return out


class _Line:
    """When the places of one run were struck."""

    def _pace(self, a: int, b: int) -> float:
        """Microseconds to the quarter from one place to another (by number)."""
        return float((self.times[b] - self.times[a]) / ((self.ticks[b] - self.ticks[a]) / QUARTER))

    def __init__(self, when: Mapping[int, float]) -> None:
        self.ticks = np.array(sorted(when))
        self.times = np.array([when[t] for t in self.ticks.tolist()])

    def beside(self, tick: int) -> tuple[int, int]:
        """The places before and after one; far away where there are none."""
        k = int(np.searchsorted(self.ticks, tick))
        before = int(self.ticks[k - 1]) if k else -1
        after = int(self.ticks[k + 1]) if k + 1 < len(self.ticks) else int(self.ticks[-1]) + 8 * QUARTER
        return before, after

    def late_at(self, tick: int, time: float) -> float | None:
        """How many quarters late a place was struck, judged by those around.

        None where the tempo is not steady over it, or too little is around.
        """
        k = int(np.searchsorted(self.ticks, tick))
        a, b = max(k - AROUND, 0), min(k + AROUND + 1, len(self.ticks))
        if 0 < k < len(self.ticks) - 1:  # most places lie where their two neighbours say
            share = (tick - self.ticks[k - 1]) / (self.ticks[k + 1] - self.ticks[k - 1])
            between = self.times[k - 1] + share * (self.times[k + 1] - self.times[k - 1])
            late = float((time - between) / self._pace(k - 1, k + 1))
            if abs(late) < LEAST_OFF_QUARTERS / 2:
                return late
        near = np.array([n for n in range(a, b) if n != k])
        if len(near) < 2 * LEAST_AROUND or k - a < 2 or b - k - 1 < 2:
            return None
        x, y = self.ticks[near] / QUARTER, self.times[near]
        i, j = np.triu_indices(len(near), 1)
        slopes = (y[j] - y[i]) / (x[j] - x[i])
        pace = float(np.median(slopes))
        paces = [self._pace(k - 1, k + 1), self._pace(a, k - 1), self._pace(k + 1, b - 1)]
        if pace <= 0 or any(not 1 / STEADY < own / pace < STEADY for own in paces):
            return None
        here = tick / QUARTER
        left, right = near < k, near > k
        weight = 1 / np.abs(x - here)
        guess = [float(np.average(y[side] + pace * (here - x[side]), weights=weight[side])) for side in (left, right)]
        if abs(guess[0] - guess[1]) > pace * LEAST_OFF_QUARTERS:
            return None  # a breath, or another tempo, from here on
        late = (time - (guess[0] + guess[1]) / 2) / pace
        middle = float(np.median(y - pace * x))
        uneven = float(np.abs(y - pace * x - middle).mean()) / pace
        return late if abs(late) > CLEAR * uneven else 0.0


def snapped(tick: float, *, compound: bool = False) -> int:
    """The nearest eighth, if that is near; else the nearest sixteenth or (in simple meters) triplet eighth."""
    half = round(tick / (QUARTER // 2)) * (QUARTER // 2)
    if abs(half - tick) < QUARTER / 9:
        return half
    grids = GRIDS[:1] if compound else GRIDS
    return min((round(tick / g) * g for g in grids), key=lambda t: (abs(t - tick) > QUARTER / 24, abs(t - tick)))


def _held_against(piece: Piece, part: str, chords: list[tuple[int, list[Note]]], take: Take) -> _Held:
    pulses = written_tempo_map(piece)
    strike = to_strike(piece, chords)
    found = runs(strike.keys, take.notes, strike.lasting)
    if not found:
        raise BadInput("What was played is not found on the page. Nothing was marked; the take is kept.")
    last_run = {c: k for k, run in enumerate(found) for c in range(run.start, run.end + 1)}
    run_of = {chords[c][0]: k for c, k in last_run.items()}
    covered = [n for c in sorted(last_run) for n in chords[c][1]]
    edges = frozenset(chords[c][0] for run in found for c in (run.start, run.end))
    dressed = _dressed_keys(piece, pulses, covered)
    ids = frozenset(d[3] for d in dressed)
    held = _Held(piece, part, take, pulses, covered, {}, [], {}, run_of, ids, edges)
    for number, run in enumerate(found):
        _take_in(held, number, run, chords, dressed)
    return held


def _take_in(
    held: _Held, number: int, run: Run, chords: list[tuple[int, list[Note]]], dressed: list[tuple[int, int, int, str]]
) -> None:
    """One run through the page: only the places that no later run comes to count."""
    page = [n for c in range(run.start, run.end + 1) for n in sorted(chords[c][1], key=lambda n: n.pitch.midi)]
    as_take = Take(
        tuple(PlayedNote(held.pulses.time_at(n.tick), held.pulses.time_at(n.end), n.pitch.midi) for n in page)
    )
    part = Take(held.take.notes[run.first : run.last + 1])
    found: Alignment = align(as_take, part)
    times: dict[int, list[float]] = defaultdict(list)
    for i, j in found.pairs:
        place = page[i].tick
        times[place].append(part.notes[j].onset_us)
        if held.run_of[place] == number or place in held.edges:
            held.pairs[page[i].id] = (page[i], part.notes[j])
    held.whens[number] = rising({tick: statistics.median(t) for tick, t in times.items()})
    if not found.extra or not held.whens[number]:
        return
    onsets = np.array([part.notes[j].onset_us for j in found.extra], float)
    at, _ = mapped(found.anchors, onsets)
    ticks = np.array([held.pulses.tick_at(us) for us in at.tolist()])
    when = held.whens[number]
    struck = np.array(list(when.values()))
    between = (onsets > struck[0]) & (onsets < struck[-1])  # there the places on each side say more than a tempo
    ticks = np.where(between, np.interp(onsets, struck, np.array(list(when))), ticks)
    places = np.array(sorted(held.run_of))
    for j, tick in zip(found.extra, ticks.tolist(), strict=True):
        nearest = int(places[np.abs(places - tick).argmin()])
        key = part.notes[j].key
        if held.run_of[nearest] == number and not any(k == key and a <= tick < b for k, a, b, _ in dressed):
            held.extra.append((tick, part.notes[j]))


def rising(when: dict[int, float]) -> dict[int, float]:
    """Only places that were struck after all those before them."""
    out: dict[int, float] = {}
    last = -1.0
    for tick in sorted(when):
        if when[tick] > last:
            out[tick] = last = when[tick]
    return out


def _dressed_keys(piece: Piece, pulses: PulseMap, notes: Sequence[Note]) -> list[tuple[int, int, int, str]]:
    """(key, from, to in ticks, note) of all that is struck for notes with signs and grace notes.

    Whoever plays them is right.
    """
    shape = Shape(piece, pulses)
    out = []
    for n in notes:
        sounds = [] if shape.is_plain(n) else shape.sounds(n)
        if len(sounds) > 1 or "rolled" in n.signs:
            out += [(s.key, n.tick - QUARTER // 2, n.end, n.id) for s in sounds]
    return out


def taken_over(piece: Piece, part: str, d: Difference) -> Change:
    """The page as it was played there."""
    place = piece.timeline.place_words(d.tick)
    notes = [piece.notes[i] for i in d.notes if i in piece.notes]
    if d.kind == "missing":
        return replace(delete_notes(piece, d.notes), sentence=f"{place}: taken out, as it was played")
    draft = Draft(piece)
    if d.kind == "extra":
        assert d.pitch is not None
        voice = next((n.voice for n in piece.notes_between(part, d.tick, d.tick + 1) if n.staff == d.staff), 1)
        place_chord(draft, (part, d.staff, voice), d.tick, d.ticks, [Strike(d.pitch, d.velocity or 80)], "add")
        return draft.change(f"{place}: {pitch_words(d.pitch)} added, as it was played")
    if d.kind == "pitch":
        assert d.pitch is not None
        for n in notes:
            draft.put(replace(n, pitch=d.pitch))
        return draft.change(f"{place}: {pitch_words(d.pitch)}, as it was played")
    _move(draft, notes, d.at)
    return draft.change(f"{place}: struck at {piece.timeline.place_words(d.at)}, as it was played")


def _move(draft: Draft, notes: Sequence[Note], at: int) -> None:
    """Notes begin elsewhere; they end where they did, and what came before in their voice reaches up to them."""
    for n in notes:
        for before in draft.line_between(n.line, max(n.tick - 1, 0), n.tick + 1):
            if before.end == n.tick and before.tick < min(at, n.tick):
                draft.put(replace(before, ticks=at - before.tick, sounds_ticks=None))
        if at < n.tick:
            for before in draft.line_between(n.line, at, n.tick):
                if before.tick < at < before.end:
                    draft.put(replace(before, ticks=at - before.tick, sounds_ticks=None))
        end = n.end if n.end > at else at + n.ticks
        draft.put(replace(n, tick=at, ticks=end - at, sounds_ticks=None))
