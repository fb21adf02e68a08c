"""All edits of a selection: what the wire, the line and the tests walk."""

from __future__ import annotations

from collections.abc import Iterable

from ductus.core.errors import BadInput
from ductus.core.score.model.changes import Change
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.base import At, Edit
from ductus.core.score.note_edits.durations import (
    CorrectValue,
    EndAt,
    EndLater,
    EqualSteps,
    HoldToNext,
    Scale,
    SetLength,
    Split,
    TakeRest,
)
from ductus.core.score.note_edits.pitches import (
    Accidental,
    ByInterval,
    Octave,
    Respell,
    SpellByDirection,
    StaffSteps,
    Transpose,
    Velocity,
)
from ductus.core.score.note_edits.positions import Delete, MoveBy, MoveTo, MoveToVoice, OtherHand
from ductus.core.score.note_edits.repeat_bars import Repeat
from ductus.core.score.note_edits.sounding import (
    AccentVelocity,
    DrawVelocity,
    GradualVelocity,
    LimitVelocity,
    QuantizeInPlace,
    RandomVelocity,
    ScaleVelocity,
    SoundAsBefore,
    SoundAt,
)

NoteEdit = (
    HoldToNext | TakeRest | SetLength | Scale | Split | EqualSteps | CorrectValue | EndLater | EndAt | Respell | Octave
    | Transpose | ByInterval | Accidental | SpellByDirection
    | StaffSteps | Velocity | MoveBy | MoveTo | OtherHand | MoveToVoice | Delete | Repeat
    | QuantizeInPlace | SoundAsBefore | SoundAt | ScaleVelocity | LimitVelocity | GradualVelocity | AccentVelocity
    | RandomVelocity | DrawVelocity
)  # fmt: skip
EDITS: tuple[type[NoteEdit], ...] = NoteEdit.__args__


def edit_notes(piece: Piece, edit: Edit, ids: Iterable[str], at: At) -> Change:
    """Make an edit on notes by id. Raises BadInput when nothing is selected or the edit makes no sense there."""
    notes = [piece.notes[i] for i in dict.fromkeys(ids) if i in piece.notes]
    if not notes:
        raise BadInput("Select some notes first; nothing was changed.")
    return edit.change(piece, notes, at)
