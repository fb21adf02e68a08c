"""What the documents show works as it stands there."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

import write_python_page
from ductus.cli import parser
from ductus.core.score.model.records import MeterChange
from ductus.core.time.meters import Meter
from ductus.demo.scenario import waltz
from ductus.formats.midi import write_midi
from ductus.store.packed import Packed, to_file
from ductus.store.rows import to_columns

ROOT = Path(__file__).parent.parent
DOCS = ROOT / "docs"


def blocks(name: str) -> list[str]:
    """The Python code of a document."""
    return re.findall(r"```python\n(.*?)```", (DOCS / name).read_text(encoding="utf-8"), re.DOTALL)


def test_the_python_page_runs(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    (tmp_path / "take.mid").write_bytes(write_midi(waltz()))
    read, write, score = blocks("python.md")
    exec(read, {})
    assert "doubts" in capsys.readouterr().out
    assert (tmp_path / "take.musicxml").stat().st_size > 10_000
    exec(write, {})
    exec(score, {})
    assert "C4 0.0 1.0\nE4 1.0 1.0\nG4 2.0 1.0\nC5 3.0 1.0\n" in capsys.readouterr().out


def test_the_python_page_holds_the_docstrings_as_they_are() -> None:
    assert (DOCS / "python.md").read_text(encoding="utf-8") == write_python_page.page()


def test_the_page_of_the_file_format_runs(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    (tmp_path / "waltz.ductus").write_bytes(to_file([Packed(waltz())]))
    (code,) = blocks("file-format.md")
    exec(code, {})
    assert capsys.readouterr().out == "121 notes in ['Piano']\n"


def test_the_page_of_the_command_line_names_what_there_is() -> None:
    page = (DOCS / "command-line.md").read_text(encoding="utf-8")
    (commands,) = [a for a in parser()._actions if a.dest == "command"]
    assert commands.choices is not None
    for name in commands.choices:
        assert f"ductus {name}" in page or f"| {name}" in page, name
    known = {
        option
        for command in commands.choices.values()  # type: ignore[attr-defined]
        for action in command._actions
        for option in action.option_strings
    }
    for option in re.findall(r"(?<![\w-])--[a-z][a-z-]+", page):
        assert option in known, option


def test_the_description_names_the_columns_that_are_written() -> None:
    page = (DOCS / "file-format.md").read_text(encoding="utf-8")
    for column in to_columns(MeterChange("m0", 0, Meter(3, 4))).keys() - {"id"}:
        assert column in page, column
