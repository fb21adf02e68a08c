"""What commands load before they do anything: counted in modules, so that a loaded machine measures the same."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

from ductus.demo.player import play
from ductus.demo.scenario import waltz
from tests.building import midi_of

MOST_FOR_HELP, MOST_FOR_A_TAKE = 150, 430
NOT_FOR_A_CLICK = (  # rooms that reading a take to a click never enters
    "ductus.core.playback.performance", "ductus.core.score.mark_language.parser", "ductus.core.reading.trace",
    "ductus.core.reading.merging", "ductus.core.reading.beat_tracking.tracker", "ductus.engraving.engraver",
    "ductus.store.database", "ductus.core.score.catalogues.drum_patterns", "fastapi", "pydantic", "verovio", "uvicorn",
)  # fmt: skip


def loaded_by(*args: str) -> set[str]:
    """The modules that are there when a command has ended."""
    code = (
        "import sys\nfrom ductus.cli.main import main\n"
        f"try: main({list(args)!r})\nexcept SystemExit: pass\n"
        "print('\\n' + ' '.join(sys.modules))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    return set(done.stdout.rsplit("\n", 2)[-2].split())


@pytest.mark.parametrize("option", ["--help", "--version"])
def test_help_and_version_load_next_to_nothing(option: str) -> None:
    loaded = loaded_by(option)
    assert len(loaded) <= MOST_FOR_HELP
    assert "numpy" not in loaded


def test_a_take_to_a_click_loads_only_what_reads_it(tmp_path: Path) -> None:
    midi, out = tmp_path / "take.mid", tmp_path / "take.musicxml"
    midi.write_bytes(midi_of(play(waltz(), range(4), 5, 96), 96, (3, 4)))
    loaded = loaded_by("transcribe", str(midi), "-o", str(out), "--tempo", "96", "--meter", "3/4")
    assert out.stat().st_size > 1000
    assert not loaded & set(NOT_FOR_A_CLICK)
    assert len(loaded) <= MOST_FOR_A_TAKE, sorted(loaded)
