"""Words of dictionaries of musical terms, each with its kind and effect.

The words, their meaning and the range of their tempo are common practice (dictionaries of Italian, German, French and
English terms; metronome scales), from memory; none was taken from the table that is tested.
"""

from __future__ import annotations

from fractions import Fraction as F

import pytest

from ductus.core.errors import BadInput
from ductus.core.playback.dynamics import LEVELS, STRESSED, STRUCK
from ductus.core.playback.tempo_map import paces
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language import terms
from ductus.core.score.mark_language.parser import EXACT, FOLDED, suggestions, wish_of
from ductus.core.time.ticks import QUARTER
from tests.core.score.test_marks import notes, quarters

TEMPO_RANGE = {
    "Largo": (40, 60), "Adagio sostenuto": (50, 76), "Andante con moto": (76, 108), "Allegro ma non troppo": (104, 132),
    "Allegro assai": (126, 160), "Presto con fuoco": (168, 208), "Vivace e leggiero": (140, 168),
    "Tempo di marcia": (100, 120), "Langsam": (40, 66), "Sehr langsam": (36, 54), "Mäßig": (80, 108),
    "Lebhaft": (120, 152), "Schnell": (132, 168), "Bewegt, aber nicht zu schnell": (92, 120), "Lent": (40, 66),
    "Modéré": (84, 112), "Vif": (140, 168), "Très lent": (36, 54), "Slowly": (50, 70), "Moderately": (88, 116),
    "Fast": (132, 176), "andantino": (72, 96), "PRESTO": (168, 200), "Larghetto cantabile": (54, 68),
}  # fmt: skip
SLOWER = ("rit.", "rit", "RIT.", "Ritardando", "rallent.", "allarg.", "molto rall.", "poco rit.", "cédez", "slentando",
          "zurückhaltend", "langsamer werdend", "slowing", "calando", "en retenant")  # fmt: skip
FASTER = ("accel.", "accelerando", "string.", "affrettando", "accel. poco a poco", "beschleunigen", "en animant",
          "faster", "stringendo")  # fmt: skip
FROM_THERE = {
    "più lento": (0.7, 0.95), "meno mosso": (0.7, 0.95), "Più mosso": (1.05, 1.4), "un poco più mosso": (1.02, 1.2),
    "doppio movimento": (2, 2), "l'istesso tempo": (1, 1), "etwas langsamer": (0.8, 0.98), "schneller": (1.05, 1.4),
    "plus vite": (1.05, 1.4), "moins vite": (0.7, 0.97), "double time": (2, 2), "ritenuto": (0.6, 0.95),
}  # fmt: skip
KINDS = {
    "ffz": ("mark", "dynamic", "ffz"), "sfpp": ("mark", "dynamic", "sfpp"), "rinf.": ("mark", "dynamic", "rfz"),
    "sforzando": ("mark", "dynamic", "sfz"), "mezzo forte": ("mark", "dynamic", "mf"),
    "pianissimo": ("mark", "dynamic", "pp"), "cresc. al ff": ("mark", "hairpin", "cresc. al ff"),
    "dim. al niente": ("mark", "hairpin", "dim. al niente"), "crescendo": ("mark", "hairpin", "<"),
    "m.d.": ("mark", "text", "m.d."), "RH": ("mark", "text", "RH"), "m.g.": ("mark", "text", "m.g."),
    "una corda": ("mark", "text", "una corda"), "½ ped": ("mark", "text", "½ ped."), "Ped": ("mark", "pedal", ""),
    "1 3 5": ("fingers", "fingers", "1 3 5"), "3-1": ("fingers", "fingers", "3 1"), "tr": ("note", "trill", ""),
    "prall": ("note", "inverted-mordent", ""), "gruppetto": ("note", "turn", ""),
    "appoggiatura": ("grace", "grace", ""), "ten": ("note", "tenuto", ""), "second ending": ("bar", "ending", "2"),
    "prima volta": ("bar", "ending", "1"), "Verse": ("bar", "section", "Verse"), "chorus": ("bar", "section", "Chorus"),
    "final barline": ("bar", "final", ""), "dotted barline": ("bar", "dashed", ""),
    "DC al Fine": ("bar", "da-capo-fine", ""), "subito piano": ("mark", "dynamic", "p"),
    "ds al coda": ("bar", "dal-segno-coda", ""), "Da Capo": ("bar", "da-capo", ""), "V.S.": ("mark", "text", "V.S."),
    "swing": ("mark", "swing", "Swing"), "H7": ("mark", "chord", "B7"), "C△7": ("mark", "chord", "CΔ7"),
    "con sord": ("mark", "text", "con sord."), "ausdrucksvoll": ("mark", "text", "ausdrucksvoll"),
    "en dehors": ("mark", "text", "en dehors"), "pizz": ("mark", "text", "pizz."), "l.v.": ("note", "let-ring", ""),
    "Bindebogen": ("mark", "slur", ""), "8ba": ("mark", "octave", "8vb"), "corona": ("note", "fermata", ""),
    "sostenuto e dolce": ("mark", "text", "sostenuto e dolce"), "Hm": ("mark", "chord", "Bm"),
    "H/F#": ("mark", "chord", "B/F#"), "hold": ("note", "fermata", ""),
}  # fmt: skip
METRONOME = {
    "quarter = ca. 80": (80, "quarter", 0), "q = 96": (96, "quarter", 0), "crotchet = 72": (72, "quarter", 0),
    "M.M. ♩ = 60": (60, "quarter", 0), "♩=60-66": (60, "quarter", 0), "minim = about 50": (50, "half", 0),
    "dotted crotchet = 63": (63, "quarter", 1), "Allegro (♩ = 132)": (132, "quarter", 0), "h. = 54": (54, "half", 1),
}  # fmt: skip


@pytest.mark.parametrize("text", TEMPO_RANGE)
def test_a_tempo_word_has_a_number_within_its_range(text: str) -> None:
    wish, (low, high) = wish_of(text), TEMPO_RANGE[text]
    assert wish.sort == "tempo"
    assert low <= wish.number <= high
    assert wish.text.casefold() == text.casefold()


def pace(text: str, tick: int) -> float:
    """Quarters a minute at a place, of a piece at 120 with a word over its second bar."""
    piece = quarters(4)
    page = marked(piece, wish_of(text), where(notes(piece, 4, 7), ("p1", 1, 1), 4 * QUARTER)).apply(piece)
    return next(p.qpm for p in reversed(paces(page)) if p.tick <= tick)


@pytest.mark.parametrize("text", SLOWER)
def test_what_slows_down_does(text: str) -> None:
    assert pace(text, 7 * QUARTER) < 118


@pytest.mark.parametrize("text", FASTER)
def test_what_speeds_up_does(text: str) -> None:
    assert pace(text, 7 * QUARTER) > 122


@pytest.mark.parametrize("text", FROM_THERE)
def test_what_changes_at_once_holds_from_there(text: str) -> None:
    low, high = FROM_THERE[text]
    assert pace(text, 3 * QUARTER) == 120
    assert low * 120 <= pace(text, 4 * QUARTER) <= high * 120
    assert pace(text, 12 * QUARTER) == pace(text, 4 * QUARTER)


@pytest.mark.parametrize("text", ["a tempo", "im Tempo", "au Mouvt", "Tempo I", "tempo primo", "wie zuerst"])
def test_what_returns_does(text: str) -> None:
    piece = quarters(4)
    for words, first in (("più lento", 4), (text, 8)):
        piece = marked(piece, wish_of(words), where(notes(piece, first, first), ("p1", 1, 1), 0)).apply(piece)
    found = {p.tick: p.qpm for p in paces(piece)}
    assert found[8 * QUARTER] == 120
    assert found[4 * QUARTER] < 120


@pytest.mark.parametrize("text", KINDS)
def test_a_word_is_of_its_kind(text: str) -> None:
    wish = wish_of(text)
    assert (wish.sort, wish.kind, wish.text) == KINDS[text]


@pytest.mark.parametrize("text", METRONOME)
def test_a_metronome_mark_is_read_as_it_is_written(text: str) -> None:
    wish = wish_of(text)
    assert wish.beat is not None
    assert (wish.number, wish.beat.base, wish.beat.dots) == METRONOME[text]


def test_a_dynamic_with_what_grows_from_it_is_two_marks() -> None:
    wish = wish_of("mp cresc.")
    assert wish.also is not None
    assert (wish.text, wish.also.kind, wish.also.text) == ("mp", "hairpin", "cresc.")


def test_every_other_way_to_write_a_sign_leads_to_one() -> None:
    unknown = [w for w, known in terms.SAME.items() if known not in EXACT and known.casefold() not in FOLDED]
    assert unknown == []


def test_every_dynamic_sounds() -> None:
    from ductus.core.score.mark_language.parser import DYNAMICS

    assert [d for d in DYNAMICS if not (d in LEVELS or d in STRESSED or d in STRUCK)] == []


@pytest.mark.parametrize("text", ["xyzzy", "Allegro banana", "H99", "ppqq", "quarter = fast", "dolce = 80", "6 7 8"])
def test_what_is_no_word_is_not_taken_for_one(text: str) -> None:
    with pytest.raises(BadInput):
        wish_of(text)


def test_shares_are_sane() -> None:
    assert all(F(1, 2) <= F(s).limit_denominator(100) <= 2 for s in terms.AT_ONCE.values())
    assert all(30 <= bpm <= 210 for bpm in terms.TEMPI.values())


@pytest.mark.parametrize(
    ("typed", "meant"),
    [("dolse", "dolce"), ("ritardanto", "ritardando"), ("cantabille", "cantabile"), ("legatto", "legato")],
)
def test_a_word_that_is_nearly_one_is_offered_before_plain_words(typed: str, meant: str) -> None:
    offered = [s.text for s in suggestions(typed)]
    assert offered[0] == meant
    assert offered[-1] == f'"{typed}"'
    with pytest.raises(BadInput, match=f"Did you mean .*{meant}"):
        wish_of(typed)


def test_words_that_are_near_nothing_are_offered_as_they_are() -> None:
    assert [s.text for s in suggestions("the lantern goes out")] == ['"the lantern goes out"']
