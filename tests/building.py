"""Small builders that tests share: a piece from (quarters, length) pairs, a piece of random notes."""

from __future__ import annotations

import io
import itertools
import random
from collections.abc import Iterable
from fractions import Fraction as F

import mido

from ductus.core.capture.takes import PlayedNote
from ductus.core.pitch.pitches import parse_pitch, spell_in_key
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.time.meters import parse_meter
from ductus.core.time.ticks import ticks_of_quarters

Quarters = F | float | str


def piece_of(
    meter: str,
    notes: Iterable[tuple[Quarters, Quarters]],
    pickup: F = F(0),
    pitch: str = "C5",
    fifths: int = 0,
) -> Piece:
    """One voice of equal pitches at (onset, length) in quarters, on the upper staff."""
    piece = new_piece("keys", meter=parse_meter(meter), pickup=ticks_of_quarters(pickup), fifths=fifths)
    draft = Draft(piece)
    for onset, length in notes:
        tick, ticks = ticks_of_quarters(F(onset)), ticks_of_quarters(F(length))
        draft.put(Note(draft.new_id("n"), "p1", 1, 1, tick, ticks, parse_pitch(pitch)))
    return draft.change("test").apply(piece)


def random_piece(seed: int, meter: str, bars: int = 12, fifths: int = 0, pickup: F = F(0)) -> Piece:
    """Two hands of random values (triplets of eighths and sixteenths too), chords and rests."""
    rng = random.Random(seed)
    piece = new_piece("keys", "Random", parse_meter(meter), fifths, pickup=ticks_of_quarters(pickup))
    draft = Draft(piece)
    end = pickup + bars * F(parse_meter(meter).count * 4, parse_meter(meter).unit)
    for staff in (1, 2):
        at = F(0)
        while at < end:
            length = rng.choice([F(1, 4), F(1, 2), F(1, 2), F(3, 4), F(1), F(1), F(3, 2), F(2), F(3), F(1, 3), F(1, 6)])
            count = {3: 3, 6: 3}.get(length.denominator, 1)
            span = length * count
            if at + span > end or (count > 1 and at % span):
                length, count = F(1, 4), 1
            for _ in range(count):
                keys = sorted(
                    rng.sample(range(60, 84) if staff == 1 else range(36, 58), rng.choice([0, 1, 1, 1, 2, 3]))
                )
                for key in keys:
                    note = Note(
                        draft.new_id("n"),
                        "p1",
                        staff,
                        1,
                        ticks_of_quarters(at),
                        ticks_of_quarters(length),
                        spell_in_key(key, fifths),
                        rng.randint(30, 110),
                    )
                    draft.put(note)
                at += length
    return draft.change("random").apply(piece)


def midi_of(notes: Iterable[PlayedNote], quarters_per_minute: float, meter: tuple[int, int]) -> bytes:
    """Played notes as a MIDI file that states its tempo and meter."""
    us = round(60e6 / quarters_per_minute)
    track = mido.MidiTrack(
        [
            mido.MetaMessage("set_tempo", tempo=us),
            mido.MetaMessage("time_signature", numerator=meter[0], denominator=meter[1]),
        ]
    )
    events = [(n.onset_us, 1, n.key, n.velocity) for n in notes] + [(n.release_us, 0, n.key, 0) for n in notes]
    now = 0
    for at_us, down, key, velocity in sorted(events):
        tick = round(at_us * 960 / us)
        track.append(mido.Message("note_on" if down else "note_off", note=key, velocity=velocity, time=tick - now))
        now = tick
    file = mido.MidiFile(type=0, ticks_per_beat=960)
    file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def one_chord_at_a_time(piece: Piece) -> None:
    """Assert the rule on which page, sound and file agree.

    Notes of a voice that sound together begin and end together.
    """
    for line in {n.line for n in piece.notes.values()}:
        notes = sorted((n for n in piece.notes.values() if n.line == line), key=lambda n: n.tick)
        for a, b in itertools.pairwise(notes):
            assert a.end <= b.tick or (a.tick, a.ticks) == (b.tick, b.ticks), f"{a} sounds against {b}"
