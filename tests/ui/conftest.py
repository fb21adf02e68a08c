"""The real interface: one server for a session, and headless Chromium from Debian.

Tests that kill the server get one of their own.
"""

from __future__ import annotations

import os
import shutil
import signal
import socket
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from _pytest.runner import runtestprotocol
from playwright.sync_api import Browser, Page, ViewportSize, expect, sync_playwright

from ductus.app.library import Library
from ductus.demo.shelf import fill_library
from tests.conftest import TRIED_AGAIN
from tests.ui.fake_midi import FAKE_MIDI
from tests.ui.serving import serving

CHROMIUM = shutil.which("chromium") or "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    # ours takes the place of the driver's own list, hence the first line; the rest would be drawn unseen behind each
    # new window
    "--disable-features=PaintHolding,LensOverlay,MediaRouter,OptimizationHints,HttpsUpgrades,"
    "DestroyProfileOnBrowserClose,"
    "WebUIOmniboxPopup,WebUIOmniboxAimPopup",
]
SIZE: ViewportSize = {"width": 1280, "height": 800}
COLD_MS = 60_000  # the first page of a machine that has just booted
SWEPT_EVERY = 8  # tests: what the pages before left in a window's memory is let go of then, some 60 MB each
# any later wait: half a machine may be all there is, and the shared server may still read what an earlier test played
WAIT_MS = 40_000


class Server:
    """`ductus demo` in a process that can be killed and started again on the same library; it shows its errors."""

    def __init__(self, data: Path) -> None:
        self.data = data
        self.log = data.with_suffix(".log")
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}"
        self.start()

    def start(self) -> None:
        self.log.parent.mkdir(parents=True, exist_ok=True)
        self.log.touch()
        self.process = serving(self.data, self.port, self.log)
        for _ in range(1200):
            try:
                urllib.request.urlopen(f"{self.url}/api/pieces", timeout=5).close()
                return
            except OSError:
                if not self.process.is_alive():
                    break
                time.sleep(0.05)
        raise RuntimeError(f"the server did not start:\n{self.said()}")

    def said(self) -> str:
        """What the process printed."""
        return self.log.read_text(errors="replace")

    def stop(self, how: signal.Signals = signal.SIGTERM) -> None:
        assert self.process.pid is not None
        os.kill(self.process.pid, how)
        self.process.join(20)
        assert not self.process.is_alive()

    def get(self, path: str) -> bytes:
        with urllib.request.urlopen(self.url + path, timeout=30) as answer:
            body: bytes = answer.read()
            return body


def closed(server: Server) -> None:
    """Stop a server; what went wrong inside it fails the test."""
    if server.process.is_alive():
        server.stop()
    assert "Traceback" not in server.said(), server.said()


@pytest.fixture(scope="session")
def shared_server() -> Iterator[Server]:
    """A demo library, made by the application itself and served for all tests of this worker."""
    with tempfile.TemporaryDirectory() as folder:
        made = Server(Path(folder) / "library")
        yield made
        closed(made)


@pytest.fixture(scope="session")
def demo_shelf(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A demo library as it is when the application has just made it, to be copied.

    To read its take anew for each test takes seconds.
    """
    folder = tmp_path_factory.mktemp("demo")
    made = Library(folder / "library.sqlite")
    fill_library(made)
    made.close()
    return folder


@pytest.fixture
def own_server(tmp_path: Path, demo_shelf: Path) -> Iterator[Server]:
    """A server for tests that kill it, or look at the whole shelf."""
    shutil.copytree(demo_shelf, tmp_path / "library")
    made = Server(tmp_path / "library")
    yield made
    closed(made)


@pytest.fixture
def server(request: pytest.FixtureRequest) -> Server:
    """The shared server, or (marked ``own_server``) one of its own."""
    own = request.node.get_closest_marker("own_server") is not None
    made: Server = request.getfixturevalue("own_server" if own else "shared_server")
    return made


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    """One browser for all tests of this worker; the first page may take as long as a cold machine needs."""
    expect.set_options(timeout=WAIT_MS)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS, timeout=COLD_MS)
        yield browser
        browser.close()


@pytest.fixture(scope="session")
def warm(chromium: Browser, shared_server: Server) -> None:
    """The first page is drawn once before any test waits for one."""
    page = chromium.new_page()
    page.goto(shared_server.url, timeout=COLD_MS)
    page.get_by_role("heading", name="On the shelf").wait_for(timeout=COLD_MS)
    page.get_by_role("link", name="Lock Gate Waltz").click()
    page.wait_for_selector(".system svg", timeout=COLD_MS)
    page.close()


class Windows:
    """Windows of 1280 x 800, kept from one test to the next.

    To open one costs a browser without a graphics card more than a test does in it.
    """

    def __init__(self, browser: Browser) -> None:
        self.browser = browser
        self.kept: dict[str, tuple[Page, list[str]]] = {}
        self.taken_back = 0

    def open(self, script: str = "") -> tuple[Page, list[str]]:
        """A new window, and the list to which its script errors go."""
        context = self.browser.new_context(viewport=SIZE, reduced_motion="reduce", service_workers="block")
        if script:
            context.add_init_script(script)
        page, errors = context.new_page(), list[str]()
        page.set_default_timeout(WAIT_MS)
        page.on("pageerror", lambda error: errors.append(str(error)))
        return page, errors

    def lend(self, script: str = "") -> tuple[Page, list[str]]:
        """The kept window with this script before each of its pages."""
        if script not in self.kept:
            self.kept[script] = self.open(script)
        return self.kept[script]

    def take_back(self, page: Page) -> None:
        """Leave the window as a new one would be: no piece, no button of the mouse held, nothing stored."""
        page.mouse.up()
        page.unroute_all(behavior="ignoreErrors")
        if page.url.startswith("http"):
            page.evaluate("localStorage.clear(), sessionStorage.clear()")
        page.goto("about:blank")
        self.taken_back += 1
        if self.taken_back % SWEPT_EVERY == 0:
            page.request_gc()
        page.set_viewport_size(SIZE)
        for other in page.context.pages:
            if other is not page:
                other.close()

    def close(self) -> None:
        for page, _ in self.kept.values():
            page.context.close()
        self.kept.clear()


KEPT: list[Windows] = []  # closed where a test fails, whatever it left in them


@pytest.fixture(scope="session")
def windows(warm: None, chromium: Browser) -> Iterator[Windows]:
    """The windows of this worker."""
    made = Windows(chromium)
    KEPT.append(made)
    yield made
    KEPT.remove(made)
    made.close()


def at_the_door(windows: Windows, url: str, script: str = "", own: bool = False) -> Iterator[Page]:
    """A window that has come as far as the server's icon: neither shelf nor desk is drawn yet.

    Any script error fails the test.
    """
    page, errors = windows.open(script) if own else windows.lend(script)
    errors.clear()
    page.goto(f"{url}/icon.svg")
    yield page
    if own:
        page.context.close()
    else:
        windows.take_back(page)
    assert not errors


@pytest.fixture
def page(request: pytest.FixtureRequest, windows: Windows, server: Server) -> Iterator[Page]:
    """A kept window at the door, or (marked ``own_page``, for tests that change its clock or its scripts) a new one."""
    own = request.node.get_closest_marker("own_page") is not None
    yield from at_the_door(windows, server.url, own=own)


@pytest.fixture
def wired(windows: Windows, server: Server) -> Iterator[Page]:
    """A window with instruments and an output that can be plugged in."""
    yield from at_the_door(windows, server.url, FAKE_MIDI)


@pytest.hookimpl(tryfirst=True)
def pytest_runtest_protocol(item: pytest.Item, nextitem: pytest.Item | None) -> bool | None:
    """A test of the browser that fails is tried once more, and that is printed.

    A machine that is busy elsewhere can keep a browser waiting for longer than any wait is meant for. What fails
    twice fails, and so does a run in which more than a few were tried once more (`tests/conftest.py`).
    """
    if "tests/ui" not in item.nodeid or not isinstance(item, pytest.Function):
        return None
    item.ihook.pytest_runtest_logstart(nodeid=item.nodeid, location=item.location)
    reports = runtestprotocol(item, nextitem=nextitem, log=False)
    if any(r.failed for r in reports):
        for windows in KEPT:
            windows.close()
        first = next(r for r in reports if r.failed)
        said = " ".join(line[1:].strip() for line in first.longreprtext.splitlines() if line.startswith("E "))
        sys.stderr.write(f"\ntried once more: {item.nodeid} ({said[:2000]})\n")
        item._initrequest()
        reports = runtestprotocol(item, nextitem=nextitem, log=False)
        reports[0].user_properties.append(TRIED_AGAIN)
    for report in reports:
        item.ihook.pytest_runtest_logreport(report=report)
    item.ihook.pytest_runtest_logfinish(nodeid=item.nodeid, location=item.location)
    return True
