"""Marks as musicians write them: "mf", "rit.", "slur", "Cm7/G", "2nd ending", read into what is to be put on the page.

One table of words for everything; what is in no table may be a chord symbol, a tempo ("dotted quarter = 80"), or, in
quotation marks, plain words. ``suggestions`` gives what a beginning could become, with a picture (SMuFL code points)
where the mark is a sign.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace

from ductus.core.errors import BadInput
from ductus.core.pitch.chord_symbols import looks_like_chord, parse_chord
from ductus.core.pitch.scales import scale_named
from ductus.core.score.mark_language.folding import fold, ways
from ductus.core.score.mark_language.modifiers import (
    GRADUAL,
    JOINING,
    TEMPO_WORDS,
    expression,
    modified,
    value_named,
)
from ductus.core.score.mark_language.swing import WORDS, swing_words
from ductus.core.score.mark_language.terms import BEHIND_TEMPO, EXPRESSIONS, SAME, SECTIONS, STRONGER, TEMPI
from ductus.core.score.model.note_signs import BAR_SIGNS, DYNAMIC_LEVELS, NOTE_SIGNS, words_of_sign
from ductus.core.score.model.records import CLEFS, checked_text
from ductus.core.time.note_values import NoteValue
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
    r"^(?:(?:(\d+(?:st|nd|rd|th)?(?:\s*(?:,|and|&)\s*\d+(?:st|nd|rd|th)?)*)\.?\s+endings?)"
    r"|(?:endings?\s+([\d, ]+))|(\d\.(?:\s*[,–-]?\s*\d\.)*|\d\s*[–-]\s*\d\.))$",
    re.I,
)
SECTION = re.compile(r"^(?:\[(.+)\]|(?:section|rehearsal(?: mark| letter)?|letter|part)\s+(.+))$", re.I)
NUMBERED_SECTION = re.compile(r"^(.+?)\s+(\d{1,2}|[ivx]{1,4}|[a-d])$", re.I)
LETTERED = re.compile(r"^[A-Z]\d$")
BPM = re.compile(r"^(?:(?:tempo|bpm|m\.?\s?m\.?)\s*=?\s*(\d{2,3})|(\d{2,3})\s*bpm)$", re.I)
COUNTS = ("two", "three", "four", "five", "six", "seven", "eight")
TIMES = re.compile(rf"^(?:(?:repeat|play)\s+)?(?:(\d+|{'|'.join(COUNTS)})\s*(?:x|times)|x\s*(\d+))$", re.I)
METRONOME = re.compile(
    r"^(.*?)[,\s]*\(?(?:M\.? ?M\.?\s*)?(?<![^\W\d_])"  # no unit is the end of a word: "dolce = 80" has none
    r"((?:dotted\s+)?(?:whole|half|quarter|eighth|16th|semibreve|minim|crotchet|quaver"
    r"|semiquaver|[whqe])|♩|𝅗𝅥|♪|𝅝)(\.)?\s*=\s*(?:ca?\.?\s*|circa\s+|about\s+|approx\.?\s+)?"
    r"(\d+(?:\.\d+)?)(?:\s*[-–]\s*\d+)?\)?$",
    re.I,
)
WITH_NUMBER = re.compile(r"^(\D+?)\s+(\d{2,3})$")
LYRICS = re.compile(r"^lyrics?(?:\s+(\d))?(?::\s*|\s+)(.+)$", re.I | re.S)
FINGERS = re.compile(r"^(?:fing(?:\.|ers?|ering)?\s+([\d\s,–-]+)|([1-5](?:[\s–-]+[1-5])*))$", re.I)
GERMAN_CHORD = re.compile(r"^H(?=$|m|7|9|6|dim|sus|/)")
QUOTED = re.compile(r"^[\"'“„](.+?)[\"'”“]?$")
EXPLAINED = {
    "tempo": "a tempo, above everything",
    "expression": "expression, under the staff",
    "technique": "how it is played, over the staff",
    "section": "the name of a section",
}
NAMED_KIND = re.compile(rf"^({'|'.join(EXPLAINED)}):\s*(\S.*)$", re.I)
WITHOUT = re.compile(r"^(?:no|without)\s+(.+)$", re.I)
SPACED = re.compile(r"(?<=\b\w\.)\s+(?=\w\.)")  # "G. P."
TRAILING = re.compile(r"(?<=[\w.])\s*(?:[-–—_~]{2,}|\.{3,}|(?:\s+[-–—_]){2,})$")  # "rit. - - -", "8va----"


@dataclass(frozen=True, slots=True)
class Wish:
    """A mark that is asked for: ``sort`` is "note" (a sign of notes), "mark" (a kind of ``marks.KINDS``), "bar" (a
    sign of bars), "tempo", "clef", "lyrics", "fingers" or "grace"; ``kind`` and ``text`` say which; ``without``:
    it is to go; ``behind``: it stands where what is selected ends. ``words`` is how it is said, ``picture`` how it
    looks in a music font, where it does. ``also`` is asked for with it: the words of "p dolce". ``number`` is 0 for a
    tempo whose words say nothing of it.
    """

    sort: str
    kind: str
    text: str = ""
    words: str = ""
    picture: str = ""
    number: float = 0.0
    beat: NoteValue | None = None  # of a tempo, where it was named
    without: bool = False
    behind: bool = False
    also: Wish | None = None
    side: str = ""  # "above" or "below", where the words say it


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
    for _way in ways(_written):
        FOLDED.setdefault(_way, _wish)
for _written, _known in SAME.items():
    _same = EXACT.get(_known) or FOLDED.get(fold(_known))
    if _same is not None:
        for _way in ways(_written):
            FOLDED.setdefault(_way, _same)
DOTLESS: dict[str, Wish] = {}  # "cresc", "dc al coda"
for _written, _wish in FOLDED.items():
    if "." in _written and len(_written) > 3:
        DOTLESS.setdefault(_written.replace(".", ""), _wish)


NO_MARKS = tuple(
    (re.compile(f"^(?:{pattern})$", re.I), hint)
    for pattern, hint in (
        (r"ties?", "ties follow from values; hold the key on, or lengthen the note over the bar line"),
        (
            r"%|(?:bar|measure|two-bar) repeat(?: sign)?|repeat (?:the |last |this )?(?:bar|measure)s?",
            "select the bars and say “repeat these once” (More): they are written out",
        ),
        (r"slash(?:es)?|(?:slash|rhythm) (?:notation|slashes)", "slashes are not drawn; put chord symbols over rests"),
        (r"multi-?(?:bar )?rests?", "empty bars are drawn together where a part is printed alone"),
        (
            r"\d+\s*/\s*\d+(?:\s*\(.*\))?|time signature|meter|key signature|key .+|pick-?up|auftakt|anacrusis"
            r"|cut time|common time|clef",
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
    text = TRAILING.sub("", " ".join(text.split())) if not LYRICS.match(text) else text.strip()
    if not text:
        raise BadInput('Say which mark: "mf", "staccato", "slur", "rit.", "Cm7", "2nd ending" ... Nothing was changed.')
    without = WITHOUT.match(text)
    if without is not None and fold(text) not in FOLDED:
        return replace(wish_of(without.group(1)), without=True)
    if (named := NAMED_KIND.match(text)) is not None:
        return _explained(named.group(1).casefold(), named.group(2))
    quoted = QUOTED.match(text)
    if quoted is not None:
        words = checked_text(quoted.group(1), "text")
        return Wish("mark", "text", words, f"“{words}”")
    found = EXACT.get(text) or _patterned(text) or _chord(text) or FOLDED.get(fold(text))
    found = found or DOTLESS.get(SPACED.sub("", fold(text)).replace(".", "")) or _together(text) or _section(text)
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


def _explained(kind: str, text: str) -> Wish:
    """Words that nothing is known of, but what a person says they are: one of EXPLAINED."""
    words = checked_text(text, "text")
    if kind == "tempo":
        return Wish("tempo", "tempo", words, words)
    if kind == "section":
        return Wish("bar", "section", words, words_of_sign("section", words))
    return Wish("mark", "text", words, f"“{words}”", side="below" if kind == "expression" else "")


LEAST_NEAR = 4  # letters
NEAR, MOST_NEAR = 0.8, 3  # how alike words are that one may be meant for the other, by difflib's ratio


def near_words(text: str) -> list[str]:
    """The words of the vocabulary that a text is nearly, the likeliest first; of words of three letters none.

    >>> near_words("dolse"), near_words("ritardanto")
    (['dolce'], ['ritardando'])
    """
    if len(text) < LEAST_NEAR:
        return []
    found = difflib.get_close_matches(fold(text), FOLDED, MOST_NEAR, NEAR)
    return list(dict.fromkeys(FOLDED[w].text or FOLDED[w].words for w in found))


SLOW = 80  # beats a minute: what is slower is made slower still by "molto", the others faster
TEMPO_BASES = {way: word for word in TEMPI for way in ways(word)}
LONGEST_FIRST = sorted(TEMPO_BASES, key=len, reverse=True)
SHARES = sorted({**STRONGER, **BEHIND_TEMPO}, key=len, reverse=True)


def _share(words: str, bpm: float) -> float | None:
    """What words beside a tempo of so many beats do to it: a share; None for words that do nothing."""
    word = next((w for w in SHARES if re.match(rf"{re.escape(fold(w))}\b", words)), None)
    if word is None:
        return None
    if word in BEHIND_TEMPO:
        return BEHIND_TEMPO[word]
    return 1 / STRONGER[word] if bpm < SLOW else STRONGER[word]


def _tempo_base(folded: str) -> tuple[str, str] | None:
    """(word of a tempo, what stands behind it) of a text that begins with one."""
    for word in LONGEST_FIRST:
        rest = folded.removeprefix(word)
        if rest != folded and (not rest or rest[0] in " ,"):
            return word, rest.strip(" ,")
    return None


SWUNG = re.compile(r"^(.+?)[\s,]+((?:swing|shuffle).*)$", re.I)


def _tempo_named(text: str) -> Wish | None:
    """A tempo by its word, with what stands beside it: "Allegro ma non troppo", "Andante e dolce", "Bright swing"."""
    if (m := SWUNG.match(text)) and (swing := _swing(m.group(2))) and (pace := _tempo_named(m.group(1))):
        return replace(pace, also=swing)
    folded, before = fold(text), ""
    found = _tempo_base(folded)
    for word in sorted(STRONGER, key=len, reverse=True):
        if folded.startswith(f"{word} ") and (inner := _tempo_base(folded[len(word) + 1 :])) is not None:
            found, before = inner, word
            break
    if found is None or (text[0].islower() and (text in EXACT or expression(text))):
        return None  # "sostenuto e dolce" is how it is played, "Sostenuto e dolce" how fast
    word, rest = found
    bpm = float(TEMPI[TEMPO_BASES[word]])
    share = (_share(before, bpm) or 1.0) * ((_share(rest, bpm) if rest else None) or 1.0)
    joined = JOINING.sub(" ", f" {rest} ").strip()
    if rest and not (_share(rest, bpm) is not None or expression(rest) or _tempo_base(joined) or _all_shares(joined)):
        return None
    printed = text[0].upper() + text[1:]
    return Wish("tempo", "tempo", printed, printed, number=round(bpm * share))


def _all_shares(words: str) -> bool:
    return bool(words) and all(w in STRONGER for w in words.split())


GROWING = re.compile(
    r"^([pmfsz]+)?\s*(<|>|cresc(?:endo)?\.?|dim(?:inuendo)?\.?|decresc\.?|to)[\s.–—_-]*([pmf]+)$", re.I
)


def _growing(text: str) -> Wish | None:
    """From one dynamic to another: "p < f", "cresc. - - - ff", "mf to p"."""
    found = GROWING.match(text)
    if found is None:
        return None
    first, sign, last = found.groups()
    if last not in DYNAMICS or (first and first not in DYNAMICS) or (sign == "to" and not first):
        return None
    levels = tuple(DYNAMIC_LEVELS)
    if sign == "to":
        sign = "<" if first in levels and last in levels and levels.index(first) < levels.index(last) else ">"
    text = sign if sign in "<>" else "cresc." if sign[0] in "cC" else "dim."
    span = Wish("mark", "hairpin", text, text, also=replace(EXACT[last], behind=True))
    return replace(EXACT[first], also=span) if first else span


def _together(text: str) -> Wish | None:
    """Words that are put together: "poco rit.", "molto espr.", "p dolce", "dim. e rit."."""
    if (tempo := _tempo_named(text)) is not None:
        return tempo
    if (words := modified(text)) is not None:
        printed, base = words
        return Wish("mark", "hairpin" if base in GRADUAL else "tempo-word", printed, printed)
    if (growing := _growing(text)) is not None:
        return growing
    first, _, rest = text.partition(" ")
    if first in ("subito", "sub.") and (level := FOLDED.get(fold(rest))) is not None and level.kind == "dynamic":
        first, rest = level.text, "sub."
    if first in DYNAMICS and (growing_words := modified(rest)) is not None and growing_words[1] in GRADUAL:
        return replace(EXACT[first], also=Wish("mark", "hairpin", growing_words[0], growing_words[0]))
    if first in DYNAMICS and expression(rest):
        return replace(EXACT[first], also=Wish("mark", "text", rest, rest))
    if (two := _two(text)) is not None:
        return two
    before, _, last = text.rpartition(" ")
    if last in DYNAMICS and expression(before) and text not in EXACT and fold(before) not in LEVEL_WORDS:
        return replace(EXACT[last], also=Wish("mark", "text", before, before))
    if expression(text, paces=True):
        return Wish("mark", "text", text, text)
    return None


LEVEL_WORDS = ("piu", "meno", "sempre", "poco", "quasi", "mezza", "sempre piu", "sempre meno", "ancora piu", "un poco")


def _two(text: str) -> Wish | None:
    """Two marks that are joined by a word: "dim. e rit.", "cresc. ed accel.", "dolce e rit."."""
    parts = JOINING.split(text)
    if len(parts) != 2:
        return None
    wishes = []
    for part in parts:
        if (words := modified(part)) is not None:
            wishes.append(Wish("mark", "hairpin" if words[1] in GRADUAL else "tempo-word", words[0], words[0]))
        elif expression(part):
            wishes.append(Wish("mark", "text", part, part))
    if len(wishes) != 2 or wishes[0].kind == wishes[1].kind:
        return None
    return replace(wishes[0], also=wishes[1])


def _section(text: str) -> Wish | None:
    """Names of sections with a number: "Verse II", "Chorus 3", "B1"."""
    found = NUMBERED_SECTION.match(text)
    named = FOLDED.get(fold(found.group(1))) if found else None
    if LETTERED.match(text) or (named is not None and named.kind == "section"):
        return Wish("bar", "section", text, words_of_sign("section", text))
    return None


def _chord(text: str) -> Wish | None:
    text = GERMAN_CHORD.sub("B", text).replace("△", "Δ")
    try:
        parse_chord(text)
    except BadInput:
        return None
    return Wish("mark", "chord", text, f"chord symbol {text}")


def _tempo_in_numbers(text: str) -> Wish | None:
    """A tempo with its number: "Allegro (dotted quarter = 80)", "Andante 72", "120 bpm"."""
    if m := BPM.match(text):
        number = m.group(1) or m.group(2)
        return Wish("tempo", "tempo", "", f"tempo {number}", number=float(number))
    if m := METRONOME.match(text):
        word, unit, dot, number = m.groups()
        beat = value_named(unit, dot)
        if beat is None:
            return None
        word = checked_text(word.strip(" ,("), "tempo word")
        return Wish("tempo", "tempo", word, f"tempo {number}", number=float(number), beat=beat)
    if (m := WITH_NUMBER.match(text)) and (named := _tempo_named(m.group(1))) is not None:
        return replace(named, words=text, number=float(m.group(2)))
    return None


def _ending(asked: str) -> Wish:
    """An ending by its passes: "1.", "1., 2.", "1.-3."."""
    numbers = re.findall(r"\d+", asked)
    if len(numbers) == 2 and re.search(r"\d\.?\s*[–-]", asked):
        numbers = [str(n) for n in range(int(numbers[0]), int(numbers[1]) + 1)]
    listed = ", ".join(numbers)
    return Wish("bar", "ending", listed, words_of_sign("ending", listed))


def _times(asked: str) -> Wish:
    """The end of a repeat that is played so often. Raises BadInput."""
    count = int(asked) if asked.isdigit() else COUNTS.index(asked.casefold()) + 2
    if not 2 <= count <= 20:
        raise BadInput("A repeat is played 2 to 20 times. Nothing was changed.")
    return Wish("bar", "repeat-end", str(count), words_of_sign("repeat-end", str(count)))


def _patterned(text: str) -> Wish | None:
    """Marks with a number or words of their own."""
    if (swing := _swing(text)) is not None:
        return swing
    if m := NUMBERED.match(text):
        return _ending(next(g for g in m.groups() if g))
    if (m := SECTION.match(text)) and m.group(1) not in DYNAMICS:
        name = checked_text(m.group(1) or m.group(2), "section name")
        return Wish("bar", "section", name, f"section {name}")
    if m := TIMES.match(text):
        return _times(m.group(1) or m.group(2))
    if (tempo := _tempo_in_numbers(text)) is not None:
        return tempo
    if (scale := scale_named(text)) is not None:
        return Wish("mark", "scale", scale, f"scale of {scale}")
    if m := LYRICS.match(text):
        return Wish("lyrics", m.group(1) or "1", m.group(2), "lyrics")
    if m := FINGERS.match(text):
        return Wish("fingers", "fingers", " ".join(re.findall(r"[0-5]", m.group(1) or m.group(2))), "fingering")
    return None
