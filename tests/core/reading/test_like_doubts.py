"""Doubts that are alike: an inner voice that either hand could play, the same in every bar."""

from __future__ import annotations

import pytest

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.reading.model import Doubt, ReadSettings
from ductus.core.reading.pipeline import read
from ductus.core.reading.review.like_doubts import LikeDoubts
from ductus.core.reading.review.options import ReadingOptions, option_chosen, settle
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import steady_map

BEAT_US, FIRST_US, INNER = 600_000, 1_200_000, 65


def inner_voice(bars: int = 8) -> list[PlayedNote]:
    """F 4 on every beat, between a melody over it and a bass a sixth and more below."""
    out = []
    for beat in range(4 * bars):
        at = FIRST_US + beat * BEAT_US
        keys = [INNER, (72, 74, 76, 77)[beat % 4], *([(52, 57, 59, 52)[beat // 4 % 4]] if beat % 2 == 0 else [])]
        out += [PlayedNote(at, at + BEAT_US * 9 // 10, key, 70) for key in keys]
    return sorted(out, key=lambda n: (n.onset_us, n.key))


@pytest.fixture(scope="module")
def likes() -> LikeDoubts:
    take = Take(tuple(inner_voice()))
    return LikeDoubts(take, read(take, steady_map(100, 0, FIRST_US), ReadSettings(meter=Meter(4, 4))))


def in_doubt(likes: LikeDoubts) -> tuple[Doubt, int]:
    """A doubt with like ones, and the option that gives its inner note to the other hand."""
    return next(
        (d, k)
        for d in likes.result.doubts
        for k, r in enumerate(d.rivals, 1)
        if {likes.take.notes[e].key for e, _ in r.hands} == {INNER} and likes.like(d, k, likes.result.doubts)
    )


def test_what_is_said_of_one_inner_note_is_said_of_those_like_it(likes: LikeDoubts) -> None:
    doubt, option = in_doubt(likes)
    wanted, also = likes.chosen(ReadingOptions(), doubt, option)
    assert also
    assert {likes.take.notes[e].key for e in wanted.pins.hands} == {INNER}
    assert set(wanted.pins.hands.values()) == {dict(doubt.rivals[option - 1].hands).popitem()[1]}
    assert len(wanted.pins.hands) == 1 + len(also)
    assert not wanted.pins.values


def test_going_back_takes_the_like_places_back(likes: LikeDoubts) -> None:
    doubt, option = in_doubt(likes)
    wanted, _ = likes.chosen(ReadingOptions(), doubt, option)
    back, _ = likes.chosen(wanted, doubt, 0)
    assert not back.pins.hands


def test_a_doubt_that_was_decided_or_settled_by_itself_stays(likes: LikeDoubts) -> None:
    doubt, option = in_doubt(likes)
    _, also = likes.chosen(ReadingOptions(), doubt, option)
    first = settle(ReadingOptions(), also[0].events)
    wanted, fewer = likes.chosen(first, doubt, option)
    assert also[0] not in fewer
    assert option_chosen(wanted, also[0]) == 0


def test_what_is_accepted_is_accepted_where_it_is_alike(likes: LikeDoubts) -> None:
    doubt, option = in_doubt(likes)
    assert likes.standing_alike(ReadingOptions(), doubt)
    chosen, also = likes.chosen(ReadingOptions(), doubt, option)
    assert set(likes.standing_alike(chosen, doubt)) == set(also)


def test_lengths_are_left_to_each_place(likes: LikeDoubts) -> None:
    for doubt in likes.result.doubts:
        for k, rival in enumerate(doubt.rivals, 1):
            if rival.values:
                assert not likes.like(doubt, k, likes.result.doubts)
