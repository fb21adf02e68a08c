"""The page read aloud: a bar, one voice of it, or all that sounds at a place, in the words of the announcements.

What a sighted person sees is said in the order of reading: the frame where it changes, then each staff and voice
from the left, each note or rest with its value, its signs and what begins or ends at it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from ductus.core.notation.bars import notate_bar
from ductus.core.notation.symbols import Symbol, VoiceBar
from ductus.core.pitch.keys import key_words
from ductus.core.score.catalogues.drums import sound_words
from ductus.core.score.model.mark_kinds import KINDS, words_of
from ductus.core.score.model.note_signs import NOTE_SIGNS, words_of_sign
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark, Note, Part
from ductus.core.time.bars import beat_words
from ductus.core.time.note_values import NoteValue, describe_value
from ductus.core.words import capital, count_words, listed

Line = tuple[str, int, int]
MOST = 40  # notes of a chord or column that are named
SILENT = ("tuplet", "silence", "slur")  # marks that are said in other ways, or not at all


def bar_aloud(piece: Piece, index: int, parts: tuple[str, ...] = ()) -> str:
    """Everything that stands in a bar, of all parts or of some."""
    said = [_frame(piece, index)]
    for part in piece.ordered_parts():
        if parts and part.id not in parts:
            continue
        notated = notate_bar(piece, part.id, index)
        marks = _marks(piece, part, index)
        for staff in part.staff_numbers:
            voices = [v for v in notated.voices if v.staff == staff and not _empty(v)]
            name = staff_words(piece, part, staff)
            if not voices:
                said.append(f"{name}: silence")
            for voice in voices:
                which = f", voice {voice.voice}" if len(voices) > 1 else ""
                said.append(f"{name}{which}: {_voice(piece, part, voice, marks if voice is voices[0] else [])}")
    return ". ".join(capital(s) for s in said if s) + "."


def voice_aloud(piece: Piece, line: Line, index: int) -> str:
    """One voice of a bar."""
    part = piece.part(line[0])
    found = [v for v in notate_bar(piece, line[0], index).voices if (v.staff, v.voice) == line[1:]]
    name = f"{_bar_words(piece, index)}, {staff_words(piece, part, line[1])}, voice {line[2]}"
    if not found or _empty(found[0]):
        return f"{capital(name)}: silence."
    return f"{capital(name)}: {_voice(piece, part, found[0], _marks(piece, part, index))}."


def column_aloud(piece: Piece, tick: int, *, sounding: bool = False) -> str:
    """Everything that sounds at a place, from the top of the page down, with what stands there besides.

    Pitches as they are written, or ``sounding``.
    """
    if sounding:
        parts = [(part, replace(part, transpose=(0, 0))) for part in piece.ordered_parts() if part.transpose != (0, 0)]
        if parts:
            names = listed([part.name for part, _ in parts], MOST)
            return f"{column_aloud(piece.with_rows(parts), tick)} {names} as sounding."
    bar = piece.timeline.bar_at(tick)
    said = [piece.timeline.place_words(tick)]
    for part in piece.ordered_parts():
        here = piece.notes_between(part.id, tick, tick + 1)
        for staff in part.staff_numbers:
            chords: dict[tuple[int, int, int], list[Note]] = {}
            for note in here:
                if note.staff == staff:
                    chords.setdefault((note.voice, note.tick, note.ticks), []).append(note)
            words = [_sounding(piece, part, notes, tick) for _, notes in sorted(chords.items())]
            said.append(f"{staff_words(piece, part, staff)}: {'; '.join(words) or 'silence'}")
        there = [
            mark_said(m) for m in piece.marks_in_bar(part.id, bar.index) if m.tick == tick and m.kind not in SILENT
        ]
        if there:
            said.append(f"with {listed(there, MOST)}")
    return ". ".join(capital(s) for s in said) + "."


def staff_words(piece: Piece, part: Part, staff: int) -> str:
    """A staff as it is called: "right hand" of the only part, "piano, left hand", "flute"."""
    hand = "" if len(part.clefs) < 2 else "right hand" if staff == 1 else "left hand"
    if len(piece.parts) == 1 and hand:
        return hand
    return f"{part.name}, {hand}" if hand else part.name


def mark_said(mark: Mark) -> str:
    """A mark as it is said where it begins."""
    if mark.kind == "hairpin" and mark.text in "<>":
        return "crescendo" if mark.text == "<" else "diminuendo"
    if mark.kind == "chord":
        return f"chord {mark.text}"
    if mark.kind == "text":
        return f"“{mark.text}”"
    return words_of(mark)


def _bar_words(piece: Piece, index: int) -> str:
    return piece.timeline.bar_words(index).removeprefix("the ")


def _frame(piece: Piece, index: int) -> str:
    """The bar, and what changes at it."""
    said = [f"{_bar_words(piece, index)} of {piece.timeline.number_of(piece.bar_count - 1)}"]
    bar = piece.timeline.bar(index)
    if index == 0 or any(m.bar == index and m.sign != "none" for m in piece.meters.values()):
        said.append(f"{bar.meter.count}/{bar.meter.unit}")
    if index == 0 or any(k.bar == index for k in piece.keys.values()):
        key = piece.key_at(index)
        said.append(key_words(key.fifths, key.mode))
    said += [words_of_sign(s.kind, s.text) for s in piece.signs_at(index)]
    for tempo in sorted(piece.tempi.values(), key=lambda t: t.tick):
        if tempo.printed and bar.start <= tempo.tick < bar.end:
            said.append(
                f"{tempo.text + ', ' if tempo.text else ''}{describe_value(tempo.beat)} at "
                f"{tempo.shown or f'{tempo.bpm:g}'}"
            )
    return ", ".join(said)


def _empty(voice: VoiceBar) -> bool:
    return all(s.is_rest for s in voice.symbols)


def _marks(piece: Piece, part: Part, index: int) -> list[Mark]:
    return [m for m in piece.marks_in_bar(part.id, index) if m.kind not in SILENT and KINDS[m.kind].anchor != "notes"]


def _voice(piece: Piece, part: Part, voice: VoiceBar, marks: list[Mark]) -> str:
    """The symbols of a voice in order, each with what stands at it."""
    bar = piece.timeline.bar_at(voice.symbols[0].tick)
    lines = [m for m in piece.marks_in_bar(part.id, bar.index) if KINDS[m.kind].anchor == "notes"]
    out: list[str] = []
    for symbol in voice.symbols:
        if symbol.hidden:
            continue
        words = [*_starting(marks, voice.staff, symbol), _symbol(piece, part, symbol), *_signs(symbol, lines)]
        words += _ending(marks, voice.staff, symbol)
        out.append(", ".join(words))
    return "; ".join(out)


def value_said(symbol: Symbol) -> NoteValue:
    """The value of a symbol with its tuplet; that of a tremolo between two notes is said as it is drawn."""
    span = symbol.span
    return replace(symbol.value, tuplet=span.ratio) if span is not None and not span.strokes else symbol.value


def _symbol(piece: Piece, part: Part, symbol: Symbol) -> str:
    if symbol.whole_bar:
        return "rest, whole bar"
    value = value_said(symbol)
    if symbol.is_rest:
        return f"rest, {describe_value(value)}"
    notes = sorted(symbol.notes, key=lambda n: n.pitch.midi)
    fresh = [sound_words(part, n.pitch) for n in notes if n.id not in symbol.tied_from]
    held = [sound_words(part, n.pitch) for n in notes if n.id in symbol.tied_from]
    graces = [
        count_words(len(n.grace_notes), "grace note") for n in notes if n.grace_notes and n.id not in symbol.tied_from
    ]
    words = [*graces, *([listed(fresh, MOST)] if fresh else []), *([f"{listed(held, MOST)} held on"] if held else [])]
    return f"{', '.join(words)}, {describe_value(value)}"


def _signs(symbol: Symbol, lines: list[Mark]) -> Iterator[str]:
    """Signs and syllables of a chord, and the slurs and other lines between notes that begin or end at it."""
    for name in dict.fromkeys(s for n in symbol.notes if n.id not in symbol.tied_from for s in n.signs):
        yield NOTE_SIGNS[name].words
    for note in symbol.notes:
        for syllable in note.lyrics:
            if syllable.text and note.id not in symbol.tied_from:
                verse = f" in verse {syllable.verse}" if syllable.verse > 1 else ""
                yield f"sung “{syllable.text}{'-' if syllable.syllabic in ('begin', 'middle') else ''}”{verse}"
    ids = {n.id for n in symbol.notes}
    for line in lines:
        if line.notes[0] in ids and symbol.tick <= line.tick < symbol.end:
            yield f"{mark_said(line)} begins"
        if line.notes[-1] in ids and symbol.tick < line.end <= symbol.end:
            yield f"{mark_said(line)} ends"


def _starting(marks: list[Mark], staff: int, symbol: Symbol) -> Iterator[str]:
    for mark in marks:
        if symbol.tick <= mark.tick < symbol.end and (mark.staff == staff or KINDS[mark.kind].anchor != "place"):
            late = mark.tick > symbol.tick
            yield f"{mark_said(mark)}{' during it' if late else ''}{' begins' if mark.ticks else ''}"


def _ending(marks: list[Mark], staff: int, symbol: Symbol) -> Iterator[str]:
    for mark in marks:
        if mark.ticks and mark.staff == staff and symbol.tick < mark.end <= symbol.end:
            yield f"{mark_said(mark)} ends"


def _sounding(piece: Piece, part: Part, notes: list[Note], tick: int) -> str:
    """A chord at a place: new there, or held since another."""
    words = listed([sound_words(part, n.pitch) for n in sorted(notes, key=lambda n: n.pitch.midi)], MOST)
    first = notes[0]
    if first.tick == tick:
        symbols = (
            s
            for v in notate_bar(piece, part.id, piece.timeline.bar_at(tick).index).voices
            if (v.staff, v.voice) == (first.staff, first.voice)
            for s in v.symbols
            if s.tick == tick
        )
        symbol = next(symbols, None)
        value = symbol and value_said(symbol)
        return f"{words}, {describe_value(value)}" if value else words
    bar = piece.timeline.bar_at(first.tick)
    since = f"beat {beat_words(bar, first.tick)}"
    if bar.index != piece.timeline.bar_at(tick).index:
        since = f"{_bar_words(piece, bar.index)}, {since}"
    return f"{words}, held since {since}"
