"""What a desk tells of takes: which there are, how they were read, their doubts, and how they stand to the page.

Times in microseconds, written time in ticks.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ductus.app.wire.prompt import PhraseFact
from ductus.core.reading.review.note_options import AnyReadingChoice


@dataclass(frozen=True, slots=True)
class TakeFact:
    """A take in the margin."""

    id: int
    name: str
    source: Literal["click", "free", "file", "journal"]
    dropped: bool
    notes: int
    length_us: int


@dataclass(frozen=True, slots=True)
class CutOffFact:
    """A recording that was cut off, in the margin."""

    recording: int
    notes: int
    length_us: int


@dataclass(frozen=True, slots=True)
class HeardFact:
    """A stretch of the journal of which nothing was made.

    Microseconds of the wall clock, and how many keys were struck.
    """

    from_us: int
    to_us: int
    notes: int


@dataclass(frozen=True, slots=True)
class TakesFact:
    """All takes of the piece, the oldest first, recordings that were cut off, and the journal.

    What was heard and not written, the latest first. Sent when they change.
    """

    takes: tuple[TakeFact, ...]
    cut_off: tuple[CutOffFact, ...]
    heard: tuple[HeardFact, ...]
    type: Literal["takes"] = "takes"


@dataclass(frozen=True, slots=True)
class DoubtFact:
    """A close call, or an ornament that is offered.

    ``options`` are (words, probability or None), the first as it was read; ``chosen`` the present one, None if it is
    something of the person's own.
    """

    key: int
    tick: int
    place: str
    ids: tuple[str, ...]
    options: tuple[tuple[str, float | None], ...]
    chosen: int | None


@dataclass(frozen=True, slots=True)
class AnswerFact:
    """An answer of the lead-through: ``do`` makes it so, None where there is nothing to choose."""

    label: str
    do: AnyReadingChoice | None


@dataclass(frozen=True, slots=True)
class QuestionFact:
    """A question of the lead-through; ``chosen`` is the answer that holds now."""

    name: str
    words: str
    answers: tuple[AnswerFact, ...]
    chosen: int


@dataclass(frozen=True, slots=True)
class ReadingFact:
    """A take on the page: the line that tells how it was read, the questions of its lead-through, its doubts, and
    how many bar lines and beats were set by hand.
    """

    id: str
    take: int
    name: str
    free: bool
    line: tuple[PhraseFact, ...]
    doubts: tuple[DoubtFact, ...]
    settled: int
    remarks: tuple[str, ...]
    questions: tuple[QuestionFact, ...]
    set_by_hand: int
    first_tick: int


@dataclass(frozen=True, slots=True)
class ReadingsFact:
    """All readings of the piece, in order of place; sent when any of them changed."""

    readings: tuple[ReadingFact, ...]
    type: Literal["readings"] = "readings"


@dataclass(frozen=True, slots=True)
class DifferenceFact:
    """A place where page and playing differ.

    Its kind ("pitch", "missing", "extra", "place"), where it is, the notes of the page, and in words.
    """

    key: str
    kind: str
    tick: int
    place: str
    staff: int
    ids: tuple[str, ...]
    words: str


@dataclass(frozen=True, slots=True)
class ProofFact:
    """A take that is held against the page of a part: in words, and what is not decided yet.

    ``take`` 0: no proof is open.
    """

    take: int
    part: str
    words: str
    differences: tuple[DifferenceFact, ...]
    type: Literal["proof"] = "proof"


@dataclass(frozen=True, slots=True)
class FollowedFact:
    """Where on the page the player is who is being followed."""

    tick: int
    type: Literal["followed"] = "followed"
