"""Page, MIDI file and playback tell the same notes, whatever was entered and edited.

Music21 reads the page, mido the file.
"""

from __future__ import annotations

import io
import random
from collections import defaultdict
from dataclasses import replace
from fractions import Fraction as F
from typing import Any

import mido
import music21
import pytest

from ductus.app.library import Library
from ductus.core.entry.commands.pen import PenTo, PlacePen
from ductus.core.entry.commands.registry import COMMANDS
from ductus.core.notation.bars import notate_bar
from ductus.core.playback.performance import one_by_one, performed, playback
from ductus.core.playback.tempo_map import written_tempo_map
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.positions import Delete
from ductus.core.score.note_edits.registry import EDITS
from ductus.core.score.note_edits.select import Select
from ductus.core.time.ticks import QUARTER
from ductus.formats.midi import FILE_QUARTER, file_ticks, write_midi
from ductus.formats.musicxml_write import write_musicxml
from tests.app.driving import Sitter
from tests.building import random_piece
from tests.inventing import ROUNDS, invent

Rows = list[tuple[int, int, F, F]]


def as_written(piece: Piece) -> Rows:
    """(staff, key, onset, length in quarters) of the records."""
    return sorted((n.staff, n.pitch.midi, F(n.tick, QUARTER), F(n.ticks, QUARTER)) for n in piece.notes.values())


def same(one: Rows, other: Rows) -> bool:
    """The same notes, to 1/500 of a quarter (music21 rounds odd fractions of a quarter)."""
    return len(one) == len(other) and all(
        a[:2] == b[:2] and abs(a[2] - b[2]) < F(1, 500) and abs(a[3] - b[3]) < F(1, 500)
        for a, b in zip(one, other, strict=True)
    )


def voice_of(element: music21.note.GeneralNote) -> str:
    """The voice inside its measure; music21 names none where there is only one."""
    voice = element.getContextByClass("Voice")
    return str(voice.id) if voice is not None else "1"


def as_music21_reads(piece: Piece) -> Rows:
    """(staff, key, onset, length in quarters) of the MusicXML file: each chain of ties is one note."""
    score = music21.converter.parseData(write_musicxml(piece).decode(), format="musicxml")
    out: Rows = []
    for staff, part in enumerate(score.parts, 1):
        open_ties: dict[int, list[tuple[F, F, str]]] = defaultdict(list)
        heads = [
            (F(e.getOffsetInHierarchy(part)), F(e.duration.quarterLength), voice_of(e), head)
            for e in part.recurse().notes
            if not isinstance(e, music21.harmony.Harmony) and not e.duration.isGrace
            for head in (e.notes if isinstance(e, music21.chord.Chord) else [e])
        ]
        for onset, length, voice, head in sorted(heads, key=lambda h: h[0]):
            kind = head.tie.type if head.tie else ""
            began = onset
            if kind in ("stop", "continue"):
                row = open_ties[head.pitch.midi]
                here = [k for k, (a, b, _) in enumerate(row) if abs(a + b - onset) < F(1, 500)]
                began, before, voice = row.pop(min(here, key=lambda k: row[k][2] != voice))
                length += before
            if kind in ("start", "continue"):
                open_ties[head.pitch.midi].append((began, length, voice))
            else:
                out.append((staff, head.pitch.midi, began, length))
        left = [t for row in open_ties.values() for t in row]
        assert not left, f"ties that end nowhere: {left}"
    return sorted(out)


def as_symbols(piece: Piece) -> Rows:
    """(staff, key, onset, length in quarters) of the heads that the bars show, ties joined by the note they belong
    to.
    """
    reach: dict[str, list[int]] = {}
    for part in piece.ordered_parts():
        for index in range(piece.bar_count):
            for voice in notate_bar(piece, part.id, index).voices:
                for s in voice.symbols:
                    for name in (n.id for n in s.notes):
                        a, b = reach.get(name, [s.tick, s.tick])
                        assert s.tick == b or name not in reach, "a note is written with a gap"
                        reach[name] = [a, s.tick + s.ticks]
    return sorted(
        (piece.notes[i].staff, piece.notes[i].pitch.midi, F(a, QUARTER), F(b - a, QUARTER))
        for i, (a, b) in reach.items()
    )


def as_mido_reads(piece: Piece) -> list[tuple[int, int, int]]:
    """(on, off in file ticks, key), each note-on with the next note-off of its key.

    None is left open, none opens twice.
    """
    file = mido.MidiFile(file=io.BytesIO(write_midi(piece)))
    assert file.ticks_per_beat == FILE_QUARTER
    out, sounding, now = [], {}, 0
    for message in mido.merge_tracks(file.tracks):
        now += message.time
        if message.type == "note_on":
            assert (message.channel, message.note) not in sounding
            sounding[message.channel, message.note] = now
        elif message.type == "note_off":
            out.append((sounding.pop((message.channel, message.note)), now, message.note))
    assert not sounding
    return sorted(out)


def assert_agree(piece: Piece) -> None:
    written = as_written(piece)
    assert as_symbols(piece) == written
    assert same(as_music21_reads(piece), written)
    sounds = performed(piece).notes
    in_file = [replace(s, on=file_ticks(s.on), off=max(file_ticks(s.off), file_ticks(s.on) + 1)) for s in sounds]
    assert as_mido_reads(piece) == sorted((s.on, s.off, s.key) for s in one_by_one(in_file))
    heard = playback(piece).notes
    pulses = written_tempo_map(piece)
    first = min((pulses.time_at(s.on) for s in sounds), default=0)
    zero = min(first, 0)
    assert sorted((n.onset_us, n.key) for n in heard) == sorted((pulses.time_at(s.on) - zero, s.key) for s in sounds)
    struck = {(s.on, s.key) for s in sounds}
    for note in piece.notes.values():  # every written note is heard where it stands, alone or in unison
        if not note.grace_notes:
            assert (max(note.tick + note.sounds_late, 0), note.pitch.midi) in struck


def entered(library: Library, seed: int) -> Sitter:
    """Somebody who enters, plays, selects, edits, pastes, undoes at random."""
    rng = random.Random(seed)
    meter, fifths = rng.choice(["4/4", "3/4", "6/8", "7/8", "2/2", "5/4"]), rng.randint(-4, 4)
    sitter = Sitter(library, library.add(random_piece(seed, meter, 4, fifths)))
    now = 0
    near: dict[str, list[Any]] = {
        "tick": [k * QUARTER // 2 for k in range(40)],
        "bar": [0, 1, 5],
        "text": ["3.2", "1.1", "²"],
    }
    for _ in range(40):
        now += rng.randint(60_000, 900_000)
        what = rng.random()
        ids = rng.sample(sorted(sitter.piece.notes), min(len(sitter.piece.notes), rng.randint(1, 6)))
        if what < 0.3:
            sitter.give(PenTo(True))
            sitter.press(*rng.sample(range(40, 84), rng.randint(1, 3)), at=now)
        elif what < 0.5:
            sitter.give(invent(rng.choice(COMMANDS), rng, 0.02, near), now)
        elif what < 0.85:
            sitter.edit(invent(rng.choice(EDITS), rng, 0.02, near | {"note": ids}), ids)
        elif what < 0.92:
            sitter.select(Select("all")) if rng.random() < 0.2 else sitter.clip(rng.choice(["copy", "cut"]), ids)
            sitter.clip("paste", [])
        else:
            sitter.undo() if rng.random() < 0.7 else sitter.redo()
        while sitter.piece.bar_count > 40:  # music21 is slow with long pieces
            sitter.undo()
            sitter.give(PlacePen("p1", 1, 0))
    return sitter


@pytest.mark.parametrize("seed", range(15 * ROUNDS))
def test_page_file_and_sound_tell_the_same_notes_after_any_edits(library: Library, seed: int) -> None:
    sitter = entered(library, seed)
    assert_agree(sitter.piece)
    while sitter.desk.history.undo:
        sitter.undo()
    assert_agree(sitter.piece)
    assert as_written(sitter.piece) == as_written(library.desk(sitter.piece_id).piece)


def test_the_test_would_see_a_note_that_only_the_sound_has(library: Library) -> None:
    sitter = entered(library, 3)
    one = next(iter(sitter.piece.notes))
    written = as_written(sitter.piece)
    sitter.edit(Delete(), [one])
    assert not same(as_music21_reads(sitter.piece), written)
