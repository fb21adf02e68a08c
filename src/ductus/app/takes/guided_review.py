"""The lead-through after a take: its questions as they are told, and the opening of each answer, engraved."""

from __future__ import annotations

from dataclasses import replace

from ductus.app import wire as m
from ductus.app.document.desk import Desk
from ductus.app.takes.reading_cache import Worked, worked_out
from ductus.app.takes.reading_jobs import reading_of, seen_of
from ductus.core.capture.takes import Take
from ductus.core.errors import DuctusError
from ductus.core.reading.beat_tracking.tracker import find_beats, late_start
from ductus.core.reading.model import Decisions, ReadingResult, ReadSettings
from ductus.core.reading.page.insertion import page_of
from ductus.core.reading.review.options import ReadingOptions, read_chosen
from ductus.core.reading.review.questions import Question, questions
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import PulseMap

OPENING_US = 9_000_000  # of the take, enough for two bars at any usual tempo
OPENING_BARS = 2


def questions_of(worked: Worked) -> tuple[Question, ...]:
    """What is still to be asked of a take on the page."""
    return questions(worked.take, worked.free, worked.choices, worked.result, worked.proposal_words)


def question_facts(worked: Worked) -> tuple[m.QuestionFact, ...]:
    """The questions as they are told."""
    return tuple(
        m.QuestionFact(
            q.name,
            q.words,
            tuple(m.AnswerFact(a.label, a.do) for a in q.answers),  # type: ignore[arg-type]
            q.chosen,
        )
        for q in questions_of(worked)
    )


def openings(desk: Desk, reading_id: str, question: str) -> list[str]:
    """The first bars of the take for each answer of a question, as SVG ("" where it cannot be read so).

    None for a question that was answered meanwhile. Raises NotThere.
    """
    piece = desk.piece
    worked = worked_out(desk, reading_of(piece, reading_id))
    found = next((q for q in questions_of(worked) if q.name == question), None)
    if found is None:
        return []
    head = opening_of(worked.take)
    out = []
    for k, answer in enumerate(found.answers):
        try:
            choices = (
                answer.do.applied(worked.choices, frozenset(), seen_of(piece, worked)) if answer.do else worked.choices
            )
            result = beginning_of(worked.result, head) if k == found.chosen else read_head(worked, head, choices)
            out.append(desk.engraved_opening(untimed_page(page_of(result)), OPENING_BARS))
        except DuctusError:
            out.append("")
    return out


def untimed_page(page: Piece) -> Piece:
    """The page with no tempo printed: that of an opening is not that of the whole, which the answer itself says."""
    draft = Draft(page)
    for mark in page.tempi.values():
        draft.put(replace(mark, printed=False))
    return draft.change("").apply(page)


def opening_of(take: Take) -> Take:
    """The beginning of a take."""
    first = take.notes[0].onset_us
    return replace(take, notes=tuple(n for n in take.notes if n.onset_us < first + OPENING_US), controls=())


def beginning_of(result: ReadingResult, head: Take) -> ReadingResult:
    """What was read of the beginning within the whole.

    The answer that holds is shown as it stands on the page, not as its beginning would be read alone.
    """
    return replace(result, notes=tuple(n for n in result.notes if n.event < len(head.notes)), doubts=(), rivals=())


def read_head(worked: Worked, head: Take, choices: ReadingOptions) -> ReadingResult:
    """The beginning of a take, read as ``choices`` say; what is pinned further on is left aside."""
    settings = choices.settings
    meter, pulses = beats_of_head(worked, head, choices)
    own = replace(
        choices, settings=replace(settings, meter=meter), pins=Decisions(), bars={}, passages=(), extent=choices.extent
    )
    result = read_chosen(head, pulses, own, centred=worked.free).result
    return late_start(result) if worked.free else result


def beats_of_head(worked: Worked, head: Take, choices: ReadingOptions) -> tuple[Meter, PulseMap]:
    """The beats for a beginning: those of the whole where the choices leave them, else looked for in it alone."""
    same = (choices.settings.meter, choices.settings.about) == (
        worked.choices.settings.meter,
        worked.choices.settings.about,
    )
    if same or not worked.free:
        return worked.proposals[min(choices.rank, len(worked.proposals) - 1)]
    hints = ReadSettings(meter=choices.settings.meter, about=choices.settings.about)
    best = find_beats(head, hints, Decisions(), 1)[0]
    return best.frame.meter, best.pulses
