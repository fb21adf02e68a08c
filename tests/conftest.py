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
