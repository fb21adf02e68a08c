"""Fixtures that all tests share: a library in a temporary folder, and the application in process."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings
from starlette.testclient import TestClient

from ductus.app.library import Library
from ductus.web.server import create_app
from tests.inventing import ROUNDS

# The same examples each time, so that what fails has been changed; other ones in `make fuzz`.
settings.register_profile("ductus", derandomize=ROUNDS == 1)
settings.load_profile("ductus")


@pytest.fixture
def library(tmp_path: Path) -> Iterator[Library]:
    """An empty library on disk."""
    opened = Library(tmp_path / "library.sqlite")
    yield opened
    opened.close()


@pytest.fixture
def client(library: Library) -> Iterator[TestClient]:
    """The application without a network."""
    with TestClient(create_app(library, ("testserver",))) as made:
        yield made


TRIED_AGAIN = ("tried once more", "yes")
MOST_TRIED_AGAIN = 3  # tests of a run: the server that a worker shares may still read what an earlier test played


def pytest_configure(config: pytest.Config) -> None:
    """Count what is tried once more, over all workers."""
    if not hasattr(config, "workerinput"):
        config.pluginmanager.register(Tries(), "tries")


class Tries:
    """Fails a run in which more than a few tests of the browser had to be tried once more."""

    def __init__(self) -> None:
        self.names: list[str] = []

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        if TRIED_AGAIN in [tuple(p) for p in report.user_properties] and report.when == "setup":
            self.names.append(report.nodeid)

    def pytest_sessionfinish(self, session: pytest.Session) -> None:
        if len(self.names) > MOST_TRIED_AGAIN and session.exitstatus == 0:
            session.exitstatus = pytest.ExitCode.TESTS_FAILED

    def pytest_terminal_summary(self, terminalreporter: pytest.TerminalReporter) -> None:
        if self.names:
            terminalreporter.write_line(f"tried once more: {', '.join(self.names)}")
        if len(self.names) > MOST_TRIED_AGAIN:
            terminalreporter.write_line("Too many tests were tried once more: the run has failed.", red=True)
