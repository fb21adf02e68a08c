"""Phrases: what the line is made of. Words, and for a phrase that is a control, what it could say instead."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Choice:
    """One thing that a phrase could say: ``do`` is the record (of a command, an edit, a choice of a reading) that
    makes it so.
    """

    label: str
    do: Any
    chosen: bool = False


@dataclass(frozen=True, slots=True)
class Phrase:
    """Words; with a ``name`` they are a control.

    ``form`` names a control that is more than a list ("place", "ladder", "touch", "span"); ``does`` is a record that
    a click carries out at once.
    """

    words: str
    name: str = ""
    choices: tuple[Choice, ...] = ()
    form: str = ""
    does: Any = None


def plain(words: str) -> Phrase:
    """Words that are no control."""
    return Phrase(words)


def sentence_words(phrases: tuple[Phrase, ...]) -> str:
    """The sentence as it is read aloud."""
    return "".join(p.words for p in phrases)
