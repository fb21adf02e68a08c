"""How entry is set, kept with the piece and shown again when it opens. The pen itself is always up then."""

from __future__ import annotations

import json
from dataclasses import asdict, replace
from typing import Any

from ductus.app.wire.adapters import adapter
from ductus.core.entry.state import (
    HANDS,
    HARMONIES,
    MODES,
    OVERS,
    WHENS,
    EntryState,
    Span,
    StepValue,
    Touch,
    evolved,
)
from ductus.core.recording.settings import RecordChoices
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.write import MAX_VOICES, POLICIES
from ductus.core.time.note_values import STEP_BASES, Tuplet

KEPT = (
    "part", "staff", "voice", "way", "when", "policy", "over", "pulse_key", "pulse_until", "rhythm_by", "clicks",
    "foot_grey", "walk_us", "hands",
    "split", "harmony", "advances", "brushed", "kit_by", "repeats", "harmony_kept",
)  # fmt: skip
ALLOWED: dict[str, tuple[str, ...]] = {
    "way": MODES,
    "when": WHENS,
    "policy": POLICIES,
    "over": OVERS,
    "harmony": HARMONIES,
    "harmony_kept": HARMONIES[1:],
    "hands": HANDS,
    "pulse_until": ("next", "release"),
    "rhythm_by": ("step", "time"),
    "clicks": ("place", "write"),
    "foot_grey": ("drop", "write"),
    "kit_by": ("map", "place"),
}

RECORD = adapter(RecordChoices)


def habits_json(state: EntryState, record: RecordChoices) -> str:
    """What is worth keeping of a state and of how recordings are made."""
    step = state.step_after or state.step
    out: dict[str, Any] = {name: getattr(state, name) for name in KEPT}
    out["step"] = {
        "base": step.base,
        "dots": step.dots if step.dots_latched else 0,
        "tuplet": [step.tuplet.actual, step.tuplet.normal] if step.tuplet and step.tuplet_latched else None,
        "added": step.added,
        "custom": step.custom,
    }
    out["touch"] = asdict(state.touch)
    out["record"] = asdict(record)
    out["span"] = [state.span.start, state.span.end, state.span.then] if state.span else None
    return json.dumps(out, separators=(",", ":"), sort_keys=True)


def record_choices_from(text: str | None) -> RecordChoices:
    """How recordings were made when somebody left; what is unknown or does not fit is as usual."""
    try:
        return RECORD.validate_python(json.loads(text)["record"]) if text else RecordChoices()
    except (ValueError, TypeError, KeyError):
        return RecordChoices()


def with_habits(state: EntryState, text: str | None, piece: Piece) -> EntryState:
    """A fresh state set as somebody left it; what is unknown or does not fit stays as usual."""
    try:
        kept: dict[str, Any] = json.loads(text) if text else {}
        return _restored(state, kept, piece)
    except (ValueError, TypeError, KeyError, AttributeError):
        return state


def _restored(state: EntryState, kept: dict[str, Any], piece: Piece) -> EntryState:
    found = {n: kept[n] for n in KEPT if n in kept and (n not in ALLOWED or kept[n] in ALLOWED[n])}
    if found.get("part", state.part) not in piece.parts:
        found = {n: v for n, v in found.items() if n not in ("part", "staff", "voice", "hands")}
    part = piece.part(found.get("part", state.part))
    found["staff"] = min(max(int(found.get("staff", 1)), 1), part.staves)
    found["voice"] = min(max(int(found.get("voice", 1)), 1), MAX_VOICES)
    state = evolved(state, **found)
    step = kept.get("step")
    if step and step["base"] in STEP_BASES:
        tuplet = Tuplet(*step["tuplet"]) if step["tuplet"] else None
        value = StepValue(
            step["base"], step["dots"], tuplet, step["dots"] > 0, tuplet is not None, step["added"], step["custom"]
        )
        state = evolved(state, step=value if value.ticks > 0 else state.step)
    if "touch" in kept:
        state = evolved(state, touch=replace(Touch(), **kept["touch"]))
    if kept.get("span"):
        state = evolved(state, span=Span(*kept["span"]))
    return state
