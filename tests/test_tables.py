"""Tables that people rely on: no key runs two commands, every command of entry can be reached, documents say what is there."""

from __future__ import annotations

import re
from collections import Counter
from pathlib import Path

import pytest

from ductus.cli import parser
from ductus.core.entry.machine import COMMANDS, TIMED
from ductus.core.score.selection_edits import EDITS

ROOT = Path(__file__).parent.parent
TABLE = (ROOT / "web/src/commands/table.ts").read_text(encoding="utf-8")
WEB = "".join(p.read_text(encoding="utf-8") for p in (ROOT / "web/src").rglob("*.ts*"))
PIANO = set(
    re.findall(r"(Key[A-Z]|Semicolon|Quote): \d+", (ROOT / "web/src/input/computerKeys.ts").read_text(encoding="utf-8"))
)


def keys_of_table() -> list[str]:
    listed = [k for row in re.findall(r"keys: \[([^\]]*)\]", TABLE) for k in re.findall(r"'([^']+)'", row)]
    values = re.search(r"VALUE_KEYS = (.*)", TABLE)
    assert values
    return listed + re.findall(r"'(Digit\d)'", values.group(1))


def test_no_key_runs_two_commands() -> None:
    assert [k for k, n in Counter(keys_of_table()).items() if n > 1] == []
    assert len(keys_of_table()) > 50


def test_no_command_takes_a_key_that_plays_a_pitch() -> None:
    assert not PIANO & set(keys_of_table())
    assert len(PIANO) == 18


@pytest.mark.parametrize("name", sorted({*COMMANDS, *TIMED}))
def test_every_command_of_entry_can_be_reached_on_screen(name: str) -> None:
    line = (ROOT / "src/ductus/core/entry/line.py").read_text(encoding="utf-8")
    assert f"'{name}'" in WEB or f'"{name}"' in WEB or f'"{name}"' in line


@pytest.mark.parametrize("name", sorted(EDITS))
def test_every_edit_of_a_selection_can_be_reached_on_screen(name: str) -> None:
    assert f"'{name}'" in WEB or f'"{name}"' in WEB


@pytest.mark.parametrize("command", ["serve", "demo", "import", "export", "transcribe"])
def test_the_readme_names_every_command_of_the_command_line(command: str) -> None:
    assert f"ductus {command}" in (ROOT / "README.md").read_text(encoding="utf-8") or f"| {command}" in (
        ROOT / "README.md"
    ).read_text(encoding="utf-8")
    assert command in parser().format_help()


def test_every_picture_that_the_readme_shows_is_there_and_none_is_left_over() -> None:
    shown = set(re.findall(r"\(docs/screenshots/([\w-]+\.png)\)", (ROOT / "README.md").read_text(encoding="utf-8")))
    assert shown == {p.name for p in (ROOT / "docs/screenshots").glob("*.png")}
