"""MusicXML in: our own files come back as they went out, other people's whole or with a list.

Files made to do harm are refused.
"""

from __future__ import annotations

import io
import zipfile
from collections import Counter
from collections.abc import Callable
from fractions import Fraction as F
from pathlib import Path

import music21
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ductus.app.files.exporting import Wanted, kind_of
from ductus.core.errors import BadInput, TooMuch
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.note_signs import NOTE_SIGNS
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.write import change_facts
from ductus.core.time.ticks import QUARTER, quarters_of_ticks
from ductus.demo.shelf import PIECES
from ductus.engraving.pages import PageSetup
from ductus.formats.musicxml_read import read_musicxml
from ductus.formats.musicxml_read.score import ReadScore
from ductus.formats.musicxml_write import write_musicxml
from tests.building import random_piece
from tests.formats.round_trip import CORPUS, differences, exact, plain, tried, unexplained

HEAD = (
    '<score-partwise version="4.0"><part-list><score-part id="P1"><part-name>Piano</part-name></score-part>'
    '</part-list><part id="P1">'
)
TIME = "<divisions>{}</divisions><key><fifths>0</fifths></key><time><beats>{}</beats><beat-type>4</beat-type></time>"


def what_is_there(piece: Piece) -> Counter[tuple[object, ...]]:
    """Everything of a piece but the names of its records."""
    order = {part.id: k for k, part in enumerate(piece.ordered_parts())}
    at = {n.id: (order[n.part], n.staff, n.voice, n.tick, n.pitch) for n in piece.notes.values()}
    out: Counter[tuple[object, ...]] = Counter()
    shared: dict[object, set[str]] = {}  # signs that a chord has, whichever of its notes carries them
    for n in piece.notes.values():
        shared.setdefault((n.line, n.tick), set()).update(s for s in n.signs if not NOTE_SIGNS[s].each)
    for n in piece.notes.values():
        own = {s for s in n.signs if NOTE_SIGNS[s].each}
        out[
            "note", at[n.id], n.ticks, tuple(sorted(own | shared[n.line, n.tick])), n.lyrics, n.grace_notes, n.velocity
        ] += 1
    for m in piece.marks.values():
        ends = (at[m.notes[0]], at[m.notes[-1]]) if m.notes else None
        if m.kind not in ("tuplet", "silence", "remark"):  # brackets are stated for all; the others are of no file
            out["mark", m.kind, order[m.part], m.staff, m.tick, m.ticks, m.text, ends] += 1
    out.update(("meter", m.bar, m.meter, m.sign) for m in piece.meters.values())
    out.update(("key", k.bar, k.fifths, k.mode) for k in piece.keys.values())
    out.update(("tempo", t.tick, t.bpm, t.beat, t.text, t.printed, t.shown) for t in piece.tempi.values())
    out.update(("clef", order[c.part], c.staff, c.tick, c.clef) for c in piece.clefs.values())
    out.update(("sign", s.kind, s.bar, s.text, s.bars) for s in piece.signs.values())
    for p in piece.parts.values():
        out["part", p.name, p.short, p.programme, p.clefs, p.transpose, p.level, p.pan, p.lyrics] += 1
    f = piece.facts
    out[
        "facts", f.title, f.subtitle, f.composer, f.arranger, f.lyricist, f.rights, f.number, f.pickup, piece.bar_count
    ] += 1
    return out


def read(body: str, divisions: int = 4, beats: int = 4) -> ReadScore:
    """A file of one part from its measures; ATTRIBUTES stands for the first attributes."""
    text = HEAD + body.replace("ATTRIBUTES", TIME.format(divisions, beats)) + "</part></score-partwise>"
    return read_musicxml(text.encode(), "made")


def note(pitch: str, duration: int, kind: str = "quarter", inner: str = "", before: str = "", voice: str = "1") -> str:
    return (
        f"<note>{before}<pitch><step>{pitch[0]}</step><octave>{pitch[1]}</octave></pitch>"
        f"<duration>{duration}</duration>"
        f"<voice>{voice}</voice><type>{kind}</type>{inner}</note>"
    )


def sounds(score: ReadScore) -> list[tuple[str, F, F, int]]:
    """(pitch, place and length in quarters, voice) of the notes, in order."""
    found = (
        (str(n.pitch), quarters_of_ticks(n.tick), quarters_of_ticks(n.ticks), n.voice)
        for n in score.piece.notes.values()
    )
    return sorted(found, key=lambda n: (n[1], n[0]))


# --- there and back ---------------------------------------------------------------------------


@pytest.mark.parametrize("make", PIECES)
@pytest.mark.parametrize("ending", ["musicxml", "mxl"])
def test_a_piece_of_the_demo_comes_back_as_it_went_out(make: Callable[[], Piece], ending: str) -> None:
    piece = make()
    back = read_musicxml(kind_of(ending).write(piece, PageSetup(), Wanted()))
    assert back.losses == ()
    assert what_is_there(back.piece) == what_is_there(piece)


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from(["4/4", "3/4", "6/8", "5/8", "2/2"]), st.integers(-6, 6))
def test_random_pieces_come_back_as_they_went_out(seed: int, meter: str, fifths: int) -> None:
    piece = random_piece(seed, meter, 6, fifths)
    back = read_musicxml(write_musicxml(piece))
    assert what_is_there(back.piece) == what_is_there(piece)


@pytest.mark.parametrize(
    "words",
    ["mf", "<", "cresc.", "rit.", "a tempo", "8va", "pedal", "slur", "fermata", "staccato", "arpeggio", "tremolo 2",
     "finger 3",
     "Bbm7/F", "N.C.",
     "2nd ending", "repeat end", "double bar", "segno", "D.S. al Coda", "Fine", "section Verse", "dolce", "Allegro",
     "quarter = 80", "alto clef",
     "lyrics: Lamp-light _ falls", "turn", "cross staff", "breath mark", "cue", "poco rit.", "cresc. poco a poco",
     "p dolce", "molto più mosso", "Bb7alt", "Dm7(11)"],
)  # fmt: skip
def test_a_mark_of_every_kind_comes_back(words: str) -> None:
    piece = random_piece(3, "4/4", 6)
    notes = sorted((n for n in piece.notes.values() if n.staff == 1 and n.tick >= 4 * QUARTER), key=lambda n: n.tick)[
        1:5
    ]
    wish = wish_of(words)
    there = marked(piece, wish, where(notes, notes[0].line, notes[0].tick)).apply(piece)
    assert what_is_there(there) != what_is_there(piece)
    back = read_musicxml(write_musicxml(there))
    assert what_is_there(back.piece) == what_is_there(there)


# Scores of music21's corpus (public domain or free of copyright there), small ones of many kinds: chorales, songs,
# piano, early music, drums.
SCORES = (
    "bach/bwv66.6.mxl", "bach/bwv269.mxl", "corelli/opus3no1/1grave.xml", "schumann_robert/opus48no2.mxl",
    "schoenberg/opus19/movement2.mxl",
    "trecento/Fava_Dicant_nunc_iudei.xml", "monteverdi/madrigal.3.1.mxl", "leadSheet/fosterBrownHair.mxl",
    "demos/two-voices.xml",
)  # fmt: skip


@pytest.mark.parametrize("name", SCORES)
def test_scores_of_others_come_back_whole_or_with_a_list(name: str) -> None:
    """As music21 reads both: every onset, length, pitch, staff, meter, key, syllable, dynamic, slur and sign, or it
    is named.
    """
    verdict, unnamed, losses = tried(CORPUS / name)
    assert unnamed == [], losses
    assert verdict in ("whole", "named")


# --- what other programs write --------------------------------------------------------------------


def test_ties_become_one_note_and_held_notes_get_a_voice() -> None:
    """C is held under E and F in one voice of the file: on the page each voice has one chord at a time."""
    start, stop = '<notations><tied type="start"/></notations>', '<notations><tied type="stop"/></notations>'
    body = (
        "<measure><attributes>ATTRIBUTES</attributes>"
        + note("C4", 8, "half", start) + note("E4", 8, "half", before="<chord/>") + note("C4", 8, "half", stop)
        + note("F4", 8, "half", before="<chord/>")
        + "</measure>"
    )  # fmt: skip
    score = read(body)
    assert score.losses == ()
    assert sounds(score) == [("C4", F(0), F(4), 2), ("E4", F(0), F(2), 1), ("F4", F(2), F(2), 1)]


def test_rounded_durations_are_exact_and_voices_meet_again() -> None:
    """Triplets in 4 divisions to the quarter cannot be stated; their types say what they are."""
    triple = "<time-modification><actual-notes>3</actual-notes><normal-notes>2</normal-notes></time-modification>"
    body = (
        "<measure><attributes>ATTRIBUTES</attributes>"
        + "".join(note(p, d, "eighth", triple) for p, d in (("C5", 1), ("D5", 2), ("E5", 1)))
        + note("F5", 12, "half", "<dot/>")
        + "<backup><duration>16</duration></backup>"
        + note("C4", 16, "whole", voice="2")
        + "</measure>"
    )
    assert sounds(read(body)) == [
        ("C4", F(0), F(4), 2), ("C5", F(0), F(1, 3), 1), ("D5", F(1, 3), F(1, 3), 1), ("E5", F(2, 3), F(1, 3), 1),
        ("F5", F(1), F(3), 1),
    ]  # fmt: skip


def test_a_bar_of_another_length_keeps_it_without_a_sign() -> None:
    body = (
        '<measure implicit="yes"><attributes>ATTRIBUTES</attributes>' + note("C4", 4) + "</measure>"
        + "<measure>" + note("D4", 16, "whole") + "</measure><measure>" + note("E4", 12, "half", "<dot/>")
        + "</measure>"
        + "<measure>" + note("F4", 16, "whole") + "</measure>"
    )  # fmt: skip
    score = read(body)
    piece = score.piece
    assert piece.facts.pickup == QUARTER
    assert [(m.bar, str(m.meter), m.sign) for m in sorted(piece.meters.values(), key=lambda m: m.bar)] == [
        (0, "4/4", ""), (2, "3/4", "none"), (3, "4/4", "none"),
    ]  # fmt: skip
    assert [n[1] for n in sounds(score)] == [F(0), F(1), F(5), F(8)]
    written = write_musicxml(piece).decode()
    measures = music21.converter.parseData(written, format="musicxml").parts[0].getElementsByClass("Measure")
    assert [(m.duration.quarterLength, m.timeSignature and m.timeSignature.ratioString) for m in measures] == [
        (1, "4/4"), (4, None), (3, None), (4, None),
    ]  # fmt: skip
    assert what_is_there(read_musicxml(written.encode()).piece) == what_is_there(piece)


def test_triplets_inside_a_triplet_are_nine_in_the_beat() -> None:
    """music21's corpus, a nested tuplet: its notes keep their lengths and are written as one bracket of 9:8, in no
    scraps.
    """
    path = CORPUS / "demos" / "nested_tuplet_finale_test.xml"
    score = read_musicxml(path.read_bytes(), "nested")
    assert score.losses == ("2 nested tuplets (the notes keep their lengths, brackets are found anew), bar 1.",)
    written = music21.converter.parseData(write_musicxml(score.piece), format="musicxml").recurse().notes
    printed = music21.converter.parse(path, forceSource=True).recurse().notes
    assert [(exact(n.offset), exact(n.quarterLength)) for n in written] == [
        (exact(n.offset), exact(n.quarterLength)) for n in printed
    ]
    assert {n.duration.tuplets[0].tupletMultiplier() for n in written if n.duration.tuplets} == {F(8, 9)}


def test_the_lyricist_and_the_copyright_line_are_kept() -> None:
    """ "lyricist" and "poet" are types of creator that MusicXML 4.0 names; music21 reads both back."""
    song = random_piece(1, "4/4", 2)
    piece = change_facts(song, composer="M. Reed", lyricist="O. Lamp", rights="© 2026 the barge").apply(song)
    data = write_musicxml(piece)
    assert what_is_there(read_musicxml(data).piece) == what_is_there(piece)
    about = music21.converter.parseData(data, format="musicxml").metadata
    assert (about.composer, about.lyricist, about.copyright) == ("M. Reed", "O. Lamp", "© 2026 the barge")
    poet = read_musicxml(data.replace(b'type="lyricist"', b'type="poet"'))
    assert (poet.piece.facts.lyricist, poet.losses) == ("O. Lamp", ())


def slur(which: str) -> str:
    return f'<notations><slur type="{which}" number="1"/></notations>'


@pytest.mark.parametrize(
    ("grace", "main", "later", "signs", "drawn", "named"),
    [
        ("start", "stop", "", (), 1, ()),
        ("", "", "", ("bare-grace",), 0, ()),
        ("start", "", "stop", (), 2, ("1 slur from a grace note (now from the note behind it), bar 1.",)),
        ("", "start", "stop", ("bare-grace",), 1, ()),
    ],
)
def test_slurs_of_grace_notes_are_kept(
    grace: str, main: str, later: str, signs: tuple[str, ...], drawn: int, named: tuple[str, ...]
) -> None:
    body = (
        '<measure number="1"><attributes>ATTRIBUTES</attributes><note><grace slash="yes"/><pitch><step>B</step>'
        '<octave>4</octave></pitch>'
        + f"<voice>1</voice><type>eighth</type>{slur(grace) if grace else ''}</note>"
        + note("C5", 8, "half", slur(main) if main else "") + note("D5", 8, "half", slur(later) if later else "")
        + "</measure>"
    )  # fmt: skip
    score = read(body)
    first = min(score.piece.notes.values(), key=lambda n: n.tick)
    assert (first.grace_notes[0].midi, first.signs) == (71, signs)
    assert score.losses == named
    written = write_musicxml(score.piece)
    slurs = music21.converter.parseData(written, format="musicxml").recurse().getElementsByClass("Slur")
    assert len(slurs) == drawn
    assert what_is_there(read_musicxml(written).piece) == what_is_there(score.piece)


def test_what_cannot_be_kept_is_listed_with_its_count_and_bars() -> None:
    gliss = '<notations><glissando type="start"/></notations>'
    body = (
        '<measure number="7"><attributes>ATTRIBUTES</attributes><direction><direction-type><harp-pedals/>'
        '</direction-type></direction>'
        + note("C4", 4, inner=gliss) + note("D4", 4, inner=gliss) + note("E4", 4) + note("F4", 4)
        + '</measure><measure number="8">' + note("G4", 16, "whole", gliss) + "</measure>"
    )  # fmt: skip
    score = read(body)
    assert score.losses == (
        "1 direction “harp pedals”, bar 7.", "3 glissandos with one end, bars 7 and 8.",
    )  # fmt: skip
    assert [n[0] for n in sounds(score)] == ["C4", "D4", "E4", "F4", "G4"]


def test_a_timewise_score_is_turned() -> None:
    """The same song, stated measure by measure (MusicXML 4.0, score-timewise)."""
    text = (
        '<score-timewise version="4.0"><part-list><score-part id="A"><part-name>Up</part-name></score-part>'
        '<score-part id="B"><part-name>Down</part-name></score-part></part-list>'
        f'<measure number="1"><part id="A"><attributes>{TIME.format(4, 4)}</attributes>{note("C5", 16, "whole")}</part>'
        f'<part id="B"><attributes>{TIME.format(4, 4)}</attributes>{note("C3", 16, "whole")}</part></measure>'
        f'<measure number="2"><part id="A">{note("D5", 16, "whole")}</part>'
        f'<part id="B">{note("D3", 16, "whole")}</part></measure></score-timewise>'
    )
    score = read_musicxml(text.encode())
    assert [p.name for p in score.piece.ordered_parts()] == ["Up", "Down"]
    assert [n[:2] for n in sounds(score)] == [("C3", F(0)), ("C5", F(0)), ("D3", F(4)), ("D5", F(4))]


def test_a_written_part_in_b_flat_sounds_a_tone_lower() -> None:
    """A clarinet reads D in E flat major's B flat part: it sounds C (any book of instrumentation; common practice)."""
    transpose = "<transpose><diatonic>-1</diatonic><chromatic>-2</chromatic></transpose>"
    key = "<key><fifths>2</fifths></key>"
    body = (
        f"<measure><attributes><divisions>4</divisions>{key}{transpose}</attributes>{note('D5', 16, 'whole')}</measure>"
    )
    piece = read(body).piece
    assert [str(n.pitch) for n in piece.notes.values()] == ["C5"]
    assert piece.key_at(0).fifths == 0


# --- files that are no scores ----------------------------------------------------------------------


def zipped(name: str, data: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(name, data)
    return out.getvalue()


LAUGHS = (
    b'<!DOCTYPE score-partwise [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]><score-partwise><work>'
    b"<work-title>&b;</work-title></work></score-partwise>"
)
OUTSIDE = (
    b'<!DOCTYPE score-partwise [<!ENTITY x SYSTEM "file:///etc/passwd">]><score-partwise><work><work-title>&x;'
    b"</work-title></work></score-partwise>"
)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"<score-partwise>", "damaged or cut short"),
        (b"<html><body/></html>", "no MusicXML score"),
        (b'<?xml version="1.0"?><score-partwise version="4.0"><part-list/></score-partwise>', "no bars"),
        (LAUGHS, "entities"),
        (OUTSIDE, "entities"),
        (b'<?xml version="1.0" encoding="UTF-8"?><score-partwise>\xff\xfe</score-partwise>', "damaged"),
        (zipped("readme.txt", b"no score"), "no score in that archive"),
        (zipped("a.musicxml", b"x" * 65_000_000), "more than 64 MB"),
        (zipped("a.musicxml", b"<score-partwise/>" * 99)[:-30], "damaged or cut short"),
    ],
    ids=["cut", "other XML", "no bars", "laughs", "outside", "encoding", "empty archive", "bomb", "cut archive"],
)
def test_a_file_that_is_no_score_is_refused_in_words(data: bytes, words: str) -> None:
    with pytest.raises(BadInput, match=words) as refused:
        read_musicxml(data)
    assert "imported" in str(refused.value) or "read" in str(refused.value)


def test_too_many_bars_are_refused() -> None:
    with pytest.raises(TooMuch, match="pieces end at bar"):
        read("<measure/>" * 10_050)


def test_other_encodings_and_name_spaces_are_read() -> None:
    body = "<measure><attributes>ATTRIBUTES</attributes>" + note("C4", 16, "whole") + "</measure>"
    text = HEAD + body.replace("ATTRIBUTES", TIME.format(4, 4)) + "</part></score-partwise>"
    wide = ('<?xml version="1.0" encoding="UTF-16"?>' + text).encode("utf-16")
    named = text.replace("<score-partwise ", '<score-partwise xmlns="http://example.org/scores" ').encode()
    for data in (wide, named):
        assert len(read_musicxml(data).piece.notes) == 1


@settings(max_examples=40, deadline=None)
@given(st.data())
def test_a_damaged_file_is_read_or_refused_in_words(data: st.DataObject) -> None:
    """Bytes of a good file are cut, doubled or changed: never anything but a piece or words."""
    good = write_musicxml(PIECES[2]())
    at = data.draw(st.integers(300, len(good) - 1))
    length = data.draw(st.integers(0, 400))
    middle = data.draw(st.binary(max_size=20))
    try:
        score = read_musicxml(good[:at] + middle + good[at + length :])
    except BadInput:
        return
    write_musicxml(score.piece)


def test_the_comparison_itself_sees_what_is_missing() -> None:
    """A comparison that finds nothing anywhere would prove nothing."""
    path: Path = CORPUS / "bach/bwv66.6.mxl"
    score = read_musicxml(path.read_bytes())
    gone = min((n for n in score.piece.notes.values() if not n.signs), key=lambda n: (n.tick, n.id))
    without = score.piece.with_rows([(gone, None)])
    found = differences(plain(path), write_musicxml(without))
    assert [d[:2] for d in found] == [("lost", "note")]
    assert unexplained(found, ()) == found
