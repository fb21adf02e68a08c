"""What sounds when, answered once: the page as a performance, for the browser, the MIDI file, audio and the click.

piece -> notes (key, velocity, on, off, channel) and pedal, in playing order, in ticks; then in microseconds at the
tempi of the page

Ties need no care, since a note is one record however many symbols write it. Grace notes with a stroke sound just
before their note; at the very start of the piece they take their time from it. What marks do to the sound stands in
``shaping``, what they do to time in ``tempi``, repeats and jumps in ``score.form``. One key of a channel has one
note on at a time: unisons of two staves are one sound, a key struck again ends what sounded.
"""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from ductus.core.capture.takes import PEDAL_DOWN, SUSTAIN, Take
from ductus.core.chance import scattered
from ductus.core.playback.channels import channels_of
from ductus.core.playback.dynamics import ROLLED_US, Loudness, figure_of, glided
from ductus.core.playback.swing import SwingMap
from ductus.core.playback.tempo_map import written_tempo_map
from ductus.core.score.model.note_signs import NOTE_SIGNS, sounding_ticks
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import Stretch, playing_order
from ductus.core.score.model.records import Mark, Note
from ductus.core.time.note_values import BASE_TICKS, value_for_ticks
from ductus.core.time.pulse_map import PulseMap
from ductus.core.time.ticks import QUARTER

ON_KEYS = (*range(24), 46)  # General MIDI 1: pianos, tuned percussion, organs; the harp
GRACE_US = 70_000  # a grace note with a stroke is as short as can be (common practice)


FEEL_US, FEEL_SHARE, FEEL_VELOCITY = (
    25_000,
    0.15,
    14,
)  # the most by which a note differs at full feel: onset, length, velocity
MOST_FEEL = 100


@dataclass(frozen=True, slots=True)
class PlaybackStyle:
    """How the page is heard: with the times at which its notes were ``played`` (those that were), and with ``feel``,
    small seeded differences of onset, length and velocity, in percent of the most. Neither touches the writing.
    """

    played: bool = False
    feel: int = 0
    seed: int = 1

    def timing(self, note: Note) -> tuple[int, int]:
        """Ticks after its written place, and length in ticks, before any feel."""
        if self.played and note.played is not None:
            return note.played
        return note.sounds_late, sounding_ticks(note)

    def felt(self, note: Note, what: int) -> float:
        """A number in -1..1 for a note; ``what`` tells onset, length and velocity apart."""
        return scattered(self.seed * 4 + what, note.tick * 128 + note.pitch.midi) * self.feel / MOST_FEEL


AS_SET = PlaybackStyle()


@dataclass(frozen=True, slots=True)
class Sounded:
    """One key going down and up again: ticks, MIDI key and velocity, channel 0..15, part and id of the note."""

    on: int
    off: int
    key: int
    velocity: int
    channel: int
    part: str
    staff: int
    note: str


@dataclass(frozen=True, slots=True)
class PedalChange:
    """The sustain pedal of a channel at a tick."""

    tick: int
    channel: int
    part: str
    down: bool


@dataclass(frozen=True, slots=True)
class Performance:
    """A piece as it sounds: notes by time then key, pedal changes by time."""

    notes: tuple[Sounded, ...]
    pedal: tuple[PedalChange, ...]


@dataclass(frozen=True, slots=True)
class Sounding:
    """One note to sound: onset and length in microseconds, MIDI key and velocity, part and note id."""

    onset_us: int
    length_us: int
    key: int
    velocity: int
    part: str
    note: str


@dataclass(frozen=True, slots=True)
class Playback:
    """What sounds from a place on, where the beats fall in it.

    (microseconds, tick), and how long it is up to its last bar line.
    """

    notes: tuple[Sounding, ...]
    places: tuple[tuple[int, int], ...]
    length_us: int = 0


class Shape:
    """What the page says of the sound of its notes, gathered once for many of them."""

    def __init__(self, piece: Piece, pulses: PulseMap, manner: PlaybackStyle = AS_SET) -> None:
        self.piece, self.pulses, self.manner = piece, pulses, manner
        self.loudness, self.channels = Loudness(piece), channels_of(piece)
        self.swing = SwingMap(piece)
        self.glides: dict[str, Note] = {}  # by the note that a glissando begins at: the one it goes to
        self.shakes: dict[
            tuple[tuple[str, int, int], int], Mark
        ] = {}  # by voice and place of both its chords: a tremolo
        for mark in piece.marks.values():
            if mark.kind == "glissando" and (target := piece.notes.get(mark.notes[-1])) is not None:
                self.glides[mark.notes[0]] = target
            elif mark.kind == "tremolo":
                line = (mark.part, mark.staff, mark.voice)
                self.shakes |= {(line, mark.tick): mark, (line, mark.tick + mark.ticks // 2): mark}

    def sounds(self, note: Note) -> list[Sounded]:
        """A note as it sounds, struck once or more often.

        With its grace notes, its figure, its length and velocity; a cue note not at all.
        """
        if "cue" in note.signs:
            return []
        channel, velocity = self.channels[note.part], self.loudness.velocity(note)
        late, length = self.manner.timing(note)
        per_quarter = self.pulses.us_per_quarter_at(note.tick)
        if self.manner.feel:
            late += round(self.manner.felt(note, 0) * FEEL_US / per_quarter * QUARTER)
            length = max(round(length * (1 + self.manner.felt(note, 1) * FEEL_SHARE)), 1)
            velocity = min(max(velocity + round(self.manner.felt(note, 2) * FEEL_VELOCITY), 1), 127)
        at = max(note.tick + late, 0)
        if self.swing:
            end = self.swing.heard(at + length, note.end if note.ticks == length else note.tick)
            at = self.swing.heard(at, note.tick)
            length = max(end - at, 1)
        on = at + (round(self._rolled(note) * ROLLED_US / per_quarter * QUARTER) if "rolled" in note.signs else 0)
        grace = round(GRACE_US / per_quarter * QUARTER) if note.grace_notes else 0
        first = max(on - grace * len(note.grace_notes), 0)
        delay = max(first + grace * len(note.grace_notes) - on, 0)

        def one(begin: int, end: int, key: int) -> Sounded:
            return Sounded(begin, end, min(max(key, 0), 127), velocity, channel, note.part, note.staff, note.id)

        out = [one(first + k * grace, first + (k + 1) * grace, p.midi) for k, p in enumerate(note.grace_notes)]
        begin, end = on + delay, max(at + length, on + delay + 1)
        shake = self.shakes.get((note.line, note.tick))
        if shake is not None:
            return [*out, *(one(a, b, key) for a, b, key in self._shaken(shake, note))]
        target = self.glides.get(note.id)
        if target is not None and target.tick > begin:
            us = (target.tick - begin) / QUARTER * per_quarter
            run = glided(
                note.pitch.midi, target.pitch.midi, us, on_keys=self.piece.part(note.part).programme in ON_KEYS
            )
            ticks = [(begin + round(f.on_us / per_quarter * QUARTER), f) for f in run]
            end = min(end, ticks[0][0]) if ticks else end
            out += [one(t, begin + round(f.off_us / per_quarter * QUARTER), f.key) for t, f in ticks]
        if any(NOTE_SIGNS[s].figure for s in note.signs if s in NOTE_SIGNS):
            fifths = self.piece.key_at(self.piece.timeline.bar_at(note.tick).index).fifths
            for f in figure_of(note, fifths, (end - begin) / QUARTER * per_quarter, per_quarter):
                a, b = (begin + round(us / per_quarter * QUARTER) for us in (f.on_us, f.off_us))
                out.append(one(a, max(b, a + 1), f.key))
            if len(out) > len(note.grace_notes):
                return out
        return [*out, one(begin, end, note.pitch.midi)]

    def is_plain(self, note: Note) -> bool:
        """True of a note that nothing is written at which could make more of it than one key."""
        return not (note.grace_notes or note.signs or note.id in self.glides or (note.line, note.tick) in self.shakes)

    def _shaken(self, mark: Mark, note: Note) -> Iterator[tuple[int, int, int]]:
        """The strokes of a tremolo between two chords that this note of it sounds for: (on, off, key).

        Its top notes sound for the notes of the other chord, too, while their own chord is written.
        """
        half = mark.ticks // 2
        written = value_for_ticks(mark.ticks)
        quicker = (
            QUARTER // BASE_TICKS[written.base] if written else 1
        )  # strokes are added to the beams of eighths and less
        count = max(mark.ticks * 2 ** int(mark.text) * max(quicker, 1) // QUARTER // 2 * 2, 2)
        second = note.tick > mark.tick
        place = mark.tick + (0 if second else half)
        other = [n for n in self.piece.line_between(note.line, place, place + 1) if n.tick == place]
        for k in range(count):
            on, off = mark.tick + mark.ticks * k // count, mark.tick + mark.ticks * (k + 1) // count
            if (on >= mark.tick + half) != second:
                continue
            if (k % 2 == 1) == second:
                yield on, off, note.pitch.midi
            elif note.id in mark.notes:
                yield from ((on, off, n.pitch.midi) for n in other)

    def _rolled(self, note: Note) -> int:
        """How many notes of its rolled chord are below a note."""
        chord = self.piece.notes_between(note.part, note.tick, note.tick + 1)
        return sum(
            n.tick == note.tick and "rolled" in n.signs and n.pitch.midi < note.pitch.midi and n.staff >= note.staff
            for n in chord
        )


def performed(piece: Piece, pulses: PulseMap | None = None, manner: PlaybackStyle = AS_SET) -> Performance:
    """The whole page as it sounds, each bar once, in the order of the page."""
    shape = Shape(piece, pulses or written_tempo_map(piece, fermatas=True), manner)
    struck: list[Sounded] = []
    for note in piece.notes.values():
        struck += shape.sounds(note)
    pedal = []
    for mark in piece.marks.values():
        if mark.kind == "pedal" and mark.ticks > 0:
            channel = shape.channels[mark.part]
            pedal += [
                PedalChange(mark.tick, channel, mark.part, True),
                PedalChange(mark.end, channel, mark.part, False),
            ]
    pedal.sort(key=lambda c: (c.tick, c.down))
    return Performance(tuple(one_by_one(struck)), tuple(pedal))


def unfolded(piece: Piece, page: Performance, order: Sequence[Stretch]) -> Performance:
    """What the page sounds like with its repeats and jumps: ticks are those of the playing, not of the page.

    A note ends where its stretch does.
    """
    if len(order) == 1 and order[0].first == 0:
        return page
    notes: list[Sounded] = []
    pedal: list[PedalChange] = []
    ends = ends_of_pedal(page.pedal)
    now = 0
    for stretch in order:
        by = now - stretch.start
        for sound in page.notes:
            if stretch.start <= piece.notes[sound.note].tick < stretch.end:
                on = max(sound.on + by, 0)
                notes.append(replace(sound, on=on, off=max(min(sound.off, stretch.end) + by, on + 1)))
        for down, up in ends:
            a, b = max(down.tick, stretch.start), min(up, stretch.end)
            if a < b:
                pedal += [replace(down, tick=a + by), replace(down, tick=b + by, down=False)]
        now += stretch.ticks
    pedal.sort(key=lambda c: (c.tick, c.down))
    return Performance(tuple(one_by_one(notes)), tuple(pedal))


def ends_of_pedal(pedal: Sequence[PedalChange]) -> list[tuple[PedalChange, int]]:
    """Each time the pedal goes down, with the tick at which it is let go."""
    out: list[tuple[PedalChange, int]] = []
    down: dict[tuple[int, str], PedalChange] = {}
    for change in pedal:
        key = (change.channel, change.part)
        begun = down.pop(key, None)
        if begun is not None:
            out.append((begun, change.tick))
        if change.down:
            down[key] = change
    return out


def one_by_one(struck: Iterable[Sounded]) -> list[Sounded]:
    """One key, one note on: unisons are one sound as long as the longer, a key that is struck again ends what
    sounded.
    """
    by_key: dict[tuple[int, int], list[Sounded]] = defaultdict(list)
    for sound in sorted(struck, key=lambda s: (s.on, s.key, s.note)):
        row = by_key[sound.channel, sound.key]
        if row and row[-1].on == sound.on:
            row[-1] = replace(row[-1], off=max(row[-1].off, sound.off), velocity=max(row[-1].velocity, sound.velocity))
            continue
        if row and row[-1].off > sound.on:
            row[-1] = replace(row[-1], off=sound.on)
        row.append(sound)
    return sorted((s for row in by_key.values() for s in row), key=lambda s: (s.on, s.key, s.channel))


def _stretches(
    piece: Piece, start: int, end: int | None, repeats: bool, stretch: int | None = None
) -> list[tuple[int, int]]:
    """What is played of the page, as [tick, tick) in playing order, from the ``stretch`` on that is named."""
    order = playing_order(piece, repeats and end is None)
    if end is not None or len(order) == 1:
        return [(start, end if end is not None else max(piece.end, start) + 1)]
    if stretch is not None:
        return [(s.start, s.end) for s in order[stretch:] or order[-1:]]
    k = next((i for i, s in enumerate(order) if s.start <= start < s.end), len(order) - 1)
    return [(max(order[k].start, start) if i == k else s.start, s.end) for i, s in enumerate(order) if i >= k]


def playback(
    piece: Piece,
    start: int = 0,
    end: int | None = None,
    *,
    repeats: bool = True,
    pulses: PulseMap | None = None,
    manner: PlaybackStyle = AS_SET,
    cut: bool = False,
    stretch: int | None = None,
) -> Playback:
    """What sounds in [start, end) of the page, times from its beginning.

    Notes that sound already at ``start`` are heard from there on, grace notes of the first note before it; the pedal
    holds notes on. With ``repeats`` bars are played in playing order, from the first time that ``start`` is reached,
    or from the ``stretch`` of the playing order (index) that is asked for.
    ``pulses``: at other tempi than those of the page; ``cut``: nothing sounds on behind ``end``.
    """
    pulses = pulses or written_tempo_map(piece, fermatas=True)
    whole = performed(piece, pulses, manner)
    offs = held_by_pedal(whole.notes, whole.pedal)
    stretches = _stretches(piece, start, end, repeats, stretch)
    notes: list[Sounding] = []
    places: list[tuple[int, int]] = []
    lead = 0  # microseconds by which grace notes come before the first stretch
    now = 0
    for i, (begin, stop) in enumerate(stretches):
        heard = [
            (max(sound.on, begin) if tick < begin else sound.on, off, sound)
            for sound, off in zip(whole.notes, offs, strict=True)
            if (tick := piece.notes[sound.note].tick) < stop
            and sound.on < stop
            and (tick >= begin or (off > begin and i == 0))
        ]
        begin_us = pulses.time_at(begin)
        if i == 0:
            lead = begin_us - pulses.time_at(min([begin, *(on for on, _, _ in heard)]))
            now = lead
        last = stop if len(stretches) > 1 or (cut and end is not None) else None
        for on, off, s in heard:
            onset = now + pulses.time_at(on) - begin_us
            length = pulses.time_at(min(off, last) if last else off) - pulses.time_at(on)
            notes.append(Sounding(max(onset, 0), max(length, 1), s.key, s.velocity, s.part, s.note))
        places += _places(piece, pulses, begin, stop, now - begin_us)
        now += pulses.time_at(stop) - begin_us
    return Playback(tuple(sorted(notes, key=lambda n: (n.onset_us, n.key))), tuple(places), now)


def _places(piece: Piece, pulses: PulseMap, begin: int, stop: int, offset_us: int) -> list[tuple[int, int]]:
    """The beats of a stretch as (microseconds, tick)."""
    first = piece.timeline.bar_at(begin).index
    last = min(piece.timeline.bar_at(max(stop - 1, begin)).index, piece.bar_count - 1)
    beats = (t for i in range(first, last + 1) for t in piece.timeline.bar(i).beats() if begin <= t < stop)
    return [(pulses.time_at(t) + offset_us, t) for t in beats]


def held_by_pedal(notes: Sequence[Sounded], pedal: Sequence[PedalChange]) -> list[int]:
    """When each note stops to sound: where its key is let go, or later where the pedal is."""
    if not pedal:
        return [n.off for n in notes]
    changes: dict[int, list[PedalChange]] = defaultdict(list)
    for change in pedal:
        changes[change.channel].append(change)
    again: dict[tuple[int, int], int] = {}
    out = []
    for note in reversed(notes):
        mine = changes[note.channel]
        k = bisect_right(mine, note.off, key=lambda c: c.tick) - 1
        off = note.off
        if k >= 0 and mine[k].down:
            off = next((mine[i].tick for i in range(k + 1, len(mine)) if not mine[i].down), off)
        out.append(min(max(off, note.off), again.get((note.channel, note.key), off)))
        again[note.channel, note.key] = note.on
    return out[::-1]


def company_at(piece: Piece, tick: int, part: str, staff: int) -> list[Sounding]:
    """What all other staves hold at a tick, as sounds that begin at once."""
    pulses = written_tempo_map(piece)
    out = []
    for other in piece.ordered_parts():
        for note in piece.notes_between(other.id, tick, tick + 1):
            if (note.part, note.staff) != (part, staff) and "cue" not in note.signs:
                left = pulses.time_at(note.end) - pulses.time_at(tick)
                out.append(Sounding(0, left, note.pitch.midi, note.velocity, note.part, note.id))
    return sorted(out, key=lambda s: s.key)


def take_sounds(take: Take) -> list[Sounding]:
    """A take as it was played, silence before its first note left out.

    The pedal holds notes on until it is let go or their key is struck again.
    """
    if not take.notes:
        return []
    first = take.notes[0].onset_us
    notes = [
        Sounded(n.onset_us, n.release_us, n.key, n.velocity, n.channel, "", 0, str(k)) for k, n in enumerate(take.notes)
    ]
    channels = {n.channel for n in take.notes}
    pedal = [
        PedalChange(c.time_us, channel, "", c.value >= PEDAL_DOWN)
        for c in take.controls
        if c.controller == SUSTAIN
        for channel in channels
    ]
    offs = held_by_pedal(notes, pedal)
    return [
        Sounding(n.on - first, max(off - n.on, 1), n.key, n.velocity, "", n.note)
        for n, off in zip(notes, offs, strict=True)
    ]
