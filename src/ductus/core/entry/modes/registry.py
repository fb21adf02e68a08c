"""Which way is on."""

from __future__ import annotations

from ductus.core.entry.modes.base import EntryMode
from ductus.core.entry.modes.foot_led import Foot
from ductus.core.entry.modes.overwrite import Over
from ductus.core.entry.modes.pulse_hand import Pulse
from ductus.core.entry.modes.rescale_beat import OneBeat
from ductus.core.entry.modes.rhythm_first import Rhythm
from ductus.core.entry.modes.step import Stepping
from ductus.core.entry.modes.walking import Walking
from ductus.core.entry.state import EntryState

BY_NAME: dict[str, EntryMode] = {
    "step": Stepping(),
    "pulse": Pulse(),
    "rhythm": Rhythm(),
    "over": Over(),
    "beat": OneBeat(),
    "foot": Foot(),
    "walk": Walking(),
}
WAY_WORDS = {
    "step": "Step: one value after the other",
    "pulse": "Pulse: one hand beats, the other plays the tune",
    "rhythm": "Rhythm first: values now, pitches later",
    "over": "Over what is written: keys change the next note",
    "beat": "One beat again: play its figure at any speed",
    "foot": "Foot-led: what is held at each tap is written",
    "walk": "Walking: the place moves on while keys are held",
}


def way_of(state: EntryState) -> EntryMode:
    """The way that is on."""
    return BY_NAME[state.way]
