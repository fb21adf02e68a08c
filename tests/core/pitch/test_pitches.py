"""Spelling and keys against tables of the trade."""

from __future__ import annotations

import pytest

from ductus.core.errors import BadInput
from ductus.core.pitch.keys import MAJOR_NAMES, MINOR_NAMES, key_words, signature
from ductus.core.pitch.pitches import Pitch, parse_pitch, pitch_on_line, pitch_words, spell_in_key


@pytest.mark.parametrize(
    ("fifths", "altered"),
    [
        (0, {}),
        (1, {"F": 1}),
        (3, {"F": 1, "C": 1, "G": 1}),
        (-1, {"B": -1}),
        (-4, {"B": -1, "E": -1, "A": -1, "D": -1}),
    ],
)
def test_signatures_hold_the_usual_letters(fifths: int, altered: dict[str, int]) -> None:
    assert {k: v for k, v in signature(fifths).items() if v} == altered  # circle of fifths, common practice


def test_keys_have_their_names() -> None:
    assert key_words(-3) == "E flat major"
    assert key_words(-3, "minor") == "C minor"
    assert len(set(MAJOR_NAMES.values())) == len(set(MINOR_NAMES.values())) == 15
    with pytest.raises(BadInput, match="at most seven"):
        signature(8)


@pytest.mark.parametrize(
    ("key", "fifths", "name"),
    [
        (61, 0, "C#4"),
        (63, 0, "Eb4"),
        (66, 0, "F#4"),
        (70, 0, "Bb4"),
        (61, -3, "Db4"),
        (66, 2, "F#4"),
        (66, -5, "Gb4"),
        (71, -7, "Cb5"),
        (65, 6, "E#4"),
    ],
)
def test_a_key_is_spelled_by_the_signature(key: int, fifths: int, name: str) -> None:
    assert str(spell_in_key(key, fifths)) == name


def test_every_spelling_sounds_as_played() -> None:
    for fifths in range(-7, 8):
        for key in range(128):
            assert spell_in_key(key, fifths).midi == key


def test_pitches_are_read_and_said() -> None:
    assert parse_pitch("F##3") == Pitch("F", 2, 3)
    assert pitch_words(Pitch("B", -1, 2)) == "B flat 2"
    assert pitch_on_line(60, 12) == Pitch("B", 1, 3)
    with pytest.raises(BadInput, match="is no pitch"):
        parse_pitch("H4")
    with pytest.raises(BadInput, match="cannot be spelled"):
        pitch_on_line(60, 1)
