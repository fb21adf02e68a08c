"""From a MIDI file to MusicXML files, without a server: what ``ductus transcribe`` does."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ductus.app.files.whole import write_out
from ductus.core.capture.takes import Take
from ductus.core.errors import BadInput
from ductus.core.pitch.keys import check_fifths
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.reading.decoding import decode
from ductus.core.reading.model import EVEN, Decisions, ReadingResult, ReadSettings
from ductus.core.reading.page.insertion import page_of, start_in_piece
from ductus.core.reading.pipeline import read
from ductus.core.score.mark_language.swing import swing_words
from ductus.core.score.model.piece import Piece
from ductus.core.time.meters import Meter, parse_meter
from ductus.core.time.note_values import STEP_BASES
from ductus.core.time.pulse_map import PulseMap, steady_map
from ductus.core.time.ticks import quarters_of_ticks, shown_ticks
from ductus.formats.midi_read import read_midi
from ductus.formats.musicxml_write import write_musicxml

if TYPE_CHECKING:
    from ductus.core.reading.merging import Vote

NAMES_OF_VALUES = {**{b: b for b in STEP_BASES}, "8th": "eighth", "4th": "quarter", "32th": "32nd"}
MUSICXML = (".musicxml", ".xml")


@dataclass(frozen=True, slots=True)
class Wishes:
    """The options of the command line as they were typed; ``tempo`` None means played freely."""

    meter: str | None = None
    tempo: float | None = None
    start_beat_at: float = 0.0
    about: float | None = None
    readings: int = 1
    shortest: str | None = None
    tuplets: bool | None = None
    split: str = "reach"
    swing: str | None = None
    key: str = "auto"
    title: str = ""


def settings_from(wishes: Wishes, file_meter: Meter | None) -> ReadSettings:
    """The settings of the reader. Raises BadInput for a wish that cannot be understood."""
    if wishes.shortest is not None and wishes.shortest not in NAMES_OF_VALUES:
        raise BadInput(f"'{wishes.shortest[:20]}' is no note value; use one of {', '.join(STEP_BASES)}.")
    if wishes.about is not None and not 5 <= wishes.about <= 1000:
        raise BadInput(f"A tempo of about {wishes.about:g} is out of reach (5 to 1000 quarters a minute).")
    fifths = None
    if wishes.key != "auto":
        try:
            fifths = int(wishes.key)
        except ValueError:
            raise BadInput(
                f"'{wishes.key[:20]}' is no key; use 'auto' or a number of sharps (+) or flats (-)."
            ) from None
        check_fifths(fifths)
    meter = parse_meter(wishes.meter) if wishes.meter else (file_meter if wishes.tempo is not None else None)
    return ReadSettings(
        meter=meter,
        shortest=NAMES_OF_VALUES[wishes.shortest] if wishes.shortest else None,
        tuplets=wishes.tuplets,
        split=None if wishes.split == "reach" else parse_pitch(wishes.split).midi,
        key=fifths,
        about=wishes.about,
        swing=swing_wished(wishes.swing),
    )


def swing_wished(text: str | None) -> float | None:
    """The swing of the command line. Raises BadInput for one that is none."""
    if text is None or text == "written":
        return None if text is None else EVEN
    found = swing_words(f"Swing {text}")
    if found is None:
        raise BadInput(
            f"'{text[:20]}' is no swing: give 'written', or a percentage from 50 to 75. Nothing was written."
        )
    return found[1] / 1000


def transcribe_file(
    midi: Path,
    out: Path,
    wishes: Wishes,
    doubts: Path | None = None,
    also: Sequence[Path] = (),
    traced: Path | None = None,
) -> tuple[str, dict[str, int]]:
    """Read ``midi`` and write ``out`` (and OUT-2, OUT-3 ... for rival readings, the doubts, the trace).

    ``also`` are further takes of the same. Returns what is to be said of them, and how many notes, bars
    and doubts there are.

    Raises BadInput or OSError; then nothing has been written.
    """
    if out.suffix.lower() not in MUSICXML:
        raise BadInput(f"A reading is written as .musicxml, not as '{out.suffix or out.name}'. Nothing was written.")
    file = read_midi(midi.read_bytes())
    settings = settings_from(wishes, file.meter)
    pulses: PulseMap | None = None
    if wishes.tempo is not None:
        pulses = steady_map(wishes.tempo, 0, round(wishes.start_beat_at * 1e6))
    settings = replace(settings, readings=wishes.readings)
    take, said = file.take, ""
    votes: tuple[Vote, ...] = ()
    if also:
        from ductus.core.reading.merging import together

        joined = together([take, *(read_midi(p.read_bytes()).take for p in also)], same_clock=pulses is not None)
        take, said, votes = joined.take, f"Read from {len(also) + 1} takes: {joined.words}.", joined.votes
    result = read(take, pulses, settings)
    pieces = [page_of(r, wishes.title) for r in (result, *result.rivals)[: wishes.readings]]
    for k, piece in enumerate(pieces, 1):
        path = out if k == 1 else out.with_name(f"{out.stem}-{k}{out.suffix}")
        write_out(path, write_musicxml(piece))
    if doubts is not None:
        write_out(doubts, json.dumps(doubts_json(result, pieces[0]), indent=1).encode())
    if traced is not None:
        rows = trace_json(take, result, settings, pieces[0], centred=pulses is None)
        write_out(traced, json.dumps(rows, indent=1).encode())
    figures = {"notes": len(result.notes), "bars": pieces[0].bar_count, "doubts": len(result.doubts)}
    return "\n  ".join([said, *votes_in(votes, result, pieces[0])]), figures


def trace_json(
    take: Take, result: ReadingResult, settings: ReadSettings, piece: Piece, *, centred: bool
) -> list[dict[str, Any]]:
    """Why each note was written as it was, as plain data.

    ``event`` its number in the take, ``key`` its MIDI key, ``tick`` from the start of the file (960 to the quarter;
    null where it is part of an ornament), ``stages`` the decision of each stage, the evidence and the rivals.
    """
    from ductus.core.reading.trace import trace

    start = start_in_piece(result)
    decoded = decode(take, result.pulses, replace(settings, meter=result.meter), centred=centred)
    return [
        {
            "event": row.event,
            "key": row.key,
            "tick": None if row.tick is None else float(shown_ticks(row.tick + start)),
            "stages": [
                {
                    "stage": stage.name,
                    "decided": stage.decided,
                    "because": stage.because,
                    "probability": stage.probability,
                    "rivals": [{"words": words, "probability": p} for words, p in stage.rivals],
                }
                for stage in row.stages
            ],
        }
        for row in trace(decoded, Decisions(), lambda tick: piece.timeline.place_words(tick + start))
    ]


def votes_in(votes: Sequence[Vote], result: ReadingResult, piece: Piece) -> list[str]:
    """Where several takes do not agree, by bar."""
    if not votes:
        return []
    from ductus.core.reading.merging import vote_words

    start, step = start_in_piece(result), result.meter.beat_ticks // 4

    def place(us: int) -> str:
        return piece.timeline.place_words(max(round((result.pulses.tick_at(us) + start) / step) * step, 0))

    return vote_words(votes, place, result.key)


def doubts_json(result: ReadingResult, piece: Piece) -> list[dict[str, Any]]:
    """The doubts as plain data, in terms of the file.

    ``bar`` the number of the measure, ``tick`` from the start of the file (960 to the quarter), ``notes`` the ids of
    the notes, ``events`` their numbers in the take; ``probability`` that all is right as read, and the rivals.
    """
    by_event = {n.event: n for n in piece.notes.values()}
    out = []
    for d in result.doubts:
        notes = [by_event[e] for e in d.events if e in by_event]
        tick = min(n.tick for n in notes)
        row = {
            "bar": piece.timeline.number_of(piece.timeline.bar_at(tick).index),
            "tick": float(shown_ticks(tick)),
            "quarters": str(quarters_of_ticks(tick)),
            "notes": [n.id for n in notes],
            "events": list(d.events),
            "probability": round(d.probability, 4),
            "words": d.words,
            "rivals": [{"words": r.words, "probability": round(r.probability, 4)} for r in d.rivals],
        }
        out.append(row)
    return out
