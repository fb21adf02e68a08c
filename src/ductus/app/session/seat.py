"""The place of one browser in a piece, kept under a token for a day: a browser that comes back takes it again.

It is written with the effect of each message, in the same transaction: what a browser sends once more after a lost
connection or a killed server has its effect once.
"""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass

from ductus.app.wire.adapters import adapter
from ductus.core.entry.machine import fitted
from ductus.core.entry.state import EntryState, evolved
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.clipboard import Excerpt
from ductus.store.seats import SeatRow, forget_seats, keep_seat, load_seat

KEPT_S = 86_400  # a day
MOST_STEPS = 64  # of a pass that are kept
MOST_CLIPPED = 500  # notes of the clipboard that are kept
TOKEN = re.compile(r"^[A-Za-z0-9_-]{16,64}$")
STATE = adapter(EntryState)
CLIP = adapter(Excerpt)


def is_token(text: str) -> bool:
    """Can a browser be known by this?"""
    return TOKEN.match(text) is not None


@dataclass(frozen=True, slots=True)
class Place:
    """What is found again: state, the bar that was looked at, the clipboard, the number of the recording that went
    on (or None).
    """

    state: EntryState
    near_bar: int
    clipboard: Excerpt
    recording: int | None


class Seat:
    """Counts the messages of one browser and writes its place. ``handled`` and ``part`` say what had its effect."""

    def __init__(self, token: str, piece_id: str, wall: Callable[[], float]) -> None:
        """``token`` "" is that of a browser that is not known again."""
        self.token, self.piece_id, self._wall = token, piece_id, wall
        self.handled = self.part = 0
        self.on_disk = self.saved = 0  # ``handled`` as it is on disk, and as the browser was told
        self._written: tuple[object, ...] | None = None  # the place as it is on disk
        self._coming: tuple[object, ...] | None = None  # as it will be, once its transaction is
        self._coming_number = 0
        self._clip: tuple[Excerpt, str] = (Excerpt(), "")

    def write(
        self,
        connection: sqlite3.Connection,
        state: EntryState,
        near_bar: int,
        clipboard: Excerpt,
        recording: int | None,
    ) -> None:
        """Keep the place, in the caller's transaction."""
        if not self.token:
            return
        if clipboard is not self._clip[0]:
            kept = clipboard if len(clipboard.notes) <= MOST_CLIPPED else Excerpt()
            self._clip = (clipboard, CLIP.dump_json(kept).decode() if kept.notes else "")
        text = STATE.dump_json(evolved(state, steps=state.steps[-MOST_STEPS:])).decode()
        row = SeatRow(
            self.token,
            self.piece_id,
            self.handled,
            self.part,
            near_bar,
            recording,
            text,
            self._clip[1],
            round(self._wall()),
        )
        keep_seat(connection, row)
        self._coming = (self.handled, self.part, state, near_bar, clipboard, recording)
        self._coming_number = self.handled

    def settle(self, *, kept: bool) -> None:
        """The transaction that the place was written in is on disk (``kept``), or came to nothing."""
        if kept and self._coming is not None:
            self._written, self.on_disk = self._coming, self._coming_number
        self._coming = None

    def differs(self, state: EntryState, near_bar: int, clipboard: Excerpt, recording: int | None) -> bool:
        """Is the place another one than is on disk?"""
        now = (self.handled, self.part, state, near_bar, clipboard, recording)
        return bool(self.token) and now != self._written

    def found(self, connection: sqlite3.Connection, piece: Piece) -> Place | None:
        """The place that was kept under the token; None where there is none, or none that can be read."""
        if not self.token:
            return None
        since = round(self._wall()) - KEPT_S
        forget_seats(connection, since)
        row = load_seat(connection, self.token, self.piece_id, since)
        if row is None:
            return None
        try:
            state = STATE.validate_json(row.state_json)
            clip = CLIP.validate_json(row.clip_json) if row.clip_json else Excerpt()
        except ValueError:
            return None
        self.handled, self.part = row.handled, row.part
        self.on_disk = self.saved = row.handled
        chosen = frozenset(i for i in state.chosen if i in piece.notes)
        return Place(fitted(evolved(state, chosen=chosen), piece), row.near_bar, clip, row.recording)
