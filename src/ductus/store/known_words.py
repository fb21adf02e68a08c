"""Words of marks that a person explained once: of the tempo, of expression, of technique, or a section.

This module owns the table word; the caller owns the transaction.
"""

from __future__ import annotations

import sqlite3

KEEP = "insert into word (folded, kind) values (?, ?) on conflict (folded) do update set kind = excluded.kind"
LOAD = "select kind from word where folded = ?"


def keep_word(connection: sqlite3.Connection, folded: str, kind: str) -> None:
    """Remember what a word is, in place of what was remembered of it."""
    connection.execute(KEEP, (folded, kind))


def kind_of_word(connection: sqlite3.Connection, folded: str) -> str:
    """What a word was said to be; "" for one that nobody explained."""
    row = connection.execute(LOAD, (folded,)).fetchone()
    return str(row["kind"]) if row is not None else ""
