"""The shell under simulation: many windows, lost connections, a refusing disk, a killed server, in every order."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from pathlib import Path

import pytest

from ductus.app.document.journal_writer import Journal
from ductus.app.session.outbox import Turn
from ductus.app.session.session import Session
from ductus.app.wire import ClientMessage
from ductus.web.rooms import Room
from tests.app.simulator import Window, World
from tests.building import random_piece
from tests.inventing import ROUNDS

SEEDS = 50 if ROUNDS == 1 else 2000


@pytest.mark.parametrize("seed", range(SEEDS))
def test_nothing_is_lost_doubled_or_out_of_date_whatever_happens(seed: int, tmp_path: Path) -> None:
    World(seed, tmp_path).run()


def done_twice(monkeypatch: pytest.MonkeyPatch) -> None:
    """A message that is sent again has its effect again."""
    usual = Session.handle

    def handle(self: Session, message: ClientMessage, number: int = 0, journaled: bool = False) -> Turn:
        self.taken = 0
        return usual(self, message, number, journaled)

    monkeypatch.setattr(Session, "handle", handle)


def others_forgotten(monkeypatch: pytest.MonkeyPatch) -> None:
    """A change is told to the window that made it, and to no other."""
    monkeypatch.setattr(Room, "each_its_own", lambda self, sender, facts: list(facts))
    monkeypatch.setattr(Room, "distribute", lambda self, sender, facts: [sender.post(s.fact) for s in facts])


def kept_again(monkeypatch: pytest.MonkeyPatch) -> None:
    """A stroke that is sent again is kept again."""
    monkeypatch.setattr(Journal, "_fresh", staticmethod(lambda connection, entry: entry.heard))


@pytest.mark.parametrize("plant", [done_twice, others_forgotten, kept_again])
def test_a_planted_defect_is_found(
    plant: Callable[[pytest.MonkeyPatch], None], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    plant(monkeypatch)
    for seed in range(60):
        try:
            World(seed, tmp_path / str(seed)).run()
        except AssertionError:
            return
    pytest.fail("sixty simulations found nothing")


def test_nothing_is_engraved_for_a_window_that_has_left(tmp_path: Path) -> None:
    world = World(3, tmp_path)
    world.piece_id = world.library.add(random_piece(4, "4/4", 300))
    drawn: list[int] = []

    async def leave_early() -> None:
        staying, leaving = Window(world, 0), Window(world, 1)
        staying.connect(False)
        leaving.connect(False)
        while not leaving.welcomed:
            await asyncio.sleep(0.005)
        await asyncio.sleep(0.1)
        leaving.send({"type": "show-parts", "parts": [], "staff": 1})  # a view of its own: all its systems are new
        await asyncio.sleep(0.3)
        world.cut(leaving)
        for _ in range(2):
            await asyncio.sleep(60)
            drawn.append(world.library.engraver.count)  # type: ignore[attr-defined]
        assert not staying.waiting_systems

    world.live = leave_early  # type: ignore[method-assign]
    world.check = lambda: None  # type: ignore[method-assign]
    world.run()
    assert drawn[0] == drawn[1] > 0
