"""All edits of the frame: what the wire, the line and the tests walk."""

from __future__ import annotations

from ductus.core.score.frame.accompanying import Accompany
from ductus.core.score.frame.bars import CopyBars, EmptyBars, InsertBars, RemoveBars, SectionAgain, TrimBars
from ductus.core.score.frame.cutting import CutBar, JoinBar
from ductus.core.score.frame.meters import KeyFrom, MeterFrom, PickUp, TempoFrom
from ductus.core.score.frame.parts import AddPart, ChangePart, ClefFrom, MovePart, RemovePart, StavesOf
from ductus.core.score.frame.patterns import FollowPattern, LetPatternGo, MakePattern, RepeatPattern, StrikeCell
from ductus.core.score.frame.transposing import TransposeBy, TransposeTo

AnyFrameEdit = (
    MeterFrom | KeyFrom | TempoFrom | PickUp | ClefFrom | InsertBars | RemoveBars | EmptyBars | TrimBars | CopyBars | SectionAgain | CutBar | JoinBar
    | AddPart | RemovePart | ChangePart | MovePart | StavesOf | TransposeBy | TransposeTo
    | Accompany | MakePattern | StrikeCell | RepeatPattern | FollowPattern | LetPatternGo
)  # fmt: skip
FRAME_EDITS: tuple[type[AnyFrameEdit], ...] = AnyFrameEdit.__args__
