"""Files out: whole or not at all, with progress on a terminal and one line for each failure."""

from __future__ import annotations

import contextlib
import os
import signal
import sys
import tempfile
from collections.abc import Iterable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Protocol

from ductus.core.errors import BadInput, DuctusError

STDIO = "-"
MAX_IN = 200_000_000
NO_SUCH_NAME = '\\/:*?"<>|'
LONGEST_NAME = 100
UNFINISHED = f".ductus-{os.getpid()}-"  # names of files that this run (and its helpers) has not finished


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


@dataclass(frozen=True, slots=True)
class Done:
    """What became of one task: sentences to be said about it, or why it failed."""

    name: str
    said: tuple[str, ...] = ()
    trouble: str = ""


class Task(Protocol):
    """Something to be done by itself, with the name of its input."""

    @property
    def name(self) -> str:
        """What it is called in messages."""

    def run(self) -> tuple[str, ...]:
        """Do it; returns what is to be said. Raises DuctusError, OSError."""


def attempt(task: Task) -> Done:
    """Do a task; whatever goes wrong is words."""
    try:
        return Done(task.name, task.run())
    except DuctusError as error:
        return Done(task.name, (), " ".join(str(error).split()))
    except OSError as error:
        return Done(task.name, (), file_trouble(error))
    except MemoryError:
        return Done(task.name, (), "There is not enough memory for that file.")
    except Exception as error:
        return Done(task.name, (), f"That went wrong inside Ductus ({type(error).__name__}: {str(error)[:80]}).")


def carry_out_all(tasks: list[Task], jobs: int, *, quiet: bool = False) -> int:
    """Do all tasks, several at a time; returns the exit code: 0 all done, 1 some failed.

    One task that fails alone is an error of its input: 2.
    """
    failed = 0
    show = sys.stderr.isatty() and len(tasks) > 1
    for k, done in enumerate(_results(tasks, min(jobs, len(tasks))), 1):
        if show:
            print("\r\x1b[K", end="", file=sys.stderr)
        if done.trouble:
            failed += 1
            print(f"{done.name}: {done.trouble}" if len(tasks) > 1 else done.trouble, file=sys.stderr)
        elif not quiet:
            for sentence in done.said:
                print(f"{done.name}: {sentence}" if len(tasks) > 1 else sentence, file=sys.stderr)
        if show:
            print(f"{k} of {len(tasks)}", end="", file=sys.stderr, flush=True)
    if show:
        print(f"\r\x1b[K{len(tasks) - failed} of {len(tasks)} done.", file=sys.stderr)
    if not failed:
        return 0
    return 2 if len(tasks) == 1 else 1


def _as_helper() -> None:
    """A helper leaves Ctrl-C to the process that it helps, which ends it; it ends at once, whatever it is at."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)


def _results(tasks: list[Task], jobs: int) -> Iterable[Done]:
    if jobs < 2:
        yield from map(attempt, tasks)
        return
    from concurrent.futures import ProcessPoolExecutor, as_completed  # for several at a time only: it takes 15 ms

    pool = ProcessPoolExecutor(jobs, initializer=_as_helper)
    futures = {pool.submit(partial(attempt, task)): task for task in tasks}
    try:
        for future in as_completed(futures):
            error = future.exception()
            yield (
                Done(futures[future].name, (), "Ductus came to an end while it worked on that.")
                if error
                else future.result()
            )
    except BaseException:
        helpers = list((pool._processes or {}).values())
        for helper in helpers:
            helper.terminate()
        # Its thread is waited for: it could else write into a pipe that Python has closed at its end.
        pool.shutdown(cancel_futures=True)
        for helper in helpers:
            helper.join(10)
        for folder in {Path(out).parent for task in tasks if (out := getattr(task, "out", None)) is not None}:
            for unfinished in folder.glob(
                f"{UNFINISHED}*"
            ):  # a helper may have been stopped while it took its own away
                unfinished.unlink(missing_ok=True)
        raise
    pool.shutdown()
