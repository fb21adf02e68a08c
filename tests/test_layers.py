"""The layers import only downwards (docs/architecture.md)."""

from __future__ import annotations

import ast
import sys
from pathlib import Path

import pytest

SOURCE = Path(__file__).parent.parent / "src" / "ductus"
LAYERS = ["core", "formats", "store", "engraving", "app", "demo", "web", "cli"]
CORE = [
    "errors", "chance", "words", "progress", "phrases", "time", "pitch", "score", "notation", "capture", "comparison",
    "reading", "entry", "playback",
    "recording", "prompt",
]  # fmt: skip


def imports_of(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
    return found


@pytest.mark.parametrize("layer", LAYERS)
def test_a_layer_imports_only_layers_below_it(layer: str) -> None:
    files = list((SOURCE / layer).rglob("*.py"))
    assert files
    above = LAYERS[LAYERS.index(layer) + 1 :]
    for path in files:
        for name in imports_of(path):
            if name.startswith("ductus."):
                assert name.split(".")[1] not in above, f"{path} imports {name}"


@pytest.mark.parametrize("package", CORE[1:])
def test_the_core_is_ordered_inside(package: str) -> None:
    above = CORE[CORE.index(package) + 1 :]
    folder = SOURCE / "core" / package
    files = list(folder.rglob("*.py")) if folder.is_dir() else [folder.with_suffix(".py")]
    assert files
    for path in files:
        for name in imports_of(path):
            if name.startswith("ductus.core."):
                assert name.split(".")[2] not in above, f"{path} imports {name}"


def test_the_core_imports_numpy_and_the_standard_library_only() -> None:
    files = list((SOURCE / "core").rglob("*.py"))
    assert len(files) > 100
    for path in files:
        for name in imports_of(path):
            first = name.split(".")[0]
            assert first in {"ductus", "numpy"} | sys.stdlib_module_names, f"{path} imports {name}"
