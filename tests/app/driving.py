"""A desk driven without HTTP: messages in, facts out, jobs carried out at once, time that passes when the test says
so.
"""

from __future__ import annotations

from typing import Any, TypeVar

from ductus.app import wire as m
from ductus.app.document.jobs import answered, carry_out
from ductus.app.library import Library
from ductus.app.session.outbox import Turn
from ductus.app.session.session import Session
from ductus.app.takes.reading_views import all_shown
from ductus.core.entry.commands.base import EntryCommand
from ductus.core.errors import DuctusError
from ductus.core.playback.click import OneTempo
from ductus.core.reading.review.option_base import ReadingChoice
from ductus.core.recording.settings import RecordChoice, RecordShortest
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.base import Edit
from ductus.core.score.note_edits.select import Select, Selecting
from ductus.core.time.ticks import QUARTER
from ductus.demo.keyboard import programme_events

F = TypeVar("F", bound=m.Fact)
EPOCH_US = 1_800_000_000_000_000


class Sitter:
    """Somebody at a desk. ``now_s`` is the clock; ``facts`` holds everything that was told, the latest last."""

    def __init__(self, library: Library, piece_id: str, now_s: float = 0.0) -> None:
        self.library, self.piece_id = library, piece_id
        self.now_s = now_s
        self.kept: list[int] = []
        self.desk = library.desk(piece_id)
        self.session = Session(self.desk, library.journal, self.kept.append, lambda: self.now_s, self.wall)
        self.facts: list[m.Fact] = []
        self._number = 0
        self._take(self.session.open())

    def wall(self) -> float:
        """Seconds of the wall clock."""
        return EPOCH_US / 1e6 + self.now_s

    @property
    def piece(self) -> Piece:
        return self.desk.piece

    def _take(self, turn: Turn) -> None:
        self.turn = turn
        self.facts += [s.fact for s in turn.facts]
        if turn.question is not None:
            self.facts.append(answered(self.desk, turn.question))
        for job in turn.jobs:
            try:
                self.facts += [s.fact for s in self.session.job_done(carry_out(self.desk, job)).facts]
            except DuctusError as error:
                self.facts += [s.fact for s in self.session.job_failed(error).facts]

    def latest(self, kind: type[F]) -> F:
        """The latest fact of a kind."""
        return next(f for f in reversed(self.facts) if isinstance(f, kind))

    def all(self, kind: type[F]) -> list[F]:
        """All facts of a kind so far."""
        return [f for f in self.facts if isinstance(f, kind)]

    @property
    def said(self) -> str:
        return self.latest(m.Say).text

    @property
    def problems(self) -> list[str]:
        return [p.message for p in self.all(m.Problem)]

    @property
    def line(self) -> str:
        return "".join(p.words for p in self.latest(m.PenFact).line)

    @property
    def selected(self) -> list[str]:
        return list(self.latest(m.SelectionFact).ids)

    def tell(self, message: m.ClientMessage) -> Sitter:
        """Say something to the desk."""
        self._take(self.session.handle(message))
        return self

    def give(self, command: EntryCommand, at_us: int = 0) -> Sitter:
        """A command of entry."""
        return self.tell(m.Give(command, at_us))  # type: ignore[arg-type]

    def hear(self, *events: tuple[int, str, int, int], only_sound: bool = False, again: bool = False) -> Sitter:
        """Events of an instrument: (microseconds, kind, key, value)."""
        self._number += 1
        heard = tuple(m.HeardEvent(at, kind, key, value) for at, kind, key, value in events)  # type: ignore[arg-type]
        return self.tell(m.Keys(EPOCH_US, heard, only_sound, again, self._number))

    def press(self, *keys: int, at: int = 1000) -> Sitter:
        """Hold these keys together, then let all go."""
        downs = [(at + k, "down", key, 70) for k, key in enumerate(keys)]
        return self.hear(*downs, *((at + 100_000 + k, "up", key, 0) for k, key in enumerate(keys)))

    def waited(self) -> Sitter:
        """The time that the session asked for is over."""
        self._take(self.session.waited())
        return self

    def select(self, do: Selecting, ids: list[str] | None = None) -> Sitter:
        return self.tell(m.SelectNotes(do, tuple(ids or ())))

    def edit(self, edit: Edit | ReadingChoice | None, ids: list[str] | None = None, base: int | None = None) -> Sitter:
        """An edit of the selection, or of these notes."""
        base = self.desk.history.revision if base is None else base
        chosen = tuple(self.selected if ids is None else ids)
        return self.tell(m.EditNotes(base, edit, chosen))  # type: ignore[arg-type]

    def everything(self) -> Sitter:
        return self.select(Select("all"))

    def clip(self, do: str, ids: list[str] | None = None) -> Sitter:
        chosen = tuple(self.selected if ids is None else ids)
        return self.tell(m.Clip(self.desk.history.revision, do, chosen))  # type: ignore[arg-type]

    def undo(self) -> Sitter:
        return self.tell(m.Travel(self.desk.history.revision, "undo"))

    def redo(self) -> Sitter:
        return self.tell(m.Travel(self.desk.history.revision, "redo"))

    def notes(self) -> list[tuple[float, float, int]]:
        """(onset, length) in quarters and key of everything written."""
        return sorted((n.tick / QUARTER, n.ticks / QUARTER, n.pitch.midi) for n in self.piece.notes.values())

    def choose(self, *choices: RecordChoice) -> Sitter:
        """How the next recordings go."""
        for choice in choices:
            self.tell(m.SetRecording(choice))  # type: ignore[arg-type]
        return self

    def record(self, bar: int = 0, qpm: float | None = 96.0, **start: Any) -> Sitter:
        """A recording begins at event time 0; without ``qpm`` it is played freely."""
        how: dict[str, Any] = {"freely": True} if qpm is None else {"tempo": OneTempo(qpm)}
        asked = {"origin_us": 0, "now_us": 0, "epoch_us": EPOCH_US, "bar": bar, **how, **start}
        if "shortest" in asked:
            self.choose(RecordShortest(asked.pop("shortest")))
        return self.tell(m.StartRecording(**asked))

    def perform(self, name: str, **start: Any) -> Sitter:
        """Record a programme of the rehearsal keyboard; it is then read onto the page."""
        self.record(**start)
        events = programme_events(name)
        for k in range(0, len(events), 500):
            self.hear(*events[k : k + 500])
        return self.tell(m.StopRecording(events[-1][0] + 100_000))

    def reading(self) -> m.ReadingFact:
        """The first take on the page, as it is told."""
        return all_shown(self.desk)[0]

    def read(self, choice: ReadingChoice | None, ids: list[str] | None = None, reading: str = "") -> Sitter:
        """Read the first take on the page otherwise."""
        name = reading or self.reading().id
        return self.tell(m.ReadOtherwise(choice, name, tuple(ids or ())))  # type: ignore[arg-type]

    def decide(self, do: str, key: int = 0, option: int = 0) -> Sitter:
        return self.tell(m.DecideDoubt(self.reading().id, do, key, option))  # type: ignore[arg-type]

    def leave(self) -> None:
        self.session.close()
