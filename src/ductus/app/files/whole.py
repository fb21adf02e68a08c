"""Files that are written whole or not at all."""

from __future__ import annotations

import contextlib
import os
import sys
import tempfile
from pathlib import Path

from ductus.core.errors import BadInput

STDIO = "-"
UNFINISHED = f".ductus-{os.getpid()}-"  # names of files that this run (and its helpers) has not finished


def write_out(path: Path | str, data: bytes) -> None:
    """Write a file whole or not at all: under another name first, which then takes the place of an older file.

    Raises OSError.
    """
    if str(path) == STDIO:
        sys.stdout.buffer.write(data)
        sys.stdout.buffer.flush()
        return
    path = Path(path)
    if path.is_dir():
        raise IsADirectoryError(21, "Is a directory", str(path))
    if path.exists() and not path.is_file():  # a device, a pipe: nothing can take its place
        try:
            path.write_bytes(data)
        except OSError as error:
            raise OSError(error.errno, error.strerror, str(path)) from error
        return
    if not path.parent.is_dir():
        raise BadInput(f"There is no folder {path.parent}. Nothing was written.")
    handle, name = tempfile.mkstemp(prefix=UNFINISHED, dir=path.parent)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(name, 0o666 & ~_umask())
        os.replace(name, path)
    except BaseException as error:
        with contextlib.suppress(OSError):
            os.unlink(name)
        if isinstance(error, OSError):
            raise OSError(error.errno, error.strerror, str(path)) from error
        raise


def _umask() -> int:
    now = os.umask(0)
    os.umask(now)
    return now
