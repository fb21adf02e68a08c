"""The lead-through after a take: one question at a time, each with the answers that a musician would consider, in an
order that stays.

Only what was found is asked about: a take to the click knows its meter and its beats.
"""

from __future__ import annotations

import itertools
import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from ductus.core.capture.takes import Take
from ductus.core.pitch.keys import signature_words
from ductus.core.reading.beat_tracking.tempo_curve import average_quarter_us
from ductus.core.reading.model import ReadingResult
from ductus.core.reading.review.beat_options import ReadExtent, ReadProposal, ReadShift, ReadSize
from ductus.core.reading.review.note_options import ReadKey
from ductus.core.reading.review.option_base import ReadingChoice
from ductus.core.reading.review.options import ReadingOptions
from ductus.core.reading.review.prompt import pace_words
from ductus.core.reading.tonality.key_estimation import estimate_key
from ductus.core.time.ticks import QUARTER
from ductus.core.words import count_words, ordinal

APART_US = 2_500_000  # silence that parts stray notes from the music
APART_TIMES = 4.0  # and so many times the usual gap between onsets
HIDDEN = 0.55  # of the beats are struck at least where the beat is plain to hear
MOST_STRAY = 0.2  # of the notes of the take
MOST_STRAYS = 16  # notes at one end: more of them after a wait are a part of the music


@dataclass(frozen=True, slots=True)
class Answer:
    """One answer in words, and the choice that makes it so (None: there is nothing to choose)."""

    label: str
    do: ReadingChoice | None


@dataclass(frozen=True, slots=True)
class Question:
    """``name`` is one of QUESTIONS; ``chosen`` is the answer that holds now."""

    name: str
    words: str
    answers: tuple[Answer, ...]
    chosen: int = 0


def stray_ends(take: Take) -> tuple[int, int, int] | None:
    """(from, to, how many notes) of the music without what stands apart at its ends; None where nothing does."""
    onsets = [n.onset_us for n in take.notes]
    if len(onsets) < 12:
        return None
    gaps = [b - a for a, b in itertools.pairwise(onsets)]
    far = max(APART_US, APART_TIMES * statistics.median([g for g in gaps if g > 40_000] or [1]))
    most = min(int(len(onsets) * MOST_STRAY), MOST_STRAYS)
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


def hidden_beat(result: ReadingResult) -> str:
    """A sentence where the beat is hard to hear because few notes fall on it: taps tell it best."""
    onsets = {n.tick for n in result.notes}
    low, high = min(onsets), max(onsets)
    beats = [
        b + at for b, _, meter in result.bars.between(low, high) for at in meter.beat_starts if low <= b + at <= high
    ]
    struck = sum(t in onsets for t in beats)
    between = len(onsets.difference(beats))
    if len(beats) < 8 or struck >= HIDDEN * len(beats) or between < struck:
        return ""
    return (
        f"The beat is hidden here: {len(beats) - struck} of {len(beats)} beats have no note. Tap it along with the "
        "take to be sure."
    )


def questions(
    take: Take, free: bool, choices: ReadingOptions, result: ReadingResult, proposals: Sequence[str]
) -> tuple[Question, ...]:
    """What is still to be asked of a take on the page."""
    found = [_ends(take, choices)]
    if free:
        if not choices.taps:
            found += [_meter(choices, proposals), _size(choices, result)]
        found += [_first_beat(choices, result), _key(choices, result), BAR_LINES]
    return tuple(q for q in found if q is not None and q.name not in choices.answered)


BAR_LINES = Question(
    "bar lines",
    "Do the bar lines fall where you felt them? Drag the diamonds of the strip to where bars begin.",
    (Answer("they are right", None),),
)


def _ends(take: Take, choices: ReadingOptions) -> Question | None:
    stray = stray_ends(take)
    if stray is None:
        return None
    first, last, count = stray
    keep = Answer("they belong to it" if count > 1 else "it belongs to it", ReadExtent())
    leave = Answer(f"leave {'it' if count == 1 else 'them'} out", ReadExtent(max(first - 1000, 0), last + 1000))
    stands = "stands" if count == 1 else "stand"
    words = f"{count_words(count, 'note').capitalize()} {stands} apart from the music."
    return Question("ends", words, (keep, leave), int(choices.extent is not None))


def _meter(choices: ReadingOptions, proposals: Sequence[str]) -> Question | None:
    if len(proposals) < 2:
        return None
    answers = tuple(Answer(words, ReadProposal(k)) for k, words in enumerate(proposals[:3]))
    return Question("meter", "How does it go?", answers, choices.rank)


def _size(choices: ReadingOptions, result: ReadingResult) -> Question:
    quarter_us = average_quarter_us(result) * 2.0**choices.size  # as it was found
    pace = {k: pace_words(result.meter, quarter_us / 2.0**k) for k in (0, 1, -1)}
    answers = (
        Answer(f"as they were found, {pace[0]}", ReadSize(0)),
        Answer(f"twice as long, {pace[1]}", ReadSize(1)),
        Answer(f"half as long, {pace[-1]}", ReadSize(-1)),
    )
    return Question("size", "How long are the notes to be?", answers, choices.size % 3)


def _first_beat(choices: ReadingOptions, result: ReadingResult) -> Question | None:
    beats = len(result.meter.beat_starts)
    if beats < 2:
        return None
    first = min(n.tick for n in result.notes)
    start, _, meter = result.bars.bar_at(first)
    unmoved = (meter.beat_at(first - start) + choices.shift) % beats
    answers = tuple(
        Answer(
            f"the first note is on the {ordinal((unmoved - k) % beats + 1)} beat", ReadShift(k - choices.shift % beats)
        )
        for k in range(min(beats, 4))
    )
    return Question(
        "first beat", "Where is the first beat of the bar?", answers, min(choices.shift % beats, len(answers) - 1)
    )


def _key(choices: ReadingOptions, result: ReadingResult) -> Question:
    notes = result.notes
    found, _ = estimate_key(
        [n.pitch.midi for n in notes], [n.tick / QUARTER for n in notes], [n.ticks / QUARTER for n in notes]
    )
    keys = [k for k in (found, found + 1, found - 1) if -7 <= k <= 7]
    answers = [Answer(signature_words(k), ReadKey(k if n else None)) for n, k in enumerate(keys)]
    asked = choices.settings.key
    if asked is not None and asked not in keys:
        answers.append(Answer(signature_words(asked), ReadKey(asked)))
        keys.append(asked)
    return Question("key", "Which key?", tuple(answers), 0 if asked is None else keys.index(asked))
