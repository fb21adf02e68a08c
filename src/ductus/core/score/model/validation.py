"""Is a piece one that Ductus could have made?

Asked of pieces that come from files, before anything is done with them.
"""

from __future__ import annotations

from collections.abc import Iterable

from ductus.core.errors import BadInput
from ductus.core.score.model.mark_kinds import KINDS, LEAST_SHARE, MOST_SHARE, STROKES
from ductus.core.score.model.note_signs import BAR_SIGNS, NOTE_SIGNS
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import CAUTIONS, CLEFS, MAX_TEXT, Mark, Note
from ductus.core.score.note_edits.write import MAX_VOICES
from ductus.core.time.bars import MAX_BAR

MOST_PARTS = 64
KEYS = range(128)


def check_piece(piece: Piece, takes: Iterable[int] = ()) -> None:
    """Raises BadInput, with the record, for a piece that holds what none can.

    A note of no part, a mark of no kind, a place behind the last bar. ``takes`` are the numbers of the takes that
    notes and readings may name.
    """
    known = set(takes)
    facts = piece.facts
    _must(0 <= facts.bars <= MAX_BAR and facts.pickup >= 0 and facts.cautions in CAUTIONS, "the head of the page")
    _must(0 < len(piece.parts) <= MOST_PARTS, "its parts")
    for part in piece.parts.values():
        _must(1 <= len(part.clefs) <= 2 and all(c in CLEFS for c in part.clefs), f"the clefs of {part.name[:20]}")
        _must(part.programme in KEYS and part.level in KEYS and part.pan in KEYS, f"the sound of {part.name[:20]}")
        _must(len(part.name) <= MAX_TEXT, "the name of a part")
    last = piece.timeline.bar(MAX_BAR).end
    for note in piece.notes.values():
        _check_note(piece, note, last, known)
    for mark in piece.marks.values():
        _check_mark(piece, mark, last)
    _must(all(abs(k.fifths) <= 7 and 0 <= k.bar <= MAX_BAR for k in piece.keys.values()), "a key signature")
    _must(all(0 <= m.bar <= MAX_BAR for m in piece.meters.values()), "a meter")
    _must(all(0 <= t.tick <= last and 1 <= t.bpm <= 2000 for t in piece.tempi.values()), "a tempo")
    _must(
        all(c.part in piece.parts and c.clef in CLEFS and 0 <= c.tick <= last for c in piece.clefs.values()), "a clef"
    )
    _must(
        all(s.kind in BAR_SIGNS and 0 <= s.bar <= MAX_BAR and s.bars >= 1 for s in piece.signs.values()),
        "a sign of a bar",
    )
    _must(all(r.take in known and r.part in piece.parts for r in piece.readings.values()), "how a take is read")
    _must(
        all(p.part in piece.parts and p.ticks > 0 and 1 <= p.times <= MAX_BAR for p in piece.patterns.values()),
        "a pattern",
    )


def _check_note(piece: Piece, note: Note, last: int, takes: set[int]) -> None:
    part = piece.parts.get(note.part)
    _must(
        part is not None and 1 <= note.staff <= len(part.clefs) and 1 <= note.voice <= MAX_VOICES,
        f"note {note.id[:12]}",
    )
    _must(0 <= note.tick < note.end <= last and 1 <= note.velocity <= 127, f"note {note.id[:12]}")
    _must(note.pitch.midi in KEYS and abs(note.pitch.alter) <= 2, f"the pitch of note {note.id[:12]}")
    _must(all(s in NOTE_SIGNS for s in note.signs), f"a sign of note {note.id[:12]}")
    _must(note.take is None or note.take in takes, f"the take of note {note.id[:12]}")


def _check_mark(piece: Piece, mark: Mark, last: int) -> None:
    _must(mark.kind in KINDS and mark.part in piece.parts, f"mark {mark.id[:12]}")
    _must(0 <= mark.tick <= mark.end <= last and len(mark.text) <= MAX_TEXT, f"mark {mark.id[:12]}")
    _must(1 <= mark.staff <= len(piece.parts[mark.part].clefs), f"mark {mark.id[:12]}")
    _must(all(i in piece.notes for i in mark.notes), f"the notes of mark {mark.id[:12]}")
    if KINDS[mark.kind].pair:
        _must(len(mark.notes) >= 2, f"the notes of mark {mark.id[:12]}")
    if mark.kind == "swing":
        _must(LEAST_SHARE <= mark.share <= MOST_SHARE, f"the share of mark {mark.id[:12]}")
    if mark.kind == "tremolo":
        _must(mark.text in STROKES, f"the strokes of mark {mark.id[:12]}")


def _must(holds: bool, what: str) -> None:
    if not holds:
        raise BadInput(f"That file holds a piece that cannot be: {what}. Nothing was imported.")
