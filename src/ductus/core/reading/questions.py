"""The lead-through after a take: one question at a time, each with the answers that a musician would consider, the present one marked.

Only what was found is asked about: a take to the click knows its meter and its beats.
"""

from __future__ import annotations

import itertools
import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from ductus.core.performance.takes import Take
from ductus.core.reading.choices import Choices
from ductus.core.reading.choosing import ReadAbout, ReadExtent, ReadingChoice, ReadKey, ReadProposal, ReadShift
from ductus.core.reading.sentence import signature, tempo_words
from ductus.core.reading.settings import ReadingResult
from ductus.core.reading.tempo import typical_quarter_us
from ductus.core.words import count_words, ordinal

APART_US = 2_500_000  # silence that parts stray notes from the music
APART_TIMES = 4.0  # and so many times the usual gap between onsets
MOST_STRAY = 0.2  # of the notes of the take
SLOWEST, FASTEST = 5.0, 1000.0


@dataclass(frozen=True, slots=True)
class Answer:
    """One answer in words; ``do`` makes it so, None for the present one."""

    label: str
    do: ReadingChoice | None


@dataclass(frozen=True, slots=True)
class Question:
    """``name`` is one of QUESTIONS; the first answer is what holds now."""

    name: str
    words: str
    answers: tuple[Answer, ...]


def stray_ends(take: Take) -> tuple[int, int, int] | None:
    """(from, to, how many notes) of the music without what stands apart at its ends; None where nothing does."""
    onsets = [n.onset_us for n in take.notes]
    if len(onsets) < 12:
        return None
    gaps = [b - a for a, b in itertools.pairwise(onsets)]
    far = max(APART_US, APART_TIMES * statistics.median([g for g in gaps if g > 40_000] or [1]))
    most = int(len(onsets) * MOST_STRAY)
    first, last = 0, len(onsets)
    for k, gap in enumerate(gaps[:most]):
        if gap > far:
            first = k + 1
    for k in range(len(gaps) - 1, max(len(gaps) - 1 - most, -1), -1):
        if gaps[k] > far:
            last = k + 1
    left_out = first + len(onsets) - last
    if not left_out or last - first < 8:
        return None
    return onsets[first], onsets[last - 1], left_out


def questions(
    take: Take, free: bool, choices: Choices, result: ReadingResult, proposals: Sequence[str]
) -> tuple[Question, ...]:
    """What is still to be asked of a take on the page."""
    found = [_ends(take, choices)]
    if free and not choices.taps:
        found += [_meter(choices, proposals), _size(result), _first_beat(choices, result)]
    if choices.settings.key is None:
        found.append(_key(result))
    if free:
        words = "Do the bar lines fall where you felt them? Drag the diamonds of the strip to where bars begin."
        found.append(Question("bar lines", words, (Answer("they are right", None),)))
    return tuple(q for q in found if q is not None and q.name not in choices.answered)


def _ends(take: Take, choices: Choices) -> Question | None:
    stray = stray_ends(take)
    if stray is None:
        return None
    first, last, count = stray
    leave = Answer(f"leave {'it' if count == 1 else 'them'} out", ReadExtent(max(first - 1000, 0), last + 1000))
    keep = Answer("they belong to it", ReadExtent())
    words = f"{count_words(count, 'note').capitalize()} {'stands' if count == 1 else 'stand'} apart from the music. Do they belong to it?"
    if choices.extent is None:
        return Question("ends", words, (Answer(keep.label, None), leave))
    return Question("ends", words, (Answer(leave.label, None), keep))


def _meter(choices: Choices, proposals: Sequence[str]) -> Question | None:
    if len(proposals) < 2:
        return None
    order = [choices.rank, *(k for k in range(len(proposals)) if k != choices.rank)]
    answers = (Answer(proposals[k], ReadProposal(k) if n else None) for n, k in enumerate(order) if k < len(proposals))
    return Question("meter", "How does it go?", tuple(answers))


def _size(result: ReadingResult) -> Question:
    quarters = round(60e6 / typical_quarter_us(result), 1)
    now = tempo_words(result.meter, result)
    return Question(
        "size",
        "How long are the notes to be?",
        (
            Answer(f"as they are ({now})", None),
            Answer("twice as long", ReadAbout(min(quarters * 2, FASTEST))),
            Answer("half as long", ReadAbout(max(quarters / 2, SLOWEST))),
        ),
    )


def _first_beat(choices: Choices, result: ReadingResult) -> Question | None:
    beats = len(result.meter.beat_starts)
    if beats < 2:
        return None
    first = min(n.tick for n in result.notes)
    start, _, meter = result.bars.bar_at(first)
    now = meter.beat_at(first - start) + 1
    answers = [Answer(f"the first note is on beat {now}", None)]
    for by in range(1, min(beats, 4)):
        on = (now - 1 - by) % beats + 1
        answers.append(Answer(f"it is on the {ordinal(on)} beat", ReadShift(by)))
    return Question("first beat", "Where is the first beat?", tuple(answers))


def _key(result: ReadingResult) -> Question:
    near = [k for k in (result.key + 1, result.key - 1) if -7 <= k <= 7]
    answers = [Answer(signature(result.key), None), *(Answer(signature(k), ReadKey(k)) for k in near)]
    return Question("key", "Which key signature?", tuple(answers))
