"""The one door for files: whatever a person brings becomes pieces on the shelf, or a piece in hand for the command
line.

MIDI files hold performances, which are read; MusicXML files hold pages; ``.ductus`` files hold pieces with all that
belongs to them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import PurePath

from ductus.app.document.jobs import Job, carry_out
from ductus.app.files.midi_import import Brought, bring, onto_shelf
from ductus.app.library import Library
from ductus.core.errors import BadInput
from ductus.core.score.model.piece import Piece
from ductus.core.words import count_words
from ductus.formats.archives import NOTHING, ZIP, opened
from ductus.formats.midi_read import is_midi
from ductus.formats.musicxml_read import is_musicxml, read_musicxml
from ductus.store.packed import Packed, from_file, is_packed

MOST_MEMBERS = 200_000
OTHERS: tuple[tuple[bytes, str], ...] = (
    (b"%PDF", "a PDF file, which shows pages and does not hold their notes"),
    (b"RIFX", "a sound file, which holds no notes"),
    (b"fLaC", "a sound file, which holds no notes"),
    (b"OggS", "a sound file, which holds no notes"),
    (b"ID3", "a sound file, which holds no notes"),
    (b"\x89PNG", "a picture"),
    (b"\xff\xd8\xff", "a picture"),
    (b"<svg", "a picture"),
    (b"PK\x03\x04", "an archive that holds neither a score nor pieces of Ductus"),
)


@dataclass(frozen=True, slots=True)
class Arrived:
    """What became of a file: the pieces on the shelf, the work that goes on at the first of them, what is said, and
    what of the file was not kept, in sentences.
    """

    pieces: tuple[str, ...]
    said: str
    left_out: tuple[str, ...] = ()
    job: Job | None = None
    waiting: str = ""  # what is said while the work goes on


def title_of(name: str) -> str:
    """A title out of the name of a file."""
    return PurePath(name.replace("\\", "/")).stem[:120].replace("_", " ").strip()


def take_in(library: Library, data: bytes, name: str) -> Arrived:
    """Put what a file holds on the shelf.

    Raises BadInput with words that say what to do; nothing is on the shelf then.
    """
    found = read_file(data, name)
    if isinstance(found, Brought):
        piece_id, job = onto_shelf(library, found)
        count = sum(len(v.take.notes) for v in found.voices)
        return Arrived((piece_id,), found.said, (), job, f"{count:,} notes are being read.")
    return Arrived(library.add_packed(*found.pieces), found.said, found.left_out)


@dataclass(frozen=True, slots=True)
class Read:
    """Pieces that stood in a file as such, what is said of them, and what was not kept."""

    pieces: tuple[Packed, ...]
    said: str
    left_out: tuple[str, ...] = ()


def read_file(data: bytes, name: str) -> Brought | Read:
    """What a file holds, known by its beginning and not by its name. Raises BadInput, TooMuch."""
    if not data.strip(b"\0 \r\n\t"):
        raise BadInput(f"That file is empty. {NOTHING}")
    for knows, reads in READERS:
        if knows(data):
            return reads(data, name)
    if data[:4] == ZIP:
        with opened(data, 1, MOST_MEMBERS):  # a damaged one says so
            pass
    what = next((words for start, words in OTHERS if data.lstrip()[: len(start)] == start), "")
    if what:
        raise BadInput(f"That is {what}. {NOTHING}")
    raise BadInput(
        f"That is no file that Ductus reads: it takes MIDI, MusicXML (.musicxml, .mxl) and .ductus files. {NOTHING}"
    )


def _packed(data: bytes, name: str) -> Read:
    found = from_file(data)
    if not found:
        raise BadInput(f"There is no piece in that file. {NOTHING}")
    takes = sum(len(p.takes) for p in found)
    with_takes = f" with {count_words(takes, 'take')}" if takes else ""
    return Read(tuple(found), f"{count_words(len(found), 'piece')}{with_takes} came back as kept.")


def _page(data: bytes, name: str) -> Read:
    score = read_musicxml(data, title_of(name))
    piece = score.piece
    parts, bars = count_words(len(piece.parts), "part"), count_words(piece.bar_count, "bar")
    said = f"{count_words(len(piece.notes), 'note')} in {parts} and {bars}."
    return Read((Packed(piece),), said, score.losses)


READERS: tuple[tuple[Callable[[bytes], bool], Callable[[bytes, str], Brought | Read]], ...] = (
    (is_packed, _packed),
    (is_musicxml, _page),
    (is_midi, bring),
)


@dataclass(frozen=True, slots=True)
class InHand:
    """A piece out of a file, with all that belongs to it, for work without a library."""

    packed: Packed
    said: str
    left_out: tuple[str, ...] = ()

    @property
    def piece(self) -> Piece:
        """The piece itself."""
        return self.packed.piece


def in_hand(data: bytes, name: str) -> list[InHand]:
    """The pieces of a file.

    A performance is read as on the shelf, in a library that exists in memory only. Raises BadInput.
    """
    found = read_file(data, name)
    if isinstance(found, Read):
        return [InHand(one, found.said, found.left_out) for one in found.pieces]
    library = Library(":memory:")
    try:
        piece_id, job = onto_shelf(library, found)
        carry_out(library.desk(piece_id), job)
        return [InHand(library.packed(piece_id, history=False), found.said)]
    finally:
        library.close()
