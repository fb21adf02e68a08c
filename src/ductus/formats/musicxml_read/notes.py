"""One note of a file: how long it is, what it sounds, and what is written at it."""

from __future__ import annotations

from fractions import Fraction

from ductus.core.pitch.intervals import transposed
from ductus.core.pitch.pitches import STEPS, Pitch, spell_in_key
from ductus.core.score.catalogues.drums import DRUMS, drum_at, drum_pitch
from ductus.core.score.mark_edits.lyrics import LONGEST, MOST_VERSES
from ductus.core.score.mark_language.parser import DYNAMICS
from ductus.core.score.model.note_signs import NOTE_SIGNS, UPPER, with_sign
from ductus.core.score.model.records import UNDERTIE, Syllable, joined_by_undertie, printable
from ductus.core.time.note_values import BASE_TICKS
from ductus.core.time.ticks import QUARTER
from ductus.formats.musicxml_read.losses import Losses
from ductus.formats.musicxml_read.raw import RawEnd, RawMark, RawNote, RawPart
from ductus.formats.musicxml_read.text import number_of, text_of, whole_of
from ductus.formats.musicxml_xml import FORTE, USUAL_VELOCITY, Element

SIGN_OF = {
    (s.group, s.tag): name
    for name, s in NOTE_SIGNS.items()
    if s.group and s.tag not in ("tremolo", "fingering") and s.upper is None
}
QUIET = {"accidental-text", "notehead-text", "footnote", "level"}  # says nothing that is heard or read
JOINED = "\u00a0"  # between syllables that are sung on one note


def written_length(note: Element) -> Fraction | None:
    """Quarters by type, dots and tuplet; None where the file does not say."""
    base = BASE_TICKS.get(text_of(note, "type"))
    if base is None:
        return None
    dots = len(note.findall("dot"))
    length = Fraction(base, QUARTER) * (2 - Fraction(1, 2**dots))
    ratio = ratio_of(note)
    return length * Fraction(ratio[1], ratio[0]) if ratio else length


def ratio_of(note: Element) -> tuple[int, int] | None:
    """The tuplet that a note is part of, as (actual, normal)."""
    found = note.find("time-modification")
    if found is None:
        return None
    ratio = (whole_of(text_of(found, "actual-notes")), whole_of(text_of(found, "normal-notes")))
    return ratio if min(ratio) > 0 and ratio[0] != ratio[1] else None


def length_of(note: Element, divisions: Fraction) -> Fraction:
    """Quarters: the duration; or what is written, where the divisions of the file cannot state that and the duration
    is only rounded.
    """
    duration = max(number_of(text_of(note, "duration"), Fraction(0)) or Fraction(0), Fraction(0))
    written = written_length(note)
    if written is None:
        return duration / divisions
    exact = written * divisions
    rounded = exact.denominator != 1 and abs(exact - duration) <= 1
    return written if rounded or not duration else duration / divisions


def sounding_pitch(note: Element, part: RawPart, losses: Losses, bar: str) -> Pitch | None:
    """What a note sounds; a drum of a kit stands for itself. None for a note of no pitch that can be read."""
    pitch = note.find("pitch")
    if pitch is None:
        return drum_of(note, part, losses, bar)
    step, octave = text_of(pitch, "step").upper(), whole_of(text_of(pitch, "octave"), 99)
    alter = number_of(text_of(pitch, "alter"), Fraction(0)) or Fraction(0)
    if step not in STEPS or not step or not -1 <= octave <= 9:
        losses.add("note~ without a pitch", bar)
        return None
    if alter.denominator != 1:
        losses.add("quarter tone~ (written as the nearest half tone)", bar)
        alter = Fraction(round(alter))
    whole = int(alter)
    found = Pitch(step, whole, octave) if abs(whole) <= 2 else spell_in_key(Pitch(step, 0, octave).midi + whole, 0)
    if abs(whole) > 2:
        losses.add("triple accidental~ (spelled anew)", bar)
    found = transposed(found, *part.transpose) if part.transpose != (0, 0) else found
    if not 0 <= found.midi <= 127:
        losses.add("note~ beyond the range of MIDI", bar)
        return None
    return found


def drum_of(note: Element, part: RawPart, losses: Losses, bar: str) -> Pitch | None:
    """The drum that an unpitched note means: by its instrument, else by its place on the staff."""
    unpitched = note.find("unpitched")
    if unpitched is None:
        losses.add("note~ without a pitch", bar)
        return None
    instrument = note.find("instrument")
    key = part.drums.get((instrument.get("id") or "") if instrument is not None else "")
    step, octave = text_of(unpitched, "display-step", "B").upper(), whole_of(text_of(unpitched, "display-octave"), 4)
    place = Pitch(step if step in STEPS else "B", 0, min(max(octave, 0), 9))
    if key in DRUMS:
        if DRUMS[key].place != place:
            losses.once("Drums stand where Ductus writes them, with its heads.")
        return drum_pitch(DRUMS[key].key)
    if key is not None or instrument is None:
        losses.add("stroke~ of an unnamed drum (taken by its place on the staff)", bar)
    return drum_pitch(drum_at(place.diatonic, text_of(note, "notehead") not in ("", "normal")).key)


def velocity_of(note: Element, otherwise: int = USUAL_VELOCITY) -> int:
    """The velocity that a file states for a note."""
    stated = number_of(note.get("dynamics"))
    return otherwise if stated is None else min(max(round(stated * FORTE / 100), 1), 127)


def sung_text(lyric: Element, losses: Losses, bar: str) -> str:
    """The text of a lyric; syllables that share a note are joined as its elision says: by an undertie or a space."""
    out, joint = "", ""
    for child in lyric:
        if child.tag == "elision":
            joint = UNDERTIE if (child.text or "").strip() or child.get("smufl") else JOINED
        elif child.tag == "text" and (part := printable(child.text or "")):
            if joint == JOINED:
                losses.add("elision~ (syllables are joined by a space)", bar)
            elif joint and not out:
                losses.add("elision~ with nothing before it (its undertie stays)", bar)
            out += (joint or JOINED if out else joint.strip()) + part
            joint = ""
    return joined_by_undertie(out)


def syllables_of(note: Element, losses: Losses, bar: str) -> list[Syllable]:
    """What is sung on a note."""
    out: list[Syllable] = []
    for k, lyric in enumerate(note.findall("lyric"), 1):
        verse = whole_of(lyric.get("number"), k) if (lyric.get("number") or "").strip().isdecimal() else k
        extend = lyric.find("extend")
        if not 1 <= verse <= MOST_VERSES:
            losses.add(f"syllable~ of a verse above {MOST_VERSES}", bar)
            continue
        text = sung_text(lyric, losses, bar)
        if len(text) > LONGEST:
            losses.add(f"syllable~ of more than {LONGEST} letters (cut)", bar)
        if lyric.find("humming") is not None or lyric.find("laughing") is not None:
            losses.add("sign~ for humming or laughing", bar)
        if not text:
            if extend is not None and extend.get("type") in ("continue", "stop"):
                out.append(Syllable("", "single", verse, True))
            continue
        syllabic = text_of(lyric, "syllabic", "single")
        syllabic = syllabic if syllabic in ("begin", "middle", "end") else "single"
        out.append(Syllable(text[:LONGEST], syllabic, verse, extend is not None))
    return sorted({s.verse: s for s in out}.values(), key=lambda s: s.verse)


def read_notations(element: Element, note: RawNote, losses: Losses, bar: str) -> list[RawMark]:
    """What is written at a note goes to it; returns the marks that stand at its place."""
    marks: list[RawMark] = []
    for notations in element.findall("notations"):
        for one in notations:
            if one.tag in ("tied", "fermata", "arpeggiate"):
                _plain_notation(one, note)
            elif one.tag == "slur":
                side = one.get("placement") or ""
                note.ends.append(RawEnd("slur", one.get("number") or "1", one.get("type") or "", side))
            elif one.tag == "tuplet":
                note.tuplets.append(_tuplet(one))
            elif one.tag == "dynamics":
                marks += dynamics_of(one, note.at, note.staff, losses, bar)
            elif one.tag in ("articulations", "ornaments", "technical"):
                for sign in one:
                    _sign(one.tag, sign, note, losses, bar)
            elif one.tag in ("glissando", "slide"):
                number = f"{one.tag}{one.get('number') or '1'}"
                text = "slide" if one.tag == "slide" else ""
                note.ends.append(RawEnd("glissando", number, one.get("type") or "", text=text))
            elif one.tag not in QUIET:
                losses.add(f"sign~ “{str(one.tag).replace('-', ' ')}”", bar)
    if note.tied_from:  # stands on a note that is held over; it hangs on its place
        marks += [RawMark("fermata", note.at, note.staff) for s in note.signs if s == "fermata"]
        note.signs = [s for s in note.signs if s != "fermata"]
    return marks


def _plain_notation(one: Element, note: RawNote) -> None:
    if one.tag == "tied":
        kind = one.get("type")
        note.tied_on |= kind in ("start", "continue")
        note.tied_from |= kind in ("stop", "continue")
        if kind == "let-ring":
            _put(note, "let-ring")
    else:
        _put(note, "fermata" if one.tag == "fermata" else "rolled")


def _put(note: RawNote, name: str) -> None:
    note.signs = list(with_sign(tuple(note.signs), name))


def _tuplet(one: Element) -> tuple[str, str, tuple[int, int] | None]:
    counts = (
        whole_of(text_of(one.find("tuplet-actual"), "tuplet-number")),
        whole_of(text_of(one.find("tuplet-normal"), "tuplet-number")),
    )
    return one.get("number") or "1", one.get("type") or "", counts if min(counts) > 0 else None


def _sign(group: str, sign: Element, note: RawNote, losses: Losses, bar: str) -> None:
    """A sign of the groups articulations, ornaments and technical."""
    name = SIGN_OF.get((group, str(sign.tag)))
    if sign.tag == "tremolo":
        strokes = whole_of(text_of(sign), 3)
        way = sign.get("type", "single")
        if way in ("start", "stop"):
            note.ends.append(RawEnd("tremolo", "1", way, text=str(min(max(strokes, 1), 3))))
            return
        if way != "single" or not 1 <= strokes <= 3:
            losses.add("tremolo", bar)
            return
        name = f"tremolo-{strokes}"
    elif sign.tag == "fingering":
        finger = text_of(sign)
        if finger not in tuple("012345"):
            losses.add("fingering", bar)
            return
        if any(s.startswith("finger-") for s in note.signs):
            losses.add("second fingering~ of a note", bar)
            return
        name = f"finger-{finger}"
    elif sign.tag == "accidental-mark" and "trill" in note.signs and text_of(sign) in UPPER:
        note.signs.remove("trill")
        name = f"trill-{text_of(sign)}"
    if name is not None:
        if any(s in NOTE_SIGNS[name].rivals and s != name for s in note.signs):
            losses.add(f"sign~ “{NOTE_SIGNS[name].words}” beside another of its kind", bar)
            return
        _put(note, name)
    elif sign.tag not in QUIET and not (sign.tag == "wavy-line" and sign.get("type") != "start"):
        losses.add(f"sign~ “{str(sign.tag).replace('-', ' ')}”", bar)


def dynamics_of(element: Element, at: Fraction, staff: int, losses: Losses, bar: str, side: str = "") -> list[RawMark]:
    """The dynamics of an element ``dynamics``."""
    out = []
    for one in element:
        name = text_of(one).strip() if one.tag == "other-dynamics" else str(one.tag)
        if name in DYNAMICS:
            out.append(RawMark("dynamic", at, staff, name, side=side))
        elif one.tag == "other-dynamics" and text_of(one):
            out.append(RawMark("text", at, staff, printable(text_of(one)), side=side))
        else:
            losses.add(f"dynamic~ “{str(one.tag)[:8]}”", bar)
    return out
