"""What a session sends: facts that come together while it works, for its own browser or for all at the desk."""

from __future__ import annotations

from dataclasses import dataclass

from ductus.app import wire as m


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


class Outbox:
    """Gathers facts until they are collected."""

    def __init__(self) -> None:
        self.out: list[Sent] = []

    def collect(self) -> list[Sent]:
        """The facts that have come together."""
        out, self.out = self.out, []
        return out

    def _send(self, fact: m.Fact) -> None:
        self.out.append(Sent(fact))

    def _tell(self, fact: m.Fact) -> None:
        self.out.append(Sent(fact, everyone=True))

    def _say(self, text: str, *, urgent: bool = False) -> None:
        if text:
            self._send(m.Say(text, urgent))
