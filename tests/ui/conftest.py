"""The real interface: a server of its own in a process, and headless Chromium from Debian."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, sync_playwright

CHROMIUM = shutil.which("chromium") or "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


class Server:
    """`ductus demo` in a process that can be killed and started again on the same library."""

    def __init__(self, data: Path) -> None:
        self.data = data
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}"
        self.start()

    def start(self) -> None:
        command = [sys.executable, "-m", "ductus.cli", "demo", "--port", str(self.port), "--data", str(self.data)]
        self.process = subprocess.Popen(
            command,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            env={**os.environ, "PYTHONWARNINGS": "default"},
        )
        for _ in range(200):
            try:
                urllib.request.urlopen(f"{self.url}/api/pieces", timeout=1).close()
                return
            except OSError:
                time.sleep(0.05)
        raise RuntimeError("the server did not start")

    def stop(self, how: signal.Signals = signal.SIGTERM) -> None:
        self.process.send_signal(how)
        self.process.wait(10)

    def get(self, path: str) -> bytes:
        with urllib.request.urlopen(self.url + path, timeout=10) as answer:
            body: bytes = answer.read()
            return body


@pytest.fixture
def server(tmp_path: Path) -> Iterator[Server]:
    """A fresh demo library, served."""
    made = Server(tmp_path / "library")
    yield made
    if made.process.poll() is None:
        made.stop()


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    """One browser for all tests."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield browser
        browser.close()


@pytest.fixture
def page(chromium: Browser, server: Server) -> Iterator[Page]:
    """A page of 1280 x 800 on the shelf; any script error fails the test."""
    context = chromium.new_context(
        viewport={"width": 1280, "height": 800}, base_url=server.url, reduced_motion="reduce"
    )
    made = context.new_page()
    errors: list[str] = []
    made.on("pageerror", lambda error: errors.append(str(error)))
    made.goto("/")
    yield made
    context.close()
    assert not errors
