"""`ductus demo` in a process of its own, copied from one that has read all modules already.

To read them takes longer than most tests. That the command starts from nothing is tested with the other commands.
"""

from __future__ import annotations

import multiprocessing
import os
import warnings
from multiprocessing.process import BaseProcess
from pathlib import Path

READY = multiprocessing.get_context("forkserver")
READY.set_forkserver_preload(
    ["ductus.cli.main", "ductus.demo.shelf", "ductus.web.server", "uvicorn", "tests.ui.serving"]
)


def serving(data: Path, port: int, log: Path) -> BaseProcess:
    """A process that serves a library and writes what it says to ``log``."""
    process = READY.Process(target=_serve, args=(data, port, log))
    process.start()
    return process


def _serve(data: Path, port: int, log: Path) -> None:
    from ductus.cli.main import main

    with log.open("ab") as said:
        os.dup2(said.fileno(), 1)
        os.dup2(said.fileno(), 2)
    warnings.simplefilter("default")
    main(["demo", "--port", str(port), "--data", str(data)])
