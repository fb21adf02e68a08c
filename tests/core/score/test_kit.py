"""A kit: its drums, how they are written, entered, read, and the patterns whose copies follow."""

from __future__ import annotations

import io
import random

import mido
import music21
import pytest
from lxml import etree
from music21.midi.percussion import PercussionMapper

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.entry.commands.mode import KitBy, NameDrum, PulseKey, RepeatHeld, WayTo
from ductus.core.entry.commands.pen import PenTo, Rest, ReturnToStart
from ductus.core.entry.events import Command, KeyDown, KeyUp, Wait
from ductus.core.entry.machine import advance_entry
from ductus.core.entry.state import EntryState, StepValue, evolved
from ductus.core.errors import BadInput
from ductus.core.reading.model import ReadSettings
from ductus.core.reading.pipeline import read
from ductus.core.score.catalogues.drum_patterns import READY, varied_bars
from ductus.core.score.catalogues.drums import DRUMS, FEET, HANDS, drum_at, drum_by_place
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.write import delete_notes
from ductus.core.score.structure_edits.bars import InsertBars, RemoveBars
from ductus.core.score.structure_edits.drum_patterns import (
    FollowPattern,
    LetPatternGo,
    MakePattern,
    RepeatPattern,
    StrikeCell,
)
from ductus.core.time.meters import Meter, parse_meter
from ductus.core.time.pulse_map import steady_map
from ductus.core.time.ticks import QUARTER
from ductus.formats.midi import write_midi
from ductus.formats.musicxml_write import write_musicxml

KICK, SNARE, CLOSED, OPEN, CRASH = 36, 38, 42, 46, 49


class Drummer:
    """Somebody with the pen down on the kit."""

    def __init__(self, step: str = "eighth", **state: object) -> None:
        self.piece = new_piece("keys and kit", fifths=-2)
        self.state = evolved(EntryState("p2", down=True, step=StepValue(step)), **state)
        self.now = 0
        self.said = ""

    def give(self, event: object) -> None:
        outcome = advance_entry(self.state, event, self.piece)  # type: ignore[arg-type]
        self.state = outcome.state
        self.said = outcome.say or self.said
        if outcome.change:
            self.piece = outcome.change.apply(self.piece)

    def strike(self, *keys: int) -> None:
        for key in keys:
            self.now += 1000
            self.give(KeyDown(self.now, key, 90))
        for key in keys:
            self.now += 1000
            self.give(KeyUp(self.now, key))

    def strokes(self) -> list[tuple[float, float, int, int]]:
        """(quarters, length, key, voice) of all notes."""
        return sorted((n.tick / QUARTER, n.ticks / QUARTER, n.pitch.midi, n.voice) for n in self.piece.notes.values())


def test_the_drums_are_those_of_general_midi() -> None:
    """Families of the keys as music21's mapper of percussion keys has them.

    36 bass drum, 38 snare, 42 closed hi-hat (General MIDI 1).
    """
    words = {
        "BassDrum": "Bass Drum", "SnareDrum": ("Snare", "Side Stick"), "TomTom": "Tom", "HiHatCymbal": "Hi-Hat",
        "CrashCymbals": "Crash", "BongoDrums": "Bongo",
        "CongaDrum": "Conga", "Woodblock": "Wood Block",
    }  # fmt: skip
    mapped = PercussionMapper().reverseInstrumentMapping
    assert len(mapped) > 30
    for key, kind in mapped.items():
        wanted = words.get(kind.__name__, kind.__name__.rstrip("s"))
        assert any(w in DRUMS[key].name for w in ([wanted] if isinstance(wanted, str) else wanted)), (key, kind)
    assert sorted(DRUMS) == list(range(35, 82))
    assert [DRUMS[k].name for k in (36, 38, 42)] == ["Bass Drum 1", "Acoustic Snare", "Closed Hi-Hat"]


def test_no_two_drums_look_alike() -> None:
    looks = [(d.place, d.head) for d in DRUMS.values()]
    assert len(set(looks)) == len(looks)


def test_hands_and_feet_have_voices_of_their_own_and_a_stroke_leaves_the_other_voice() -> None:
    d = Drummer()
    for keys in ((KICK,), (), (SNARE, KICK)):
        d.strike(*keys) if keys else d.give(Command(Rest()))
    d.give(Command(ReturnToStart()))
    for _ in range(3):
        d.strike(CLOSED)
    assert d.strokes() == [
        (0.0, 0.5, KICK, FEET), (0.0, 0.5, CLOSED, HANDS), (0.5, 0.5, CLOSED, HANDS), (1.0, 0.5, KICK, FEET),
        (1.0, 0.5, CLOSED, HANDS),
    ]  # fmt: skip


def test_a_key_that_is_no_drum_says_so_and_writes_nothing() -> None:
    d = Drummer()
    d.strike(100)
    assert "Key 100 is no drum" in d.said
    assert not d.piece.notes
    assert d.state.tick == 0


def test_a_key_is_named_by_striking_it_and_forgotten_again() -> None:
    d = Drummer()
    d.give(Command(NameDrum(CRASH)))
    d.strike(100)
    assert d.piece.part("p2").kit == ((100, CRASH),)
    d.strike(100)
    assert [s[2] for s in d.strokes()] == [CRASH]
    d.give(Command(NameDrum()))
    assert d.piece.part("p2").kit == ()


@pytest.mark.parametrize("pen_put_down", [False, True])
def test_a_pad_is_named_with_the_pen_up_and_never_written_instead(pen_put_down: bool) -> None:
    d = Drummer()
    d.give(Command(PenTo(False)))
    d.give(Command(NameDrum(CRASH)))
    if pen_put_down:  # between the command and the stroke
        d.give(Command(PenTo(True)))
    d.strike(100)
    assert d.piece.part("p2").kit == ((100, CRASH),)
    assert not d.piece.notes


def test_the_pulse_key_is_named_with_the_pen_up() -> None:
    d = Drummer()
    d.give(Command(PenTo(False)))
    d.give(Command(PulseKey(listen=True)))
    d.strike(40)
    assert (d.state.pulse_key, d.state.naming_pulse) == (40, False)
    assert not d.piece.notes


def test_keys_mean_drums_by_their_place_on_the_staff() -> None:
    """Common practice: the snare stands in the third space (C 5), the bass drum in the first (F 4), the hi-hat above
    the staff (G 5).
    """
    assert [drum_by_place(key).key for key in (72, 65, 79)] == [SNARE, KICK, CLOSED]
    assert drum_by_place(80).key == OPEN  # the black key above: the other one there
    d = Drummer()
    d.give(Command(KitBy("place")))
    d.strike(72)
    assert [s[2] for s in d.strokes()] == [SNARE]
    assert drum_at(200).key in DRUMS  # far above the staff: the nearest


def test_a_held_pad_is_struck_again_at_each_step() -> None:
    d = Drummer("16th", walk_us=100_000)
    d.give(Command(WayTo("walk")))
    d.give(Command(RepeatHeld(True)))
    d.give(KeyDown(0, SNARE, 80))
    for at in (40_000, 140_000, 240_000, 340_000):
        d.give(Wait(at))
    d.give(KeyUp(350_000, SNARE))
    assert d.strokes() == [(k / 4, 0.25, SNARE, HANDS) for k in range(4)]


def beat(bars: int = 1) -> Drummer:
    """Eighths on the hat, bass drum on 1 and 3, snare on 2 and 4."""
    d = Drummer()
    for k in range(8 * bars):
        d.strike(CLOSED, *([KICK] if k % 4 == 0 else [SNARE] if k % 4 == 2 else []))
    return d


def test_the_file_says_which_drum_is_where_and_music21_reads_it() -> None:
    xml = write_musicxml(beat().piece)
    kit = music21.converter.parseData(xml.decode(), format="musicxml").parts[-1]
    read_ = sorted(
        (float(n.offset), str(p.displayName), n.duration.quarterLength)
        for n in kit.recurse().notes
        for p in (n.notes if hasattr(n, "notes") else [n])
    )
    assert len(read_) == 12
    assert [name for at, name, _ in read_ if at == 0] == ["F4", "G5"]
    assert [name for at, name, _ in read_ if at == 1] == ["C5", "G5"]
    root = etree.fromstring(xml)
    unpitched = {
        m.get("id"): int(m.findtext("midi-unpitched") or 0) - 1
        for m in root.iter("midi-instrument")
        if m.findtext("midi-unpitched")
    }
    assert sorted(unpitched.values()) == [KICK, SNARE, CLOSED]
    struck = [unpitched[i.get("id")] for i in root.iter("instrument") if i.get("id") in unpitched]
    assert sorted(struck) == sorted([CLOSED] * 8 + [KICK] * 2 + [SNARE] * 2)
    heads = {
        (n.findtext("unpitched/display-step"), n.findtext("notehead"), n.findtext("stem"))
        for n in root.iter("note")
        if n.find("unpitched") is not None
    }
    assert heads == {("G", "x", "up"), ("C", None, "up"), ("F", None, "down")}


def test_the_midi_file_strikes_the_same_keys_on_channel_10() -> None:
    midi = mido.MidiFile(file=io.BytesIO(write_midi(beat().piece)))
    struck = [m.note for t in midi.tracks for m in t if m.type == "note_on" and m.channel == 9]
    assert sorted(struck) == sorted([CLOSED] * 8 + [KICK] * 2 + [SNARE] * 2)


# --- read --------------------------------------------------------------------------------------


def drummed(strokes: list[tuple[float, int, int]], us: int = 500_000, seed: int = 5) -> Take:
    """Strokes (beat, key, velocity) as a person plays them: some milliseconds off."""
    rng = random.Random(seed)
    notes = [(round(max(at * us + rng.gauss(0, 8000), 0)), key, velocity) for at, key, velocity in strokes]
    return Take(tuple(PlayedNote(t, t + 40_000, key, velocity) for t, key, velocity in sorted(notes)))


KIT = ReadSettings(meter=Meter(4, 4), kit=(), hand=1)


def test_finger_drumming_is_read_as_it_was_meant() -> None:
    strokes = (
        [(k / 2, CLOSED, 70) for k in range(16)]
        + [(b, KICK, 100) for b in (0, 2, 2.5, 4, 6)]
        + [(b, SNARE, 100) for b in (1, 3, 5, 7)]
    )
    result = read(drummed(strokes), steady_map(120, 0, 0), KIT)
    assert sorted((n.tick / QUARTER, n.pitch.midi) for n in result.notes) == sorted((at, key) for at, key, _ in strokes)
    assert {n.voice for n in result.notes if n.pitch.midi == KICK} == {FEET}
    lengths = {n.tick / QUARTER: n.ticks / QUARTER for n in result.notes if n.pitch.midi == KICK}
    assert lengths == {
        0: 1,
        2: 0.5,
        2.5: 0.5,
        4: 1,
        6: 1,
    }  # to the next stroke of the feet, at most to the end of the beat
    assert not any(n.articulations for n in result.notes)


def test_a_flam_is_a_grace_note_and_a_roll_has_tremolo_strokes() -> None:
    us = 500_000
    notes = [PlayedNote(us - 30_000, us, SNARE, 50), PlayedNote(us, us + 50_000, SNARE, 100)]
    notes += [PlayedNote(4 * us + k * 60_000, 4 * us + k * 60_000 + 30_000, SNARE, 70) for k in range(16)]
    result = read(Take((PlayedNote(0, 40_000, KICK, 90), *notes)), steady_map(120, 0, 0), KIT)
    snare = sorted((n for n in result.notes if n.pitch.midi == SNARE), key=lambda n: n.tick)
    assert [n.tick / QUARTER for n in snare] == [1, 4]
    assert [p.midi for p in snare[0].grace_notes] == [SNARE]
    assert snare[1].articulations == ("tremolo-3",)
    assert snare[1].ticks == 2 * QUARTER


def test_strokes_on_keys_that_are_no_drums_are_said() -> None:
    result = read(drummed([(0, KICK, 90), (1, 20, 90), (2, KICK, 90)]), steady_map(120, 0, 0), KIT)
    assert [n.pitch.midi for n in result.notes] == [KICK, KICK]
    assert any("1 stroke on keys that mean no drum" in r for r in result.remarks)
    learned = ReadSettings(meter=Meter(4, 4), kit=((20, SNARE),), hand=1)
    again = read(drummed([(0, KICK, 90), (1, 20, 90), (2, KICK, 90)]), steady_map(120, 0, 0), learned)
    assert [n.pitch.midi for n in again.notes] == [KICK, SNARE, KICK]


# --- patterns ------------------------------------------------------------------------------------


class Maker:
    """A piece with a kit on which edits are made one after the other."""

    def __init__(self, meter: str = "4/4") -> None:
        self.piece: Piece = new_piece("keys and kit", meter=parse_meter(meter))
        self.said = ""

    def do(self, edit: object) -> None:
        change = edit.change(self.piece)  # type: ignore[attr-defined]
        undone = change.inverse().apply(change.apply(self.piece))
        assert dict(undone.notes) == dict(self.piece.notes)
        assert dict(undone.patterns) == dict(self.piece.patterns)
        self.piece, self.said = change.apply(self.piece), change.sentence

    @property
    def id(self) -> str:
        return next(iter(self.piece.patterns))

    def bar(self, index: int) -> list[tuple[float, int]]:
        """(quarters into the bar, key) of its strokes."""
        bar = self.piece.timeline.bar(index)
        return sorted(
            ((n.tick - bar.start) / QUARTER, n.pitch.midi)
            for n in self.piece.notes.values()
            if bar.start <= n.tick < bar.end
        )


def test_every_copy_follows_until_one_bar_is_varied() -> None:
    m = Maker()
    m.do(MakePattern("p2", 0, 1, 4, "eighths with a backbeat"))
    assert all(m.bar(k) == m.bar(0) for k in range(4))
    m.do(StrikeCell(m.id, 0, CRASH))
    assert all((0.0, CRASH) in m.bar(k) for k in range(4))
    first = min(
        (n for n in m.piece.notes.values() if m.piece.timeline.bar_at(n.tick).index == 2),
        key=lambda n: (n.tick, n.pitch.midi),
    )
    m.piece = delete_notes(m.piece, [first.id]).apply(m.piece)
    assert varied_bars(m.piece, m.piece.patterns[m.id]) == [2]
    kept = m.bar(2)
    m.do(StrikeCell(m.id, 0, CRASH, 0))
    assert m.bar(2) == kept
    assert (0.0, CRASH) not in m.bar(3)
    assert "bar 3 is varied and stays" in m.said
    m.do(FollowPattern(m.id, 2))
    assert m.bar(2) == m.bar(0)


def test_copies_come_and_go_and_a_varied_bar_stays() -> None:
    m = Maker()
    m.do(MakePattern("p2", 0, 1, 2, "eighths with a backbeat"))
    m.do(RepeatPattern(m.id, 6))
    assert m.bar(5) == m.bar(0)
    note = next(n for n in m.piece.notes.values() if m.piece.timeline.bar_at(n.tick).index == 5)
    m.piece = delete_notes(m.piece, [note.id]).apply(m.piece)
    left = m.bar(5)
    m.do(RepeatPattern(m.id, 2))
    assert m.bar(4) == []
    assert m.bar(5) == left
    m.do(LetPatternGo(m.id))
    assert m.bar(1) == m.bar(0) != []


def test_what_is_written_becomes_a_pattern_and_velocities_go_by_meter() -> None:
    m = Maker()
    m.piece = beat().piece
    m.do(MakePattern("p2", 0, 1, 3))
    assert m.bar(2) == m.bar(0)
    m.do(StrikeCell(m.id, 3 * QUARTER + QUARTER // 2, OPEN))
    loud = {n.velocity for n in m.piece.notes.values() if n.pitch.midi == OPEN}
    m.do(StrikeCell(m.id, 0, OPEN))
    assert max(n.velocity for n in m.piece.notes.values() if n.pitch.midi == OPEN and n.tick == 0) > max(loud)


def test_patterns_move_with_bars_and_are_cut_where_bars_come_between() -> None:
    m = Maker()
    m.do(MakePattern("p2", 2, 1, 4, "eighths with a backbeat"))
    before = m.bar(2)
    m.do(InsertBars(0, 1))
    assert m.piece.patterns[m.id].start == m.piece.timeline.bar(3).start
    assert m.bar(3) == before
    m.do(InsertBars(5, 2))
    assert m.piece.patterns[m.id].times == 2
    m.do(RemoveBars(0, 0))
    assert m.piece.patterns[m.id].start == m.piece.timeline.bar(2).start


@pytest.mark.parametrize("pattern", READY, ids=lambda p: p.name)
def test_each_ready_pattern_fills_its_meter(pattern: object) -> None:
    m = Maker(f"{pattern.beats[0]}/{pattern.beats[1]}")  # type: ignore[attr-defined]
    m.do(MakePattern("p2", 0, 1, 2, pattern.name))  # type: ignore[attr-defined]
    assert m.bar(1) == m.bar(0) != []
    assert all(len(row) == pattern.steps for _, row in pattern.rows)  # type: ignore[attr-defined]
    wrong = Maker("5/8")
    with pytest.raises(BadInput, match="is for bars of"):
        wrong.do(MakePattern("p2", 0, 1, 2, pattern.name))  # type: ignore[attr-defined]


def test_patterns_are_for_kits_and_end_where_pieces_end() -> None:
    m = Maker()
    with pytest.raises(BadInput, match="is no kit"):
        m.do(MakePattern("p1", 0, 1, 2))
    m.do(MakePattern("p2", 0, 1, 2, "eighths with a backbeat"))
    with pytest.raises(BadInput, match="behind the end"):
        m.do(StrikeCell(m.id, 40 * QUARTER, KICK))
    with pytest.raises(BadInput, match="where pieces end"):
        m.do(MakePattern("p2", 9_990, 16, 200, "eighths with a backbeat"))
