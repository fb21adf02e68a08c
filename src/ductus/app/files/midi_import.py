"""MIDI files that come in: a file becomes takes on a blank page, which are then read like any others.

A file whose notes gather on its beats is read against them, with its tempo map and meters, each track as a part or
as a hand; one that was only stored at some tempo is read as played freely. What was done is said, and the other can
be chosen.
"""

from __future__ import annotations

import statistics
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import PurePath

from ductus.app.document.desk import Desk
from ductus.app.document.jobs import Job
from ductus.app.library import Library
from ductus.app.takes.reading_jobs import first_reading
from ductus.core.capture.takes import Take
from ductus.core.errors import BadInput
from ductus.core.reading.model import Decisions, ReadSettings
from ductus.core.reading.page.insertion import blank_page
from ductus.core.reading.review.options import ReadingOptions
from ductus.core.score.catalogues.instruments import BY_NAME
from ductus.core.score.mark_edits.lyrics import LONGEST, syllabic, with_syllable
from ductus.core.score.model.changes import Change, Draft, joined
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import MAX_TEXT, BarSign, Mark, Part, Reading, Syllable, checked_text, printable
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import PulseMap
from ductus.core.words import count_words
from ductus.formats.midi_read import USUAL_METERS, MidiFile, MidiTrack, on_its_beats, read_midi, usual_pulses

KEYBOARDS = range(
    24
)  # General MIDI 1: pianos, chromatic percussion and organs, whose two tracks are the two hands of a player
LOW = 55  # a part whose notes lie below this key on average has a bass clef
SHOWN = 40  # characters of the name of a part


@dataclass(frozen=True, slots=True)
class Voice:
    """A part of the page and the take that is read into it; ``staff`` 0 divides the hands."""

    part: Part
    take: Take
    choices: ReadingOptions
    staff: int
    lyrics: tuple[tuple[int, str], ...] = ()  # microseconds, syllable


@dataclass(frozen=True, slots=True)
class Brought:
    """A performance that came in: its takes and parts, the first of which sets the frame.

    Its title, its markers, what is to be said, and the file (name and data) that it came in.
    """

    voices: tuple[Voice, ...]
    title: str
    markers: tuple[tuple[int, str], ...]
    said: str
    file: tuple[str, bytes]


def bring(data: bytes, name: str) -> Brought:
    """Read a MIDI file. Raises BadInput with words that say what to do."""
    stated = read_midi(data)
    midi = with_usual(stated)
    title = printable(midi.name or PurePath(name).stem)[:MAX_TEXT]
    frame = frame_of(midi) if midi.pulses is not None else None
    voices = voices_of(midi, frame)
    how = "freely, since the file states no tempo and meter"
    if not stated.meters and midi.real:
        tempo = (
            f"its own tempo of {midi.quarters_per_minute:.4g}"
            if stated.pulses is not None
            else "120, since it states no tempo"
        )
        how = f"in 4/4, since the file states no meter, against {tempo}"
    elif frame is not None and (stated.meters or stated.pulses is not None):
        tempo = f"{midi.quarters_per_minute:.4g}"
        changes = "and its changes " if len(frame.pulses.pulses) > 2 or len(midi.meters) > 1 else ""
        how = f"against its own tempo of {tempo} {changes}".rstrip()
        if not midi.real and len(voices) > 1:
            how += ", though the notes do not lie on those beats: its parts are kept apart"
        elif not midi.real:
            how = (
                f"freely: the file states a tempo of {tempo}, but its notes do not lie on those beats (the line can "
                "choose them all the same)"
            )
    count = sum(len(v.take.notes) for v in voices)
    parts = f" as {count_words(len(voices), 'part')}" if len(voices) > 1 else ""
    markers = midi.markers if frame is not None and midi.real else ()
    said = f"{count_words(count, 'note')} read {how}{parts}."
    if midi.markers and not markers:
        said += f" {count_words(len(midi.markers), 'marker').capitalize()} left out, since the bars were found anew."
    return Brought(
        voices, title, tuple((t + (frame.before if frame else 0), w) for t, w in markers), said, (name, data)
    )


def with_usual(midi: MidiFile) -> MidiFile:
    """The file with what it means by stating nothing (Standard MIDI Files 1.0): 4/4, and 120 quarters a minute."""
    pulses = midi.pulses or usual_pulses()
    real = midi.real if midi.pulses is not None else on_its_beats(midi.take, pulses)
    return replace(midi, pulses=pulses, meters=midi.meters or USUAL_METERS, real=real)


@dataclass(frozen=True, slots=True)
class Frame:
    """The bars that a file states: tick 0 of ``pulses`` is the first bar line.

    The file begins ``before`` ticks after it (a pick-up).
    """

    pulses: PulseMap
    meter: Meter
    changes: tuple[tuple[int, Meter], ...]
    before: int
    fifths: int | None


def frame_of(midi: MidiFile) -> Frame:
    """Bars and tempi of a file. A first bar that is shorter than those that follow is their pick-up."""
    assert midi.pulses is not None
    (_, meter), *later = midi.meters
    before = 0
    if later and later[0][0] == meter.bar_ticks < later[0][1].bar_ticks:
        before = later[0][1].bar_ticks - meter.bar_ticks
        meter = later.pop(0)[1]
    changes = []
    now, edge = meter, 0
    for tick, following in later:
        at = tick + before
        if following != now and (at - edge) % now.bar_ticks == 0:  # a change inside a bar cannot be written
            changes.append((at, following))
            now, edge = following, at
    return Frame(midi.pulses.moved(before), meter, tuple(changes), before, midi.fifths)


def voices_of(midi: MidiFile, frame: Frame | None) -> tuple[Voice, ...]:
    """The parts of a file and what is read into each."""
    settings = ReadSettings()
    if frame is not None:
        settings = ReadSettings(meter=frame.meter, changes=frame.changes, key=frame.fifths)
    pulses = frame.pulses if frame is not None else None
    choices = ReadingOptions(settings, stated=settings if frame is not None else None)
    pitched = [t for t in midi.tracks if not t.percussion]
    hands = two_hands(pitched)
    several = len(midi.tracks) > 1 and not (hands and len(midi.tracks) == 2)
    if frame is not None and not midi.real and not several:
        choices = replace(choices, settings=ReadSettings(), unbound=True)
    elif frame is not None and len(frame.pulses.pulses) > 2:
        choices = replace(choices, time="follow")
    if frame is None or len(pitched) < 2 or hands:
        take = replace(midi.take, pulses=pulses)
        if hands:
            choices = replace(choices, pins=Decisions(hands_of(take, hands)))
        kit = [t for t in midi.tracks if t.percussion] if pitched else []
        if not pitched:
            settings = replace(choices.settings, hand=1, kit=())
            only = kit_voice(midi.tracks[0], 1, pulses, settings)
            return (
                replace(only, part=replace(only.part, order=0), take=take, choices=replace(choices, settings=settings)),
            )
        sung = tuple(sorted(syllable for t in pitched for syllable in t.lyrics))
        alone = not hands and pitched[0].programme not in KEYBOARDS
        return (
            replace(part_voice(pitched[0], 1, pulses, choices, 0), take=take)
            if alone
            else Voice(keys_part(pitched[0].programme), take, choices, 0, sung),
            *(kit_voice(t, k, pulses, settings) for k, t in enumerate(kit, 2)),
        )
    rows = sorted(midi.tracks, key=lambda t: t.take.notes[0].onset_us)
    first = rows[0]
    out = []
    for k, track in enumerate([first, *(t for t in midi.tracks if t is not first)], 1):
        own = choices if track is first else ReadingOptions(settings, stated=choices.stated)
        out.append(
            kit_voice(track, k, pulses, settings)
            if track.percussion
            else part_voice(track, k, pulses, own, midi.tracks.index(track))
        )
    return tuple(out)


def keys_part(programme: int) -> Part:
    """A part on two staves, with the instrument of a programme."""
    kind = next((i for i in BY_NAME.values() if i.programme == programme and "percussion" not in i.clefs), None)
    if kind is None or programme == 0:
        return Part("p1", "Piano", "Pno.", programme)
    return Part("p1", kind.name, kind.short, programme)


def part_voice(track: MidiTrack, number: int, pulses: PulseMap | None, choices: ReadingOptions, order: int) -> Voice:
    """A track as a part: on two staves for a keyboard, else on one with the clef that fits."""
    sound = next(
        (i.name for i in BY_NAME.values() if i.programme == track.programme and "percussion" not in i.clefs), ""
    )
    name = checked_text(track.name[:SHOWN] or sound or f"Part {number}", "part name")
    keys = [n.key for n in track.take.notes]
    wide = track.programme in KEYBOARDS and max(keys) - min(keys) > 24 and min(keys) < LOW
    clefs = ("treble", "bass") if wide else ("bass",) if statistics.fmean(keys) < LOW else ("treble",)
    part = Part(f"p{number}", name, "", track.programme, clefs, order)
    kind = BY_NAME.get(name.casefold())
    if kind is not None and kind.programme == track.programme and (len(kind.clefs) > 1) == wide:
        part = replace(part, short=kind.short, clefs=kind.clefs, transpose=kind.transpose, lyrics=kind.lyrics)
    if not wide:
        choices = replace(choices, settings=replace(choices.settings, hand=1))
    part = replace(part, lyrics=part.lyrics or bool(track.lyrics))
    return Voice(part, replace(track.take, pulses=pulses), choices, 0 if wide else 1, track.lyrics)


def kit_voice(track: MidiTrack, number: int, pulses: PulseMap | None, settings: ReadSettings) -> Voice:
    """Percussion, apart from all pitched notes."""
    name = checked_text(track.name[:SHOWN], "part name")
    kind = BY_NAME.get(name.casefold())
    part = Part(f"p{number}", name, kind.short if kind else "Perc.", 0, ("percussion",), 99)
    return Voice(part, replace(track.take, pulses=pulses), ReadingOptions(replace(settings, hand=1, kit=())), 1)


def two_hands(pitched: list[MidiTrack]) -> tuple[MidiTrack, MidiTrack] | None:
    """The two tracks of a file as (right, left) where they are the hands of one keyboard; None otherwise."""
    if (
        len(pitched) != 2
        or any(t.programme not in KEYBOARDS for t in pitched)
        or pitched[0].programme != pitched[1].programme
    ):
        return None
    high, low = sorted(pitched, key=lambda t: -statistics.fmean(n.key for n in t.take.notes))
    return high, low


def hands_of(take: Take, hands: tuple[MidiTrack, MidiTrack]) -> dict[int, int]:
    """Event -> hand, by the track that it came from."""
    left = {(n.onset_us, n.key, n.channel) for n in hands[1].take.notes}
    return {k: 2 if (n.onset_us, n.key, n.channel) in left else 1 for k, n in enumerate(take.notes)}


def onto_shelf(library: Library, brought: Brought) -> tuple[str, Job]:
    """Put a blank piece with the takes on the shelf; returns its id and the job that reads them onto its page.

    Raises NotKept.
    """
    blank = blank_page(brought.title)
    rows = [(blank.parts[k], None) for k in blank.parts] + [(None, v.part) for v in brought.voices]
    piece_id = library.add(blank.with_rows(rows), [v.take for v in brought.voices], "file", brought.file)
    return piece_id, reading_job(library, library.desk(piece_id), brought)


def read_on(library: Library, desk: Desk) -> Job | None:
    """The job that goes on with a file that was being read when the server stopped.

    None where there is none, or somebody has begun to write there. Raises NotKept.
    """
    file = library.arriving_at(desk.piece_id)
    if file is None:
        return None
    if desk.history.revision == 0:
        with suppress(BadInput):  # an older Ductus may have understood it otherwise
            return reading_job(library, desk, bring(file.data, file.name))
    library.arrived(desk.piece_id)
    return None


def reading_job(library: Library, desk: Desk, brought: Brought) -> Job:
    """The job that reads the takes of a file onto the page of their piece."""
    kept = desk.takes

    def work(piece: Piece) -> Change:
        changes: list[Change] = []
        page, start = piece, 0
        for voice, row in zip(brought.voices, kept, strict=True):
            where = Reading("", row.id, voice.part.id, voice.staff, start, "")
            change = first_reading(desk, page, row, where, voice.choices)
            changes.append(change)
            page = change.apply(page)
            start = next(r.start for r in page.readings.values() if r.take == row.id)
        draft = Draft(page)
        mark_places(draft, brought, start)
        for voice, row in zip(brought.voices, kept, strict=True):
            sing(draft, voice, row.id)
        words = draft.change("")
        if words:
            changes.append(words)
        return joined(changes[0].sentence if len(brought.voices) == 1 else brought.said, changes)

    words = "What was played is kept among the takes; the page is blank."
    return Job("Reading the file", work, words, over=lambda: library.arrived(desk.piece_id))


def mark_places(draft: Draft, brought: Brought, start: int) -> None:
    """Markers of a file: sections where they stand at bar lines, words elsewhere."""
    timeline = draft.piece.timeline
    for tick, words in brought.markers:
        at = tick + start
        if at < 0:
            continue
        bar = timeline.bar_at(at)
        if at == bar.start:
            draft.put(BarSign(draft.new_id("s"), "section", bar.index, words[:MAX_TEXT]))
        else:
            part = brought.voices[0].part.id
            draft.put(Mark(draft.new_id("m"), "text", part, 1, 1, at, text=words[:MAX_TEXT]))


NEAR_US = 3_000  # a syllable and its note are written at the same time; rounding parts them by less


def sing(draft: Draft, voice: Voice, take: int) -> None:
    """Syllables of a file under the notes that begin with them.

    A hyphen at the end of one joins it to the next (as in RP-017 of the MIDI Manufacturers Association; from
    memory).
    """
    if not voice.lyrics:
        return
    onsets = [n.onset_us for n in voice.take.notes]
    by_event = {n.event: n for n in draft.piece.notes.values() if n.take == take}
    joined_on = False
    for at, text in voice.lyrics:
        near = [by_event[k] for k, us in enumerate(onsets) if abs(us - at) <= NEAR_US and k in by_event]
        bare = text.strip().strip("-").strip()
        if not near or not bare:
            continue
        goes_on = text.rstrip().endswith("-")
        note = max(near, key=lambda n: n.pitch.midi)
        syllable = Syllable(bare[:LONGEST], syllabic(joined_on, goes_on))
        draft.put(with_syllable(draft.note(note.id) or note, syllable, 1))
        joined_on = goes_on
