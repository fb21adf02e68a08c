"""The shelf: all pieces of one database, and the desks of those that are open."""

from __future__ import annotations

import secrets
import threading
import weakref
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ductus.app.document.deferred_rows import RowWriter
from ductus.app.document.desk import Desk
from ductus.app.document.journal_writer import Journal
from ductus.core.capture.takes import Take
from ductus.core.errors import BadInput, NotThere
from ductus.core.score.mark_language.folding import fold
from ductus.core.score.mark_language.parser import EXPLAINED
from ductus.core.score.mark_language.suggestions import Suggestion, suggestions
from ductus.core.score.model.piece import Piece, make_piece
from ductus.core.score.model.records import MAX_TEXT, Facts, Record, printable
from ductus.core.words import listed
from ductus.engraving.engraver import Engraver
from ductus.engraving.layout import SystemRange
from ductus.engraving.pages import STYLE
from ductus.store import arriving, known_words, pieces, takes
from ductus.store.database import Database
from ductus.store.packed import Packed, packed_from, put_packed, to_file


@dataclass(frozen=True, slots=True)
class ShelfRow:
    """What the shelf shows of a piece."""

    id: str
    title: str
    subtitle: str
    composer: str
    parts: str
    meter: str
    notes: int
    takes: int
    changed_at: str
    tags: tuple[str, ...] = ()
    revision: int = 0


def tags_of(text: str) -> tuple[str, ...]:
    """Tags out of a text with commas: each once, in order, none empty."""
    found = (printable(t)[:TAG_LETTERS].strip() for t in text.split(","))
    return tuple(dict.fromkeys(t for t in found if t))[:MOST_TAGS]


def opening_of(piece: Piece) -> Piece:
    """The first bars of a piece: its parts (at most two, the pen's first), what is played in them, and no words."""
    bars = OPENING_BARS + bool(piece.facts.pickup)
    end = piece.timeline.bar(bars - 1).end
    parts = piece.ordered_parts()[:OPENING_PARTS]
    names = {p.id for p in parts}
    kept: list[Record] = [replace(Facts(), pickup=piece.facts.pickup, bars=min(bars, piece.bar_count)), *parts]
    kept += [r for table in (piece.meters, piece.keys) for r in table.values() if r.bar < bars]
    kept += [c for c in piece.clefs.values() if c.part in names and c.tick < end]
    kept += [
        replace(n, lyrics=(), ticks=min(n.ticks, end - n.tick))
        for n in piece.notes_from(0)
        if n.part in names and n.tick < end
    ]
    kept += [m for m in piece.marks.values() if m.kind == "tuplet" and m.part in names and m.end <= end]
    return make_piece(kept)


OPENING_BARS, OPENING_PARTS = 3, 1
MOST_TAGS, TAG_LETTERS = 12, 30
KEPT_OPEN = 6  # desks that stay open with nobody at them


class Library:
    """Opens the database once; hands out desks, never two of one piece."""

    def __init__(
        self,
        path: Path | str,
        apart: bool = False,
        engraver: Engraver | None = None,
        journal: Callable[[Database], Journal] = Journal,
    ) -> None:
        """Open (or make) the library at ``path``; ``apart``: music is engraved in a process of its own.

        ``engraver`` and ``journal`` stand in for the usual ones, in a simulation. Raises BadInput.
        """
        self.database = Database(path)
        self.engraver = engraver or Engraver(apart)
        self.journal = journal(self.database)
        self.row_writer = RowWriter(self.database)
        self._desks: weakref.WeakValueDictionary[str, Desk] = weakref.WeakValueDictionary()
        self._recent: OrderedDict[str, Desk] = OrderedDict()
        self._lock = threading.Lock()

    def shelf(self) -> list[ShelfRow]:
        """All pieces that are not deleted, the latest first."""
        with self.database.transaction() as connection:
            return [
                ShelfRow(
                    r["id"],
                    r["title"],
                    r["subtitle"],
                    r["composer"],
                    r["parts"] or "",
                    r["meter"] or "4/4",
                    r["notes"],
                    r["takes"],
                    r["changed_at"],
                    tags_of(r["tags"]),
                    r["revision"],
                )
                for r in pieces.shelf(connection)
            ]

    def add(
        self, piece: Piece, brought: Sequence[Take] = (), source: str = "file", file: tuple[str, bytes] | None = None
    ) -> str:
        """Put a new piece on the shelf, with takes in its margin if there are any, and return its id.

        ``file``: name and data of the file that is to be read onto its page (see ``arriving_at``). Raises NotKept.
        """
        piece_id = secrets.token_hex(5)
        with self.database.transaction() as connection:
            pieces.insert_piece(connection, piece_id, piece)
            for take in brought:
                takes.insert_take(connection, piece_id, take, source if take.pulses else "free", {})
            if file is not None:
                arriving.keep_arriving(connection, arriving.Arriving(piece_id, *file))
        return piece_id

    def arriving_at(self, piece_id: str) -> arriving.Arriving | None:
        """The file that was to be read onto the page of a piece when the server stopped. Raises NotKept."""
        with self.database.transaction() as connection:
            return arriving.arriving_at(connection, piece_id)

    def arrived(self, piece_id: str) -> None:
        """The file of a piece has been read, or will not be. Raises NotKept."""
        with self.database.transaction() as connection:
            arriving.arrived(connection, piece_id)

    def add_packed(self, *packed: Packed) -> tuple[str, ...]:
        """Put pieces that come from a file, with their takes and history, on the shelf, all or none; returns their ids.

        Raises NotKept.
        """
        ids = tuple(secrets.token_hex(5) for _ in packed)
        with self.database.transaction() as connection:
            for piece_id, one in zip(ids, packed, strict=True):
                put_packed(connection, piece_id, one)
        return ids

    def packed(self, piece_id: str, *, history: bool) -> Packed:
        """A piece with all that is kept of it, with its history or without. Raises NotThere, NotKept."""
        with self.database.transaction() as connection:
            return packed_from(connection, piece_id, history=history)

    def copy(self, piece_id: str) -> str:
        """A copy of a piece with its takes, under a title of its own; returns its id. Raises NotThere, NotKept."""
        packed = self.packed(piece_id, history=False)
        facts = packed.piece.facts
        titles = {row.title for row in self.shelf()}
        title, k = f"{facts.title or 'Untitled'}, copy"[:MAX_TEXT], 2
        while title in titles:
            title, k = f"{facts.title or 'Untitled'}, copy {k}"[:MAX_TEXT], k + 1
        named = packed.piece.with_rows([(facts, replace(facts, title=title))])
        return self.add_packed(replace(packed, piece=named, made_at="", changed_at="", journal=()))[0]

    def tag(self, piece_id: str, tags: Sequence[str]) -> tuple[str, ...]:
        """Give a piece these tags in place of those it has; returns them as they are kept. Raises NotThere, NotKept."""
        kept = tags_of(",".join(tags))
        with self.database.transaction() as connection:
            pieces.set_tags(connection, piece_id, ",".join(kept))
        return kept

    def marks_for(self, text: str) -> list[Suggestion]:
        """The marks that typed words could become, what was said of them before first. Raises NotKept."""
        with self.database.transaction() as connection:
            return suggestions(text, known_words.kind_of_word(connection, fold(text)))

    def explain(self, text: str, kind: str) -> None:
        """Remember what words of a mark are. Raises BadInput for a kind that is not there, NotKept."""
        if kind not in EXPLAINED:
            raise BadInput(f"Words are {listed(list(EXPLAINED))}. Nothing was changed.")
        with self.database.transaction() as connection:
            known_words.keep_word(connection, fold(text), kind)

    def opening(self, piece_id: str) -> str:
        """The first bars of a piece as SVG, without words and marks; kept until the piece changes.

        Raises NotThere, NotKept.
        """
        with self.database.transaction() as connection:
            revision = pieces.standing(connection, piece_id).revision
            found = pieces.opening(connection, piece_id, revision)
            piece = pieces.load_piece(connection, piece_id) if found is None else None
        if found is not None or piece is None:
            return found or ""
        svg = self.drawn_opening(piece)
        with self.database.transaction() as connection:
            pieces.keep_opening(connection, piece_id, revision, svg)
        return svg

    def drawn_opening(self, piece: Piece) -> str:
        """The first bars of a piece, which need not be in the library, as SVG, without words and marks."""
        bare = opening_of(piece)
        drawn = self.engraver.engrave(bare, SystemRange(0, bare.bar_count - 1)).svg
        return drawn.replace(">", f"><style>{STYLE}</style>", 1)  # stands alone: no page gives it its strokes

    def backup(self) -> bytes:
        """The whole library as one file, with every history."""
        return to_file([self.packed(row.id, history=True) for row in self.shelf()])

    def desk(self, piece_id: str) -> Desk:
        """The desk of a piece, opened if need be. Raises NotThere, NotKept."""
        with self._lock:
            desk = self._desks.get(piece_id)
            if desk is not None and desk.deleted:
                raise NotThere(
                    "There is no piece at this address. It may have been deleted; the shelf shows what is there."
                )
            if desk is None:
                desk = self._desks[piece_id] = Desk(piece_id, self.database, self.engraver, self.row_writer)
            self._recent[piece_id] = desk
            self._recent.move_to_end(piece_id)
            if len(self._recent) > KEPT_OPEN:
                self._recent.popitem(last=False)
            return desk

    def open_desk(self, piece_id: str) -> Desk | None:
        """The desk of a piece if it is open."""
        with self._lock:
            return self._desks.get(piece_id)

    def close_desk(self, piece_id: str) -> None:
        """Do not keep a piece open that nobody looks at (all of it is in the database)."""
        with self._lock:
            self._recent.pop(piece_id, None)

    def delete(self, piece_id: str) -> None:
        """Take a piece off the shelf; ``restore`` brings it back.

        Who sits at its desk can write no more. Raises NotThere, NotKept.
        """
        self._set_deleted(piece_id, True)

    def restore(self, piece_id: str) -> None:
        """Put a deleted piece back on the shelf, and on the desks that were open. Raises NotThere, NotKept."""
        self._set_deleted(piece_id, False)

    def _set_deleted(self, piece_id: str, deleted: bool) -> None:
        with self.database.transaction() as connection:
            pieces.set_deleted(connection, piece_id, deleted)
        desk = self.open_desk(piece_id)
        if desk is not None:
            desk.deleted = deleted

    def close(self) -> None:
        """Write what waits, close the database and let the library go."""
        self.journal.close()
        self.row_writer.close()
        self.engraver.close()
        self.database.close()
