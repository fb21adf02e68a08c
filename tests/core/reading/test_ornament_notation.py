"""Ornaments that no allowed value can hold: written as signs, kept as they were decided."""

from __future__ import annotations

from dataclasses import replace

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.reading.live import LiveReading
from ductus.core.reading.model import Decisions, ReadSettings
from ductus.core.reading.pipeline import read
from ductus.core.reading.review.options import Passage, ReadingOptions, choices_from_json, choices_to_json, read_chosen
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import steady_map
from ductus.core.time.ticks import QUARTER

CLICK = steady_map(100, 0, 0)


def test_what_no_allowed_value_holds_is_written_as_its_sign_and_pushes_nothing_off_its_place() -> None:
    """A trill of eight to a beat over bass notes, where nothing is finer than a sixteenth.

    Note by note it would be crammed, and the bass would come early. Who wants its notes one by one gets them; while
    it is being played it reads the same.
    """
    trill = [PlayedNote(2_400_000 + k * 75_000, 2_400_000 + k * 75_000 + 70_000, 72 - k % 2) for k in range(16)]
    grace = [PlayedNote(4_150_000, 4_200_000, 71), PlayedNote(4_200_000, 4_900_000, 72)]
    bass = [
        PlayedNote(at, at + 590_000, key)
        for at, key in ((1_800_000, 43), (2_405_000, 48), (3_000_000, 52), (3_598_000, 55))
    ]
    take = Take(tuple(sorted((*trill, *grace, *bass), key=lambda n: (n.onset_us, n.key))))
    sixteenths = ReadSettings(meter=Meter(4, 4), shortest="16th")
    result = read(take, CLICK, sixteenths)
    found = {
        (str(n.pitch), n.tick // QUARTER, n.tick % QUARTER, n.articulations, len(n.grace_notes)) for n in result.notes
    }
    low = {(name, 3 + k, 0, (), 0) for k, name in enumerate(("G2", "C3", "E3", "G3"))}
    assert found == {*low, ("B4", 4, 0, ("trill",), 0), ("C5", 7, 0, (), 1)}
    assert "1 trill and 1 grace note" in result.remarks[0]
    first = min(e for o in result.ornaments if o.kind == "trill" for e in o.events)
    assert first in result.signed
    one_by_one = read(take, CLICK, sixteenths, Decisions(ornaments={first: False}))
    assert first not in one_by_one.signed
    assert len(one_by_one.notes) == len(result.notes) + 15
    assert len(read(take, CLICK, replace(sixteenths, shortest="64th")).notes) == len(take.notes)  # which hold it
    live, settings = LiveReading(CLICK, replace(sixteenths, key=0)), (3_600_000, 4_200_000, 4_800_000)
    for now in settings:
        live.advance([n for n in take.notes if n.onset_us < now], now)
    assert {(n.event, n.tick, n.articulations) for n in live.notes if n.hand == 1} == {
        (n.event, n.tick, n.articulations) for n in result.notes if n.hand == 1
    }


def test_what_was_decided_of_ornaments_is_kept_also_as_it_was_stored_before() -> None:
    choices = ReadingOptions(ReadSettings(meter=Meter(4, 4)), Decisions(ornaments={3: True, 8: False}))
    assert choices_from_json(choices_to_json(choices)).pins.ornaments == {3: True, 8: False}
    assert choices_from_json('{"settings":{},"ornaments":[3,9]}').pins.ornaments == {3: True, 9: True}


def test_a_sign_stays_where_a_passage_is_read_finer() -> None:
    """The trill is one note on the page; read again down to 32nds, which could hold its notes, it must not come out
    as the first of them alone.
    """
    trill = [PlayedNote(2_400_000 + k * 75_000, 2_400_000 + k * 75_000 + 70_000, 72 - k % 2) for k in range(16)]
    take = Take((PlayedNote(1_800_000, 2_350_000, 67), *trill, PlayedNote(3_600_000, 4_150_000, 67)))
    sixteenths = ReadSettings(meter=Meter(4, 4), shortest="16th", hand=1)
    whole = read_chosen(take, CLICK, ReadingOptions(sixteenths))
    main = next(n for n in whole.result.notes if n.articulations == ("trill",))
    finer = Passage(frozenset({main.event}), replace(sixteenths, shortest="32nd"))
    again = read_chosen(take, CLICK, ReadingOptions(sixteenths, passages=(finer,)))
    assert [(n.event, n.tick, n.ticks, n.articulations) for n in again.result.notes] == [
        (n.event, n.tick, n.ticks, n.articulations) for n in whole.result.notes
    ]
