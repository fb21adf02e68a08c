"""A swung tune to a click, as a player brings it: written even with its sign, heard swung, by choice as it sounds."""

from __future__ import annotations

import itertools
from fractions import Fraction as F

from playwright.sync_api import FilePayload, Page, expect

from tests.building import midi_of
from tests.core.playback.test_swing import played
from tests.ui.conftest import Server
from tests.ui.desk import address, at_desk, exported, pass_time

SHARE = 0.64
LISTEN = "() => { window.heard = []; addEventListener('note-scheduled', (e) => window.heard.push(e.detail.eventUs)) }"


def brought(page: Page, data: bytes) -> str:
    """A performance as a file, brought to the shelf and opened; returns its id."""
    file: FilePayload = {"name": "swung.mid", "mimeType": "audio/midi", "buffer": data}
    made = page.request.post(f"{address(page)}/api/import", multipart={"file": file})
    assert made.ok, made.text()
    return at_desk(page, made.json()["id"])


def test_a_swung_tune_is_written_even_with_its_sign_and_heard_swung(page: Page, server: Server) -> None:
    take = played(SHARE)
    piece = brought(page, midi_of(take.notes, 120, (4, 4)))
    expect(page.get_by_test_id("systems")).to_contain_text("Swing")
    expect(page.get_by_role("complementary", name="Margin")).to_contain_text("long and short, 64 to 36")
    assert {n[0] % 1 for n in exported(server, piece)} == {F(0), F(1, 2)}

    page.clock.install()
    page.evaluate(LISTEN)
    page.get_by_role("button", name="Play", exact=True).click()
    expect(page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
    pass_time(page, 4000)
    heard = sorted(set(page.evaluate("window.heard")))
    gaps = [b - a for a, b in itertools.pairwise(heard)][:10]
    assert all(abs(gap - 500_000 * (SHARE if gap > 250_000 else 1 - SHARE)) < 15_000 for gap in gaps), gaps
    page.get_by_role("button", name="Stop", exact=True).click()

    page.get_by_role("button", name="How it was read").click()
    page.locator('[data-phrase="swing"]').click()
    page.get_by_text("as they were played").click()
    expect(page.get_by_test_id("systems")).not_to_contain_text("Swing")
