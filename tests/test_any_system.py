"""Nothing of Ductus needs a system of the POSIX family: modules load, a library opens, without what only that has."""

from __future__ import annotations

import subprocess
import sys

WITHOUT = """
import builtins, importlib, os, pkgutil, signal, sys
TAKEN = {"fcntl", "pwd", "grp", "termios", "resource", "readline", "uvloop"}
plain = builtins.__import__
def guarded(name, scope=None, *rest, **more):
    if name.split(".")[0] in TAKEN and str((scope or {}).get("__name__", "")).startswith("ductus"):
        raise ModuleNotFoundError(name)
    return plain(name, scope, *rest, **more)
builtins.__import__ = guarded
for name in ("getuid", "geteuid", "getgid", "fork", "killpg", "umask_of"):
    if hasattr(os, name): delattr(os, name)
for name in ("SIGHUP", "SIGUSR1", "SIGCHLD", "SIGALRM", "alarm"):
    if hasattr(signal, name): delattr(signal, name)
import ductus
for found in pkgutil.walk_packages(ductus.__path__, "ductus."):
    if not found.name.endswith("__main__"):
        importlib.import_module(found.name)
import tempfile
from pathlib import Path
from ductus.app.library import Library
from ductus.core.errors import BadInput
from ductus.core.score.catalogues.layouts import new_piece
with tempfile.TemporaryDirectory() as folder:
    library = Library(Path(folder) / "a library" / "l.sqlite")
    piece = library.add(new_piece())
    try:
        Library(Path(folder) / "a library" / "l.sqlite")
    except BadInput as error:
        print(error)
    library.close()
    again = Library(Path(folder) / "a library" / "l.sqlite")
    print([row.id for row in again.shelf()] == [piece])
    again.close()
"""


def test_all_modules_load_and_a_library_opens_without_what_only_posix_has() -> None:
    done = subprocess.run([sys.executable, "-c", WITHOUT], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert "open in another Ductus (process" in done.stdout
    assert done.stdout.splitlines()[-1] == "True"
