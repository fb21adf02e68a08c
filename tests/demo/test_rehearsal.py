"""The rehearsal keyboard plays what is written, and what it plays is read back."""

from __future__ import annotations

from collections import Counter

from ductus.core.capture.takes import Take
from ductus.core.reading.model import Decisions, ReadSettings
from ductus.core.reading.ornaments.detection import find_ornaments
from ductus.core.reading.pipeline import read
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import steady_map
from ductus.demo.player import play
from ductus.demo.scenario import dance


def test_trills_turns_rolled_chords_and_grace_notes_are_read_back_as_they_were_written() -> None:
    piece = dance()
    take = Take(tuple(play(piece, range(8), 7, 84, start_us=1_000_000)))
    found = find_ornaments(take)
    assert Counter(o.kind for o in found) == {"trill": 3, "turn": 1, "rolled chord": 4, "crushed note": 3}
    pins = Decisions(ornaments={o.events[0]: True for o in found})
    result = read(take, steady_map(84, 0, 1_000_000), ReadSettings(meter=Meter(4, 4)), pins)
    wanted = [(n.tick, n.ticks, n.pitch, n.staff, n.signs, n.grace_notes) for n in piece.notes.values()]
    written = [(n.tick, n.ticks, n.pitch, n.hand, n.articulations, n.grace_notes) for n in result.notes]
    assert Counter(written) == Counter(wanted)
    undecided = read(take, steady_map(84, 0, 1_000_000), ReadSettings(meter=Meter(4, 4), shortest="16th"))
    plain = [
        (tick, ticks, pitch, staff, tuple(s for s in signs if s != "rolled"), grace_notes)
        for tick, ticks, pitch, staff, signs, grace_notes in wanted
    ]
    written = [(n.tick, n.ticks, n.pitch, n.hand, n.articulations, n.grace_notes) for n in undecided.notes]
    assert Counter(written) == Counter(
        plain
    )  # what no sixteenth holds is a sign; a chord that one hand rolls is in that hand
    assert undecided.remarks == (
        "Too fast to be counted, so written as signs: 3 grace notes, 3 trills and 1 turn. The take keeps every note.",
    )
