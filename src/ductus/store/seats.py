"""Seats: where browsers work in a piece. This module owns the table seat; the caller owns the transaction."""

from __future__ import annotations

import sqlite3
from dataclasses import asdict, dataclass

KEEP = """
insert into seat (token, piece, handled, part, near_bar, recording, state_json, clip_json, at_s)
values (:token, :piece, :handled, :part, :near_bar, :recording, :state_json, :clip_json, :at_s)
on conflict (token, piece) do update set handled = :handled, part = :part, near_bar = :near_bar, recording = :recording,
  state_json = :state_json, clip_json = :clip_json, at_s = :at_s"""
LOAD = """
select token, piece, handled, part, near_bar, recording, state_json, clip_json, at_s from seat
where token = :token and piece = :piece and at_s >= :since_s"""
FORGET = "delete from seat where at_s < :before_s"


@dataclass(frozen=True, slots=True)
class SeatRow:
    """A browser's place in a piece.

    ``handled``: the number of the last message that had all its effect; ``part``: how many events of the next one
    had; ``recording``: the row of the recording that goes on there; ``at_s``: seconds of the wall clock when this
    was kept.
    """

    token: str
    piece: str
    handled: int
    part: int
    near_bar: int
    recording: int | None
    state_json: str
    clip_json: str
    at_s: int


def keep_seat(connection: sqlite3.Connection, seat: SeatRow) -> None:
    """Keep a seat in place of what was kept of it."""
    connection.execute(KEEP, asdict(seat))


def load_seat(connection: sqlite3.Connection, token: str, piece_id: str, since_s: int) -> SeatRow | None:
    """The seat of a token in a piece; None where there is none that was kept since ``since_s``."""
    row = connection.execute(LOAD, {"token": token, "piece": piece_id, "since_s": since_s}).fetchone()
    return None if row is None else SeatRow(**dict(row))


def forget_seats(connection: sqlite3.Connection, before_s: int) -> None:
    """Forget the seats that nobody came back to."""
    connection.execute(FORGET, {"before_s": before_s})
