"""Several browsers at one desk: each is told what another changes where its pen or its selection is."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from ductus.app.document.desk import Desk
from ductus.app.document.sheets import WHOLE
from ductus.app.document.undo_cache import PreparedChange
from ductus.app.session.outbox import Outbox, Turn
from ductus.app.wire.mapping import pen_fact
from ductus.core.entry.machine import fitted, followed
from ductus.core.entry.state import EntryState
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.words import capital, count_words

MOST_NEWS = 64  # changes that are kept for a browser that is away; each holds a state of the piece


def news_words(piece: Piece, state: EntryState, news: Sequence[PreparedChange]) -> str:
    """What of changes by others concerns a browser whose pen and selection are these, in words; "" if nothing does."""
    records = [r for step in news for row in step.change.rows for r in row if isinstance(r, Note)]
    touched = state.chosen & {r.id for r in records}
    if touched:
        verb = "was" if len(touched) == 1 else "were"
        return f"{count_words(len(touched), 'selected note').capitalize()} {verb} changed in another window"
    bar = piece.timeline.bar_at(state.tick).index
    mine = (state.part, state.staff)
    here = any((r.part, r.staff) == mine for r in records) or any(step.everything for step in news)
    if state.down and here and any(step.everything or bar in step.bars for step in news):
        return f"{capital(piece.timeline.bar_words(bar))}, where your pen is, was changed in another window"
    return ""


class Neighbour(Outbox):
    """A browser at a desk, with the state of its pen, that others may sit at, too."""

    def __init__(self, desk: Desk, state: EntryState) -> None:
        super().__init__()
        self.desk, self.state = desk, state
        self.view = WHOLE
        self._acts = False  # is what goes on its own doing?
        self._news: deque[PreparedChange] = deque(maxlen=MOST_NEWS)  # what others changed since it was told of them
        desk.watchers.add(self)

    def _choose(self, notes: Sequence[Note]) -> None:
        """These notes are selected now."""
        raise NotImplementedError

    @contextmanager
    def _acting(self) -> Iterator[None]:
        """What is changed inside is its own doing."""
        with self.desk.lock:
            self._acts = True
            try:
                yield
            finally:
                self._acts = False

    def seen(self, step: PreparedChange) -> None:
        """See Watcher."""
        if not self._acts:
            self._news.append(step)

    @property
    def has_news(self) -> bool:
        """Have others changed something that it was not told of?"""
        return bool(self._news)

    def news(self) -> Turn:
        """What others changed where this browser has its pen or its selection, in words.

        Both fitted to the page as it is now.
        """
        with self.desk.lock:
            news = tuple(self._news)
            self._news.clear()
            piece, state = self.desk.piece, self.state
            if news:
                for step in news:
                    self.state = followed(self.state, step.change)
                self.state = fitted(self.state, piece)
                left = piece.notes.among(state.chosen)
                if len(left) < len(state.chosen):
                    self._choose(left)
                if self.state != state:
                    self.send(pen_fact(self.desk, self.state))
                self.say(news_words(piece, state, news), urgent=True)
            return self.collect()
