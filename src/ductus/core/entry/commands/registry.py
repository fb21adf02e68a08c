"""All commands of entry: what the wire, the line and the tests walk."""

from __future__ import annotations

from ductus.core.entry.commands.beat import Advance, ClickNote, DivideBeat, RhythmValue, WriteLetter
from ductus.core.entry.commands.marks import Sing, WithHere
from ductus.core.entry.commands.mode import (
    BeginPitches,
    BrushedKeys,
    ChordsByKeys,
    ChordSymbol,
    ClicksDo,
    DivideHands,
    GraceNext,
    GreyKeys,
    HoldToHarmony,
    KitBy,
    NameDrum,
    OverWhat,
    PenAdvances,
    PolicyTo,
    PulseKey,
    PulseUntil,
    RepeatHeld,
    RhythmBy,
    SwitchHarmony,
    WalkRate,
    WayTo,
    WhenWritten,
)
from ductus.core.entry.commands.pen import (
    AtSpanEnd,
    Back,
    HoldInBars,
    MovePen,
    OtherStaff,
    PenTo,
    PlacePen,
    Ready,
    Rest,
    ReturnToStart,
    ToVoice,
    TypedPlace,
)
from ductus.core.entry.commands.step_value import (
    AddedValue,
    CustomLength,
    Dot,
    FillTuplet,
    FixPitch,
    FixVelocity,
    NextOnly,
    NoTuplet,
    ShiftValue,
    SoundFor,
    SoundLate,
    StepBase,
    TupletOf,
    VaryLength,
)

AnyCommand = (
    PenTo | Ready | Rest | Back | MovePen | PlacePen | TypedPlace | ReturnToStart | OtherStaff | ToVoice | HoldInBars
    | AtSpanEnd
    | StepBase | ShiftValue | Dot | TupletOf | NoTuplet | FillTuplet | AddedValue | CustomLength | NextOnly | SoundFor
    | SoundLate | VaryLength
    | FixVelocity | FixPitch
    | WhenWritten | PolicyTo | HoldToHarmony | SwitchHarmony | ChordsByKeys | OverWhat | PulseUntil | GreyKeys
    | RhythmBy | ClicksDo | KitBy | NameDrum | RepeatHeld | DivideHands | WayTo | BeginPitches
    | GraceNext | BrushedKeys | PenAdvances | PulseKey | WalkRate | ChordSymbol | WithHere | Sing
    | Advance | RhythmValue | DivideBeat | WriteLetter | ClickNote
)  # fmt: skip
COMMANDS: tuple[type[AnyCommand], ...] = AnyCommand.__args__
