"""Marks as musicians write them: "mf", "rit.", "slur", "Cm7/G", "2nd ending", read into what is to be put on the page.

One table of words for everything; what is in no table may be a chord symbol, a tempo ("dotted quarter = 80"), or, in
quotation marks, plain words. ``suggestions`` gives what a beginning could become, with a picture (SMuFL code points)
where the mark is a sign.
"""

from __future__ import annotations

import contextlib
import difflib
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace

from ductus.core.errors import BadInput
from ductus.core.pitch.chord_symbols import looks_like_chord, parse_chord
from ductus.core.pitch.scales import scale_named
from ductus.core.score.mark_language.modifiers import TEMPO_WORDS, expression, modified
from ductus.core.score.mark_language.swing import WORDS, swing_words
from ductus.core.score.mark_language.terms import BEHIND_TEMPO, EXPRESSIONS, SAME, SECTIONS, TEMPI, VALUES
from ductus.core.score.model.note_signs import BAR_SIGNS, NOTE_SIGNS, words_of_sign
from ductus.core.score.model.records import CLEFS, checked_text
from ductus.core.time.note_values import BASE_TICKS, NoteValue
from ductus.core.words import count_words

DYNAMICS = (
    "pppp", "ppp", "pp", "p", "mp", "mf", "f", "ff", "fff", "ffff", "sf", "sfz", "sffz", "sfp", "fp", "fz", "rf", "rfz",
    "pf", "sfpp", "sfzp", "sff", "ffz",
)  # fmt: skip
HAIRPINS = {
    "<": "<", "crescendo": "<", "hairpin <": "<", "cresc. hairpin": "<", ">": ">", "diminuendo": ">",
    "decrescendo": ">", "hairpin >": ">",
    "cresc.": "cresc.", "dim.": "dim.", "decresc.": "decresc.",
}  # fmt: skip
OCTAVES = {"8va": "8va", "8vb": "8vb", "15ma": "15ma", "15mb": "15mb", "8va bassa": "8vb", "ottava": "8va"}
PICTURES = {
    "p": "\ue520", "m": "\ue521", "f": "\ue522", "r": "\ue523", "s": "\ue524", "z": "\ue525",
}  # letters of dynamics  # fmt: skip
NUMBERED = re.compile(
    r"^(?:(?:(\d+(?:st|nd|rd|th)?(?:\s*(?:,|and|&)\s*\d+(?:st|nd|rd|th)?)*)\.?\s+ending)"
    r"|(?:ending\s+([\d, ]+))|(\d)\.)$",
    re.I,
)
SECTION = re.compile(r"^(?:\[(.+)\]|(?:section|rehearsal(?: mark)?)\s+(.+))$", re.I)
TIMES = re.compile(r"^(?:(?:repeat|play)\s+)?(?:(\d+)\s*(?:x|times)|x\s*(\d+))$", re.I)
METRONOME = re.compile(
    r"^(.*?)[,\s]*\(?(?:M\.? ?M\.?\s*)?(?<![^\W\d_])"  # no unit is the end of a word: "dolce = 80" has none
    r"((?:dotted\s+)?(?:whole|half|quarter|eighth|16th|semibreve|minim|crotchet|quaver"
    r"|semiquaver|[whqe])|[♩𝅗𝅥♪])(\.)?\s*=\s*(?:ca?\.?\s*|circa\s+|about\s+|approx\.?\s+)?"
    r"(\d+(?:\.\d+)?)(?:\s*[-–]\s*\d+)?\)?$",
    re.I,
)
WITH_NUMBER = re.compile(r"^(\D+?)\s+(\d{2,3})$")
LYRICS = re.compile(r"^lyrics?(?:\s+(\d))?(?::\s*|\s+)(.+)$", re.I | re.S)
FINGERS = re.compile(r"^(?:fing(?:ers?|ering)\s+([\d\s,–-]+)|([1-5](?:[\s–-]+[1-5])+))$", re.I)
GERMAN_CHORD = re.compile(r"^H(?=$|m|7|9|6|dim|sus|/)")
QUOTED = re.compile(r"^[\"'“„](.+?)[\"'”“]?$")
WITHOUT = re.compile(r"^(?:no|without)\s+(.+)$", re.I)
SYMBOLS = {"♩": "quarter", "𝅗𝅥": "half", "♪": "eighth"}


@dataclass(frozen=True, slots=True)
class Wish:
    """A mark that is asked for: ``sort`` is "note" (a sign of notes), "mark" (a kind of ``marks.KINDS``), "bar" (a
    sign of bars), "tempo", "clef", "lyrics", "fingers" or "grace"; ``kind`` and ``text`` say which; ``without``:
    it is to go. ``words`` is how it is said, ``picture`` how it looks in a music font, where it does. ``also`` is
    asked for with it: the words of "p dolce".
    """

    sort: str
    kind: str
    text: str = ""
    words: str = ""
    picture: str = ""
    number: float = 0.0
    beat: NoteValue | None = None  # of a tempo, where it was named
    without: bool = False
    also: Wish | None = None


def _swing(text: str) -> Wish | None:
    found = swing_words(text)
    return Wish("mark", "swing", found[0], found[0], number=found[1]) if found else None


def _vocabulary() -> Iterator[tuple[str, Wish]]:
    """(as written, wish) of all fixed words, the commonest first."""
    yield from _marks_and_signs()
    yield from ((text, wish) for text in WORDS if (wish := _swing(text)) is not None)
    yield from _words_of_the_frame()
    for written in ("grace note", "grace notes", "grace", "acciaccatura"):
        yield written, Wish("grace", "grace", "", "grace note", "\ue560")
    for text in dict.fromkeys(EXPRESSIONS):
        yield text, Wish("mark", "text", text, text)
    for text in SECTIONS:
        yield text, Wish("bar", "section", text, words_of_sign("section", text))


def _marks_and_signs() -> Iterator[tuple[str, Wish]]:
    for name in DYNAMICS:
        yield name, Wish("mark", "dynamic", name, name, "".join(PICTURES[c] for c in name))
    for written, text in HAIRPINS.items():
        words = {"<": "crescendo hairpin", ">": "diminuendo hairpin"}.get(text, text)
        yield written, Wish("mark", "hairpin", text, words, {"<": "\ue53e", ">": "\ue53f"}.get(text, ""))
    for written in ("slur", "phrase", "("):
        yield written, Wish("mark", "slur", "", "slur", "")
    for written, text in (("glissando", ""), ("gliss.", ""), ("slide", "slide"), ("portamento", "slide")):
        yield written, Wish("mark", "glissando", text, text or "glissando", "\ue585")
    for strokes in "312":
        words = f"tremolo between two notes, {count_words(int(strokes), 'stroke')}"
        for written in (words, f"tremolo between {strokes}", *(("tremolo between",) if strokes == "3" else ())):
            yield written, Wish("mark", "tremolo", strokes, words, chr(0xE21F + int(strokes)))
    for name, sign in NOTE_SIGNS.items():
        wish = Wish("note", name, "", sign.words, sign.picture)
        for written in dict.fromkeys((sign.words, *sign.written)):
            yield written, wish
    for written in ("pedal", "ped.", "Ped."):
        yield written, Wish("mark", "pedal", "", "pedal", "\ue650")
    for written, text in OCTAVES.items():
        picture = {"8va": "\ue511", "8vb": "\ue51c", "15ma": "\ue515", "15mb": "\ue51d"}[text]
        yield written, Wish("mark", "octave", text, text, picture)
    for text in TEMPO_WORDS:
        yield text, Wish("mark", "tempo-word", text, text)


def _words_of_the_frame() -> Iterator[tuple[str, Wish]]:
    for kind, bar_sign in BAR_SIGNS.items():
        if kind not in ("ending", "section"):
            for written in dict.fromkeys((bar_sign.words, *bar_sign.written)):
                yield written, Wish("bar", kind, "", bar_sign.words, bar_sign.picture)
    for text in ("1", "2", "3"):
        yield f"{words_of_sign('ending', text)}", Wish("bar", "ending", text, words_of_sign("ending", text))
    for text, bpm in TEMPI.items():
        yield text, Wish("tempo", "tempo", text, text, number=bpm)
    for clef in CLEFS:
        if clef != "percussion":
            for written in (f"{clef} clef", clef):
                yield written, Wish("clef", clef, "", f"{clef} clef")


VOCABULARY: tuple[tuple[str, Wish], ...] = tuple(_vocabulary())
EXACT: dict[str, Wish] = {}
FOLDED: dict[str, Wish] = {}
for _written, _wish in VOCABULARY:
    EXACT.setdefault(_written, _wish)
    FOLDED.setdefault(_written.casefold(), _wish)
for _written, _known in SAME.items():
    _same = EXACT.get(_known) or FOLDED.get(_known.casefold())
    if _same is not None:
        FOLDED.setdefault(_written.casefold(), _same)
DOTLESS: dict[str, Wish] = {}  # "cresc", "dc al coda"
for _written, _wish in FOLDED.items():
    if "." in _written and len(_written) > 3:
        DOTLESS.setdefault(_written.replace(".", ""), _wish)


NO_MARKS = tuple(
    (re.compile(f"^(?:{pattern})$", re.I), hint)
    for pattern, hint in (
        (r"ties?", "ties follow from values; hold the key on, or lengthen the note over the bar line"),
        (
            r"\d+\s*/\s*\d+(?:\s*\(.*\))?|time signature|meter|key signature|key .+|pick-?up|clef",
            "it stands in the frame (F4)",
        ),
        (r"rests?|dots?|triplets?|tuplets?", "values have keys of their own (F1 lists them)"),
    )
)


def wish_of(text: str) -> Wish:
    """What a text asks for. Raises BadInput, with what is understood, for what is no mark.

    >>> wish_of("mf").kind, wish_of("Cm7/G").kind, wish_of("2nd ending").text
    ('dynamic', 'chord', '2')
    """
    text = " ".join(text.split()) if not LYRICS.match(text) else text.strip()
    if not text:
        raise BadInput('Say which mark: "mf", "staccato", "slur", "rit.", "Cm7", "2nd ending" ... Nothing was changed.')
    without = WITHOUT.match(text)
    if without is not None and text.casefold() not in FOLDED:
        return replace(wish_of(without.group(1)), without=True)
    quoted = QUOTED.match(text)
    if quoted is not None:
        words = checked_text(quoted.group(1), "text")
        return Wish("mark", "text", words, f"“{words}”")
    found = EXACT.get(text) or _patterned(text) or _chord(text) or FOLDED.get(text.casefold())
    found = found or DOTLESS.get(text.casefold().replace(".", "")) or _together(text)
    if found is not None:
        return found
    if looks_like_chord(text):
        parse_chord(text)  # says what is understood
    for asked, hint in NO_MARKS:
        if asked.match(text):
            raise BadInput(f"“{text[:40]}” is no mark: {hint}. Nothing was changed.")
    near = near_words(text)
    meant = f" Did you mean {' or '.join(near)}?" if near else ""
    raise BadInput(
        f"“{text[:40]}” is no mark that Ductus knows.{meant} Put words that are to stand as they are in quotation "
        "marks; nothing was changed."
    )


LEAST_NEAR = 4  # letters
NEAR, MOST_NEAR = 0.8, 3  # how alike words are that one may be meant for the other, by difflib's ratio


def near_words(text: str) -> list[str]:
    """The words of the vocabulary that a text is nearly, the likeliest first; of words of three letters none.

    >>> near_words("dolse"), near_words("ritardanto")
    (['dolce'], ['ritardando'])
    """
    if len(text) < LEAST_NEAR:
        return []
    found = difflib.get_close_matches(text.casefold(), FOLDED, MOST_NEAR, NEAR)
    return list(dict.fromkeys(FOLDED[w].text or FOLDED[w].words for w in found))


LONGEST_FIRST = sorted(TEMPI, key=len, reverse=True)


def _tempo_named(text: str) -> Wish | None:
    """A tempo by its word, with what stands behind it: "Allegro ma non troppo", "Andante cantabile e dolce"."""
    folded = text.casefold()
    for word in LONGEST_FIRST:
        rest = folded.removeprefix(word.casefold())
        if rest != folded and (not rest or rest[0] in " ,"):
            if text[0].islower() and word.casefold() in EXACT:
                return None  # "sostenuto e dolce" is how it is played, "Sostenuto e dolce" how fast
            rest = rest.strip(" ,")
            share = next((share for words, share in BEHIND_TEMPO.items() if rest.startswith(words)), None)
            if rest and share is None and not expression(rest):
                return None
            printed = text[0].upper() + text[1:]
            return Wish("tempo", "tempo", printed, printed, number=round(TEMPI[word] * (share or 1.0)))
    return None


def _together(text: str) -> Wish | None:
    """Words that are put together: "poco rit.", "molto espr.", "p dolce"."""
    if (tempo := _tempo_named(text)) is not None:
        return tempo
    if (words := modified(text)) is not None:
        printed, base = words
        return Wish("mark", "tempo-word" if base in TEMPO_WORDS else "hairpin", printed, printed)
    first, _, rest = text.partition(" ")
    if first in ("subito", "sub.") and (level := FOLDED.get(rest.casefold())) is not None and level.kind == "dynamic":
        first, rest = level.text, "sub."
    if first in DYNAMICS and (growing := modified(rest)) is not None and growing[1] not in TEMPO_WORDS:
        return replace(EXACT[first], also=Wish("mark", "hairpin", growing[0], growing[0]))
    if first in DYNAMICS and expression(rest):
        return replace(EXACT[first], also=Wish("mark", "text", rest, rest))
    if expression(text):
        return Wish("mark", "text", text, text)
    return None


def _chord(text: str) -> Wish | None:
    text = GERMAN_CHORD.sub("B", text).replace("△", "Δ")
    try:
        parse_chord(text)
    except BadInput:
        return None
    return Wish("mark", "chord", text, f"chord symbol {text}")


def _patterned(text: str) -> Wish | None:
    """Marks with a number or words of their own."""
    if (swing := _swing(text)) is not None:
        return swing
    if m := NUMBERED.match(text):
        numbers = re.findall(r"\d+", next(g for g in m.groups() if g))
        listed = ", ".join(numbers)
        return Wish("bar", "ending", listed, words_of_sign("ending", listed))
    if m := SECTION.match(text):
        name = checked_text(m.group(1) or m.group(2), "section name")
        return Wish("bar", "section", name, f"section {name}")
    if m := TIMES.match(text):
        times = m.group(1) or m.group(2)
        if not 2 <= int(times) <= 20:
            raise BadInput("A repeat is played 2 to 20 times. Nothing was changed.")
        return Wish("bar", "repeat-end", times, words_of_sign("repeat-end", times))
    if m := METRONOME.match(text):
        word, unit, dot, number = m.groups()
        base = SYMBOLS.get(unit, unit.casefold().removeprefix("dotted").strip())
        base = VALUES.get(base, base)
        if base not in BASE_TICKS:
            return None
        beat = NoteValue(base, int(bool(dot) or unit.casefold().startswith("dotted")))
        word = checked_text(word.strip(" ,("), "tempo word")
        return Wish("tempo", "tempo", word, f"tempo {number}", number=float(number), beat=beat)
    if (m := WITH_NUMBER.match(text)) and (named := _tempo_named(m.group(1))) is not None:
        return replace(named, words=text, number=float(m.group(2)))
    if (scale := scale_named(text)) is not None:
        return Wish("mark", "scale", scale, f"scale of {scale}")
    if m := LYRICS.match(text):
        return Wish("lyrics", m.group(1) or "1", m.group(2), "lyrics")
    if m := FINGERS.match(text):
        return Wish("fingers", "fingers", " ".join(re.findall(r"[0-5]", m.group(1) or m.group(2))), "fingering")
    return None


@dataclass(frozen=True, slots=True)
class Suggestion:
    """What typed words could become: the words to give, how it is said, and its picture."""

    text: str
    words: str
    picture: str = ""


MOST_SUGGESTED = 9


def suggestions(text: str) -> list[Suggestion]:
    """What a beginning could become, the likeliest first; plain words last. An empty text gives the commonest marks."""
    text = " ".join(text.split())
    if not text:
        common = ("mf", "p", "f", "staccato", "accent", "slur", "<", "pedal", "rit.")
        return [Suggestion(w, EXACT[w].words, EXACT[w].picture) for w in common]
    out: dict[tuple[str, str, str, bool], Suggestion] = {}

    def add(written: str, wish: Wish) -> None:
        no = "no " if wish.without else ""
        out.setdefault(
            (wish.sort, wish.kind, wish.text, wish.without), Suggestion(written, no + wish.words, wish.picture)
        )

    with contextlib.suppress(BadInput):
        add(text, wish_of(text))
    prefix, rest = ("no ", text[3:]) if text.startswith("no ") else ("", text)
    beginning = rest.casefold()
    for exact in (True, False):
        for written, wish in VOCABULARY:
            folded = written.casefold()
            if (folded.startswith(beginning)) if exact else any(w.startswith(beginning) for w in folded.split()[1:]):
                add(prefix + written, replace(wish, without=bool(prefix)))
    if not out and not QUOTED.match(text):
        for word in near_words(rest):
            add(prefix + word, replace(wish_of(word), without=bool(prefix)))
    quoted = text if QUOTED.match(text) else f'"{text}"'
    found = list(out.values())[: MOST_SUGGESTED - 1]
    if not QUOTED.match(text) and not prefix:
        found.append(Suggestion(quoted, f"the words “{text}”"))
    return found
