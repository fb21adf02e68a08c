"""Words of dictionaries of musical terms, each with its kind and effect.

The words, their meaning and the range of their tempo are common practice (dictionaries of Italian, German, French and
English terms; metronome scales), from memory; none was taken from the table that is tested.
"""

from __future__ import annotations

from fractions import Fraction as F

import pytest

from ductus.core.errors import BadInput
from ductus.core.playback.dynamics import LEVELS, STRESSED, STRUCK, Loudness, figure_of
from ductus.core.playback.tempo_map import paces
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language import terms
from ductus.core.score.mark_language.parser import EXACT, FOLDED, Wish, wish_of
from ductus.core.score.mark_language.suggestions import suggestions
from ductus.core.score.model.piece import Piece
from ductus.core.time.ticks import QUARTER
from ductus.demo.scenario import waltz
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


# By what is put on the page, in the order in which it is put. Two lists of words that were written down before the
# parser knew them; of 669 it understood 480 then.
UNDERSTOOD = {
    "text": (
        "molto legato|sempre stacc.|l.h. over|con ped|Ped. sempre|ad lib.|colla parte|attacca subito|"
        "al fine|al segno|repeat and fade|fade out|fade|tacet|solo ad lib|Rubato|piu f|fliessend|"
        "poco f|quasi niente|più piano|ancora più f|meno|sempre più f|up bow|down bow|open string|"
        "harmonic|snap pizz|fall|doit|scoop|plop|bend|arpeggio down|non arp.|m.d. sopra|m.s. sotto|"
        "sopra|sotto|cross hands|ossia|ad lib. repeat|senza ripetizione|senza replica|second time only|"
        "1st time only|2x only|tacet 1st x|Vamp|till cue|on cue|Solo|Break|comp|comping|G.P.|"
        "long pause|general pause|Generalpause|pedale|Pedale sempre|senza ped|con Pedale|½ Ped|U.C.|"
        "T.C.|3 Ped.|release pedal|lift pedal|pedal up|con 8va|coll' 8va|col 8va bassa|loco.|l.h.|r.h.|"
        "m.s.|links|rechts|cantabile, legato|legato sempre|sempre ff e marcato|tranquillamente|"
        "grandemente|Feierlich|Mit innigem Ausdruck|Mit Humor|Innig bewegt|Zart und innig|"
        "Wie aus der Ferne|Très calme|Sans rigueur|Tempo rubato|With energy|Gently flowing|Freely|"
        "With a lilt|Tenderly|With motion|Leicht bewegt|Mit Kraft und Feuer|Leidenschaftlich|"
        "Sehr innig und nicht zu rasch|Kräftig|Schwer|Sans presser|Doux et expressif|Léger et lointain|"
        "sempre p e leggiero|sempre pp|più forte|meno forte|poco forte|mezza voce|a mezza voce|"
        "sotto voce e legato|rit. 2nd time|rit. last time only|senza tempo|rubato|"
        "poco rubato|sempre rubato|Cadenza|cadenza ad lib.|quasi cadenza|recit. ad lib.|veloce|lunga|"
        "G. P.|GP|attacca il|1st time|2nd time|Tutti|Ped. ad lib.|ped. simile|con ped.|con molto pedale|"
        "poco ped.|molto ped.|senza pedale|half ped|una corda|tre corde|u. c.|t. c.|sost. ped.|"
        "L.H. melody|R.H. only|l.h. only|LH over RH|m.d.|m.g.|main gauche|m.s. sopra|left hand over|"
        "loco|tremolando|martellato|marc.|legato|sempre legato|legatissimo|non legato|quasi legato|"
        "molto staccato"
    ),
    "tempo": (
        "Tempo giusto|Allegro vivace|Andante, quarter = 72|Lento assai|Grave e maestoso|Slow|tres vite|"
        "Tres lent|massig|Maessig|Meno mosso, quarter = 80|Tempo I (q = 120)|tempo ordinario|Alla turca|"
        "tempo di minuetto|Nicht schnell|Sehr lebhaft|Ziemlich langsam|Etwas bewegt|Sehr rasch|"
        "So schnell wie möglich|Assez vif|Assez lent|Modérément animé|Un peu animé|Lent et grave|"
        "Lent et douloureux|Allegro con brio|Allegro moderato|Allegro maestoso|Allegretto grazioso|"
        "Andante cantabile|Andante sostenuto|Andante grazioso|Adagio cantabile|Adagio molto|Largo assai|"
        "Molto allegro|Molto vivace|Molto adagio|Poco allegro|Poco adagio|Un poco allegretto|"
        "Allegro agitato|Presto agitato|Presto possibile|Prestissimo|Non troppo presto|Assai vivace|"
        "Alla marcia|Marcia funebre|Quasi allegretto|Scherzo|Moderato cantabile|Moderato con anima|"
        "Con moto|Steadily|Moderately fast|Moderately slow|Not too fast|Medium rock|Slow ballad|"
        "Slowly, with feeling|Brightly, in 2|Adagio ma non tanto|Allegro ma non tanto|Allegretto scherzando|"
        "Andante con variazioni|Larghetto maestoso|Lento e sostenuto|Presto scherzando|Vivace assai|"
        "Vivacissimo e leggiero|Allegro risoluto|Allegro giocoso|Andante mosso|Andante tranquillo|"
        "Moderato assai|Moderato e maestoso|Allegro feroce|Adagio religioso|Adagio lamentoso|"
        "Allegro con grazia|Tempo di valse lento|Valse lente|Mouvement de valse|Mouvement de marche|"
        "Sehr getragen|Sehr ruhig|Mäßig schnell|Mässig langsam|Nicht zu schnell|Nicht zu langsam|"
        "Langsam und ausdrucksvoll|Lebhaft, doch nicht zu schnell|Frisch und munter|Ruhig bewegt|Feurig|"
        "Gemächlich|Bedächtig|Flott|Animé et très décidé|Modéré et très expressif|Lent et triste|"
        "Très modéré|quarter=120|q=120|q. = 60|dotted quarter = 72|half = 60|eighth = 144|♩ = 96|♪ = 120|"
        "M.M. = 100|MM 96|120 bpm|tempo 120|bpm 120|♩ = c. 100|quarter = 100-110"
    ),
    "tempo-word": (
        "poco più mosso|più mosso assai|stringendo molto|ritenuto poco|rit. ----|rit. molto|come sopra|"
        "half-time feel|double-time feel|Bossa nova|Rock|Ballad|Funk|piu mosso|zuruckhaltend|cedez|"
        "accel|ritard|rall|sempre più mosso|morendo al niente|allargando molto|poco allarg.|"
        "poco a poco rit.|poco a poco accelerando|Più allegro|alla breve|alla zingarese|in 2|"
        "in one|quarter=quarter|eighth = eighth|♪=♪|q = q.|half = quarter|quarter = dotted quarter|♩=♩.|"
        "noch schneller|Im Volkston|au mouvement|1er Mouvt|Plus vite|En animant|Retenu|très retenu|"
        "Serrez|Più andante|Un peu retenu|Un peu plus animé|Cédez un peu|En cédant un peu|Retenez|"
        "Au mouvement initial|Reprenez le mouvement|Revenez au Tempo|rit. al fine|rit. poco a poco|"
        "molto ritard.|molto rit|poco rall.|poco accel|sempre accel.|un poco rit.|un poco rallentando|"
        "riten. molto|trattenuto|ritenuto|a tempo giusto|tempo I|Tempo primo.|Tempo 1mo|in tempo|"
        "L'istesso tempo|Lo stesso tempo|Doppio tempo|poco meno mosso|poco più lento|molto più lento|"
        "ancora più mosso|stretta|Stretto|half time|double time|double-time"
    ),
    "chord": (
        "N.C.|C/E|Cmaj7#11|G13(b9)|Bbdim7|F#m7b5|Asus4|Cadd9|C6/9|Caug|C+|C°7|Cø|Am(maj7)|A|C|"
        "Dm7|G7sus4|E7#9|Abmaj9|F/A|Bb/D|Cm|C-7|CM7|Cmin|Cma7|Co7|A7alt|Dsus2|Emin7b5|G7(#5)"
    ),
    "dynamic + text": (
        "mf espressivo|pp sempre|p e leggiero|f marcato|ff sub.|sub. f|subito f|fff sempre|dolce p|"
        "espr. mf|mf 1st time, p 2nd time|p 2nd time|p et expressif|pp et très lointain|p doux|"
        "mf en dehors|ff très marqué|f avec force|p subito|pp subito|subito pp|ff ma dolce|mp cantabile|"
        "p sempre|pp una corda|f pesante|ff con fuoco|sfz marcato"
    ),
    "hairpin": (
        "decresc|dim|cresc. molto al fff|dim. al pp|>|sempre cresc.|cresc. poco|cresc. assai|molto cresc|"
        "un poco cresc.|poco a poco dim.|dim. molto|crescendo poco a poco|cresc. poco a poco al ff|"
        "cresc. sempre|cresc. molto|cresc. - - -|dim. al p|dim. poco a poco|decresc. al niente|<|"
        "crescendo|diminuendo|decrescendo|cresc hairpin|dim hairpin|open hairpin|close hairpin"
    ),
    "section": (
        "Head|Solos|Turnaround|Riff|Verse II|Chorus III|Pre Chorus|Hook|Part A|B1|Letter A|[A]|"
        "[Intro]|[Verse 1]|[Chorus]|Verse 1|Chorus 2|Bridge 2|Interlude|Outro|Instr.|Letter B|"
        "rehearsal C|section D"
    ),
    "octave": (
        "8va----|8va alta|15ma|ottava sopra|8va sopra|8va|8va bassa|8ve|8vb|ottava"
    ),
    "ending": (
        "1st and 2nd ending|1., 2.|1.-3.|1-3.|1.|2.|3rd ending|ending 1|ending 2|1st & 2nd endings"
    ),
    "repeat-end": (
        "3x|play 4 times|repeat 3x|repeat|repeat 2x|repeat 4 times|4x|play 3x|play three times|"
        "repeat end"
    ),
    "hairpin + tempo-word": (
        "cresc. e accel.|dim. e rit.|cresc. ed accel.|dim. e rall.|dim. e morendo|dim. e calando|"
        "cresc. e string.|cresc. e stringendo"
    ),
    "fingers": (
        "1|5|4-5|2 1|5 3 1|1-2-3|2-1|fing 4 2 1"
    ),
    "tempo-word + hairpin": (
        "rit. e dim.|accel. e cresc.|rall. e dim.|poco rit. e dim.|allarg. e cresc.|più animato e cresc."
    ),
    "swing": (
        "Swing feel|Shuffle|swing 8ths|Swing 16ths|straight 8ths|shuffle"
    ),
    "fermata": (
        "fermata lunga|short fermata|long fermata|Pause|Fermate|fermata"
    ),
    "glissando": (
        "gliss. down|slide|gliss.|glissando|gliss. up|portamento"
    ),
    "breath": (
        "breath mark|'|,|comma|breath"
    ),
    "rolled": (
        "no arpeggio|arpeggio|arpegg.|rolled chord|roll chord"
    ),
    "dynamic + hairpin + dynamic": (
        "p < f|p<f|f > p|mp<mf"
    ),
    "tempo + swing": (
        "fast swing|Bright swing|Easy swing"
    ),
    "tenuto": (
        "tenuto|-|ten."
    ),
    "staccato": (
        ".|staccato|stacc."
    ),
    "tremolo-3": (
        "trem.|tremolo 3|tremolo"
    ),
    "repeat-start": (
        "Open repeat|repeat start|start repeat"
    ),
    "trill": (
        "tr|tr.|trill"
    ),
    "grace": (
        "grace|acciaccatura|appoggiatura"
    ),
    "pedal": (
        "ped. *|pedal"
    ),
    "dynamic": (
        "f p|sfz p"
    ),
    "caesura": (
        "railroad tracks|caesura"
    ),
    "portato": (
        "portato|mezzo staccato"
    ),
    "marcato": (
        "marcato|^"
    ),
    "da-capo": (
        "D.C. senza repetizione|d.c."
    ),
    "text + tempo-word": (
        "con dolore e rit.|colla voce, a tempo"
    ),
    "tempo-word + text": (
        "a tempo, tranquillo|più mosso ed agitato"
    ),
    "fine": (
        "fine|FINE"
    ),
    "dal-segno-fine": (
        "D.S. al Fine|Dal Segno al Fine"
    ),
    "da-capo-coda": (
        "D.C. al Coda|Da Capo al Coda"
    ),
    "final": (
        "final bar|end bar"
    ),
    "turn": (
        "turn|gruppetto"
    ),
    "trill-sharp": (
        "tr#"
    ),
    "trill-flat": (
        "tr b"
    ),
    "trill-natural": (
        "tr ♮"
    ),
    "cue": (
        "cue"
    ),
    "staccatissimo": (
        "staccatissimo"
    ),
    "accent": (
        "accent"
    ),
    "bracket": (
        "bracket"
    ),
    "da-capo-fine": (
        "Da capo al fine"
    ),
    "text + hairpin": (
        "ten. e dim."
    ),
    "hairpin + dynamic": (
        "dim. - - - p"
    ),
    "hairpin + text": (
        "cresc. e animando"
    ),
    "to-coda": (
        "Al Coda"
    ),
    "dal-segno-coda": (
        "DS al coda"
    ),
    "double": (
        "double bar"
    ),
    "mordent": (
        "mordent"
    ),
    "inverted-mordent": (
        "pralltriller"
    ),
    "inverted-turn": (
        "inverted turn"
    ),
    "slur": (
        "slur"
    ),
    "finger-3": (
        "fingering 3"
    ),
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


def kinds(wish: Wish | None) -> list[str]:
    """The kinds of all that a wish asks for, in order."""
    return [] if wish is None else [wish.kind, *kinds(wish.also)]


@pytest.mark.parametrize("kind", UNDERSTOOD)
def test_words_as_musicians_write_them_are_understood(kind: str) -> None:
    words = UNDERSTOOD[kind].split("|")
    assert {w: " + ".join(kinds(wish_of(w))) for w in words} == dict.fromkeys(words, kind)


@pytest.mark.parametrize(
    ("text", "share"),
    [("♩ = ♪", F(1, 2)), ("quarter = dotted quarter", F(3, 2)), ("half = quarter", F(1, 2)), ("q = q", F(1))],
)
def test_a_value_that_takes_the_time_of_another_changes_the_tempo(text: str, share: F) -> None:
    assert pace(text, 3 * QUARTER) == 120
    assert pace(text, 4 * QUARTER) == 120 * share  # the left value is of the music before (common practice)


def loudness(piece: Piece) -> list[int]:
    heard = Loudness(piece)
    return [heard.velocity(n) for n in sorted(piece.notes.values(), key=lambda n: n.tick)]


def test_from_one_dynamic_to_another_is_three_marks_and_grows() -> None:
    piece = quarters(4)
    page = marked(piece, wish_of("p < f"), where(notes(piece, 4, 7), ("p1", 1, 1), 4 * QUARTER)).apply(piece)
    placed = sorted((m.tick // QUARTER, m.kind, m.text) for m in page.marks.values())
    assert placed == [(4, "dynamic", "p"), (4, "hairpin", "<"), (8, "dynamic", "f")]
    heard = loudness(page)
    assert heard[4] == LEVELS["p"]
    assert heard[4] < heard[5] < heard[6] < heard[7] < heard[8] == LEVELS["f"]


@pytest.mark.parametrize(
    ("words", "level"),
    [
        ("sempre pp e leggiero", LEVELS["pp"]),
        ("più f", LEVELS["ff"]),
        ("meno f", LEVELS["mf"]),
        ("dolce", LEVELS["f"]),
    ],
)
def test_words_of_loudness_are_heard(words: str, level: int) -> None:
    piece = quarters(4)
    for text, at in (("f", 0), (words, 8)):
        piece = marked(piece, wish_of(text), where(notes(piece, at, at), ("p1", 1, 1), 0)).apply(piece)
    assert loudness(piece)[7] == LEVELS["f"]
    assert loudness(piece)[8] == level


def test_a_crescendo_goes_where_its_words_say() -> None:
    piece = quarters(4)
    page = marked(piece, wish_of("cresc. al ff"), where(notes(piece, 4, 7), ("p1", 1, 1), 0)).apply(piece)
    assert loudness(page)[8] == LEVELS["ff"]


@pytest.mark.parametrize(("text", "above"), [("tr", 62), ("tr #", 63), ("tr b", 61), ("trill with natural", 62)])
def test_a_trill_has_the_upper_note_that_its_accidental_says(text: str, above: int) -> None:
    piece = quarters(2)
    at = where(notes(piece, 0, 0), ("p1", 1, 1), 0)
    first = notes(marked(piece, wish_of(text), at).apply(piece), 0, 0)[0]
    low = first.pitch.midi
    assert {f.key - low for f in figure_of(first, 0, 1_000_000, 500_000)} == {0, above - 60}
    assert first.pitch.midi == low


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
    with pytest.raises(BadInput, match=f"Did you mean .*{meant}"):
        wish_of(typed)


@pytest.mark.parametrize(
    ("typed", "sort", "kind", "side"),
    [
        ("tempo: Wie ein Kahn", "tempo", "tempo", ""),
        ("expression: wie aus Papier", "mark", "text", "below"),
        ("technique: mit dem Fingernagel", "mark", "text", ""),
        ("Section: Laterne", "bar", "section", ""),
    ],
)
def test_words_can_say_what_they_are(typed: str, sort: str, kind: str, side: str) -> None:
    wish = wish_of(typed)
    assert (wish.sort, wish.kind, wish.side, wish.text) == (sort, kind, side, typed.split(": ")[1])


def test_a_tempo_of_unknown_words_is_as_fast_as_it_was() -> None:
    piece = marked(waltz(), wish_of("tempo: Wie ein Kahn"), where((), ("p1", 1, 1), waltz().timeline.bar(4).start))
    tempo = piece.apply(waltz()).tempo_at(waltz().timeline.bar(4).start)
    assert (tempo.text, tempo.bpm) == ("Wie ein Kahn", waltz().tempo_at(0).bpm)


def test_words_that_are_near_nothing_are_asked_about_until_they_are_known() -> None:
    words = "the lantern goes out"
    asked = suggestions(words)
    assert [s.text for s in asked] == [f"{k}: {words}" for k in ("tempo", "expression", "technique", "section")]
    assert all(s.explains for s in asked)
    told = suggestions(words, "technique")
    assert (told[0].text, told[0].explains) == (f"technique: {words}", "")
