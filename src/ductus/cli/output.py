"""Files in, and what is said of files that cannot be read or written."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

from ductus.app.files.whole import STDIO
from ductus.core.errors import BadInput

MAX_IN = 200_000_000
NO_SUCH_NAME = '\\/:*?"<>|'
LONGEST_NAME = 100


def read_in(path: str) -> bytes:
    """The bytes of a file, or of the standard input for "-". Raises BadInput, OSError."""
    if path == STDIO:
        data = sys.stdin.buffer.read(MAX_IN + 1)
    else:
        with open(path, "rb") as file:
            data = file.read(MAX_IN + 1)
    if len(data) > MAX_IN:
        raise BadInput(
            f"That file has more than {MAX_IN // 1_000_000} MB; Ductus takes no larger ones. It was not read."
        )
    return data


def files_in(names: Iterable[str], endings: Sequence[str]) -> Iterator[tuple[str, Path]]:
    """Each file that is named, and each with one of the endings in a folder that is, with its path below that.

    Raises BadInput for a folder without any.
    """
    for name in names:
        folder = Path(name)
        if name == STDIO or not folder.is_dir():
            yield name, Path(folder.name)
            continue
        found = sorted(p for p in folder.rglob("*") if p.suffix.lower() in endings and p.is_file())
        if not found:
            raise BadInput(f"There is no file in {name} that Ductus reads. Nothing was written.")
        yield from ((str(p), p.relative_to(folder)) for p in found)


def file_name(title: str, otherwise: str = "piece") -> str:
    """A title as the name of a file: no slashes, no control characters, not too long."""
    kept = "".join(c if c.isprintable() and c not in NO_SUCH_NAME else " " for c in title)
    return " ".join(kept.split()).strip(". ")[:LONGEST_NAME].strip() or otherwise


def file_trouble(error: OSError) -> str:
    """What is wrong with a file, in a sentence."""
    name = error.filename or "A file"
    if isinstance(error, FileNotFoundError):
        return f"There is no file {name}."
    if isinstance(error, IsADirectoryError):
        return f"{name} is a folder, not a file."
    if isinstance(error, PermissionError):
        return f"{name} may not be read or written."
    return f"{name} cannot be read or written ({error.strerror or error})."
