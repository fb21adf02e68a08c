"""Writing a chord or a rest at the pen: what all ways of entry share.

Spelling, the constraint of harmony, touch, the three policies, spans, brackets and the words to announce are decided
here and nowhere else, so that every way obeys them.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from ductus.core.entry.state import EntryState, Held, Outcome, Step, StepValue, evolved
from ductus.core.entry.writing.hand_split import divides, hands_of
from ductus.core.entry.writing.spelling import correct_last, spelled_at
from ductus.core.pitch.chord_symbols import nearest_allowed
from ductus.core.pitch.pitches import Pitch
from ductus.core.score.catalogues.drums import DRUMS, FEET, HANDS, drum_by_place, drum_of, drum_pitch, sound_words
from ductus.core.score.catalogues.harmony import classes_at
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.tuplet_slots import Slot, slot_at, value_within
from ductus.core.score.note_edits.write import (
    Placed,
    Strike,
    clear_brackets,
    clear_span,
    clear_strangers,
    mark_tuplet,
    place_chord,
)
from ductus.core.time.note_values import value_for_ticks
from ductus.core.words import capital, count_words, listed


def spell(piece: Piece, state: EntryState, key: int) -> Pitch:
    """Spell a played key at the pen as if it were struck alone; held to harmony if asked."""
    return spelled(piece, state, [key])[key]


def spelled(piece: Piece, state: EntryState, keys: Iterable[int]) -> dict[int, Pitch]:
    """Spell keys that are struck together at the pen, each as the key that will be written for it.

    Held to harmony if asked.
    """
    written = {key: heard_as(piece, state, key) for key in keys}
    if piece.part(state.part).percussion:
        return {key: drum_pitch(drum) for key, drum in written.items()}
    struck = sorted(set(written.values()))
    pitches = dict(zip(struck, spelled_at(piece, state.line, state.tick, struck), strict=True))
    return {key: pitches[heard] for key, heard in written.items()}


def last_note(piece: Piece, state: EntryState) -> Note | None:
    """The top note just before the pen in its voice."""
    if not state.tick:
        return None
    return max(piece.line_between(state.line, state.tick - 1, state.tick), key=lambda n: n.pitch.midi, default=None)


def classes_at_pen(piece: Piece, state: EntryState) -> frozenset[int] | None:
    """Pitch classes that the constraint allows at the pen; None when it is off or nothing is known there."""
    return classes_at(piece, state.tick, state.harmony)


def heard_as(piece: Piece, state: EntryState, key: int) -> int:
    """The key that will be written for a played one.

    Fixed, the drum it means on a kit, or the nearest that harmony allows.
    """
    if state.touch.pitch is not None:
        return state.touch.pitch
    part = piece.part(state.part)
    if part.percussion:
        drum = drum_by_place(key) if state.kit_by == "place" else drum_of(part, key)
        return drum.key if drum else key
    classes = classes_at_pen(piece, state)
    return key if classes is None else nearest_allowed(key, classes)


def strikes_of(piece: Piece, state: EntryState, held: Iterable[Held]) -> list[Strike]:
    """Keys as notes to be written, from low to high, each pitch once."""
    found: dict[int, Strike] = {}
    held = sorted(held, key=lambda h: h.key)
    pitches = spelled(piece, state, [h.key for h in held])
    for h in held:
        pitch = pitches[h.key]
        found.setdefault(pitch.midi, Strike(pitch, state.touch.velocity or h.velocity))
    return list(found.values())


def write_step(state: EntryState, piece: Piece) -> Outcome:
    """Write the keys gathered (none: a rest) at the pen and move it on by the step."""
    full = span_is_full(state)
    if full is not None:
        return full
    state, clipped = with_room(piece, state)
    strikes = strikes_of(piece, state, state.held)
    draft = Draft(piece)
    placed = put_step(draft, state, state.tick, state.step.ticks, strikes)
    say = step_words(piece, state, placed, strikes) + clipped
    end = placed.tick + state.step.ticks
    after = moved_on(state, placed.tick, placed.ids, placed.slot)
    left = f"; {placed.slot.left_words(end)}" if placed.slot is not None and end < placed.slot.end else ""
    return Outcome(after, draft.change(capital(say)), say + left + turn_words(after, end))


def open_slot(piece: Piece, state: EntryState) -> Slot | None:
    """The tuplet that the pen stands inside of, begun and not at its end."""
    marks = [m for m in piece.marks_in_bar(state.part, piece.timeline.bar_at(state.tick).index) if m.kind == "tuplet"]
    slot = slot_at([m for m in marks if (m.staff, m.voice) == (state.staff, state.voice)], state.tick)
    return slot if slot is not None and slot.start < state.tick else None


def within_slot(piece: Piece, state: EntryState) -> tuple[EntryState, str]:
    """The state with the value that a step has inside a tuplet.

    A plain value takes its ratio, and one that is longer than what is left ends with it (in words). The value comes
    back after the step.
    """
    slot = open_slot(piece, state)
    if slot is None or state.step.tuplet == slot.tuplet:
        return state, ""
    back = state.step_after if state.step_after is not None else state.step.after_step(False)
    step, left, clipped = state.step, slot.end - state.tick, ""
    ticks = int(step.ticks * slot.tuplet.scale) if step.tuplet is None else left
    if step.tuplet is not None or step.custom is not None or ticks > left or value_within(slot, ticks) is None:
        ticks, clipped = min(ticks, left), f"; it ends with the {slot.words}"
    value = value_within(slot, ticks)
    inside = StepValue(custom=ticks) if value is None else StepValue(value.base, value.dots, value.tuplet)
    return evolved(state, step=inside, step_after=back), clipped


def with_room(piece: Piece, state: EntryState) -> tuple[EntryState, str]:
    """The state with the value that a step has where the pen stands.

    Inside a tuplet, and inside a span that holds the pen; in words, where it is shorter than the step. The value
    comes back after the step.
    """
    state, clipped = within_slot(piece, state)
    span = state.span
    if span is None or span.then == "run on" or not state.tick < span.end < state.tick + state.step.ticks:
        return state, clipped
    back = state.step_after if state.step_after is not None else state.step.after_step(True)
    plain = value_for_ticks(span.end - state.tick)
    short = StepValue(custom=span.end - state.tick) if plain is None else StepValue(plain.base, plain.dots)
    return evolved(state, step=short, step_after=back), f"{clipped}; it ends with the span"


def rest_of_slot(piece: Piece, state: EntryState, hold: bool = False) -> Outcome:
    """What is left of the tuplet at the pen becomes a rest, or (``hold``) the note before it is held to its end; the
    pen goes behind it.
    """
    slot = open_slot(piece, state)
    if slot is None:
        return Outcome(state, say="No tuplet is open at the pen")
    draft = Draft(piece)
    left = slot.left_words(state.tick)
    before = [n for n in piece.line_between(state.line, state.tick - 1, state.tick) if n.tick >= slot.start]
    if state.policy == "replace" or hold:
        clear_span(draft, state.line, state.tick, slot.end)
    if hold:
        for note in before:
            draft.put(replace(note, ticks=slot.end - note.tick, sounds_ticks=None))
    steps = (*state.steps, Step(state.tick, slot.end - state.tick))
    say = f"{left}: {'the note before is held to its end' if hold else 'a rest'}"
    step = state.step if state.step.tuplet_latched else replace(state.step, tuplet=None)
    return Outcome(evolved(state, tick=slot.end, steps=steps, step=step, held=()), draft.change(capital(say)), say)


def span_is_full(state: EntryState) -> Outcome | None:
    """What follows where the pen stands at the end of a span that stops it; None anywhere else."""
    if state.span is None or state.tick < state.span.end or state.span.then != "stop":
        return None
    return Outcome(evolved(state, held=()), say="The span is full; the pen stays at its end")


def put_step(draft: Draft, state: EntryState, tick: int, step: int, strikes: Sequence[Strike]) -> Placed:
    """Write strikes at the pen: into its voice, or divided between both staves; the staff that gets none rests."""
    piece = draft.piece
    if piece.part(state.part).percussion:
        return put_strokes(draft, state, tick, step, strikes)
    if not divides(state, piece):
        return put_chord(draft, state, tick, step, strikes)
    hands = hands_of(piece, evolved(state, tick=tick), [s.pitch.midi for s in strikes])
    ids: list[str] = []
    placed = Placed(tick, (), 0, state.voice)
    duplicates, at, voice, respelled, broken = 0, tick, state.voice, "", 0
    for staff in (1, 2):
        mine = [s for s, hand in zip(strikes, hands, strict=True) if hand == staff]
        placed = put_chord(draft, evolved(state, staff=staff), at, step, mine)
        ids += placed.ids
        duplicates += placed.duplicates
        at, voice = placed.tick if mine else at, placed.voice if mine else voice
        respelled = " and ".join(filter(None, (respelled, placed.respelled)))
        broken += placed.broken
    return Placed(at, tuple(ids), duplicates, voice, respelled, broken, placed.slot)


def put_strokes(draft: Draft, state: EntryState, tick: int, step: int, strikes: Sequence[Strike]) -> Placed:
    """Write strokes of a kit: hands in voice 1, feet in voice 2.

    Only the voice that gets strokes is replaced, so that a bass drum stays under what the hands are given later; a
    rest clears both.
    """
    ids: list[str] = []
    duplicates, at = 0, tick
    for voice in (HANDS, FEET):
        mine = [s for s in strikes if DRUMS[s.pitch.midi].voice == voice]
        if mine or not strikes:
            placed = put_chord(draft, evolved(state, staff=1, voice=voice), at, step, mine)
            ids += placed.ids
            duplicates += placed.duplicates
            at = placed.tick if mine else at
    return Placed(at, tuple(ids), duplicates, state.voice)


def put_chord(draft: Draft, state: EntryState, tick: int, step: int, strikes: Sequence[Strike]) -> Placed:
    """Write strikes over [tick, tick + step) as the touch and the policy say, with the bracket of the step value."""
    ticks, sounds = state.touch.lengths(step) if strikes else (step, None)
    sounds = state.touch.varied(tick, ticks, sounds) if strikes else None
    placed = place_chord(
        draft,
        state.line,
        tick,
        step,
        strikes,
        state.policy,
        sounds_ticks=sounds,
        sounds_late=state.touch.late,
        written=ticks,
    )
    line = (state.part, state.staff, placed.voice)
    if state.step.tuplet is not None and state.step.custom is None:
        mark_tuplet(draft, line, placed.tick, state.step.value)
        broken = clear_strangers(draft, line, placed.tick, placed.tick + step) if state.policy == "replace" else 0
        slot = slot_at(
            draft.marks_between(line, "tuplet", placed.tick + step - 1, placed.tick + step), placed.tick + step - 1
        )
        placed = replace(placed, broken=broken, slot=slot)
    elif state.policy == "replace":
        placed = replace(placed, broken=clear_brackets(draft, line, placed.tick, step))
    if placed.ids and not draft.piece.part(state.part).percussion:
        respelled = correct_last(draft, state.line, last_ids(state), placed.tick, placed.ids)
        placed = replace(placed, respelled=respelled) if respelled else placed
    return placed


def last_ids(state: EntryState) -> tuple[str, ...]:
    """The notes of the last step of this pass."""
    if state.beating.sounding:
        return state.beating.sounding[-1].ids
    return state.steps[-1].ids if state.steps else ()


def step_words(piece: Piece, state: EntryState, placed: Placed, strikes: Sequence[Strike]) -> str:
    """What was written, for eyes and ears."""
    part = piece.part(state.part)
    what = " and ".join(sound_words(part, s.pitch) for s in strikes) if strikes else "rest"
    say = f"{what}, {state.step.words}, {piece.timeline.place_words(placed.tick)}"
    if placed.broken:
        say += (
            f"; {count_words(placed.broken, 'note')} of the tuplet that was there "
            f"{'is' if placed.broken == 1 else 'are'} gone"
        )
    if placed.respelled:
        say += f"; {placed.respelled}"
    if placed.duplicates:
        say += f"; {count_words(placed.duplicates, 'note')} there already"
    if strikes and placed.voice != state.voice:
        say += f"; in voice {placed.voice}, since voice {state.voice} is taken"
    return say


def pending_words(piece: Piece, state: EntryState, held: Sequence[Held]) -> str:
    """Keys that are gathered, in words."""
    part = piece.part(state.part)
    pitches = spelled(piece, state, [h.key for h in held])
    return listed([sound_words(part, pitches[key]) for key in sorted(pitches)])


def dropped_words(piece: Piece, state: EntryState) -> str:
    """What is said when a command takes the pen away from keys that were gathered: "C 4 and E 4 not written; "."""
    graces = f"{count_words(len(state.graces), 'grace note')} not written; " if state.graces else ""
    return graces + (f"{pending_words(piece, state, state.held)} not written; " if state.held and state.down else "")


def moved_on(state: EntryState, tick: int, ids: tuple[str, ...], slot: Slot | None = None) -> EntryState:
    """The state after a step was written at ``tick``: pen, step value and memory of the pass.

    ``slot`` is the tuplet that it stands in: an unlatched ratio goes when that is full.
    """
    end = tick + state.step.ticks
    full = slot is None or end >= slot.end
    step = state.step_after if state.step_after is not None else state.step.after_step(full)
    steps = (*state.steps, Step(state.tick, end - state.tick, ids))
    if not state.advances:
        end = state.tick
    elif state.span is not None and end >= state.span.end and state.span.then == "wrap":
        end = state.span.start
    elif state.span is not None and state.span.then == "stop":
        end = min(end, state.span.end)
    return evolved(state, tick=end, held=(), step=step, step_after=None, steps=steps)


def turn_words(after: EntryState, end: int) -> str:
    """What the span did with the pen, if anything."""
    if after.span is None or not after.advances or end < after.span.end:
        return ""
    return {"stop": "; the span is full", "wrap": "; back to the start of the span", "run on": ""}[after.span.then]
