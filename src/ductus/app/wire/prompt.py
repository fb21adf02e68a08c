"""Phrases of the line as a browser draws them: words, and what else they could say."""

from __future__ import annotations

from dataclasses import dataclass

from ductus.core.entry.commands.registry import AnyCommand
from ductus.core.reading.review.note_options import AnyReadingChoice
from ductus.core.recording.settings import AnyRecordChoice


@dataclass(frozen=True, slots=True)
class ChoiceFact:
    """One thing that a phrase could say: ``do`` is sent back as it is."""

    label: str
    do: AnyCommand | AnyReadingChoice | AnyRecordChoice
    chosen: bool


@dataclass(frozen=True, slots=True)
class PhraseFact:
    """Words of the line; with a name they are a control."""

    words: str
    name: str
    choices: tuple[ChoiceFact, ...]
    form: str
