"""Swing: said in words, found in the playing, written with its sign, heard as it was played."""

from __future__ import annotations

import numpy as np
import pytest
from lxml import etree

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.playback.performance import PlaybackStyle, playback
from ductus.core.playback.timing import apart_by_bar
from ductus.core.reading.model import EVEN, ReadingResult, ReadSettings
from ductus.core.reading.page.insertion import page_of
from ductus.core.reading.pipeline import read
from ductus.core.reading.review.options import ReadingOptions
from ductus.core.reading.review.prompt import read_sentence
from ductus.core.score.mark_language.swing import pair_of, swing_words
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import steady_map
from ductus.core.time.ticks import QUARTER
from ductus.formats.musicxml_read import read_musicxml
from ductus.formats.musicxml_write import write_musicxml

TUNE = (60, 62, 64, 65, 67, 65, 64, 62)
BEAT_US = 500_000


def played(share: float, bars: int = 8, *, triplets: bool = False, spread_us: int = 8_000) -> Take:
    """Eighths at 120 whose first takes this share of the beat (or triplets), unevenly by a few milliseconds."""
    rng = np.random.default_rng(5)
    places = (0, 1 / 3, 2 / 3) if triplets else (0.0, share)
    notes = []
    for beat in range(bars * 4):
        for k, at in enumerate(places):
            on = round((beat + at) * BEAT_US + rng.normal(0, spread_us)) + 2_000_000
            notes.append(PlayedNote(on, on + 150_000, TUNE[(2 * beat + k) % 8] + 7 * (beat % 4 == 0)))
    return Take(tuple(sorted(notes, key=lambda n: n.onset_us)))


def as_read(take: Take, settings: ReadSettings | None = None) -> ReadingResult:
    return read(take, steady_map(120, 0, 2_000_000), settings or ReadSettings(meter=Meter(4, 4)))


@pytest.mark.parametrize("share", [0.58, 0.62, 0.64, 2 / 3])
def test_swung_eighths_are_written_even_and_heard_as_they_were_played(share: float) -> None:
    take = played(share)
    result = as_read(take)
    assert abs(result.swing / 1000 - share) <= 0.02
    assert {n.tick % QUARTER for n in result.notes} == {0, QUARTER // 2}
    assert any("long and short" in words for words in result.remarks)
    piece = page_of(result)
    (sign,) = [m for m in piece.marks.values() if m.kind == "swing"]
    assert (sign.text, sign.share, sign.tick) == ("Swing", result.swing, 0)
    heard = playback(piece, manner=PlaybackStyle(played=True))
    first = take.notes[0].onset_us
    scale = 120 / piece.tempo_at(0).quarters_per_minute
    apart = [
        (n.onset_us - heard.notes[0].onset_us) / scale - (p.onset_us - first)
        for n, p in zip(heard.notes, take.notes, strict=True)
    ]
    middle = float(np.median(apart))  # the first note may come before the first bar line, where nothing can sound
    assert max(abs(a - middle) for a in apart[1:]) < 2_000  # microseconds


def test_swung_eighths_are_not_late() -> None:
    """The strip said of every bar that it was 33 ms behind the click."""
    take = played(0.64, spread_us=2_000)
    result = as_read(take)
    apart = apart_by_bar(page_of(result), take, result, 0, free=False)
    assert len(apart) == 8
    assert max(abs(bar.us) for bar in apart) < 6_000  # microseconds


def test_even_eighths_and_triplets_have_no_swing() -> None:
    assert as_read(played(0.5)).swing == 0
    triplets = as_read(played(0, triplets=True))
    assert triplets.swing == 0
    assert {n.tick * 3 % QUARTER for n in triplets.notes} == {0}


def test_by_choice_swung_eighths_are_given_no_sign() -> None:
    result = as_read(played(2 / 3), ReadSettings(meter=Meter(4, 4), swing=EVEN))
    assert result.swing == 0
    assert not [m for m in page_of(result).marks.values() if m.kind == "swing"]


def test_a_swing_sign_is_in_the_file_as_musicxml_has_it_and_comes_back() -> None:
    """MusicXML 4.0, element swing: first and second in whole numbers, swing-type."""
    piece = page_of(as_read(played(0.64)))
    file = write_musicxml(piece)
    swing = etree.fromstring(file).find(".//sound/swing")
    assert swing is not None
    first, second = (int(swing.findtext(name) or 0) for name in ("first", "second"))
    share = first / (first + second)
    (sign,) = [m for m in piece.marks.values() if m.kind == "swing"]
    assert share == sign.share / 1000
    assert swing.findtext("swing-type") == "eighth"
    again = read_musicxml(file).piece
    assert [(m.text, m.share) for m in again.marks.values() if m.kind == "swing"] == [("Swing", sign.share)]


@pytest.mark.parametrize("chosen", [None, EVEN, 0.667, 0.6])
def test_the_line_says_how_eighths_were_read(chosen: float | None) -> None:
    """Whatever share was chosen, by the line or by a program."""
    settings = ReadSettings(meter=Meter(4, 4), swing=chosen)
    result = as_read(played(0.64), settings)
    line = "".join(p.words for p in read_sentence("Take 1", "click", "bar 1", ReadingOptions(settings), result, (), {}))
    said = {None: "swung (64 to 36), written even", EVEN: "as they were played", 0.6: "swung (60 to 40), written even"}
    assert f"; eighths {said.get(chosen, 'swung two to one, written even')}" in line


def test_words_of_swing() -> None:
    assert swing_words("shuffle") == ("Shuffle", 667)
    assert swing_words("swing 3:2") == ("Swing 3:2", 600)
    assert swing_words("swing 90%") is None
    assert swing_words("swinging") is None
    assert pair_of("Swing 16ths") == QUARTER // 2
