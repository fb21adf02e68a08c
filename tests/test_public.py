"""The public surface of the library: which names it has, and that importing it costs next to nothing."""

from __future__ import annotations

import pickle
import subprocess
import sys

import ductus
from ductus.demo.player import play
from ductus.demo.scenario import waltz

PUBLIC = [
    "QUARTER",
    "BadInput",
    "Change",
    "Decisions",
    "Doubt",
    "Draft",
    "DuctusError",
    "Meter",
    "Note",
    "Piece",
    "Pitch",
    "PlayedNote",
    "PulseMap",
    "ReadNote",
    "ReadScore",
    "ReadSettings",
    "ReadingResult",
    "Rival",
    "Take",
    "new_piece",
    "page_of",
    "parse_meter",
    "parse_pitch",
    "read_performance",
    "read_score",
    "steady_map",
    "transcribe",
    "write_midi",
    "write_score",
]
LIGHT = 40  # modules that ``import ductus`` may load beside those of the interpreter


def test_these_names_are_public_and_no_others() -> None:
    assert ductus.__all__ == PUBLIC
    assert set(dir(ductus)) == {*PUBLIC, "__version__"}
    for name in PUBLIC:
        assert getattr(ductus, name) is not None
        assert callable(getattr(ductus, name)) == (name != "QUARTER")


def test_every_public_name_is_described() -> None:
    undescribed = [n for n in PUBLIC if n != "QUARTER" and not (getattr(ductus, n).__doc__ or "").strip()]
    assert undescribed == []


def test_importing_it_loads_neither_numpy_nor_a_server() -> None:
    code = "import sys; before = set(sys.modules); import ductus; print(*set(sys.modules) - before)"
    loaded = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split()
    assert "ductus" in loaded
    assert len(loaded) <= LIGHT, loaded


def test_a_reading_can_be_sent_to_another_process() -> None:
    take = ductus.Take(tuple(play(waltz(), range(4), 5, 96)))
    settings = ductus.ReadSettings(meter=ductus.Meter(3, 4))
    result = ductus.transcribe(take, settings, tempo=96)
    assert pickle.loads(pickle.dumps(result)) == result
    assert ductus.transcribe(pickle.loads(pickle.dumps(take)), settings, tempo=96) == result
