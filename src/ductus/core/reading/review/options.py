"""How a take on the page is read: every choice a person made, kept with the piece, so that the page can be worked
out again.

take + beats + choices -> reading, joined without a seam from passages that are read otherwise

Choices are plain data; as JSON they are a row of the piece's history, so that each of them can be undone. What a person
changed on the page by hand counts as decided (``pins_from_page``): reading again never takes it back.
"""

from __future__ import annotations

import json
import math
from collections.abc import Collection, Iterable, Mapping
from dataclasses import astuple, dataclass, field, fields, replace
from functools import lru_cache
from typing import Any

from ductus.core.capture.takes import Take
from ductus.core.errors import BadInput
from ductus.core.reading.beat_tracking.set_beats import pinned_map
from ductus.core.reading.decoding import Decoded, decode
from ductus.core.reading.durations.voice_assignment import with_voices
from ductus.core.reading.model import EVEN, Decisions, Doubt, Ornament, ReadingResult, ReadNote, ReadSettings
from ductus.core.reading.pipeline import likely_meter
from ductus.core.score.model.records import Note
from ductus.core.time.bars import Bar, BarLines
from ductus.core.time.meters import Meter, parse_meter
from ductus.core.time.pulse_map import PulseMap
from ductus.core.time.ticks import QUARTER

HELD_ON, HELD_LENGTHS = (
    1.3,
    tuple(QUARTER * n for n in (4, 6, 8, 12, 16)),
)  # how much longer than written it sounded; doubled values
NEIGHBOURS = 200  # notes on each side that are read with a passage: they tell the hands, the player and the style


@dataclass(frozen=True, slots=True)
class Passage:
    """Some notes of a take that are read with settings of their own."""

    events: frozenset[int]
    settings: ReadSettings


@dataclass(frozen=True, slots=True)
class PageScope:
    """What of the page a take may touch: it replaces or adds ("policy"), in ``voice`` and up (of one staff), only
    from tick ``since`` to tick ``until`` of the reading (None: no bounds).
    """

    policy: str = "replace"
    voice: int = 1
    since: int | None = None
    until: int | None = None

    def holds(self, tick: int) -> bool:
        """May a note that begins at this tick of the reading be written?"""
        return (self.since is None or tick >= self.since) and (self.until is None or tick < self.until)

    @staticmethod
    def since_part(first: Bar, start: int) -> int | None:
        """From which tick of a reading (counted from ``start``) a take that begins with this bar may touch the page:
        the front of a bar that is cut stays as it is.
        """
        return first.start - start if first.index and first.start > start else None

    def voices(self, staff: int) -> range:
        """The voices that it may empty: all of the staff, or (one hand, in a voice of its own) that one."""
        return range(1, 5) if self.voice == 1 or not staff else range(self.voice, self.voice + 1)


ANYWHERE = PageScope()


@dataclass(frozen=True, slots=True)
class ReadingOptions:
    """``settings`` for the whole; ``rank`` which of the found proposals for the beats (0 the best).

    ``shift`` beats by which the bar lines were moved later; ``size`` 1: all values twice as long, -1: half as long;
    ``taps`` beats tapped by a person (microseconds; the first is a first beat), instead of found ones; ``bars`` bar
    lines and beats set by hand (tick -> microseconds); ``settled`` events whose doubts were looked through;
    ``extent`` the stretch of the take that is written (microseconds), None: all; ``time`` what becomes of the
    player's time (see ``outcome``), ``tempo`` a rounded tempo for it; ``answered`` questions of the lead-through
    that are done; ``unbound``: beats are found though the take came with some; ``stated``: what the file (or the
    click) of a take says of its bars; ``page``: the meter and the quarters a minute of the empty page that it was
    played to.
    """

    settings: ReadSettings = field(default_factory=ReadSettings)
    pins: Decisions = field(default_factory=Decisions)
    rank: int = 0
    shift: int = 0
    size: int = 0
    taps: tuple[int, ...] = ()
    bars: Mapping[int, int] = field(default_factory=dict)
    settled: frozenset[int] = frozenset()
    passages: tuple[Passage, ...] = ()
    where: PageScope = ANYWHERE
    extent: tuple[int, int] | None = None
    time: str = ""
    tempo: float | None = None
    answered: frozenset[str] = frozenset()
    unbound: bool = False
    stated: ReadSettings | None = None
    page: tuple[Meter, float] | None = None


# --- as JSON ------------------------------------------------------------------------------


def _meter_text(meter: Meter) -> str:
    return f"{meter} ({'+'.join(map(str, meter.groups))})"


def _settings_json(settings: ReadSettings) -> dict[str, Any]:
    usual = ReadSettings()
    out = {f.name: getattr(settings, f.name) for f in fields(settings)}
    if settings.meter is not None:
        out["meter"] = _meter_text(settings.meter)
    out["changes"] = [[tick, _meter_text(m)] for tick, m in settings.changes] or ()
    return {name: value for name, value in out.items() if value != getattr(usual, name)}


def _settings_from(data: Mapping[str, Any]) -> ReadSettings:
    meter = parse_meter(data["meter"]) if data.get("meter") else None
    changes = tuple((tick, parse_meter(text)) for tick, text in data.get("changes", ()))
    kinds = tuple(data["tuplet_kinds"]) if data.get("tuplet_kinds") else None
    kit = None if data.get("kit") is None else tuple((key, drum) for key, drum in data["kit"])
    return ReadSettings(**{**data, "meter": meter, "changes": changes, "tuplet_kinds": kinds, "kit": kit})


def choices_to_json(choices: ReadingOptions) -> str:
    """The choices as text; what is as usual is left out."""
    pins = choices.pins
    out: dict[str, Any] = {
        "settings": _settings_json(choices.settings),
        "hands": sorted(pins.hands.items()),
        "places": sorted(pins.places.items()),
        "values": sorted(pins.values.items()),
        "left_out": sorted(pins.left_out),
        "ornaments": sorted(pins.ornaments.items()),
        "rank": choices.rank,
        "shift": choices.shift,
        "size": choices.size,
        "taps": list(choices.taps),
        "bars": sorted(choices.bars.items()),
        "settled": sorted(choices.settled),
        "passages": [[sorted(p.events), _settings_json(p.settings)] for p in choices.passages],
        "where": None if choices.where == ANYWHERE else list(astuple(choices.where)),
        "extent": list(choices.extent) if choices.extent else None,
        "time": choices.time,
        "tempo": choices.tempo,
        "answered": sorted(choices.answered),
        "unbound": choices.unbound,
        "stated": None if choices.stated is None else _settings_json(choices.stated),
        "page": None if choices.page is None else [_meter_text(choices.page[0]), choices.page[1]],
    }
    return json.dumps({k: v for k, v in out.items() if v or k == "settings"}, separators=(",", ":"))


def _decided(ornament: list[Any] | int) -> tuple[int, bool]:
    """First event of an ornament, and whether it is a sign. Once only those that are were stored, as plain numbers."""
    return (ornament, True) if isinstance(ornament, int) else (ornament[0], ornament[1])


def choices_from_json(text: str) -> ReadingOptions:
    """Inverse of ``choices_to_json``."""
    data = json.loads(text)
    pins = Decisions(
        dict(data.get("hands", ())),
        dict(data.get("places", ())),
        dict(data.get("values", ())),
        left_out=frozenset(data.get("left_out", ())),
        ornaments=dict(_decided(o) for o in data.get("ornaments", ())),
    )
    return ReadingOptions(
        _settings_from(data["settings"]),
        pins,
        data.get("rank", 0),
        data.get("shift", 0),
        data.get("size", 0),
        tuple(data.get("taps", ())),
        dict(data.get("bars", ())),
        frozenset(data.get("settled", ())),
        tuple(Passage(frozenset(events), _settings_from(s)) for events, s in data.get("passages", ())),
        PageScope(*data["where"]) if data.get("where") else ANYWHERE,
        (data["extent"][0], data["extent"][1]) if data.get("extent") else None,
        data.get("time", ""),
        data.get("tempo"),
        frozenset(data.get("answered", ())),
        data.get("unbound", False),
        _settings_from(data["stated"]) if data.get("stated") else None,
        (parse_meter(data["page"][0]), data["page"][1]) if data.get("page") else None,
    )


# --- beats ----------------------------------------------------------------------------------


def beats_chosen(found: PulseMap, bars: BarLines, choices: ReadingOptions) -> PulseMap:
    """The beats that the take is read against.

    Values doubled or halved, bar lines moved by ``shift`` beats, and what was set by hand in its place. Raises
    BadInput where that cannot be.
    """
    pulses = found
    if choices.size:
        pulses = PulseMap(
            tuple(replace(p, tick=p.tick * 2 if choices.size > 0 else p.tick // 2) for p in pulses.pulses)
        )
    if choices.shift:
        pulses = pulses.moved(-choices.shift * bars.meter.beat_ticks)
    return pinned_map(pulses, bars, choices.bars)


# --- reading --------------------------------------------------------------------------------


@lru_cache(maxsize=24)
def _decoded(
    take: Take, pulses: PulseMap, settings: ReadSettings, centred: bool, ornaments: frozenset[tuple[int, bool]]
) -> Decoded:
    return decode(take, pulses, settings, centred=centred, ornaments=dict(ornaments))


PinsKey = tuple[frozenset[tuple[int, int]], frozenset[tuple[int, int]], frozenset[tuple[int, int]], frozenset[int]]


def _key_of(pins: Decisions) -> PinsKey:
    return frozenset(pins.hands.items()), frozenset(pins.places.items()), frozenset(pins.values.items()), pins.left_out


@lru_cache(maxsize=24)
def _written(
    take: Take,
    pulses: PulseMap,
    settings: ReadSettings,
    centred: bool,
    ornaments: frozenset[tuple[int, bool]],
    pins: PinsKey,
) -> ReadingResult:
    hands, places, values, left_out = pins
    decoded = _decoded(take, pulses, settings, centred, ornaments)
    return decoded.written(
        Decisions(dict(hands), dict(places), dict(values), left_out=left_out, ornaments=dict(ornaments))
    )


@dataclass(frozen=True, slots=True)
class ChosenReading:
    """``open`` is the reading as the engine finds it, with its doubts; ``result`` obeys the person's decisions."""

    open: ReadingResult
    result: ReadingResult

    def doubts(self, choices: ReadingOptions) -> list[Doubt]:
        """The close calls that nobody has looked through yet."""
        return [d for d in self.open.doubts if 2 * len(choices.settled & set(d.events)) < len(d.events)]


def read_chosen(take: Take, found: PulseMap, choices: ReadingOptions, *, centred: bool = False) -> ChosenReading:
    """Read a take as it was chosen; ``centred`` if ``found`` came from its own notes.

    Raises BadInput when the take holds no note or nothing is left to write."""
    if not take.notes:
        raise BadInput("Nothing was played in that take, so there is nothing to write. The take is kept.")
    settings = choices.settings
    meter = settings.meter or likely_meter(take, found)
    settings = replace(settings, meter=meter)
    pulses = beats_chosen(found, settings.bars, choices)
    ornaments = choices.pins.ornaments
    pins = replace(choices.pins, left_out=choices.pins.left_out | outside(take, choices.extent))
    none = Decisions(left_out=pins.left_out, ornaments=ornaments)
    decided = frozenset(ornaments.items())
    found_open = _written(take, pulses, settings, centred, decided, _key_of(none))
    result = _written(take, pulses, settings, centred, decided, _key_of(pins))
    if choices.size > 0:
        found_open, result = held_on(found_open, none), held_on(result, pins)
    for passage in choices.passages:
        own = replace(passage.settings, meter=meter, key=found_open.key, swing=share_of(found_open))
        decided = frozenset(found_open.signs.items())
        first, after = part_around(take, passage.events)
        part = replace(take, notes=take.notes[first:after])
        decided = frozenset((e - first, sign) for e, sign in decided if first <= e < after)
        fresh, fresh_open = (
            moved_by(_written(part, pulses, own, centred, decided, _key_of(part_of(p, first, after))), first)
            for p in (pins, none)
        )
        result = joined_readings(result, fresh, passage.events, settings.voices)
        doubts = [*(d for d in found_open.doubts if not passage.events & set(d.events))]
        doubts += [d for d in fresh_open.doubts if set(d.events) <= passage.events]
        found_open = replace(found_open, doubts=tuple(sorted(doubts, key=lambda d: d.tick)))
    return ChosenReading(found_open, result)


def share_of(result: ReadingResult) -> float:
    """The swing that a part of a take is read with: that of all of it."""
    return result.swing / 1000 if result.swing else EVEN


def held_on(result: ReadingResult, pins: Decisions) -> ReadingResult:
    """A reading in doubled values, its last notes as long as they sounded.

    No usual value is so long, and no onset follows that would say it.
    """
    last = max(n.tick for n in result.notes)

    def held(n: ReadNote) -> ReadNote:
        sounded = n.played[1] if n.played else 0
        if n.tick < last or n.event in pins.values or sounded < HELD_ON * n.ticks:
            return n
        return replace(n, ticks=min(HELD_LENGTHS, key=lambda ticks: abs(math.log(sounded / (0.95 * ticks)))))

    return replace(result, notes=tuple(map(held, result.notes)))


def part_around(take: Take, events: Collection[int]) -> tuple[int, int]:
    """The stretch of a take (first note, after the last) that is read for some of its notes.

    They and their neighbours.
    """
    return max(min(events) - NEIGHBOURS, 0), min(max(events) + 1 + NEIGHBOURS, len(take.notes))


def part_of(pins: Decisions, first: int, after: int) -> Decisions:
    """The decisions of a stretch of a take, counted from its beginning."""

    def local(mine: Mapping[int, int]) -> dict[int, int]:
        return {e - first: v for e, v in mine.items() if first <= e < after}

    left_out = frozenset(e - first for e in pins.left_out if first <= e < after)
    signs = {e - first: sign for e, sign in pins.ornaments.items() if first <= e < after}
    return Decisions(local(pins.hands), local(pins.places), local(pins.values), left_out=left_out, ornaments=signs)


def moved_by(part: ReadingResult, events: int) -> ReadingResult:
    """The reading of a stretch of a take in events of the whole."""
    return replace(
        part,
        notes=tuple(replace(n, event=n.event + events) for n in part.notes),
        doubts=tuple(doubt_moved(d, events) for d in part.doubts),
    )


def doubt_moved(doubt: Doubt, by: int) -> Doubt:
    """A doubt of a stretch of a take in events of the whole."""

    def whole(rows: tuple[tuple[int, int], ...]) -> tuple[tuple[int, int], ...]:
        return tuple((e + by, v) for e, v in rows)

    rivals = tuple(
        replace(r, places=whole(r.places), values=whole(r.values), hands=whole(r.hands)) for r in doubt.rivals
    )
    return replace(doubt, events=tuple(e + by for e in doubt.events), rivals=rivals)


def outside(take: Take, extent: tuple[int, int] | None) -> frozenset[int]:
    """The events that are struck outside a stretch of the take (microseconds)."""
    if extent is None:
        return frozenset()
    return frozenset(k for k, n in enumerate(take.notes) if not extent[0] <= n.onset_us <= extent[1])


def joined_readings(
    old: ReadingResult, fresh: ReadingResult, events: frozenset[int], voices: int | None
) -> ReadingResult:
    """``old`` with the notes of ``events`` as ``fresh`` has them.

    A note before the passage that was written up to an onset of it still ends there, so that no seam shows.
    """
    taken = {n.event: n for n in fresh.notes if n.event in events}
    onset_now = {n.tick: taken[n.event].tick for n in old.notes if n.event in taken}
    notes: list[ReadNote] = []
    for n in old.notes:
        if n.event in taken:
            notes.append(taken[n.event])
        elif (end := onset_now.get(n.tick + n.ticks)) is not None and end > n.tick:
            notes.append(replace(n, ticks=end - n.tick))
        else:
            notes.append(n)
    return replace(old, notes=tuple(with_voices(sorted(notes, key=lambda n: (n.tick, n.pitch.midi)), voices)))


# --- decisions ------------------------------------------------------------------------------


def pins_from_page(
    choices: ReadingOptions, written: ReadingResult, page: Iterable[Note], start: int, one_staff: bool
) -> ReadingOptions:
    """The choices with everything that was put right on the page pinned.

    Notes of the take whose place, length or hand differ from what the reading wrote, and those that were deleted.
    Notes that were split stay out of it: they are left alone.
    """
    by_event: dict[int, list[Note]] = {}
    for note in page:
        if note.event is not None:
            by_event.setdefault(note.event, []).append(note)
    pins = choices.pins
    places, values, hands = dict(pins.places), dict(pins.values), dict(pins.hands)
    gone = set(pins.left_out)
    for n in written.notes:
        here = by_event.get(n.event, [])
        if not here and n.tick + start >= 0 and choices.where.holds(n.tick):
            gone.add(n.event)
        if len(here) != 1:
            continue
        note = here[0]
        if note.tick - start != n.tick:
            places[n.event] = note.tick - start
        if note.ticks != n.ticks:
            values[n.event] = note.ticks
        if not one_staff and note.staff != n.hand:
            hands[n.event] = note.staff
    return replace(choices, pins=replace(pins, places=places, values=values, hands=hands, left_out=frozenset(gone)))


def choose_rival(choices: ReadingOptions, doubt: Doubt, option: int) -> ReadingOptions:
    """Decide a doubt: option 0 is the reading as it was found, 1 .. the rivals."""
    if not 0 <= option <= len(doubt.rivals):
        raise BadInput("That doubt has no such rival.")
    events = set(doubt.events)
    pins = choices.pins
    places, values, hands = (
        {e: v for e, v in mapping.items() if e not in events} for mapping in (pins.places, pins.values, pins.hands)
    )
    if option:
        rival = doubt.rivals[option - 1]
        places.update(rival.places)
        values.update(rival.values)
        hands.update(rival.hands)
    return replace(choices, pins=replace(pins, places=places, values=values, hands=hands))


def option_chosen(choices: ReadingOptions, doubt: Doubt) -> int | None:
    """Which option of a doubt the pins say.

    0 the reading itself, 1 .. its rivals, None something of the person's own.
    """
    events = set(doubt.events)
    pins = choices.pins
    mine = tuple({e: v for e, v in m.items() if e in events} for m in (pins.places, pins.values, pins.hands))
    for k, option in enumerate(
        [({}, {}, {}), *((dict(r.places), dict(r.values), dict(r.hands)) for r in doubt.rivals)]
    ):
        if mine == option:
            return k
    return None


def choose_ornament(choices: ReadingOptions, ornament: Ornament, *, written: bool) -> ReadingOptions:
    """Write an ornament as such, or its notes one by one."""
    decided = {**choices.pins.ornaments, ornament.events[0]: written}
    return replace(choices, pins=replace(choices.pins, ornaments=decided))


def settle(choices: ReadingOptions, events: Iterable[int]) -> ReadingOptions:
    """The doubts of these events have been looked through."""
    return replace(choices, settled=choices.settled | frozenset(events))
