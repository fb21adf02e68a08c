"""Reading while it is played: a growing take, beat by beat.

A *live reading* reads only the last bars again each time; what lies further back stays as it was. The feel of the
player is carried along, so that one decoding is enough for a beat.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.reading.evidence import Located
from ductus.core.reading.model import Decisions, ReadNote, ReadSettings
from ductus.core.reading.ornaments.detection import dressed, find_ornaments, plainly
from ductus.core.reading.ornaments.notation import as_signs
from ductus.core.reading.percussion import strangers
from ductus.core.reading.quantization.beat_grid import grid_for
from ductus.core.reading.quantization.lattice import Feel
from ductus.core.reading.quantization.placement import CHORD_SD_PRIOR_S, NOTE_SD_S, place_onward
from ductus.core.reading.writing import played_notes, write_down
from ductus.core.time.bars import BarLines
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import PulseMap

BARS_BACK = 1  # whole bars before the present one that are read again


@dataclass(slots=True)
class LiveReading:
    """The notes read so far, in ticks of ``pulses``; ``advance`` takes in what was played since."""

    pulses: PulseMap
    settings: ReadSettings
    notes: list[ReadNote] = field(default_factory=list)
    feel: Feel = field(default_factory=lambda: Feel(0.0, CHORD_SD_PRIOR_S, NOTE_SD_S))

    def advance(self, played: list[PlayedNote], now_us: int) -> list[ReadNote]:
        """Read again from a bar back; ``played`` are all notes of the take that were let go or are held (their
        release is then ``now_us``). Returns all notes of the reading.
        """
        settings = replace(self.settings, meter=self.settings.meter or Meter(4, 4), key=self.settings.key or 0)
        bars = settings.bars
        from_tick = bars.bar_at(round(self.pulses.tick_at(now_us)))[0]
        for _ in range(BARS_BACK):
            from_tick = bars.bar_at(from_tick - 1)[0]
        from_us = self.pulses.time_at(from_tick) - 120_000
        first = next((k for k, n in enumerate(played) if n.onset_us >= from_us), len(played))
        kept = [n for n in self.notes if n.event < first]
        part = Take(
            tuple(replace(n, release_us=max(min(n.release_us, now_us), n.onset_us + 1)) for n in played[first:])
        )
        unknown = strangers(part) if settings.kit is not None else frozenset()
        if len(unknown) < len(part.notes):  # else nothing has been played that can stand on the page
            grid = grid_for(self.pulses, bars, part.notes[0].onset_us, part.notes[-1].onset_us)
            whole = part
            taken = as_signs(part, find_ornaments(part), grid, settings, {}) if settings.kit is None else ()
            part, events = plainly(part, taken)
            heard = played_notes(part)
            places = place_onward(heard, grid, settings, self.feel)
            self.feel = places.feel
            located = Located(part, heard, grid, places, self.pulses, settings)
            result = write_down(located, Decisions(), doubts=False)
            own = [replace(n, event=events[n.event]) for n in result.notes]
            fresh = [replace(n, event=n.event + first) for n in dressed(own, whole, taken, result.key)]
            held = {first + k for k, n in enumerate(played[first:]) if n.release_us >= now_us}
            fresh = [undotted(n) if n.event in held else n for n in fresh]
            kept = followed(kept, self.notes, fresh)
            kept += grown(fresh, bars, round(self.pulses.tick_at(now_us)))
        self.notes = kept
        return kept


def undotted(note: ReadNote) -> ReadNote:
    """A note whose key is still down: it has not been let go early."""
    return replace(note, articulations=tuple(a for a in note.articulations if a != "staccato"))


def followed(kept: list[ReadNote], before: list[ReadNote], fresh: list[ReadNote]) -> list[ReadNote]:
    """The notes that are not read again, those that ended at the place of a note which now stands elsewhere going on
    to it.
    """
    old = {n.event: n.tick for n in before}
    moved = {(n.hand, old[n.event]): n.tick for n in fresh if old.get(n.event, n.tick) != n.tick}
    return [
        replace(n, ticks=end - n.tick) if (end := moved.get((n.hand, n.tick + n.ticks), 0)) > n.tick else n
        for n in kept
    ]


def grown(notes: list[ReadNote], bars: BarLines, now: int) -> list[ReadNote]:
    """The notes with those that nothing follows yet in their hand written up to the end of a beat, at most to their
    bar line: what still sounds has no value of its own, and scraps of it would flicker on the page.
    """
    last = {hand: max(n.tick for n in notes if n.hand == hand) for hand in {n.hand for n in notes}}
    out = []
    for n in notes:
        if n.tick == last[n.hand]:
            bar, bar_end, meter = bars.bar_at(n.tick)
            edges = [e for e in (*(bar + start for start in meter.beat_starts), bar_end) if e > n.tick]
            end = next((e for e in edges if e >= min(n.tick + n.ticks, now)), edges[-1])
            n = replace(n, ticks=end - n.tick)
        out.append(n)
    return out
