"""The native engraver (verovio, LGPL), in this process or in one of its own.

It holds the interpreter while it draws, 30 to 100 ms for a system: in a process of its own it keeps no stroke and no
key waiting. A window of MusicXML goes in, the SVG of some of its measures comes out.
"""

from __future__ import annotations

import contextlib
import json
import struct
import subprocess
import sys
import threading
from dataclasses import asdict, dataclass
from typing import IO, Any, Protocol

LENGTH = struct.Struct(">I")  # before each message: how many bytes it has


@dataclass(frozen=True, slots=True)
class Order:
    """A window of MusicXML, of which ``count`` measures from ``first`` (from 1) on are drawn, on a line of
    ``width``; ``whole``: that is all of it.
    """

    xml: str
    first: int
    count: int
    whole: bool
    width: int


class Drawing(Protocol):
    """Draws orders, one at a time."""

    def draw(self, order: Order) -> str:
        """The SVG of an order. Raises RuntimeError where the engraver refuses it."""

    def close(self) -> None:
        """Let go of it."""


class Here:
    """The engraver in this process."""

    def __init__(self, options: dict[str, Any]) -> None:
        """Make the toolkit (it loads its fonts once)."""
        import verovio

        verovio.enableLog(verovio.LOG_OFF)
        self._toolkit = verovio.toolkit()
        self._toolkit.setOptions(options)
        self._width = options["pageWidth"]

    def draw(self, order: Order) -> str:
        """See Drawing."""
        toolkit = self._toolkit
        if order.width != self._width:
            toolkit.setOptions({"pageWidth": order.width})
            self._width = order.width
        if not toolkit.loadData(order.xml):
            raise RuntimeError("verovio refused a window of our own MusicXML")
        if not order.whole:
            toolkit.select({"measureRange": f"{order.first}-{order.first + order.count - 1}"})
            toolkit.redoLayout()
        svg: str = toolkit.renderToSVG(1)
        if not order.whole:
            toolkit.select({})
        return svg

    def close(self) -> None:
        """See Drawing."""


class Apart:
    """The engraver in a process of its own; where that cannot be had, or dies twice over one order, it is done here."""

    def __init__(self, options: dict[str, Any]) -> None:
        """Start the process; it makes itself ready meanwhile."""
        self._options = options
        self._here: Here | None = None
        self._lock = threading.Lock()
        self._process = self._started()

    def _started(self) -> subprocess.Popen[bytes] | None:
        try:
            process = subprocess.Popen(
                [sys.executable, "-m", "ductus.engraving.drawing"], stdin=subprocess.PIPE, stdout=subprocess.PIPE
            )
        except OSError:
            return None
        assert process.stdin is not None
        try:
            send(process.stdin, self._options)
        except OSError:
            return None
        return process

    def draw(self, order: Order) -> str:
        """See Drawing."""
        with self._lock:
            for _ in range(2):
                answer = self._asked(order)
                if answer is not None:
                    if "error" in answer:
                        raise RuntimeError(str(answer["error"]))
                    return str(answer["svg"])
                self.close()
                self._process = self._started()
            if self._here is None:
                self._here = Here(self._options)
            return self._here.draw(order)

    def _asked(self, order: Order) -> dict[str, Any] | None:
        process = self._process
        if process is None or process.stdin is None or process.stdout is None:
            return None
        try:
            send(process.stdin, asdict(order))
            return received(process.stdout)
        except OSError:
            return None

    def close(self) -> None:
        """See Drawing."""
        process = self._process
        if process is None:
            return
        for pipe in (process.stdin, process.stdout):
            if pipe is not None:
                with contextlib.suppress(OSError):  # what waits for a process that is gone
                    pipe.close()
        try:
            process.wait(2)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


def send(pipe: IO[bytes], message: dict[str, Any]) -> None:
    """Write one message. Raises OSError where nobody reads any more."""
    data = json.dumps(message).encode()
    pipe.write(LENGTH.pack(len(data)) + data)
    pipe.flush()


def received(pipe: IO[bytes]) -> dict[str, Any] | None:
    """Read one message; None where the other side is gone."""
    head = pipe.read(LENGTH.size)
    if len(head) < LENGTH.size:
        return None
    (length,) = LENGTH.unpack(head)
    data = pipe.read(length)
    found: dict[str, Any] | None = json.loads(data) if len(data) == length else None
    return found


def main() -> None:
    """Draw what comes in, until nobody is there any more."""
    import signal

    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the server is told to stop; it closes this one
    orders, answers = sys.stdin.buffer, sys.stdout.buffer
    options = received(orders)
    if options is None:
        return
    drawing = Here(options)
    while (order := received(orders)) is not None:
        try:
            answer = {"svg": drawing.draw(Order(**order))}
        except Exception as error:
            answer = {"error": str(error)}
        send(answers, answer)


if __name__ == "__main__":
    main()
