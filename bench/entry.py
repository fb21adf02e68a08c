"""Events of entry a second: random events through the state machine, as an open desk feeds it (no server, no page)."""

from __future__ import annotations

import random
import time

from ductus.core.entry.commands.mode import PolicyTo
from ductus.core.entry.commands.pen import Back, MovePen, Rest
from ductus.core.entry.commands.step_value import Dot, ShiftValue
from ductus.core.entry.events import Command, Event, KeyDown, KeyUp, Pedal
from ductus.core.entry.machine import advance_entry
from ductus.core.entry.state import EntryState
from ductus.core.score.catalogues.layouts import new_piece

EVENTS = 10_000
MOVES = (
    MovePen("step", "left"),
    MovePen("step", "right"),
    MovePen("bar", "left"),
    MovePen("bar", "right"),
    ShiftValue("finer"),
    ShiftValue("coarser"),
    Dot(),
    Rest(),
    Back(),
    PolicyTo(),
)


def random_events(seed: int, count: int = EVENTS) -> list[Event]:
    """Mostly keys, with commands and the pedal between, as in a session of work."""
    rng = random.Random(seed)
    events: list[Event] = []
    now = 0
    while len(events) < count:
        now += rng.randint(20_000, 400_000)
        if rng.random() < 0.15:
            events.append(Command(rng.choice(MOVES), now))
        elif rng.random() < 0.05:
            events.append(Pedal(now, rng.random() < 0.5))
        else:
            keys = rng.sample(range(40, 84), rng.choice((1, 1, 1, 2, 3)))
            events += [KeyDown(now + k * 3000, key) for k, key in enumerate(keys)]
            events += [KeyUp(now + 100_000 + k * 3000, key) for k, key in enumerate(keys)]
    return events[:count]


def events_per_second(seed: int = 1) -> float:
    """Median over five runs."""
    rates = []
    for run in range(5):
        piece = new_piece()
        state = EntryState("p1", down=True)
        events = random_events(seed + run)
        started = time.perf_counter()
        for event in events:
            outcome = advance_entry(state, event, piece)
            state = outcome.state
            if outcome.change:
                piece = outcome.change.apply(piece)
        rates.append(len(events) / (time.perf_counter() - started))
    return sorted(rates)[2]


if __name__ == "__main__":
    print(f"entry_events_per_s {events_per_second():.0f}")
