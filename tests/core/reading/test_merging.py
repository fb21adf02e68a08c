"""Several takes of one piece: they are aligned, wrong keys are outvoted, unevenness averages out.

Takes of other pieces are refused.
"""

from __future__ import annotations

import random
from dataclasses import replace

import pytest

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.comparison.alignment import align
from ductus.core.errors import BadInput
from ductus.core.reading.merging import Vote, together, vote_words
from ductus.core.reading.model import ReadSettings
from ductus.core.reading.pipeline import read
from ductus.core.score.model.piece import Piece
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import steady_map
from ductus.demo.player import play
from ductus.demo.scenario import bends, jig, waltz


def slipped(notes: list[PlayedNote], share: float, seed: int) -> tuple[Take, dict[int, int]]:
    """A take with wrong, missing and extra keys; and, for each note that was not touched, which of the notes it is."""
    rng = random.Random(seed)
    out: list[tuple[PlayedNote, int | None]] = []
    for k, note in enumerate(notes):
        chance = rng.random()
        if chance < share / 3:
            continue  # missed
        if chance < 2 * share / 3:
            out.append((replace(note, key=note.key + rng.choice((-1, 1, 2))), None))
            continue
        out.append((note, k))
        if chance > 1 - share / 3:
            out.append((replace(note, key=note.key + rng.choice((-2, 1)), velocity=30), None))
    out.sort(key=lambda n: (n[0].onset_us, n[0].key))
    return Take(tuple(n for n, _ in out)), {i: k for i, (_, k) in enumerate(out) if k is not None}


def performed(piece: Piece, bars: int, seed: int, qpm: float) -> list[PlayedNote]:
    return list(play(piece, range(bars), seed, qpm, start_us=2_000_000))


@pytest.mark.parametrize(("make", "bars"), [(waltz, 16), (jig, 9), (bends, 13)])
@pytest.mark.parametrize("share", [0.0, 0.02, 0.06])
def test_performances_at_other_tempi_are_aligned(make: object, bars: int, share: float) -> None:
    """Fewer than one note in a hundred goes to the wrong partner at two slips in a hundred."""
    piece = make()  # type: ignore[operator]
    first = Take(tuple(performed(piece, bars, 3, 96)))
    second, true = slipped(performed(piece, bars, 8, 71), share, 5)
    found = align(first, second)
    whole = performed(piece, bars, 8, 71)
    partner = dict(zip(numbered(whole), range(len(whole)), strict=True))
    here = numbered(list(first.notes))
    wrong = sum(j in true and partner[here[i]] != true[j] for i, j in found.pairs)
    paired = {j for _, j in found.pairs}
    assert all(first.notes[i].key == second.notes[j].key for i, j in found.pairs)
    assert wrong <= 0.01 * len(true)
    assert sum(j not in paired for j in true) <= max(0.01 * len(true), 1)


def numbered(notes: list[PlayedNote]) -> list[tuple[int, int]]:
    """Each note as (key, how many times that key was struck before): the same in every performance without slips."""
    count: dict[int, int] = {}
    out = []
    for n in notes:
        count[n.key] = count.get(n.key, -1) + 1
        out.append((n.key, count[n.key]))
    return out


def test_a_take_agrees_with_itself_and_not_with_another_piece() -> None:
    one, other = Take(tuple(performed(waltz(), 16, 1, 90))), Take(tuple(performed(jig(), 9, 1, 90)))
    same = align(one, one)
    assert same.share == 1.0
    assert [i for i, j in same.pairs] == [j for i, j in same.pairs]
    assert align(one, other).share < 0.5
    with pytest.raises(
        BadInput,
        match=r"Take 2 does not go with the first: \d+ % of their notes agree|Take 2 does not go with the first: \d+%",
    ):
        together([one, other])


def wrong_keys(take: Take, piece: list[PlayedNote]) -> int:
    """Keys that differ from those of the piece, counted both ways."""
    found = align(Take(tuple(piece)), take)
    return len(found.missing) + len(found.extra)


def test_three_takes_with_slips_lose_most_of_them() -> None:
    clean = performed(waltz(), 16, 2, 92)
    takes = [slipped(performed(waltz(), 16, seed, 92), 0.06, seed)[0] for seed in (11, 12, 13)]
    alone = [wrong_keys(t, clean) for t in takes]
    joined = together(takes)
    assert wrong_keys(joined.take, clean) <= 0.4 * sum(alone) / 3
    assert any(not v.kept for v in joined.votes)
    assert "outvoted" in joined.words


def test_unevenness_averages_out_with_a_click() -> None:
    pulses = steady_map(92, 0, 2_000_000)
    true = [
        round(pulses.time_at(round(pulses.tick_at(n.onset_us) / 11_531_520) * 11_531_520))
        for n in performed(waltz(), 16, 1, 92)
    ]
    takes = [Take(tuple(performed(waltz(), 16, seed, 92))) for seed in (1, 4, 5, 6)]

    def spread(take: Take) -> float:
        off = [abs(n.onset_us - t) for n, t in zip(take.notes, true, strict=True)]
        return sum(off) / len(off)

    joined = together(takes, same_clock=True)
    assert len(joined.take.notes) == len(true)
    assert spread(joined.take) < 0.75 * sum(map(spread, takes)) / len(takes)


def test_what_was_voted_on_is_told_with_its_place() -> None:
    notes = performed(waltz(), 8, 1, 92)
    wrong = Take((*notes[:10], replace(notes[10], key=notes[10].key + 1), *notes[11:]))
    joined = together([wrong, Take(tuple(notes)), Take(tuple(notes))], same_clock=True)
    assert sorted((v.key - notes[10].key, v.takes, v.kept) for v in joined.votes) == [(0, 2, True), (1, 1, False)]
    assert joined.words == "1 key outvoted, 1 key kept by most"
    assert [n.key for n in joined.take.notes] == [n.key for n in notes]


def test_votes_are_told_by_place_and_a_wrong_key_once() -> None:
    """ "bar 4, beat 1: F sharp 4 in 2 of 3 takes, G 4 in the other"."""
    votes = [
        Vote(3_000_000, 66, 2, 3, True),
        Vote(3_010_000, 67, 1, 3, False),
        Vote(9_000_000, 72, 1, 3, False),
        Vote(12_000_000, 60, 1, 2, True),
    ]
    assert vote_words(votes, lambda us: f"bar {us // 1_000_000}", 1) == [
        "bar 3: F sharp 4 in 2 of 3 takes, G 4 in the other",
        "bar 9: C 5 in 1 of 3 takes, left out",
        "bar 12: C 4 in 1 of 2 takes, written",
    ]


def test_two_takes_keep_what_the_first_has() -> None:
    notes = performed(waltz(), 8, 1, 92)
    joined = together([Take(tuple(notes)), Take(tuple(n for k, n in enumerate(notes) if k != 5))], same_clock=True)
    assert len(joined.take.notes) == len(notes)


def test_joined_takes_are_read_like_one() -> None:
    takes = [slipped(performed(waltz(), 16, seed, 92), 0.06, seed)[0] for seed in (11, 12, 13)]
    joined = together(takes, same_clock=True)
    result = read(joined.take, steady_map(92, 0, 2_000_000), ReadSettings(meter=Meter(3, 4)))
    keys = sorted((n.tick, n.pitch.midi) for n in result.notes)
    wanted = sorted((n.tick, n.pitch.midi) for n in waltz().notes.values())
    assert len(set(keys) & set(wanted)) >= 0.97 * len(wanted)
