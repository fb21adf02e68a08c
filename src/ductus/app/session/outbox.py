"""What a session sends: facts that come together while it works, for its own browser or for all at the desk."""

from __future__ import annotations

from dataclasses import dataclass

from ductus.app import wire as m
from ductus.app.document.jobs import Job, PageQuery


@dataclass(frozen=True, slots=True)
class Sent:
    """A fact, and whether it is for all browsers at the desk, or (``to``) for the one of a session."""

    fact: m.Fact
    everyone: bool = False
    to: object | None = None


@dataclass(frozen=True, slots=True)
class OneEvent:
    """One event of a batch of keys: the piece that can be tried again.

    ``epoch_us`` is the wall clock at event time 0; ``guessed``: what the journal was told of it, whether it is
    written.
    """

    heard: m.HeardEvent
    only_sound: bool
    epoch_us: int = 0
    guessed: bool = False


@dataclass(frozen=True, slots=True)
class Item:
    """Something to be done, of the message of this number (0.

    It has none); it is the ``part``-th of it (from 1), or all of it (0).
    """

    what: m.ClientMessage | OneEvent | None  # None: nothing more, all parts of the message are done
    number: int = 0
    part: int = 0


@dataclass(frozen=True, slots=True)
class Turn:
    """What one message led to: everything that the connection has to do about it.

    facts     to be sent, in order
    jobs      long work to be begun
    question  about the page, to be answered when there is time; the latest only
    wake_us   the session wants to be waited for so long (microseconds), None: as before
    saved     the number of the last message whose effect is on disk, None: as it was told before
    playing   a recording with a click goes on, whose notes are shown while they are played
    struck    something was struck in it
    blocked   the disk does not take a message; it is to be tried again
    """

    facts: tuple[Sent, ...] = ()
    jobs: tuple[Job, ...] = ()
    question: PageQuery | None = None
    wake_us: int | None = None
    saved: int | None = None
    playing: bool = False
    struck: bool = False
    blocked: bool = False


class Outbox:
    """Gathers what a message leads to until it is collected."""

    def __init__(self) -> None:
        self.out: list[Sent] = []
        self.jobs: list[Job] = []
        self.question: PageQuery | None = None  # the latest: nobody waits for the answers to older ones
        self.wake_us: int | None = None

    def collect(self) -> Turn:
        """What has come together."""
        turn = Turn(tuple(self.out), tuple(self.jobs), self.question, self.wake_us)
        self.out, self.jobs, self.question, self.wake_us = [], [], None, None
        return turn

    def send(self, fact: m.Fact) -> None:
        """Tell this browser."""
        self.out.append(Sent(fact))

    def tell(self, fact: m.Fact) -> None:
        """Tell all browsers at the desk."""
        self.out.append(Sent(fact, everyone=True))

    def say(self, text: str, *, urgent: bool = False) -> None:
        """Announce something to this browser; "" is nothing."""
        if text:
            self.send(m.Say(text, urgent))
