"""Places for the notes of a take whose beats are known: ornaments, pedal, lattice.

take + pulse map + settings -> ``Decoded`` (places found) -> ``ReadingResult`` (written, with a person's decisions)
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from ductus.core.capture.takes import Take
from ductus.core.progress import stretch
from ductus.core.reading.evidence import Located, NoteEvidence
from ductus.core.reading.model import Decisions, Doubt, Ornament, ReadingResult, ReadSettings
from ductus.core.reading.ornaments.detection import dressed, find_ornaments, plainly, rolled_upwards
from ductus.core.reading.ornaments.notation import as_signs, sign_words
from ductus.core.reading.percussion import find_strokes, on_drums
from ductus.core.reading.quantization.beat_grid import grid_for
from ductus.core.reading.quantization.displaced_onsets import onto_beats
from ductus.core.reading.quantization.placement import NoteArrays, place_take
from ductus.core.reading.quantization.swing import evened, swing_asked
from ductus.core.reading.sustain import with_pedal
from ductus.core.reading.writing import assign_hands, played_notes, weigh, write_down
from ductus.core.time.note_values import BASE_TICKS
from ductus.core.time.pulse_map import PulseMap

ROLLED_REACH = 17  # semitones that one hand rolls
FINER_APART = 0.3  # in shortest values: nearer onsets are a chord
FINER_RUN = 1.8  # in shortest values: four notes within so much are finer playing
CHORD_S = 0.05  # onsets farther apart are no chord, however long the shortest value is
SLIP_US, SLIP_VELOCITY = 45_000, 22  # shorter and softer than both: probably brushed by accident


@dataclass(frozen=True, slots=True)
class Decoded:
    """A take with the places of its notes found; it is written from here with whatever decisions.

    located    the notes that were placed: those of ``whole``, ornaments that are written as signs made plain
    events     for each of them its number in the whole take
    heard      all ornaments that were heard
    ornaments  those of them that are written as signs
    decided    where a person decided that, by the first event
    """

    whole: Take
    ornaments: tuple[Ornament, ...]
    events: tuple[int, ...]
    located: Located
    heard: tuple[Ornament, ...]
    decided: Mapping[int, bool]

    def own_decisions(self, decisions: Decisions) -> Decisions:
        """A person's decisions by the numbers of the located take, rolled chords held in one hand."""
        here = {event: n for n, event in enumerate(self.events)}

        def local(mine: Mapping[int, int]) -> dict[int, int]:
            return {here[e]: v for e, v in mine.items() if e in here}

        own = Decisions(
            local(decisions.hands),
            local(decisions.places),
            local(decisions.values),
            left_out=frozenset(here[e] for e in decisions.left_out if e in here),
        )
        return replace(own, hands={**self._rolled_by(own), **own.hands})

    def evidence(self, decisions: Decisions) -> NoteEvidence:
        """What each stage found, for a trace; not for a kit."""
        return weigh(self.located, self.own_decisions(decisions))

    def written(self, decisions: Decisions) -> ReadingResult:
        """The written notes, decisions obeyed (but for those of ornaments, which were decided before)."""
        result = write_down(self.located, self.own_decisions(decisions))
        settings = self.located.settings
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
                *swing_remark(result),
                *(sign_words(self.ornaments, self.decided) if settings.kit is None else ()),
                *remarks_on(self.whole),
                *finer_heard(self.located.played, self.located.pulses, settings.shortest),
            ),
        )

    def _rolled_by(self, own: Decisions) -> dict[int, int]:
        """The hands of rolled chords: one hand rolls a chord that it can reach (common practice), the one that has
        most of it.
        """
        here = {event: n for n, event in enumerate(self.events)}
        signed = {o.events for o in self.ornaments}
        rolled = [o for o in self.heard if o.kind == "rolled chord"]
        even = self.located.places.feel.chord_sd
        rolled = [o for o in rolled if o.events in signed or rolled_upwards(self.whole, o, even)]
        chords = [[here[e] for e in o.events if e in here] for o in rolled]
        keys = self.located.played.key
        chords = [c for c in chords if c and max(keys[c]) - min(keys[c]) <= ROLLED_REACH]
        if not chords:
            return {}
        at = self.located
        hand, _ = assign_hands(at.played, at.places, at.settings, own)
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
    swing = swing_asked(take, grid, settings)
    if swing is not None:
        take = evened(take, grid, swing)
    played = played_notes(take)
    let_go = played.release
    if settings.pedal:
        take = with_pedal(take)
        played = played_notes(take)
    with stretch(0.0, 0.6):
        places = place_take(played, grid, settings, rivals=True, centred=centred)
    if settings.kit is None:
        places = onto_beats(places, played.key, played.onset, let_go, grid, centred=centred)
    return Decoded(whole, taken, events, Located(take, played, grid, places, pulses, settings, swing), heard, decided)


def read_against(
    take: Take, pulses: PulseMap, settings: ReadSettings, pins: Decisions, *, centred: bool = False
) -> ReadingResult:
    """Read a take whose beats are known; ``centred`` if they were found from its own notes."""
    return decode(take, pulses, settings, centred=centred, ornaments=pins.ornaments).written(pins)


def swing_remark(result: ReadingResult) -> tuple[str, ...]:
    """A sentence where the take was played with a swing."""
    if not result.swing:
        return ()
    long = round(result.swing / 10)
    return (f"Eighths were played long and short, {long} to {100 - long}: written even, with the sign.",)


def remarks_on(take: Take) -> tuple[str, ...]:
    """Sentences about the reading as a whole."""
    out = []
    slips = sum(n.release_us - n.onset_us < SLIP_US and n.velocity < SLIP_VELOCITY for n in take.notes)
    if slips:
        out.append(
            f"{slips} very short, soft {'note' if slips == 1 else 'notes'} may be slips; they are written all the same."
        )
    return tuple(out)


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
