"""Reading a kit: no hands and no spelling.

Strokes are drums, written to the next stroke or the end of their beat, hands in voice 1, feet in voice 2.

A flam is one drum struck twice within 60 ms, the first stroke softer or as loud: a grace note. A roll is a drum
struck five times or more, at least eleven times a second: one note with tremolo strokes. (Sizes: common practice.)
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.reading.model import Ornament
from ductus.core.score.catalogues.drums import DRUMS
from ductus.core.time.bars import Bar, BarLines
from ductus.core.time.ticks import QUARTER
from ductus.core.words import count_words

FLAM_US, FLAM_LEAST_US, FLAM_SOFTER = 60_000, 8_000, 20
ROLL_STROKES, ROLL_GAP_US = 5, 90_000
ROLLED = -1  # channel of a stroke that stands for a roll while it is being read
Kit = tuple[tuple[int, int], ...]


def on_drums(take: Take, kit: Kit) -> Take:
    """The take with its keys as the drums that they mean."""
    means = dict(kit)
    return replace(take, notes=tuple(replace(n, key=means.get(n.key, n.key)) for n in take.notes))


def strangers(take: Take) -> frozenset[int]:
    """Events on keys that mean no drum."""
    return frozenset(k for k, n in enumerate(take.notes) if n.key not in DRUMS)


def stranger_words(count: int) -> tuple[str, ...]:
    """What is said of them."""
    if not count:
        return ()
    return (f"{count_words(count, 'stroke')} on keys that mean no drum, kept in the take and not written.",)


def find_strokes(take: Take) -> tuple[Ornament, ...]:
    """Flams and rolls, in order; an event belongs to one at most."""
    used: set[int] = set()
    found: list[Ornament] = []
    for finder in (roll_at, flam_at):
        for k in range(len(take.notes)):
            ornament = None if k in used else finder(take.notes, k)
            if ornament is not None and not used & set(ornament.events):
                found.append(ornament)
                used |= set(ornament.events)
    return tuple(sorted(found, key=lambda o: o.events))


def struck_again(notes: Sequence[PlayedNote], start: int, gap_us: int) -> list[int]:
    """The events of one key that is struck again and again from ``start`` on, at most ``gap_us`` apart.

    What else is struck meanwhile is passed over.
    """
    run = [start]
    for k in range(start + 1, len(notes)):
        if notes[k].onset_us - notes[run[-1]].onset_us > gap_us:
            break
        if notes[k].key == notes[start].key:
            run.append(k)
    return run


def roll_at(notes: Sequence[PlayedNote], start: int) -> Ornament | None:
    """A roll that begins with this stroke."""
    run = struck_again(notes, start, ROLL_GAP_US)
    return Ornament("roll", tuple(run)) if len(run) >= ROLL_STROKES else None


def flam_at(notes: Sequence[PlayedNote], start: int) -> Ornament | None:
    """A stroke just before another on the same drum."""
    for k in range(start + 1, len(notes)):
        gap = notes[k].onset_us - notes[start].onset_us
        if gap > FLAM_US:
            return None
        same = notes[k].key == notes[start].key
        if same and gap >= FLAM_LEAST_US and notes[start].velocity <= notes[k].velocity + FLAM_SOFTER:
            return Ornament("flam", (start, k))
    return None


def stroke_lengths(
    bars: BarLines, ticks: Sequence[int], keys: Sequence[int], order: Iterable[int], rolls: dict[int, int]
) -> list[int]:
    """Length of each stroke in ticks; ``rolls``: event -> where a roll was heard to end."""
    listed = list(order)
    lengths = [1] * len(ticks)
    if not listed:
        return lengths
    from ductus.core.score.catalogues.drum_patterns import stroke_ends  # only a kit needs the patterns

    for begin, end, meter in bars.between(min(ticks[n] for n in listed), max(ticks[n] for n in listed) + 1):
        bar = Bar(0, begin, end - begin, meter)
        mine = [n for n in listed if begin <= ticks[n] < end]
        ends = stroke_ends(bar, ((ticks[n], DRUMS[keys[n]].voice) for n in mine))
        onsets = sorted({(ticks[n], DRUMS[keys[n]].voice) for n in mine})
        for n in mine:
            place = (ticks[n], DRUMS[keys[n]].voice)
            until = ends[place]
            if n in rolls:
                following = min((t for t, voice in onsets if voice == place[1] and t > ticks[n]), default=end)
                grid = QUARTER // 2
                heard = ticks[n] + max(round((rolls[n] - ticks[n]) / grid), 1) * grid
                until = min(heard, following, end)
            lengths[n] = until - ticks[n]
    return lengths
