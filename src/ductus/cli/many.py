"""Many files at a time: progress on a terminal, one line for each failure, a manifest, and going on after a stop."""

from __future__ import annotations

import json
import signal
import sys
import time
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Protocol

from ductus.app.files.whole import UNFINISHED
from ductus.cli.output import file_trouble
from ductus.core.errors import DuctusError


@dataclass(frozen=True, slots=True)
class Outcome:
    """What came of a task: sentences to be said about it, and figures for the manifest."""

    said: tuple[str, ...] = ()
    figures: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Done:
    """What became of one task: what came of it, or why it failed; how many seconds it took."""

    name: str
    outcome: Outcome = Outcome()
    trouble: str = ""
    seconds: float = 0.0


class Work(Protocol):
    """Something to be done by itself, with the name of its input."""

    @property
    def name(self) -> str:
        """What it is called in messages."""

    def run(self) -> Outcome:
        """Do it. Raises DuctusError, OSError."""


class Task(Work, Protocol):
    """Work that makes one file of another."""

    @property
    def source(self) -> str | Path:
        """The file that it reads."""

    @property
    def out(self) -> str | Path:
        """The file that it writes."""


@dataclass(frozen=True, slots=True)
class HowMany:
    """How many tasks are done: ``jobs`` at a time; ``resume``: what is there and newer than its source is left;
    ``manifest``: a file that gets a line of JSON for each.
    """

    jobs: int = 1
    resume: bool = False
    manifest: Path | None = None


def attempt(task: Work) -> Done:
    """Do a task; whatever goes wrong is words."""
    begun = time.perf_counter()
    outcome, trouble = Outcome(), ""
    try:
        outcome = task.run()
    except DuctusError as error:
        trouble = " ".join(str(error).split())
    except OSError as error:
        trouble = file_trouble(error)
    except MemoryError:
        trouble = "There is not enough memory for that file."
    except Exception as error:
        trouble = f"That went wrong inside Ductus ({type(error).__name__}: {str(error)[:80]})."
    return Done(task.name, outcome, trouble, time.perf_counter() - begun)


def is_done(task: Task) -> bool:
    """Is what a task would write there, and newer than what it would read?"""
    source, out = Path(task.source), Path(task.out)
    return out.is_file() and source.is_file() and out.stat().st_mtime_ns >= source.stat().st_mtime_ns


class Manifest:
    """One line of JSON for each file: ``file``, ``out``, ``outcome`` ("done", "failed", "left"), ``seconds``, ``said``
    (sentences) or ``trouble``, and figures (``notes``, ``bars``, ``doubts``). Lines are added to what is there.
    """

    def __init__(self, path: Path | None) -> None:
        """Raises OSError where it cannot be written."""
        self._file = None if path is None else path.open("a", encoding="utf-8")

    def add(self, task: Task, done: Done, outcome: str) -> None:
        """Write what became of a file; the line is there before the next begins."""
        if self._file is None:
            return
        line: dict[str, object] = {"file": done.name, "out": str(task.out), "outcome": outcome}
        if outcome != "left":
            line["seconds"] = round(done.seconds, 3)
        if done.trouble:
            line["trouble"] = done.trouble
        elif done.outcome.said:
            line["said"] = list(done.outcome.said)
        self._file.write(json.dumps({**line, **done.outcome.figures}, ensure_ascii=False) + "\n")
        self._file.flush()

    def close(self) -> None:
        """Nothing more comes."""
        if self._file is not None:
            self._file.close()


def carry_out_all(every: list[Task], how: HowMany, *, quiet: bool = False) -> int:
    """Do all tasks, several at a time; returns the exit code: 0 all done, 1 some failed.

    One task that fails alone is an error of its input: 2. Raises OSError for a manifest that cannot be written.
    """
    manifest = Manifest(how.manifest)
    try:
        tasks = []
        for task in every:
            if how.resume and is_done(task):
                manifest.add(task, Done(task.name), "left")
            else:
                tasks.append(task)
        return _carried_out(tasks, how.jobs, manifest, quiet=quiet, left=len(every) - len(tasks))
    finally:
        manifest.close()


def _carried_out(tasks: list[Task], jobs: int, manifest: Manifest, *, quiet: bool, left: int) -> int:
    failed = 0
    show = sys.stderr.isatty() and len(tasks) > 1
    if left and not quiet:
        print(f"{left:,} of {left + len(tasks):,} files were there already and are left as they are.", file=sys.stderr)
    for k, (task, done) in enumerate(_results(tasks, max(min(jobs, len(tasks)), 1)), 1):
        manifest.add(task, done, "failed" if done.trouble else "done")
        if show:
            print("\r\x1b[K", end="", file=sys.stderr)
        if done.trouble:
            failed += 1
            print(f"{done.name}: {done.trouble}" if len(tasks) > 1 else done.trouble, file=sys.stderr)
        elif not quiet:
            for sentence in done.outcome.said:
                print(f"{done.name}: {sentence}" if len(tasks) > 1 else sentence, file=sys.stderr)
        if show:
            print(f"{k} of {len(tasks)}", end="", file=sys.stderr, flush=True)
    if show:
        print(f"\r\x1b[K{len(tasks) - failed} of {len(tasks)} done.", file=sys.stderr)
    if not failed:
        return 0
    return 2 if len(tasks) == 1 and not left else 1


def _as_helper() -> None:
    """A helper leaves Ctrl-C to the process that it helps, which ends it; it ends at once, whatever it is at."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)


def _results(tasks: list[Task], jobs: int) -> Iterable[tuple[Task, Done]]:
    """Each task with what became of it, as they end."""
    if jobs < 2:
        yield from ((task, attempt(task)) for task in tasks)
        return
    from concurrent.futures import ProcessPoolExecutor, as_completed  # for several at a time only: it takes 15 ms

    pool = ProcessPoolExecutor(jobs, initializer=_as_helper)
    futures = {pool.submit(partial(attempt, task)): task for task in tasks}
    try:
        for future in as_completed(futures):
            error = future.exception()
            task = futures[future]
            lost = Done(task.name, trouble="Ductus came to an end while it worked on that.")
            yield task, lost if error else future.result()
    except BaseException:
        helpers = list((pool._processes or {}).values())
        for helper in helpers:
            helper.terminate()
        # Its thread is waited for: it could else write into a pipe that Python has closed at its end.
        pool.shutdown(cancel_futures=True)
        for helper in helpers:
            helper.join(10)
        for folder in {Path(task.out).parent for task in tasks}:
            for unfinished in folder.glob(
                f"{UNFINISHED}*"
            ):  # a helper may have been stopped while it took its own away
                unfinished.unlink(missing_ok=True)
        raise
    pool.shutdown()
