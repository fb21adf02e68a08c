"""What stands at notes and at bars: one table each, read by the notation, by playback and by the words of the page.

The signs of notes travel with them, since they are part of the note; the signs of bars stand at a bar for all parts.
Names follow MusicXML 4.0 where it has one; code points are those of SMuFL 1.4 (Standard Music Font Layout), for
pictures of a sign.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from ductus.core.score.model.records import Note
from ductus.core.words import ordinal

# Velocities of dynamics, evenly spaced over the range of MIDI 1.0 as most programs space them (common practice).
DYNAMIC_LEVELS = {
    "pppp": 8,
    "ppp": 16,
    "pp": 33,
    "p": 49,
    "mp": 64,
    "mf": 80,
    "f": 96,
    "ff": 112,
    "fff": 120,
    "ffff": 127,
}
HALF, WHOLE = Fraction(1, 2), Fraction(1)


@dataclass(frozen=True, slots=True)
class NoteSign:
    """A sign of a note: how musicians write it, its place in MusicXML (group, element), and what it does to the
    sound: the share of the written length that sounds, what is added to the velocity, or a ``figure`` that is
    played (``playback.figures``).

    ``each``: every note of a chord has it (a fingering), not the chord; ``rivals`` are signs that it takes the place
    of; ``upper`` is how the step above is altered in a figure (None: as the key signature says).
    """

    words: str
    written: tuple[str, ...] = ()
    group: str = ""
    tag: str = ""
    picture: str = ""
    share: Fraction | None = None
    louder: int = 0
    figure: str = ""
    each: bool = False
    rivals: tuple[str, ...] = ()
    upper: int | None = None


ATTACKS = ("staccato", "staccatissimo", "tenuto", "portato")
UPPER = {"sharp": 1, "flat": -1, "natural": 0}  # accidentals over a trill
TRILL = ("tr", "trill", "trill with")
FIGURES = (
    "trill",
    *(f"trill-{name}" for name in UPPER),
    "turn",
    "inverted-turn",
    "mordent",
    "inverted-mordent",
    "tremolo-1",
    "tremolo-2",
    "tremolo-3",
)
FINGERS = tuple(f"finger-{n}" for n in range(6))

# Shares and velocities are common practice among players of sequenced music; none is published as a rule.
NOTE_SIGNS: dict[str, NoteSign] = {
    "staccato": NoteSign("staccato", ("stacc.", "."), "articulations", "staccato", "\ue4a2", HALF, rivals=ATTACKS),
    "staccatissimo": NoteSign(
        "staccatissimo", ("wedge",), "articulations", "staccatissimo", "\ue4a6", Fraction(1, 4), rivals=ATTACKS
    ),
    "tenuto": NoteSign("tenuto", ("ten.", "-"), "articulations", "tenuto", "\ue4a4", WHOLE, rivals=ATTACKS),
    "portato": NoteSign(
        "portato", ("mezzo staccato",), "articulations", "detached-legato", "\ue4b2", Fraction(3, 4), rivals=ATTACKS
    ),
    "accent": NoteSign("accent", (">",), "articulations", "accent", "\ue4a0", louder=16, rivals=("marcato",)),
    "marcato": NoteSign("marcato", ("^",), "articulations", "strong-accent", "\ue4ac", louder=24, rivals=("accent",)),
    "breath": NoteSign("breath mark", ("breath mark", "breath", ","), "articulations", "breath-mark", "\ue4ce"),
    "caesura": NoteSign("caesura", ("//",), "articulations", "caesura", "\ue4d1"),
    "fermata": NoteSign("fermata", ("pause",), "", "fermata", "\ue4c0"),
    "rolled": NoteSign("arpeggio", ("arpeggio", "arp.", "roll"), "", "arpeggiate", "\ue63c", figure="rolled",
        each=True),
    "let-ring": NoteSign("let ring", ("l.v.", "laissez vibrer"), "", "tied", "\ue4ba", each=True),
    "trill": NoteSign("trill", ("tr", "tr."), "ornaments", "trill-mark", "\ue566", figure="trill", rivals=FIGURES),
    **{
        f"trill-{name}": NoteSign(
            f"trill with a {name}",
            tuple(f"{word}{gap}{sign}" for word in TRILL for gap in (" ", "") for sign in typed),
            "ornaments", "trill-mark", "\ue566" + picture, figure="trill", rivals=FIGURES, upper=UPPER[name],
        )
        for name, typed, picture in (
            ("sharp", ("#", "♯", "sharp"), "\ue262"), ("flat", ("b", "♭", "flat"), "\ue260"),
            ("natural", ("♮", "natural"), "\ue261"),
        )
    },
    "turn": NoteSign("turn", (), "ornaments", "turn", "\ue567", figure="turn", rivals=FIGURES),
    "inverted-turn": NoteSign(
        "inverted turn", (), "ornaments", "inverted-turn", "\ue568", figure="inverted-turn", rivals=FIGURES
    ),
    "mordent": NoteSign("mordent", ("lower mordent",), "ornaments", "mordent", "\ue56d", figure="mordent",
        rivals=FIGURES),
    "inverted-mordent": NoteSign(
        "upper mordent", ("inverted mordent", "short trill"), "ornaments", "inverted-mordent", "\ue56c",
        figure="inverted-mordent", rivals=FIGURES,
    ),
    **{
        f"tremolo-{n}": NoteSign(
            f"tremolo, {n} stroke{'s' * (n > 1)}", (f"tremolo {n}", *(("tremolo", "trem.") if n == 3 else ())),
            "ornaments", "tremolo",
            chr(0xE21F + n), figure="tremolo", rivals=FIGURES,
        )
        for n in (1, 2, 3)
    },
    **{
        name: NoteSign(
            f"finger {name[-1]}", (f"fingering {name[-1]}",), "technical", "fingering", chr(0xED10 + int(name[-1])),
            each=True, rivals=FINGERS
        )
        for name in FINGERS
    },
    "cue": NoteSign("cue note, not played", ("cue", "cue note", "cue notes"), each=True),
    "stem-up": NoteSign("stem up", ("stems up",), rivals=("stem-down",)),
    "stem-down": NoteSign("stem down", ("stems down",), rivals=("stem-up",)),
    "cross": NoteSign("on the other staff", ("cross staff", "other staff"), each=True),
    "bare-grace": NoteSign("unslurred grace notes", ("no grace slur", "grace notes without slur")),
    "bracket": NoteSign("tuplet bracket shown", ("bracket",), rivals=("no-bracket",)),
    "no-bracket": NoteSign("tuplet bracket hidden", ("no bracket",), rivals=("bracket",)),
}  # fmt: skip


def with_sign(signs: tuple[str, ...], name: str) -> tuple[str, ...]:
    """Signs with one more; those that it takes the place of go."""
    if name in signs:
        return signs
    return (*(s for s in signs if s not in NOTE_SIGNS[name].rivals), name)


@dataclass(frozen=True, slots=True)
class BarSignKind:
    """A sign of a bar: how musicians write it, whether it stands at the ``right`` of its bar, its MusicXML element
    and picture. ``alone``: there is one of it in a piece.
    """

    words: str
    written: tuple[str, ...] = ()
    right: bool = False
    picture: str = ""
    alone: bool = False
    shown: str = ""  # the words that are printed


BAR_SIGNS: dict[str, BarSignKind] = {
    "repeat-start": BarSignKind("repeat begins", ("repeat start", "start repeat", "|:", "||:"), picture="\ue040"),
    "repeat-end": BarSignKind("repeat ends", ("repeat end", "end repeat", "repeat", ":|", ":||"), True, "\ue041"),
    "ending": BarSignKind("ending"),
    "double": BarSignKind("double bar", ("double bar line", "||"), True, "\ue031"),
    "dashed": BarSignKind("dashed bar line", (), True, "\ue036"),
    "final": BarSignKind("final bar line", ("end", "final bar", "|]"), True, "\ue032"),
    "segno": BarSignKind("segno", ("sign",), picture="\ue047", alone=True),
    "coda": BarSignKind("coda", (), picture="\ue048", alone=True),
    "to-coda": BarSignKind("to coda", ("al coda sign",), True, "\ue048", True, "To Coda"),
    "fine": BarSignKind("Fine", (), True, alone=True, shown="Fine"),
    "da-capo": BarSignKind("D.C.", ("da capo",), True, alone=True, shown="D.C."),
    "da-capo-fine": BarSignKind("D.C. al Fine", ("da capo al fine",), True, alone=True, shown="D.C. al Fine"),
    "da-capo-coda": BarSignKind("D.C. al Coda", ("da capo al coda",), True, alone=True, shown="D.C. al Coda"),
    "dal-segno": BarSignKind("D.S.", ("dal segno",), True, alone=True, shown="D.S."),
    "dal-segno-fine": BarSignKind("D.S. al Fine", ("dal segno al fine",), True, alone=True, shown="D.S. al Fine"),
    "dal-segno-coda": BarSignKind("D.S. al Coda", ("dal segno al coda",), True, alone=True, shown="D.S. al Coda"),
    "section": BarSignKind("section"),
    "system-break": BarSignKind("new system", ("system break", "line break", "new line")),
    "page-break": BarSignKind("new page", ("page break",)),
}
BREAKS = ("system-break", "page-break")  # set by hand; nothing is printed for them
JUMPS = tuple(k for k in BAR_SIGNS if k.startswith(("da-capo", "dal-segno")))
MOVABLE = frozenset(("section", "segno", "coda", "to-coda", "fine", *JUMPS))  # letters and words, which a hand may move
LINES = ("repeat-end", "double", "dashed", "final")  # one right bar line at a time
DIVIDING = ("repeat-start", "repeat-end", "double")  # lines that may stand in the middle of a bar, which is then cut


def numbers_of(text: str) -> tuple[int, ...]:
    """The numbers of an ending: "1, 2" -> (1, 2)."""
    return tuple(int(n) for n in text.replace(",", " ").split() if n.isdecimal())


def words_of_sign(kind: str, text: str) -> str:
    """A sign of a bar in words: "2nd ending", "section Verse"."""
    if kind == "ending":
        numbers = numbers_of(text)
        return f"{' and '.join(map(ordinal, numbers))} ending"
    if kind == "section":
        return f"section {text}"
    if kind == "repeat-end" and text:
        return f"repeat ends, {text} times in all"
    return BAR_SIGNS[kind].words


def sounding_ticks(note: Note) -> int:
    """How long a note sounds: as stated, or the share of its written length that its signs leave."""
    if note.sounds_ticks is not None:
        return note.sounds_ticks
    share = min(
        (s.share for name in note.signs if (s := NOTE_SIGNS.get(name)) is not None and s.share is not None),
        default=None,
    )
    return note.ticks if share is None else max(note.ticks * share.numerator // share.denominator, 1)
