"""Anything may be pressed: every key of the table, letters, digits, buttons and the mouse, in any order and fast.

No script error, nothing wrong in the server. Chance finds new ways each time by its timing, so that only ``make
fuzz`` runs it (DUCTUS_FUZZ, the number of rounds).
"""

from __future__ import annotations

import contextlib
import random
import re
from collections.abc import Callable
from pathlib import Path

import pytest
from playwright.sync_api import Error, Page

from tests.inventing import ROUNDS
from tests.ui.conftest import Server
from tests.ui.desk import open_piece

INPUT = Path(__file__).parents[2] / "web" / "src" / "input"
TABLE = "".join(p.read_text(encoding="utf-8") for p in sorted(INPUT.glob("*ommands.ts")))
KEYS = sorted(
    {
        k.replace("Ctrl", "Control")
        for keys in re.findall(r"keys: \[([^\]]*)\]", TABLE)
        for k in re.findall("'([^']+)'", keys)
    }
)
PLAIN = [
    "Enter",
    "Escape",
    "Tab",
    "Shift+Tab",
    "Space",
    *(f"Digit{k}" for k in range(10)),
    *(f"Key{c}" for c in "ASDFGHJKLQWERTYUIOPZXCVBNM"),
]
WORDS = ["3/4", "mf", "F#m7", "12", "0", "-1", "lyrics la la", "é<b>", "1/8"]
SHOWN = "button:visible, [role=menuitem]:visible, [role=menuitemradio]:visible, [role=radio]:visible"
PIECES = ["Lock Gate Waltz", "Tiller Tune", "Sparks over the Paddle", "Lantern-Keeper"]
STEPS = 400


def click(page: Page, rng: random.Random) -> None:
    x, y = rng.randrange(1280), rng.randrange(800)
    page.mouse.move(x, y)
    page.mouse.down()
    if rng.random() < 0.3:
        page.mouse.move(x + rng.randrange(-60, 60), y + rng.randrange(-60, 60))
    page.mouse.up()


def choose(page: Page, rng: random.Random) -> None:
    shown = page.locator(SHOWN)
    if count := shown.count():
        shown.nth(rng.randrange(count)).click(timeout=1500, force=True)


WAYS: list[tuple[float, Callable[[Page, random.Random], object]]] = [
    (0.3, lambda page, rng: page.keyboard.press(rng.choice(KEYS))),
    (0.45, lambda page, rng: page.keyboard.press(rng.choice(PLAIN))),
    (0.04, lambda page, rng: page.keyboard.type(rng.choice(WORDS))),
    (0.1, click),
    (0.1, choose),
    (0.01, lambda page, _: page.reload()),
]


@pytest.mark.own_page
@pytest.mark.own_server
@pytest.mark.skipif(ROUNDS == 1, reason="make fuzz runs it")
@pytest.mark.parametrize("seed", range(ROUNDS))
def test_whatever_is_pressed_no_script_fails_and_nothing_goes_wrong_in_the_server(
    page: Page, server: Server, seed: int
) -> None:
    rng = random.Random(seed)
    page.context.on("page", lambda other: other.close() if other is not page else None)
    done = []
    for step in range(STEPS):
        if step % 100 == 0 or "/piece/" not in page.url:
            open_piece(page, rng.choice(PIECES))
        way = rng.choices([way for _, way in WAYS], [share for share, _ in WAYS])[0]
        with contextlib.suppress(Error):  # what was shown a moment ago is gone
            done.append(way(page, rng))
    assert len(done) > STEPS / 2
    assert page.locator("main, [data-testid=line], [data-testid=print-line]").count()
