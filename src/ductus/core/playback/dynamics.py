"""What marks do to the sound: dynamics and hairpins to the velocity, articulations to length and velocity, trills
and their like to the notes.

The velocities of dynamics are evenly spaced over the range of MIDI 1.0, as most programs space them (common
practice). A note keeps half of what its velocity differs from the median under the same dynamic, so that played and
stepped notes come to the same level; where no dynamic stands before it, it sounds as it was entered.
"""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from statistics import median

from ductus.core.pitch.keys import signature
from ductus.core.pitch.pitches import STEPS, Pitch
from ductus.core.score.mark_language.modifiers import LOUDER, amount_of, base_of, goal_of, level_of
from ductus.core.score.model.note_signs import DYNAMIC_LEVELS, NOTE_SIGNS
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark, Note
from ductus.core.time.ticks import QUARTER

LEVELS = DYNAMIC_LEVELS
STRESSED = {
    "sf": 20,
    "sfz": 24,
    "sffz": 32,
    "fz": 20,
    "rf": 16,
    "rfz": 16,
    "sff": 28,
    "ffz": 28,
}  # on one place, then as before
STRUCK = {
    "fp": ("f", "p"),
    "sfp": ("f", "p"),
    "sfzp": ("f", "p"),
    "sfpp": ("f", "pp"),
    "pf": ("p", "f"),
}  # one place, then the other
MIDDLE = 80
STEP = 16  # what a hairpin with no dynamic at its end comes to
FIGURE_US = 80_000  # a note of a trill: about twelve a second (common practice)
ROLLED_US = 35_000  # from note to note of an arpeggio
GLIDE_US = 25_000  # the least from key to key of a glissando
WHITE = frozenset((0, 2, 4, 5, 7, 9, 11))  # pitch classes of the white keys


@dataclass(frozen=True, slots=True)
class Swell:
    """A hairpin: velocities at its beginning and end."""

    start: int
    end: int
    low: float
    high: float


class Loudness:
    """The dynamics of a piece, ready to be asked for many notes."""

    def __init__(self, piece: Piece) -> None:
        by_part: dict[str, list[Mark]] = defaultdict(list)
        for mark in piece.marks.values():
            if mark.kind in ("dynamic", "hairpin") or (mark.kind == "text" and level_of(mark.text) != ("", 0)):
                by_part[mark.part].append(mark)
        self._levels: dict[str, list[tuple[int, float]]] = {}
        self._stress: dict[tuple[str, int], float] = {}
        self._swells: dict[str, list[Swell]] = {}
        for part, marks in by_part.items():
            self._lay_out(part, sorted(marks, key=lambda m: (m.tick, m.kind)))
        under: dict[tuple[str, int], list[int]] = defaultdict(list)
        for note in piece.notes.values() if by_part else ():
            k = self._segment(note)
            if k >= 0:
                under[note.part, k].append(note.velocity)
        self._usual = {key: median(velocities) for key, velocities in under.items()}

    def _segment(self, note: Note) -> int:
        """Which level of its part a note is under, -1 for none."""
        levels = self._levels.get(note.part)
        return bisect_right(levels, note.tick, key=lambda one: one[0]) - 1 if levels else -1

    def _lay_out(self, part: str, marks: Iterable[Mark]) -> None:
        levels: list[tuple[int, float]] = []
        swells: list[Swell] = []
        marks = list(marks)
        dynamics = [m for m in marks if m.kind == "dynamic" and (m.text in LEVELS or m.text in STRUCK)]
        for mark in marks:
            now = levels[-1][1] if levels else MIDDLE
            if mark.kind == "text":
                level, steps = level_of(mark.text)
                levels.append((mark.tick, LEVELS[level] if level else min(max(now + STEP * steps, 1), 127)))
            elif mark.text in LEVELS:
                levels.append((mark.tick, LEVELS[mark.text]))
            elif mark.text in STRUCK:
                first, then = STRUCK[mark.text]
                self._stress[part, mark.tick] = LEVELS[first] - LEVELS[then]
                levels.append((mark.tick, LEVELS[then]))
            elif mark.kind == "dynamic" and mark.text in STRESSED:
                self._stress[part, mark.tick] = STRESSED[mark.text]
                levels.append((mark.tick, now))
            elif mark.kind == "hairpin" and mark.ticks:
                goal = next((m for m in dynamics if mark.end - QUARTER // 4 <= m.tick <= mark.end + QUARTER), None)
                up = base_of(mark.text) in LOUDER
                text = STRUCK[goal.text][0] if goal and goal.text in STRUCK else goal.text if goal else ""
                text = text or goal_of(mark.text)
                step = STEP * amount_of(mark.text) * (1 if up else -1)
                high = LEVELS[text] if text else min(max(now + step, 1), 127)
                swells.append(Swell(mark.tick, mark.end, now, high))
                levels.append((mark.tick, now))
                levels.append((mark.end, high))
        self._levels[part] = sorted(levels, key=lambda level: level[0])
        self._swells[part] = swells

    def velocity(self, note: Note) -> int:
        """How hard a note sounds, 1..127, its own signs included."""
        louder = sum(NOTE_SIGNS[s].louder for s in note.signs if s in NOTE_SIGNS)
        base: float = note.velocity
        k = self._segment(note)
        if k >= 0:
            level = self._levels[note.part][k][1]
            for swell in self._swells[note.part]:
                if swell.start <= note.tick < swell.end:
                    level = swell.low + (swell.high - swell.low) * (note.tick - swell.start) / (swell.end - swell.start)
            own = (note.velocity - self._usual.get((note.part, k), note.velocity)) / 2
            base = level + own + self._stress.get((note.part, note.tick), 0)
        return min(max(round(base) + louder, 1), 127)


def neighbour(pitch: Pitch, fifths: int, by: int, alter: int | None = None) -> int:
    """The MIDI key a step above (1) or below (-1) a pitch, altered as given or else by the key signature."""
    octave, index = divmod(pitch.diatonic + by, 7)
    return Pitch(STEPS[index], signature(fifths)[STEPS[index]] if alter is None else alter, octave).midi


@dataclass(frozen=True, slots=True)
class Figured:
    """One key of a figure: MIDI key, when it begins and ends in microseconds from the note's beginning."""

    key: int
    on_us: float
    off_us: float


def figure_of(note: Note, fifths: int, length_us: float, quarter_us: float) -> list[Figured]:
    """The notes that a trill, turn, mordent or tremolo is played as; nothing for a plain note.

    Common practice: a trill begins on its main note, a turn and a mordent take their notes from its beginning,
    tremolo strokes are eighths, sixteenths, thirty-seconds.
    """
    signs = (NOTE_SIGNS[s] for s in note.signs if s in NOTE_SIGNS)
    sign = next((s for s in signs if s.figure not in ("", "rolled")), None)
    name = sign.figure if sign else ""
    if sign is None or length_us < 2 * FIGURE_US:
        return []
    own, below = note.pitch.midi, neighbour(note.pitch, fifths, -1)
    above = neighbour(note.pitch, fifths, 1, sign.upper)
    if name in ("trill", "tremolo"):
        each = (
            FIGURE_US
            if name == "trill"
            else quarter_us / 2 ** next(int(s[-1]) for s in note.signs if s.startswith("tremolo-"))
        )
        count = max(round(length_us / each), 2)
        keys = [own if name == "tremolo" or k % 2 == 0 else above for k in range(count)]
        if name == "trill" and count % 2 == 0:
            keys[-1] = own
        return [Figured(key, length_us * k / count, length_us * (k + 1) / count) for k, key in enumerate(keys)]
    lead = {
        "turn": (above, own, below), "inverted-turn": (below, own, above), "mordent": (own, below),
        "inverted-mordent": (own, above),
    }[name]  # fmt: skip
    each = min(FIGURE_US, length_us / (len(lead) + 1))
    out = [Figured(key, k * each, (k + 1) * each) for k, key in enumerate(lead)]
    return [*out, Figured(own, len(lead) * each, length_us)]


def glided(first: int, last: int, length_us: float, *, on_keys: bool) -> list[Figured]:
    """The keys that a glissando from one MIDI key to another runs through, after its first note and before its last;
    times from the beginning of a note of ``length_us``. Common practice: it begins at half of its note (before
    that where the keys would come too fast), and on a keyboard it runs over the white keys, or over the black
    ones where it goes from black to black; elsewhere by half tones.
    """
    way = 1 if last > first else -1
    between = range(first + way, last, way)
    if on_keys:
        white = first % 12 in WHITE or last % 12 in WHITE
        between = [key for key in between if (key % 12 in WHITE) == white]  # type: ignore[assignment]
    if not between:
        return []
    run_us = min(max(length_us / 2, GLIDE_US * len(between)), length_us * len(between) / (len(between) + 1))
    each = run_us / len(between)
    begin = length_us - run_us
    return [Figured(key, begin + k * each, begin + (k + 1) * each) for k, key in enumerate(between)]
