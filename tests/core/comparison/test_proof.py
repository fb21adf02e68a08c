"""A page held against someone's playing of it.

Planted errors are found and no others, at any speed, from any bar, with restarts, by one hand.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import replace

import pytest

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.comparison.following import Follower, runs
from ductus.core.errors import BadInput
from ductus.core.playback.proof import Place, chords_of, prove, taken_over, to_strike
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.time.ticks import QUARTER
from ductus.demo.player import play
from ductus.demo.scenario import bends, dance, jig, waltz

MADE = [(waltz, 16), (jig, 9), (bends, 13)]
Make = Callable[[], Piece]


def first_part(piece: Piece) -> str:
    return piece.ordered_parts()[0].id


def performed(piece: Piece, bars: int, seed: int, *, free: bool = True) -> list[PlayedNote]:
    """Anyone's pace, breathing."""
    return play(piece, range(bars), seed, 56 + 17 * seed % 80, free=free, start_us=2_000_000)


def page_notes(piece: Piece) -> list[Note]:
    own = (n for n in piece.notes.values() if n.part == first_part(piece))
    return sorted(own, key=lambda n: (n.tick, n.pitch.midi))


@pytest.mark.parametrize(("make", "bars"), MADE)
@pytest.mark.parametrize("seed", range(5))
def test_who_plays_what_is_written_differs_nowhere(make: Make, bars: int, seed: int) -> None:
    piece = make()
    take = performed(piece, bars, seed)
    proof = prove(piece, first_part(piece), Take(tuple(take)))
    assert proof.differences == ()
    assert proof.agree == len(take)
    assert proof.staff == 0


@pytest.mark.parametrize("seed", range(4))
def test_trills_rolled_chords_and_grace_notes_of_the_page_are_no_differences(seed: int) -> None:
    piece = dance()
    proof = prove(piece, first_part(piece), Take(tuple(performed(piece, 8, seed, free=False))))
    assert proof.differences == ()


@pytest.mark.parametrize(("make", "bars"), MADE)
@pytest.mark.parametrize("seed", range(3))
def test_planted_errors_are_found_and_no_others_and_taking_them_over_mends_the_page(
    make: Make, bars: int, seed: int
) -> None:
    """Three wrong notes on the page (another pitch, one too many, one that is not there), each in a bar of its own."""
    right = make()
    part = first_part(right)
    rng = random.Random(seed)
    take = Take(tuple(performed(right, bars, seed)))
    notes = page_notes(right)
    places = rng.sample(
        sorted({n.tick for n in notes}), 3
    )  # three places, since what falls together may be taken together
    wrong, gone, copied = (rng.choice([n for n in notes if n.tick == place]) for place in places)
    higher = replace(wrong.pitch, alter=wrong.pitch.alter + 1)
    another = replace(
        copied, id="n9001", pitch=replace(copied.pitch, octave=copied.pitch.octave + (1 if copied.staff == 1 else -1))
    )
    page = right.with_rows([(wrong, replace(wrong, pitch=higher)), (gone, None), (None, another)])
    proof = prove(page, part, take)
    found = sorted((d.kind, d.tick) for d in proof.differences)
    assert found == sorted([("pitch", wrong.tick), ("extra", gone.tick), ("missing", copied.tick)])
    for difference in proof.differences:
        page = taken_over(page, part, difference).apply(page)
    assert prove(page, part, take).differences == ()
    written = sorted((n.tick, n.pitch.midi, n.staff) for n in page_notes(page))
    assert written == sorted((n.tick, n.pitch.midi, n.staff) for n in notes)


@pytest.mark.parametrize(("make", "bars"), MADE)
@pytest.mark.parametrize("seed", range(3))
def test_notes_that_stand_at_the_wrong_place_are_found_and_no_others(make: Make, bars: int, seed: int) -> None:
    """Each inner chord in turn is written a sixteenth or an eighth early or late; the playing is free."""
    right = make()
    part = first_part(right)
    take = Take(tuple(performed(right, bars, seed)))
    notes = page_notes(right)
    ticks = sorted({n.tick for n in notes})
    rng = random.Random(seed)
    tried = found = others = 0
    for before, tick, after in zip(ticks[3:-5], ticks[4:-4], ticks[5:-3], strict=True):
        room = min(after - tick, tick - before)
        if room < QUARTER // 2:
            continue
        by = rng.choice((1, -1)) * (QUARTER // 4 if room < QUARTER else rng.choice((QUARTER // 2, QUARTER // 4)))
        moved = [(n, replace(n, tick=n.tick + by)) for n in notes if n.tick == tick]
        proof = prove(right.with_rows(moved), part, take)
        hits = [d for d in proof.differences if (d.kind, d.tick, d.at) == ("place", tick + by, tick)]
        tried += 1
        found += sum(len(d.notes) for d in hits) == len(moved)
        others += len(proof.differences) - len(hits)
    assert tried > 20
    assert found >= 0.97 * tried
    assert others <= 0.06 * tried


def test_a_moved_note_taken_over_ends_where_it_did_and_what_came_before_reaches_it() -> None:
    right = waltz()
    part = first_part(right)
    take = Take(tuple(performed(right, 16, 1)))
    line = [n for n in page_notes(right) if n.staff == 1]
    here = next(
        n
        for k, n in enumerate(line)
        if k > 8 and n.ticks == QUARTER and any(o.end == n.tick for o in line) and n.tick % (3 * QUARTER)
    )
    before = next(n for n in line if n.end == here.tick)
    late = replace(here, tick=here.tick + QUARTER // 2, ticks=here.ticks - QUARTER // 2)
    page = right.with_rows([(here, late), (before, replace(before, ticks=before.ticks + QUARTER // 2))])
    (difference,) = prove(page, part, take).differences
    mended = taken_over(page, part, difference).apply(page)
    assert (mended.notes[here.id].tick, mended.notes[here.id].ticks) == (here.tick, here.ticks)
    assert mended.notes[before.id].ticks == before.ticks


@pytest.mark.parametrize(("make", "bars"), MADE)
def test_a_player_who_stops_and_starts_over_counts_as_played_last(make: Make, bars: int) -> None:
    piece = make()
    part = first_part(piece)
    take = performed(piece, bars, 2)
    half = sorted({n.tick for n in page_notes(piece)})[len({n.tick for n in page_notes(piece)}) // 2]
    middle = sum(n.tick < half for n in page_notes(piece))
    begun = [replace(n, key=n.key + 1) if k == middle - 8 else n for k, n in enumerate(take[:middle])]
    third = sum(n.tick < half // 2 for n in page_notes(piece))
    late = begun[-1].release_us + 2_000_000 - take[third].onset_us
    again = [replace(n, onset_us=n.onset_us + late, release_us=n.release_us + late) for n in take[third:]]
    proof = prove(piece, part, Take((*begun, *again)))
    assert [d for d in proof.differences if d.kind != "missing"] == []
    assert len(proof.differences) <= 1  # a key of the chord that was broken off
    assert proof.agree >= len(take) - 1


def test_one_hand_alone_is_held_against_its_staff() -> None:
    piece = waltz()
    take = performed(piece, 16, 3)
    upper = [n for n in take if n.key >= min(p.pitch.midi for p in page_notes(piece) if p.staff == 1)]
    proof = prove(piece, first_part(piece), Take(tuple(upper)))
    assert (proof.staff, proof.agree, proof.differences) == (1, len(upper), ())


def test_from_any_bar_only_the_bars_that_were_played_are_judged() -> None:
    piece = waltz()
    take = play(piece, range(5, 10), 4, 80, free=True, start_us=1_000_000)
    proof = prove(piece, first_part(piece), Take(tuple(take)))
    assert (proof.bars, proof.differences, proof.agree) == ((6, 10), (), len(take))


def test_another_piece_is_refused_with_the_share_that_agrees() -> None:
    with pytest.raises(BadInput, match=r"not what stands on the page: \d+% of it agrees|is not found on the page"):
        prove(waltz(), first_part(waltz()), Take(tuple(performed(jig(), 9, 1))))
    with pytest.raises(BadInput, match="Nothing was played"):
        prove(waltz(), first_part(waltz()), Take(()))


def test_a_breath_and_a_slower_tempo_are_no_other_rhythm() -> None:
    piece = waltz()
    take = performed(piece, 16, 2, free=False)
    middle = next(
        n.onset_us for k, n in enumerate(take) if k > len(take) // 2 and n.onset_us - take[k - 1].onset_us > 100_000
    )

    def stretched(us: int) -> int:
        return us if us < middle else round(us + 900_000 + (us - middle) * 0.6)

    slower = tuple(replace(n, onset_us=stretched(n.onset_us), release_us=stretched(n.release_us)) for n in take)
    assert prove(piece, first_part(piece), Take(slower)).differences == ()


@pytest.mark.parametrize(("make", "bars"), MADE)
def test_the_player_is_followed_key_by_key(make: Make, bars: int) -> None:
    """Where the page follows to is the place of the key in 98 of 100, with three wrong keys in a hundred."""
    piece = make()
    rng = random.Random(4)
    notes = sorted(page_notes(piece), key=lambda n: (n.tick, n.pitch.midi))
    take = performed(piece, bars, 5)
    by_key: dict[int, list[int]] = {}
    for n in notes:
        by_key.setdefault(n.pitch.midi, []).append(n.tick)
    place = Place(piece, first_part(piece))
    right = 0
    for note in take:
        true = by_key[note.key].pop(0)
        key = note.key + 1 if rng.random() < 0.03 else note.key
        right += place.hear(key, note.onset_us) == true
    assert right >= 0.98 * len(take)


def test_looking_back_a_run_is_where_it_was_played() -> None:
    chords = to_strike(waltz(), chords_of(waltz(), first_part(waltz()))).keys
    take = play(waltz(), range(4, 8), 1, 90)
    (run,) = runs(chords, take)
    ticks = [t for t, _ in chords_of(waltz(), first_part(waltz()))]
    bar = waltz().timeline.bar(4).start
    assert ticks[run.start] == bar
    assert (run.first, run.last) == (0, len(take) - 1)
    assert Follower([]).way() == []
