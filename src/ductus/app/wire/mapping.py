"""A desk and its pen as facts: what is told of them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from functools import lru_cache

from ductus.app import wire as m
from ductus.app.document.desk import Desk
from ductus.app.document.sheet import SystemView
from ductus.app.document.sheets import View
from ductus.core.entry.machine import left_in_bar
from ductus.core.entry.state import EntryState
from ductus.core.entry.writing.step import classes_at_pen, spelled
from ductus.core.notation.clefs import clef_offer, other_hand_offer
from ductus.core.notation.drawn import drawn_at
from ductus.core.phrases import Phrase
from ductus.core.prompt.entry import next_key, sentence
from ductus.core.prompt.recording import recording_sentence
from ductus.core.prompt.selection import hand_of, key_of, pitch_of, value_of
from ductus.core.recording.settings import RecordChoices
from ductus.core.score.catalogues.drums import drum_by_place, drum_of, sound_words
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import bars_words, form_of
from ductus.core.score.model.records import Facts, Note, Part
from ductus.core.score.note_edits.positions import OtherHand
from ductus.core.score.structure_edits.parts import ClefFrom
from ductus.core.time.bars import beat_words
from ductus.core.time.ticks import shown_ticks
from ductus.core.words import capital, count_words, ordinal
from ductus.store.journal import CutOff, Stretch

MOST_STRETCHES = 60  # of the order of bars that a browser is told


def head_fact(facts: Facts) -> m.HeadFact:
    """The head of the page."""
    return m.HeadFact(
        facts.title,
        facts.subtitle,
        facts.composer,
        facts.arranger,
        facts.lyricist,
        facts.rights,
        facts.number,
        facts.cautions,
    )


def state_fact(desk: Desk, state: EntryState, view: View) -> m.StateFact:
    """What the header needs, seen from a pen in a window."""
    piece, history = desk.piece, desk.history
    tempo = piece.tempo_at(state.tick)
    return m.StateFact(
        revision=history.revision,
        undo=history.undo,
        redo=history.redo,
        facts=head_fact(piece.facts),
        parts=tuple(
            m.PartFact(
                p.id,
                p.name,
                p.staves,
                p.clefs,
                p.programme,
                p.id not in view.hidden,
                view.staff,
                p.percussion,
                p.level,
                p.pan,
            )
            for p in piece.ordered_parts()
        ),
        clefs=tuple(
            m.ClefFact(c.part, c.staff, c.tick, c.clef) for c in sorted(piece.clefs.values(), key=lambda c: c.tick)
        ),
        meter=str(piece.timeline.bar_at(state.tick).meter),
        beats_per_minute=tempo.bpm,
        quarters_per_minute=tempo.quarters_per_minute,
        beat_base=tempo.beat.base,
        beat_dots=tempo.beat.dots,
        tempo_text=tempo.text,
        read=tuple(sorted({r.take for r in piece.readings.values()})),
        form=tuple(m.FormFact(piece.timeline.bar(p.bar).start, capital(p.words)) for p in form_of(piece).problems),
        order=_order(piece),
    )


def _order(piece: Piece) -> tuple[m.StretchFact, ...]:
    """The stretches of a piece with repeats or jumps as they sound, the first MOST_STRETCHES of them."""
    order = form_of(piece).order
    if len(order) == 1:
        return ()
    times: Counter[int] = Counter()
    out = []
    for stretch in order[:MOST_STRETCHES]:
        times[stretch.first] += 1
        time = times[stretch.first]
        words = bars_words(piece, stretch.first, stretch.last) + (f", {ordinal(time)} time" if time > 1 else "")
        numbers = [str(piece.timeline.number_of(b) or "pick-up") for b in (stretch.first, stretch.last)]
        out.append(m.StretchFact(stretch.start, stretch.end, "–".join(dict.fromkeys(numbers)), words))
    return tuple(out)


def takes_fact(desk: Desk, cut_off: Iterable[CutOff], left: Iterable[Stretch]) -> m.TakesFact:
    """Takes, recordings that were cut off, and what was heard and not written."""
    return m.TakesFact(
        tuple(
            m.TakeFact(t.id, t.name, t.source, t.dropped, t.notes, t.length_us)  # type: ignore[arg-type]
            for t in desk.takes
        ),
        tuple(m.CutOffFact(c.id, c.notes, c.to_us - c.from_us) for c in cut_off if c.notes),
        tuple(m.HeardFact(h.from_us, h.to_us, h.notes) for h in left),
    )


def selection_fact(piece: Piece, ids: tuple[str, ...], notes: Sequence[Note]) -> m.SelectionFact:
    """Notes that are selected (and their ids), the bars they stand in, and what they share."""
    if not notes:
        return m.SelectionFact(ids, -1, -1)
    ticks = [n.tick for n in notes]
    first, last = (piece.timeline.bar_at(t).index for t in (min(ticks), max(ticks)))
    shared = (pitch_of(piece, notes), value_of(notes), key_of(piece, notes), hand_of(piece, notes))
    return m.SelectionFact(ids, first, last, *shared)


def sheet_fact(desk: Desk, view: View) -> m.SheetFact:
    """All systems of a view, and which of them are up to date."""
    sheet = desk.sheet_for(view)
    return m.SheetFact(
        tuple(m.SystemRef(s.bars.first, s.bars.last, None if s.dirty else s.key) for s in sheet.systems),
        view.size,
        sheet.leaves(),
    )


def system_fact(view: SystemView, leaves: tuple[int, ...]) -> m.SystemFact:
    """An engraved system."""
    return m.SystemFact(view.index, view.key, view.svg, view.first, view.last, view.bars, view.columns, leaves)


def phrase_facts(phrases: Iterable[Phrase]) -> tuple[m.PhraseFact, ...]:
    """Phrases of a line."""
    return tuple(
        m.PhraseFact(p.words, p.name, tuple(m.ChoiceFact(c.label, c.do, c.chosen) for c in p.choices), p.form)
        for p in phrases
    )


def pen_fact(desk: Desk, state: EntryState) -> m.PenFact:
    """The pen and the choices of the line."""
    piece = desk.piece
    part, bar = piece.part(state.part), piece.timeline.bar_at(state.tick)
    pitches = [pitch for _, pitch in sorted(spelled(piece, state, [h.key for h in state.held]).items())]
    step = state.step
    classes = classes_at_pen(piece, state)
    return m.PenFact(
        down=state.down,
        part=state.part,
        part_name=part.name,
        staff=state.staff,
        staves=part.staves,
        voice=state.voice,
        tick=state.tick,
        bar=bar.index,
        bar_number=piece.timeline.number_of(bar.index),
        beat=beat_words(bar, state.tick),
        level=bar.level_at(state.tick),
        left=left_in_bar(state, piece),
        base=step.base,
        dots=step.dots,
        tuplet=(step.tuplet.actual, step.tuplet.normal) if step.tuplet else None,
        dots_latched=step.dots_latched,
        tuplet_latched=step.tuplet_latched,
        step_ticks=step.ticks,
        step_shown=max(round(shown_ticks(step.ticks)), 1),
        step_words=step.words,
        when=state.when,
        policy=state.policy,
        pass_start=piece.timeline.place_words(state.pass_start),
        pass_start_tick=state.pass_start,
        pending=tuple(sound_words(part, p) for p in pitches),
        pending_diatonic=tuple(drawn_at(piece, part, state.staff, state.tick, p) for p in pitches),
        way=state.way,
        line=phrase_facts(sentence(state, piece)),
        next_key="".join(p.words for p in next_key(state, piece)),
        allowed=tuple(sorted(classes)) if classes is not None else None,
        over=state.over,
        clicks=state.clicks,  # type: ignore[arg-type]
        hands=state.hands,
        split=state.split,
        clef=piece.clef_at(part, min(state.staff, part.staves), state.tick),
        advances=state.advances,
        harmony=state.harmony,
        pulse_key=state.pulse_key,
        offers=offer_facts(piece, state),
        drums=drums_of(part, state.kit_by) if part.percussion else None,
        naming_drum=state.naming_drum,
        naming_chord=state.naming_chord,
        repeats=state.repeats,
    )


@lru_cache(maxsize=64)
def drums_of(part: Part, kit_by: str) -> tuple[int, ...]:
    """The drum that each key means on a kit, -1 for none."""
    found = (drum_by_place(key) if kit_by == "place" else drum_of(part, key) for key in range(128))
    return tuple(-1 if drum is None else drum.key for drum in found)


def offer_facts(piece: Piece, state: EntryState) -> tuple[m.OfferFact, ...]:
    """What would help where ledger lines pile up on the pen's staff, the likeliest first.

    The other hand, then another clef.
    """
    out = []
    ids = other_hand_offer(piece, state.part, state.staff, state.tick)
    if ids:
        other = 3 - state.staff
        words = (
            f"{count_words(len(ids), 'note')} on many ledger lines: move them to the "
            f"{'left' if other == 2 else 'right'} hand?"
        )
        out.append(m.OfferFact(words, None, OtherHand(), ids, other))
    offer = clef_offer(piece, state.part, state.staff, state.tick)
    if offer is not None:
        words = f"{count_words(offer.count, 'note')} far {offer.side} the staff: {offer.clef} clef?"
        out.append(m.OfferFact(words, ClefFrom(state.part, state.staff, offer.tick, offer.clef)))
    return tuple(out)


def record_line_fact(desk: Desk, state: EntryState, choices: RecordChoices, late_us: int) -> m.RecordLineFact:
    """How the next recording goes."""
    return m.RecordLineFact(
        choices.on,
        choices.click,
        choices.first_key,
        choices.count_in,
        choices.tempo,
        choices.hands,
        choices.split,
        choices.until,
        choices.bends,
        phrase_facts(recording_sentence(choices, state, desk.piece, late_us)),
        late_us,
    )
