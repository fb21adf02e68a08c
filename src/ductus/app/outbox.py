"""What a session sends: facts that come together while it works, for its own browser or for all at the desk."""

from __future__ import annotations

from dataclasses import dataclass

from ductus.app import messages as m


@dataclass(frozen=True, slots=True)
class Sent:
    """A fact, and whether it is for all browsers at the desk."""

    fact: m.Fact
    everyone: bool = False


@dataclass(frozen=True, slots=True)
class OneEvent:
    """One event of a batch of keys: the piece that can be tried again."""

    heard: m.HeardEvent
    only_sound: bool


Item = m.ClientMessage | OneEvent


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
