"""All edits of the frame: what the wire, the line and the tests walk."""

from __future__ import annotations

from ductus.core.score.structure_edits.accompaniment import Accompany
from ductus.core.score.structure_edits.bars import CopyBars, EmptyBars, InsertBars, RemoveBars, SectionAgain, TrimBars
from ductus.core.score.structure_edits.drum_patterns import (
    FollowPattern,
    LetPatternGo,
    MakePattern,
    RepeatPattern,
    StrikeCell,
)
from ductus.core.score.structure_edits.form import WriteForm
from ductus.core.score.structure_edits.meter_key_tempo import KeyFrom, MeterFrom, PickUp, TempoFrom
from ductus.core.score.structure_edits.parts import AddPart, ChangePart, ClefFrom, MovePart, RemovePart, StavesOf
from ductus.core.score.structure_edits.split_bars import CutBar, JoinBar
from ductus.core.score.structure_edits.transpose import TransposeBy, TransposeTo

AnyFrameEdit = (
    MeterFrom | KeyFrom | TempoFrom | PickUp | ClefFrom | InsertBars | RemoveBars | EmptyBars | TrimBars | CopyBars
    | SectionAgain | CutBar | JoinBar | WriteForm
    | AddPart | RemovePart | ChangePart | MovePart | StavesOf | TransposeBy | TransposeTo
    | Accompany | MakePattern | StrikeCell | RepeatPattern | FollowPattern | LetPatternGo
)  # fmt: skip
FRAME_EDITS: tuple[type[AnyFrameEdit], ...] = AnyFrameEdit.__args__
