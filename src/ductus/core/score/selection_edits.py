"""Edits of selected notes (JOB 7): each is (piece, notes, argument) -> Change, and EDITS is their one table.

Conventions: ids that are gone are passed over; an edit that changes nothing gives an empty change. Times in ticks.
"""

from __future__ import annotations

import itertools
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from fractions import Fraction

from ductus.core.errors import BadInput
from ductus.core.pitch.keys import signature
from ductus.core.pitch.pitches import STEPS, Pitch, parse_pitch, pitch_on_line, pitch_words, spell_in_key
from ductus.core.score.changes import Change, Draft
from ductus.core.score.edits import Line, clear_brackets, clear_span, count_words, delete_notes
from ductus.core.score.piece import Piece
from ductus.core.score.records import Note
from ductus.core.time.ticks import ticks_of_shown
from ductus.core.time.values import BASE_TICKS

Edit = Callable[[Piece, Sequence[Note], str], Change]


def chords_of(notes: Iterable[Note]) -> dict[Line, dict[int, list[Note]]]:
    """Notes by line and tick, both in order."""
    out: dict[Line, dict[int, list[Note]]] = defaultdict(lambda: defaultdict(list))
    for note in sorted(notes, key=lambda n: (n.line, n.tick, n.pitch.midi)):
        out[note.line][note.tick].append(note)
    return out


def next_onset(piece: Piece, line: Line, tick: int) -> int | None:
    """The next onset of a voice after a tick, looked for up to the end of the piece."""
    later = [n.tick for n in piece.line_between(line, tick + 1, max(piece.end, tick + 2)) if n.tick > tick]
    return min(later, default=None)


def silence_from(piece: Piece, line: Line, tick: int, end: int) -> int:
    """Where a silence that was marked as meant begins in [tick, end); ``end`` if there is none."""
    bars = range(piece.timeline.bar_at(tick).index, piece.timeline.bar_at(max(end - 1, tick)).index + 1)
    marks = (
        m
        for bar in bars
        for m in piece.marks_in_bar(line[0], bar)
        if m.kind == "silence" and (m.part, m.staff, m.voice) == line
    )
    return min((m.tick for m in marks if tick < m.tick < end), default=end)


def hold_to_next(piece: Piece, notes: Sequence[Note], _: str) -> Change:
    """Hold each to the next; the last goes to the end of its bar; a silence meant as such stays (JOB 7.3)."""
    draft = Draft(piece)
    for line, chords in chords_of(notes).items():
        for tick, chord in chords.items():
            following = next_onset(piece, line, tick)
            end = following if following is not None else piece.timeline.bar_at(tick).end
            end = silence_from(piece, line, tick, end)
            for note in chord:
                draft.put(replace(note, ticks=max(end - tick, 1), sounds_ticks=None))
    return draft.change(f"{count_words(len(notes), 'note')} held to the next")


def with_length(piece: Piece, notes: Sequence[Note], length: Callable[[Note], int], what: str) -> Change:
    """Give notes new lengths; none reaches past the next onset of its voice."""
    draft = Draft(piece)
    for line, chords in chords_of(notes).items():
        for tick, chord in chords.items():
            following = next_onset(piece, line, tick)
            for note in chord:
                ticks = length(note)
                if following is not None:
                    ticks = min(ticks, following - tick)
                draft.put(replace(note, ticks=max(ticks, 1), sounds_ticks=None))
    return draft.change(f"{count_words(len(notes), 'note')} {what}")


def set_length(piece: Piece, notes: Sequence[Note], argument: str) -> Change:
    """Set a plain or dotted value ("quarter", "quarter dot")."""
    base, _, dot = argument.partition(" ")
    if base not in BASE_TICKS:
        raise BadInput(f"'{argument[:20]}' is no note value.")
    ticks = BASE_TICKS[base] * 3 // 2 if dot else BASE_TICKS[base]
    return with_length(piece, notes, lambda _n: ticks, f"set to a {'dotted ' if dot else ''}{base}")


def scale_lengths(piece: Piece, notes: Sequence[Note], argument: str) -> Change:
    """Scale lengths by a factor ("1/2", "2", "3/4")."""
    try:
        factor = Fraction(argument)
        if not 0 < factor <= 16:
            raise ValueError
    except (ValueError, ZeroDivisionError):
        raise BadInput(f"'{argument[:20]}' is no factor; type 1/2, 2 or 3/4.") from None
    return with_length(piece, notes, lambda n: int(n.ticks * factor), f"{factor} times as long")


def remove_rest(piece: Piece, notes: Sequence[Note], _: str) -> Change:
    """The rest after each chord goes: the chord takes its time."""
    return replace(hold_to_next(piece, notes, ""), sentence=f"Rests after {count_words(len(notes), 'note')} removed")


def split_notes(piece: Piece, notes: Sequence[Note], argument: str) -> Change:
    """Split each note into n equal ones (2 if nothing is said)."""
    count = int(argument) if argument.isdigit() and 2 <= int(argument) <= 16 else 2
    draft = Draft(piece)
    for note in notes:
        edges = [note.tick + note.ticks * k // count for k in range(count + 1)]
        draft.put(replace(note, ticks=edges[1] - edges[0], sounds_ticks=None))
        for a, b in itertools.pairwise(edges[1:]):
            rest = replace(note, id=draft.new_id("n"), tick=a, ticks=b - a, sounds_ticks=None, lyric="", crushed=())
            draft.put(rest)
    return draft.change(f"{count_words(len(notes), 'note')} split in {count}")


def respell(piece: Piece, notes: Sequence[Note], _: str) -> Change:
    """Toggle the spelling: the enharmonic name nearest to the signature that is not the present one."""
    draft = Draft(piece)
    for note in notes:
        centre = piece.key_at(piece.timeline.bar_at(note.tick).index).fifths + 2
        others = [f for f in (note.pitch.fifths + 12, note.pitch.fifths - 12) if -15 <= f <= 19]
        draft.put(replace(note, pitch=pitch_on_line(note.pitch.midi, min(others, key=lambda f, c=centre: abs(f - c)))))  # type: ignore[misc]
    return draft.change(f"{count_words(len(notes), 'note')} respelled")


def octave(piece: Piece, notes: Sequence[Note], argument: str) -> Change:
    """Octaves up (positive) or down."""
    by = int(argument) if argument in ("1", "-1", "2", "-2") else 1
    draft = Draft(piece)
    for note in notes:
        pitch, *crushed = (replace(p, octave=p.octave + by) for p in (note.pitch, *note.crushed))
        if 0 <= pitch.midi <= 127:
            draft.put(replace(note, pitch=pitch, crushed=tuple(crushed)))
    return draft.change(f"{count_words(len(notes), 'note')} {'up' if by > 0 else 'down'} an octave")


def transpose(piece: Piece, notes: Sequence[Note], argument: str) -> Change:
    """Semitones, signed; spelled by the signature."""
    try:
        by = int(argument)
    except ValueError:
        raise BadInput("Transpose by a number of semitones, as 3 or -2.") from None
    draft = Draft(piece)
    for note in notes:
        key = note.pitch.midi + by
        if 0 <= key <= 127:
            fifths = piece.key_at(piece.timeline.bar_at(note.tick).index).fifths
            crushed = tuple(spell_in_key(min(max(p.midi + by, 0), 127), fifths) for p in note.crushed)
            draft.put(replace(note, pitch=spell_in_key(key, fifths), crushed=crushed))
    return draft.change(f"{count_words(len(notes), 'note')} transposed by {by:+d} semitones")


def other_hand(piece: Piece, notes: Sequence[Note], _: str) -> Change:
    """Move to the other staff of the part, into a voice that is free there."""
    draft = Draft(piece)
    for note in notes:
        if piece.part(note.part).staves < 2:
            continue
        staff = 3 - note.staff
        free = next((v for v in range(1, 5) if fits(draft, (note.part, staff, v), note)), note.voice)
        draft.put(replace(note, staff=staff, voice=free))
    return draft.change(f"{count_words(len(notes), 'note')} moved to the other hand")


def fits(draft: Draft, line: Line, note: Note) -> bool:
    """May the note stand in a voice: is it silent there, or a chord of the same length?"""
    inside = draft.line_between(line, note.tick, note.end)
    return all((n.tick, n.ticks) == (note.tick, note.ticks) for n in inside)


def to_voice(piece: Piece, notes: Sequence[Note], argument: str) -> Change:
    """Move to a voice, 1 to 4."""
    if argument not in ("1", "2", "3", "4"):
        raise BadInput("A staff has voices 1 to 4.")
    draft = Draft(piece)
    for note in notes:
        draft.put(replace(note, voice=int(argument)))
    return draft.change(f"{count_words(len(notes), 'note')} moved to voice {argument}")


def retime(piece: Piece, notes: Sequence[Note], argument: str) -> Change:
    """Read entered steps again at another value (JOB 3.13): the chords of each voice follow one another at that value; chords
    after them in the voice keep their distance to the last one."""
    base, _, dot = argument.partition(" ")
    if base not in BASE_TICKS:
        raise BadInput(f"'{argument[:20]}' is no note value.")
    step = BASE_TICKS[base] * 3 // 2 if dot else BASE_TICKS[base]
    draft = Draft(piece)
    for line, chords in chords_of(notes).items():
        ticks = sorted(chords)
        end = max(n.end for n in chords[ticks[-1]])
        shift = ticks[0] + step * len(ticks) - end
        chosen = {n.id for chord in chords.values() for n in chord}
        for note in piece.line_between(line, ticks[0], max(piece.end, end) + 1):
            if note.id in chosen:
                k = ticks.index(note.tick)
                draft.put(replace(note, tick=ticks[0] + k * step, ticks=step, sounds_ticks=None))
            elif note.tick >= end:
                draft.put(replace(note, tick=note.tick + shift))
        clear_brackets(draft, line, ticks[0], end)
    return draft.change(f"{count_words(len(notes), 'note')} read again as {'dotted ' if dot else ''}{base}s")


def wrong_value(piece: Piece, notes: Sequence[Note], argument: str) -> Change:
    """Give one chord another value; what follows in its voice moves with it."""
    base, _, dot = argument.partition(" ")
    if base not in BASE_TICKS:
        raise BadInput(f"'{argument[:20]}' is no note value.")
    length = BASE_TICKS[base] * 3 // 2 if dot else BASE_TICKS[base]
    first = min(notes, key=lambda n: n.tick)
    draft = Draft(piece)
    shift = length - first.ticks
    for note in piece.line_between(first.line, first.tick, max(piece.end, first.end) + 1):
        if note.tick == first.tick:
            draft.put(replace(note, ticks=length, sounds_ticks=None))
        elif note.tick >= first.end:
            draft.put(replace(note, tick=note.tick + shift))
    return draft.change(f"Value corrected to a {'dotted ' if dot else ''}{base}; what follows moved with it")


def set_velocity(piece: Piece, notes: Sequence[Note], argument: str) -> Change:
    """A velocity ("90"), or a change ("+10", "-10"); stays in 1..127."""
    try:
        amount = int(argument)
    except ValueError:
        raise BadInput("A velocity is a number from 1 to 127, or a change such as +10.") from None
    signed = argument.strip()[:1] in "+-"
    draft = Draft(piece)
    for note in notes:
        draft.put(replace(note, velocity=min(max(note.velocity + amount if signed else amount, 1), 127)))
    return draft.change(
        f"Velocity of {count_words(len(notes), 'note')} {'changed by' if signed else 'set to'} {argument}"
    )


def steps(piece: Piece, notes: Sequence[Note], argument: str) -> Change:
    """Staff steps up (positive) or down, with the accidentals of the signature: what dragging a note up or down does."""
    by = signed_number(argument, 35, "number of staff steps")
    draft = Draft(piece)
    for note in notes:
        scale = signature(piece.key_at(piece.timeline.bar_at(note.tick).index).fifths)
        octave, index = divmod(note.pitch.diatonic + by, 7)
        pitch = Pitch(STEPS[index], scale[STEPS[index]], octave)
        if 0 <= pitch.midi <= 127:
            draft.put(replace(note, pitch=pitch))
    names = " and ".join(pitch_words(r.pitch) for _, r in draft.change("").rows if isinstance(r, Note))
    what = f"Now {names}" if len(notes) <= 4 and names else f"{count_words(len(notes), 'note')} moved"
    return draft.change(f"{what}, {abs(by)} {'step' if abs(by) == 1 else 'steps'} {'up' if by > 0 else 'down'}")


def move(piece: Piece, notes: Sequence[Note], argument: str) -> Change:
    """To another place: "+480" or "-480" of 960 to the quarter, or "note tick": that note goes there and the others with it. Nothing
    is overwritten: where a voice is taken, the note goes to a free one."""
    by = shift_of(piece, argument)
    by = max(by, -min(n.tick for n in notes))
    draft = Draft(piece)
    for note in notes:
        draft.drop(note)
    for note in sorted(notes, key=lambda n: (n.tick, n.pitch.midi)):
        there = replace(note, tick=note.tick + by)
        voices = (note.voice, *(v for v in range(1, 5) if v != note.voice))
        free = next((v for v in voices if fits(draft, (note.part, note.staff, v), there)), note.voice)
        draft.put(replace(there, voice=free))
    place = piece.timeline.place_words(min(n.tick for n in notes) + by)
    return draft.change(f"{count_words(len(notes), 'note')} moved to {place}")


def end_at(piece: Piece, notes: Sequence[Note], argument: str) -> Change:
    """Longer or shorter: "+480" or "-480" of 960 to the quarter, or "note tick": that note ends there, the others change as much."""
    anchor = piece.notes.get(argument.split()[0]) if argument.strip() else None
    by = shift_of(piece, argument) - (anchor.ticks if anchor else 0)
    shortest = min(BASE_TICKS.values())
    return with_length(
        piece, notes, lambda n: max(n.ticks + by, min(n.ticks, shortest)), "made longer" if by > 0 else "made shorter"
    )


def shift_of(piece: Piece, argument: str) -> int:
    """Ticks by which "note tick" moves that note, or which "+480" (960 to the quarter) says. Raises BadInput."""
    first, _, tick = argument.partition(" ")
    if first in piece.notes and tick.isdigit():
        return int(tick) - piece.notes[first].tick
    return ticks_of_shown(signed_number(argument, 960 * 64, "distance in ticks (960 to the quarter)"))


def signed_number(text: str, most: int, what: str) -> int:
    """A whole number between -most and most. Raises BadInput."""
    try:
        number = int(text)
    except ValueError:
        number = most + 1
    if abs(number) > most:
        raise BadInput(f"'{text[:20]}' is no {what}; nothing was changed.")
    return number


def remove(piece: Piece, notes: Sequence[Note], _: str) -> Change:
    """Delete."""
    return delete_notes(piece, [n.id for n in notes])


EDITS: dict[str, Edit] = {
    "hold to the next": hold_to_next,
    "length": set_length,
    "scale": scale_lengths,
    "remove rest": remove_rest,
    "split": split_notes,
    "respell": respell,
    "octave": octave,
    "transpose": transpose,
    "other hand": other_hand,
    "voice": to_voice,
    "read again": retime,
    "correct value": wrong_value,
    "velocity": set_velocity,
    "steps": steps,
    "move": move,
    "end": end_at,
    "delete": remove,
}


def edit_notes(piece: Piece, name: str, ids: Iterable[str], argument: str = "") -> Change:
    """Run one edit of the table on notes by id. Raises BadInput for an unknown edit or when nothing is selected."""
    edit = EDITS.get(name)
    if edit is None:
        raise BadInput(f"There is no edit called '{name[:30]}'.")
    notes = [piece.notes[i] for i in ids if i in piece.notes]
    if not notes:
        raise BadInput("Select some notes first; nothing was changed.")
    return edit(piece, notes, argument)


# --- copying ---------------------------------------------------------------------------


def paste(piece: Piece, notes: Sequence[Note], line: Line, tick: int) -> Change:
    """Put copies of notes at a tick: the first of them begins there. Notes of one line go to ``line``; of several lines each
    stays on its own; what is there is replaced."""
    if not notes:
        raise BadInput("Nothing was copied yet.")
    start = min(n.tick for n in notes)
    end = max(n.end for n in notes)
    alone = len({n.line for n in notes}) == 1
    draft = Draft(piece)
    for target in {line} if alone else {n.line for n in notes}:
        clear_span(draft, target, tick, tick + end - start)
        clear_brackets(draft, target, tick, tick + end - start)
    for note in notes:
        part, staff, voice = line if alone else note.line
        draft.put(
            replace(
                note,
                id=draft.new_id("n"),
                part=part,
                staff=staff,
                voice=voice,
                tick=tick + note.tick - start,
                take=None,
                event=None,
            )
        )
    return draft.change(f"{count_words(len(notes), 'note')} pasted at {piece.timeline.place_words(tick)}")


def repeat(piece: Piece, notes: Sequence[Note], times: int) -> Change:
    """Repeat the whole bars that hold the notes, ``times`` times, behind them (JOB 7.5); only the lines of the notes."""
    if not 1 <= times <= 200:
        raise BadInput("A stretch can be repeated 1 to 200 times.")
    first = piece.timeline.bar_at(min(n.tick for n in notes))
    last = piece.timeline.bar_at(max(n.end for n in notes) - 1)
    length = last.end - first.start
    draft = Draft(piece)
    for line in sorted({n.line for n in notes}):
        source = [n for n in piece.line_between(line, first.start, last.end) if n.tick >= first.start]
        brackets = draft.marks_between(line, "tuplet", first.start, last.end)
        clear_span(draft, line, last.end, last.end + length * times)
        clear_brackets(draft, line, last.end, last.end + length * times)
        for k in range(1, times + 1):
            for note in source:
                ticks = min(note.ticks, last.end - note.tick)
                draft.put(
                    replace(note, id=draft.new_id("n"), tick=note.tick + k * length, ticks=ticks, take=None, event=None)
                )
            for mark in brackets:
                draft.put(replace(mark, id=draft.new_id("m"), tick=mark.tick + k * length))
    return draft.change(f"{count_words(last.index - first.index + 1, 'bar')} repeated {times} times")


# --- selecting ---------------------------------------------------------------------------


def select(piece: Piece, what: str, line: Line, tick: int, now: Iterable[str] = ()) -> list[str]:
    """Ids of "bar", "staff", "all", "voice", "below C4", "above C4", "left"/"right" (one more chord than now),
    "previous"/"next" (that chord instead), "last 8" (chords)."""
    word, _, rest = what.partition(" ")
    part, staff, _ = line
    if word == "all":
        return [n.id for n in piece.notes.values()]
    if word == "staff":
        return [n.id for n in piece.notes.values() if (n.part, n.staff) == (part, staff)]
    if word == "voice":
        return [n.id for n in piece.notes.values() if n.line == line]
    if word == "bar":
        bar = piece.timeline.bar_at(tick)
        return [n.id for n in piece.notes_between(part, bar.start, bar.end) if n.staff == staff and n.tick >= bar.start]
    if word in ("below", "above"):
        limit = parse_pitch(rest).midi
        here = (n for n in piece.notes.values() if (n.part, n.staff) == (part, staff))
        return [n.id for n in here if (n.pitch.midi < limit if word == "below" else n.pitch.midi >= limit)]
    mine = [n for n in piece.notes.values() if n.line == line]
    chosen = {i for i in now if i in piece.notes}
    places = sorted({n.tick for n in mine})
    if word == "last" and rest.isdigit():
        before = [t for t in places if t < tick][-int(rest) :]
        return [n.id for n in mine if n.tick in before]
    ticks = [piece.notes[i].tick for i in chosen] or [tick]
    if word in ("left", "previous"):
        edge = max((t for t in places if t < min(ticks)), default=None)
    elif word in ("right", "next"):
        edge = min((t for t in places if (t > max(ticks) if chosen else t >= tick)), default=None)
    else:
        raise BadInput(f"'{what[:20]}' cannot be selected.")
    if word in ("previous", "next"):
        edge = edge if edge is not None else (min if word == "previous" else max)(ticks)
        return [n.id for n in mine if n.tick == edge]
    return [*chosen, *(n.id for n in mine if n.tick == edge)]
