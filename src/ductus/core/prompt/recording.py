"""The line of a recording: where it goes, what is heard, at which tempo, and what it does to what is there."""

from __future__ import annotations

from typing import Literal

from ductus.core.entry.commands.pen import PlacePen
from ductus.core.entry.state import EntryState
from ductus.core.phrases import Choice, Phrase, plain
from ductus.core.pitch.pitches import spell_in_key
from ductus.core.playback.click import AsWritten, OneTempo, TempoChoice
from ductus.core.recording.settings import (
    Hands,
    RecordChoices,
    RecordClick,
    RecordCountIn,
    RecordHands,
    RecordHear,
    RecordInPlace,
    RecordPolicy,
    RecordShortest,
    RecordTempo,
    RecordUntil,
    Value,
)
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import TempoMark
from ductus.core.score.note_edits.sounding import QuantizeInPlace
from ductus.core.time.note_values import describe_value
from ductus.core.words import count_words

SPLITS = (48, 50, 52, 53, 55, 57, 59, 60, 62, 64, 65, 67)
SHORTEST: tuple[Value, ...] = ("quarter", "eighth", "16th", "32nd", "64th")
PERCENTS = (50, 60, 70, 80, 90, 110, 120)
SPANS = (1, 2, 4, 8, 16)
ClickKind = Literal["steady", "bends", "none"]
CLICK: dict[ClickKind, tuple[str, str]] = {
    "steady": ("with the click", "with the click"),
    "bends": ("with a click that goes with you", "with a click that goes with the player"),
    "none": ("freely, without a click", "freely: the beats are found afterwards"),
}
HANDS: dict[Hands, str] = {
    "reach": "split between the hands",
    "split": "both hands, split at a key",
    "right": "right hand",
    "left": "left hand",
}
HEARD = {
    (True, True): "the score playing along",
    (True, False): "the bars before it played",
    (False, True): "the other music playing along",
    (False, False): "nothing playing along",
}
HEARD_LABELS = {
    (True, True): "everything that is written: the bars before it in the count-in, and the other staves and parts",
    (True, False): "the bars before it, in the count-in",
    (False, True): "the other staves and parts, while it goes on",
    (False, False): "nothing but the click",
}


def recording_sentence(choices: RecordChoices, state: EntryState, piece: Piece, late_us: int = 0) -> tuple[Phrase, ...]:
    """The line as phrases, in order; ``late_us`` is what the delay test found."""
    bar = piece.timeline.bar_at(state.tick)
    place = piece.timeline.bar_words(bar.index)
    parts = tuple(Choice(p.name.lower(), PlacePen(p.id, 1), p.id == state.part) for p in piece.ordered_parts())
    head = (
        Phrase("Record", "way of working"),
        plain(" into "),
        Phrase(piece.part(state.part).name.lower(), "part", parts),
        *_hands(choices, state, piece),
        plain(", from "),
        Phrase(place, "place", form="place"),
        *_until(choices, piece, bar.index),
        plain(", "),
        _click(choices),
    )
    shortest = Phrase(
        choices.shortest if choices.shortest else "as played",
        "shortest value",
        (
            Choice("as played", RecordShortest(None), choices.shortest is None),
            *(Choice(v, RecordShortest(v), v == choices.shortest) for v in SHORTEST),
        ),
    )
    policy = Phrase(
        "replaces" if choices.policy == "replace" else "is added to",
        "replace or add",
        (
            Choice("it replaces what is there", RecordPolicy("replace"), choices.policy == "replace"),
            Choice("it is added to what is there", RecordPolicy("add"), choices.policy == "add"),
        ),
    )
    late = (plain(f" ({abs(late_us) / 1000:.0f} ms {'earlier' if late_us > 0 else 'later'} than it arrives)"),)
    tail = (
        plain(", shortest note: "),
        shortest,
        *(late if late_us and choices.click else ()),
        plain("; it "),
        policy,
        plain(" what is there"),
    )
    timed = (*_start(choices), *_tempo(choices, piece, bar.start), *_heard(choices)) if choices.click else ()
    held = (plain(f"; snapped to {HARMONY[state.harmony]}"),) if state.harmony != "off" else ()
    return (*head, *timed, *tail, *held, *_in_place(choices))


def _click(choices: RecordChoices) -> Phrase:
    now: ClickKind = ("bends" if choices.bends else "steady") if choices.click else "none"
    return Phrase(CLICK[now][0], "click", tuple(Choice(CLICK[k][1], RecordClick(k), k == now) for k in CLICK))


def _hands(choices: RecordChoices, state: EntryState, piece: Piece) -> tuple[Phrase, ...]:
    if piece.part(state.part).staves == 1:
        return ()
    options = tuple(Choice(label, RecordHands(h, choices.split), h == choices.hands) for h, label in HANDS.items())
    one = choices.hands in ("right", "left") and state.voice > 1
    words = HANDS[choices.hands].partition(",")[0] + (f", voice {state.voice}" if one else "")
    hands = Phrase(words, "hands", options)
    if choices.hands != "split":
        return (plain(", "), hands)
    splits = tuple(
        Choice(f"{spell_in_key(k, 0)} and above to the right hand", RecordHands("split", k), k == choices.split)
        for k in SPLITS
    )
    return (plain(", "), hands, plain(" split at "), Phrase(str(spell_in_key(choices.split, 0)), "split point", splits))


def _until(choices: RecordChoices, piece: Piece, bar: int) -> tuple[Phrase, ...]:
    number = piece.timeline.number_of
    until = None if choices.until is None or choices.until < bar else choices.until
    ends = sorted({bar + n - 1 for n in SPANS} | ({until} if until is not None else set()))
    once = until is not None and not choices.round
    options = (
        Choice("as long as you play", RecordUntil(None), until is None),
        *(Choice(f"to the end of bar {number(b)}", RecordUntil(b), once and b == until) for b in ends),
        *(
            Choice(f"to bar {number(b)}, round and round", RecordUntil(b, True), choices.round and b == until)
            for b in ends
        ),
    )
    words = "on" if until is None else f"to bar {number(until)}" + (", round and round" if choices.round else "")
    return (plain(" "), Phrase(words, "span", options, form="until"))


def _start(choices: RecordChoices) -> tuple[Phrase, ...]:
    counted = None if choices.first_key else choices.count_in
    options = (
        *(
            Choice(f"{count_words(n, 'bar')} of count-in", RecordCountIn(n), n == counted) for n in range(5)
        ),
        Choice("at once with the first key", RecordCountIn(None), choices.first_key),
    )  # fmt: skip
    if choices.first_key:
        return (plain(" "), Phrase("from the first key on", "count-in", options))
    return (plain(" after "), Phrase(count_words(choices.count_in, "bar"), "count-in", options), plain(" of count-in"))


def _tempo(choices: RecordChoices, piece: Piece, tick: int) -> tuple[Phrase, ...]:
    options = (
        Choice("at the written tempo and its changes", RecordTempo(AsWritten()), choices.tempo == AsWritten()),
        *(
            Choice(f"at {p} % of the written tempo", RecordTempo(AsWritten(p)), choices.tempo == AsWritten(p))
            for p in PERCENTS
        ),
    )
    words = tempo_choice_words(choices.tempo, piece, tick)
    return (plain(" "), Phrase(words, "tempo of the take", options, form="tempo"))


def tempo_choice_words(tempo: TempoChoice, piece: Piece, tick: int) -> str:
    """Which tempo holds, in words: "at the written tempo, ♩ = 96", "at 70 % of it, ♩ = 67.2", "at one tempo, ♩ =
    80".
    """
    mark = piece.tempo_at(tick)
    changes = any(t.tick > tick and t.quarters_per_minute != mark.quarters_per_minute for t in piece.tempi.values())
    if isinstance(tempo, OneTempo):
        bpm = tempo.qpm * mark.bpm / mark.quarters_per_minute
        return f"at one tempo, {beat_sign(mark)} = {bpm:.4g}"
    now = f"{beat_sign(mark)} = {mark.bpm * tempo.percent / 100:.4g}"
    if tempo.percent != 100:
        return f"at {tempo.percent:g} % of the written {'tempi' if changes else 'tempo'}, {now}"
    return f"at the written {'tempi, from' if changes else 'tempo,'} {now}"


def beat_sign(mark: TempoMark) -> str:
    """The beat of a tempo mark as a sign: "♩", "♩.", or in words where there is no sign for it."""
    sign = {"quarter": "♩", "eighth": "♪"}.get(mark.beat.base)
    return sign + "." * mark.beat.dots if sign else describe_value(mark.beat)


HARMONY = {"chord": "chord tones", "key": "chord and key tones", "scale": "tones of the scale"}
IN_PLACE = (QuantizeInPlace(far=60), QuantizeInPlace(), QuantizeInPlace(grid="eighth", kind="triplet"))


def _in_place(choices: RecordChoices) -> tuple[Phrase, ...]:
    now = choices.in_place
    ready = [*IN_PLACE, *([now] if now is not None and now not in IN_PLACE else [])]
    options = (
        Choice("as they are written", RecordInPlace(None), now is None),
        *(Choice(f"quantized in place: {how.words}", RecordInPlace(how), how == now) for how in ready),
    )
    words = "as written" if now is None else f"with {now.words}"
    return (plain("; it sounds "), Phrase(words, "quantized as it arrives", options), plain("."))


def _heard(choices: RecordChoices) -> tuple[Phrase, ...]:
    options = tuple(Choice(HEARD_LABELS[k], RecordHear(*k), k == (choices.before, choices.others)) for k in HEARD)
    return (plain(", with "), Phrase(HEARD[choices.before, choices.others], "what is heard", options))
