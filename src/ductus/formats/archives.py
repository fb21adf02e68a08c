"""Zip archives that others made: read only as far as is sane, whatever they say of their size.

Compressed MusicXML and Ductus' own file are such archives.
"""

from __future__ import annotations

import io
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager

from ductus.core.errors import BadInput, TooMuch

ZIP = b"PK\x03\x04"
DAMAGE = (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, KeyError, OSError, ValueError)
NOTHING = "Nothing was imported."


class Archive:
    """The members of an archive; all that is read of it counts towards ``most`` bytes, and no member may have more
    than ``each``.
    """

    def __init__(self, archive: zipfile.ZipFile, most: int, each: int) -> None:
        self._archive, self._left, self._most, self._each = archive, most, most, each
        self.names = archive.namelist()

    def read(self, name: str) -> bytes:
        """A member. Raises BadInput where there is none of the name, TooMuch where it is too large."""
        if name not in self.names:
            raise BadInput(f"That archive is not whole: {name[:60]} is missing. {NOTHING}")
        with self._archive.open(name) as member:
            data = member.read(min(self._left, self._each) + 1)
        if len(data) > self._each:
            raise TooMuch(
                f"{name[:60]} in that archive has more than {self._each // 1_000_000} MB; Ductus takes no more. "
                f"{NOTHING}"
            )
        self._left -= len(data)
        if self._left < 0:
            raise TooMuch(f"That archive holds more than {self._most // 1_000_000} MB; Ductus takes no more. {NOTHING}")
        return data


@contextmanager
def opened(data: bytes, most: int, most_members: int, each: int | None = None) -> Iterator[Archive]:
    """Open an archive. Raises BadInput for one that is damaged, TooMuch for one that is too large."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if len(archive.namelist()) > most_members:
                raise TooMuch(
                    f"That archive holds {len(archive.namelist()):,} files, more than Ductus takes. {NOTHING}"
                )
            yield Archive(archive, most, most if each is None else each)
    except DAMAGE as error:
        raise BadInput(
            f"That file is damaged or cut short ({str(error)[:60] or 'it ends too soon'}). {NOTHING}"
        ) from error


def zipped(members: Iterator[tuple[str, bytes]], mimetype: str) -> bytes:
    """An archive of members, its media type as the first of them, not compressed (as in the Open Container Format)."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", mimetype, zipfile.ZIP_STORED)
        for name, data in members:
            archive.writestr(name, data)
    return out.getvalue()
