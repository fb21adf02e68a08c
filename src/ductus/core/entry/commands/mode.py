"""Commands that choose how entry works: way, when, policy, hands, harmony and the options of the ways."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, ClassVar, Literal

from ductus.core.entry.commands.base import PEN_UP, Choose, EntryCommand
from ductus.core.entry.commands.pen import finished_first
from ductus.core.entry.events import KeyDown, KeyUp
from ductus.core.entry.modes.base import gathered, let_go
from ductus.core.entry.modes.registry import WAY_WORDS
from ductus.core.entry.state import EntryState, Outcome, evolved
from ductus.core.entry.writing.step import dropped_words
from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.pitch.chord_symbols import name_chord, parse_chord
from ductus.core.pitch.pitches import pitch_words, spell_in_key
from ductus.core.score.catalogues.drums import DRUMS, HIGHEST, LOWEST
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark


@dataclass(frozen=True, slots=True)
class WhenWritten(Choose):
    """When a step is written."""

    when: Literal["all up", "stroke", "advance"] | None = None
    name: Literal["when"] = "when"
    FIELD: ClassVar[str] = "when"
    WORDS: ClassVar[dict[str, str]] = {
        "all up": "A step is written when you let go",
        "stroke": "A step is written at the stroke",
        "advance": "A step is written when you advance",
    }

    def chosen(self) -> str | None:
        """See Choose."""
        return self.when


@dataclass(frozen=True, slots=True)
class PolicyTo(Choose):
    """What happens to notes already there."""

    policy: Literal["replace", "add", "keep"] | None = None
    name: Literal["policy"] = "policy"
    FIELD: ClassVar[str] = "policy"
    WORDS: ClassVar[dict[str, str]] = {
        "replace": "New notes replace what is there",
        "add": "New notes are added to what is there",
        "keep": "What is there stays; the pen goes to the next silence",
    }

    def chosen(self) -> str | None:
        """See Choose."""
        return self.policy


@dataclass(frozen=True, slots=True)
class HoldToHarmony(Choose):
    """Keys are free, or held to the chord symbol, to chord and key, or to the scale."""

    harmony: Literal["off", "chord", "key", "scale"] | None = None
    name: Literal["harmony"] = "harmony"
    FIELD: ClassVar[str] = "harmony"
    WORDS: ClassVar[dict[str, str]] = {
        "off": "Keys are free",
        "chord": "Keys become the nearest chord tone",
        "key": "Keys become the nearest chord or key tone",
        "scale": "Keys become the nearest tone of the scale",
    }

    def chosen(self) -> str | None:
        """See Choose."""
        return self.harmony


@dataclass(frozen=True, slots=True)
class SwitchHarmony(EntryCommand):
    """The constraint of harmony off, or on again as it was: for comparing."""

    name: Literal["switch-harmony"] = "switch-harmony"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        if state.harmony == "off":
            return Outcome(evolved(state, harmony=state.harmony_kept), say=HoldToHarmony.WORDS[state.harmony_kept])
        return Outcome(evolved(state, harmony="off", harmony_kept=state.harmony), say=HoldToHarmony.WORDS["off"])


@dataclass(frozen=True, slots=True)
class ChordsByKeys(EntryCommand):
    """Chords that are played are written as their symbols, one after the other, the pen going on by its step; or no
    longer (None: the other of the two).
    """

    on: bool | None = None
    name: Literal["chords-by-keys"] = "chords-by-keys"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        on = not state.naming_chord if self.on is None else self.on
        say = "Play a chord: its symbol is written at the pen" if on else "Keys write notes again"
        return Outcome(evolved(state.fresh(), naming_chord=on), say=say)


def chord_named(state: EntryState, event: KeyDown | KeyUp, piece: Piece) -> Outcome:
    """A key of a chord that is to be named: once all are up its symbol stands at the pen, and the pen goes on."""
    if isinstance(event, KeyDown):
        return Outcome(evolved(state, held=gathered(state.held, event)))
    held = let_go(state.held, event.key)
    if any(h.is_down for h in held) or not held:
        return Outcome(evolved(state, held=held))
    fifths = piece.key_at(piece.timeline.bar_at(state.tick).index).fifths
    text = name_chord((h.key for h in held), flats=fifths < 0)
    if text is None:
        return Outcome(evolved(state, held=()), say="That chord has no name that Ductus knows; nothing was written")
    written = ChordSymbol(text).run(state, piece, 0)
    return Outcome(evolved(state, held=(), tick=state.tick + state.step.ticks), written.change, written.say)


@dataclass(frozen=True, slots=True)
class OverWhat(Choose):
    """What a chord played over a written one replaces."""

    over: Literal["pitch", "velocity", "both", "beside"] | None = None
    name: Literal["over"] = "over"
    FIELD: ClassVar[str] = "over"
    WORDS: ClassVar[dict[str, str]] = {
        "pitch": "Keys replace pitches",
        "velocity": "Keys replace velocities",
        "both": "Keys replace pitches and velocities",
        "beside": "Keys add notes beside those written",
    }

    def chosen(self) -> str | None:
        """See Choose."""
        return self.over


@dataclass(frozen=True, slots=True)
class PulseUntil(Choose):
    """How long a tune note of the pulse hand lasts."""

    until: Literal["next", "release"] | None = None
    name: Literal["pulse-until"] = "pulse-until"
    FIELD: ClassVar[str] = "pulse_until"
    WORDS: ClassVar[dict[str, str]] = {
        "next": "A note lasts until the next",
        "release": "A note lasts until it is let go",
    }

    def chosen(self) -> str | None:
        """See Choose."""
        return self.until


@dataclass(frozen=True, slots=True)
class GreyKeys(Choose):
    """What becomes of a key let go before the tap."""

    grey: Literal["drop", "write"] | None = None
    name: Literal["grey"] = "grey"
    FIELD: ClassVar[str] = "foot_grey"
    WORDS: ClassVar[dict[str, str]] = {
        "drop": "A key let go before the tap is not written",
        "write": "A key let go before the tap is written",
    }

    def chosen(self) -> str | None:
        """See Choose."""
        return self.grey


@dataclass(frozen=True, slots=True)
class RhythmBy(Choose):
    """In "rhythm first": any key writes the step value, or a rhythm is struck in time."""

    by: Literal["step", "time"] | None = None
    name: Literal["rhythm-by"] = "rhythm-by"
    FIELD: ClassVar[str] = "rhythm_by"
    WORDS: ClassVar[dict[str, str]] = {
        "step": "Any key writes the step value",
        "time": "The rhythm is struck in time on any one key",
    }

    def chosen(self) -> str | None:
        """See Choose."""
        return self.by


@dataclass(frozen=True, slots=True)
class ClicksDo(Choose):
    """What a click on a staff does."""

    clicks: Literal["place", "write"] | None = None
    name: Literal["clicks"] = "clicks"
    FIELD: ClassVar[str] = "clicks"
    WORDS: ClassVar[dict[str, str]] = {
        "place": "A click on a staff places the pen",
        "write": "A click on a staff writes a note there",
    }

    def chosen(self) -> str | None:
        """See Choose."""
        return self.clicks


@dataclass(frozen=True, slots=True)
class KitBy(Choose):
    """What keys mean on a kit: drums by the map, or by where the key would stand on the staff."""

    by: Literal["map", "place"] | None = None
    name: Literal["kit-by"] = "kit-by"
    FIELD: ClassVar[str] = "kit_by"
    WORDS: ClassVar[dict[str, str]] = {
        "map": "Keys mean drums by the map",
        "place": "Keys mean the drums at their places on the staff",
    }

    def chosen(self) -> str | None:
        """See Choose."""
        return self.by


@dataclass(frozen=True, slots=True)
class NameDrum(EntryCommand):
    """The next key or pad that is struck means this drum from now on (None: the usual map again)."""

    drum: Annotated[int, Ge(LOWEST), Le(HIGHEST)] | None = None
    key: Annotated[int, Ge(0), Le(127)] | None = None
    name: Literal["name-drum"] = "name-drum"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        part = piece.part(state.part)
        if not part.percussion:
            raise BadInput("Only a kit has drums: put the pen on a percussion part first. Nothing was changed.")
        draft, named = Draft(piece), evolved(state, naming_drum=None, held=())
        if self.drum is None:
            draft.put(replace(part, kit=()))
            return Outcome(named, draft.change("Keys mean drums as in General MIDI") or None, "The usual map again")
        label = DRUMS[self.drum].label
        if self.key is None:
            return Outcome(evolved(state, naming_drum=self.drum), say=f"Now strike the key or pad for the {label}")
        others = dict(part.kit) | {self.key: self.drum}
        draft.put(replace(part, kit=tuple(sorted((k, d) for k, d in others.items() if k != d))))
        say = f"Key {self.key} means the {label} now"
        return Outcome(named, draft.change(say) or None, say)


@dataclass(frozen=True, slots=True)
class RepeatHeld(EntryCommand):
    """In walking entry: keys that are held are struck again at each step, or sound on (None: the other of the two)."""

    on: bool | None = None
    name: Literal["repeats"] = "repeats"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        on = not state.repeats if self.on is None else self.on
        say = "Held keys are struck again at each step" if on else "Held keys sound on"
        return Outcome(evolved(state, repeats=on), say=say)


@dataclass(frozen=True, slots=True)
class DivideHands(EntryCommand):
    """Into which staves keys go: all into the pen's "one", or divided between both by "reach" or at a "split" (its
    lowest key of the right hand), as recording divides them.
    """

    hands: Literal["one", "reach", "split"] | None = None
    split: Annotated[int, Ge(0), Le(127)] | None = None
    name: Literal["hands"] = "hands"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        hands = self.hands or ("reach" if state.hands == "one" else "one")
        split = state.split if self.split is None else self.split
        words = {
            "one": "All keys go into the pen's staff",
            "reach": "Keys are divided between the staves by reach",
            "split": f"Keys from {pitch_words(spell_in_key(split, 0))} up go to the right hand",
        }
        say = words[hands]
        if hands != "one" and piece.part(state.part).staves < 2:
            say += "; this part has one staff, which takes all"
        return Outcome(evolved(state, held=(), hands=hands, split=split), say=say)


@dataclass(frozen=True, slots=True)
class WayTo(EntryCommand):
    """Change the way of working; what is half done is finished first. Where this pass began stays."""

    way: Literal["step", "pulse", "rhythm", "over", "beat", "foot", "walk"]
    name: Literal["way"] = "way"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        finished = finished_first(state, piece)
        left = dropped_words(piece, finished.state)
        after = evolved(finished.state.fresh(), way=self.way, way_start=finished.state.tick)
        return Outcome(after, finished.change, left + WAY_WORDS[self.way])


@dataclass(frozen=True, slots=True)
class BeginPitches(EntryCommand):
    """The second half of "rhythm first": pitches over what was written, from where the pass began."""

    name: Literal["pitches"] = "pitches"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        finished = finished_first(state, piece)
        after = evolved(finished.state.fresh(), way="over", over="pitch", tick=state.way_start)
        return Outcome(after, finished.change, f"Now the pitches, from {piece.timeline.place_words(state.way_start)}")


@dataclass(frozen=True, slots=True)
class PenAdvances(EntryCommand):
    """Let the pen move on after each step, or stay (None: the other of the two)."""

    on: bool | None = None
    name: Literal["advances"] = "advances"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        on = not state.advances if self.on is None else self.on
        say = "The pen moves on after each step" if on else "The pen stays after each step"
        return Outcome(evolved(state, advances=on), say=say)


@dataclass(frozen=True, slots=True)
class GraceNext(EntryCommand):
    """The next key is a grace note of the note after it and takes no time.

    ``latch``: all keys, until it is given again.
    """

    latch: bool = False
    name: Literal["grace"] = "grace"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        if not state.down:
            return Outcome(state, say=PEN_UP)
        if state.grace:
            return Outcome(evolved(state, grace=""), say="The next key is a note again")
        words = "Keys are grace notes until this is pressed again" if self.latch else "The next key is a grace note"
        return Outcome(evolved(state, grace="latched" if self.latch else "next"), say=words)


@dataclass(frozen=True, slots=True)
class BrushedKeys(EntryCommand):
    """A key brushed just before another one of its step is a grace note, or a note of the chord (None.

    The other of the two).
    """

    on: bool | None = None
    name: Literal["brushed"] = "brushed"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        on = not state.brushed if self.on is None else self.on
        what = "becomes a grace note" if on else "is a note of the chord"
        return Outcome(evolved(state, brushed=on), say=f"A key brushed just before another {what}")


@dataclass(frozen=True, slots=True)
class PulseKey(EntryCommand):
    """The MIDI key that beats the pulse, or none; ``listen``: the next key that is struck."""

    key: Annotated[int, Ge(0), Le(127)] | None = None
    listen: bool = False
    name: Literal["pulse-key"] = "pulse-key"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        if self.listen:
            return Outcome(evolved(state, naming_pulse=True), say="Now play the key that is to beat the pulse")
        held = tuple(h for h in state.held if h.key != self.key)  # it may have been struck before it was chosen
        state = evolved(state, pulse_key=self.key, naming_pulse=False, held=held)
        if self.key is None:
            return Outcome(state, say="No key of the instrument beats the pulse")
        return Outcome(state, say=f"{pitch_words(spell_in_key(self.key, 0))} beats the pulse")


@dataclass(frozen=True, slots=True)
class WalkRate(EntryCommand):
    """Steps a minute of walking entry."""

    rate: Annotated[int, Ge(20), Le(300)]
    name: Literal["walk-rate"] = "walk-rate"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        return Outcome(evolved(state, walk_us=60_000_000 // self.rate), say=f"{self.rate} steps a minute")


@dataclass(frozen=True, slots=True)
class ChordSymbol(EntryCommand):
    """Write a chord symbol at the pen ("Bbm7"), or remove it ("")."""

    text: Annotated[str, MaxLen(20)] = ""
    name: Literal["chord-symbol"] = "chord-symbol"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        draft = Draft(piece)
        for mark in piece.marks_in_bar(state.part, piece.timeline.bar_at(state.tick).index):
            if mark.kind == "chord" and mark.tick == state.tick:
                draft.drop(mark)
        text = self.text.strip()
        if text:
            parse_chord(text)
            draft.put(Mark(draft.new_id("m"), "chord", state.part, 1, 1, state.tick, 0, text))
        place = piece.timeline.place_words(state.tick)
        say = f"{text} over {place}" if text else f"No chord symbol at {place}"
        return Outcome(state, draft.change(say) or None, say)
