"""What every command of entry is: a frozen record whose fields are its arguments with their ranges, and what it does.

The types of the wire and of the browser are made from these records, so that nothing is parsed twice.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from ductus.core.entry.state import EntryState, Outcome, evolved
from ductus.core.score.model.piece import Piece
from ductus.core.time.note_values import STEP_BASES

Base = Literal["whole", "half", "quarter", "eighth", "16th", "32nd", "64th", "128th"]
PEN_UP = "The pen is up; nothing was written"
assert Base.__args__ == STEP_BASES  # type: ignore[attr-defined]


@dataclass(frozen=True, slots=True)
class EntryCommand:
    """Base of all commands of entry."""

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """What follows. Raises BadInput where the command makes no sense."""
        raise NotImplementedError


@dataclass(frozen=True, slots=True)
class Choose(EntryCommand):
    """Base of commands that set a field of the state to one of some words; without one they go to the next.

    ``FIELD`` is the field, ``WORDS`` what is said of each choice.
    """

    FIELD: ClassVar[str] = ""
    WORDS: ClassVar[dict[str, str]] = {}

    def chosen(self) -> str | None:
        """The word that was given."""
        raise NotImplementedError

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """Set the field."""
        options = list(self.WORDS)
        now = getattr(state, self.FIELD)
        chosen = self.chosen() or options[(options.index(now) + 1) % len(options)]
        return Outcome(evolved(state, held=(), **{self.FIELD: chosen}), say=self.WORDS[chosen])
