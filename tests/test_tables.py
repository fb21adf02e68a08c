"""Tables that people rely on: no key runs two commands, every command of entry can be reached, documents say what is
there.
"""

from __future__ import annotations

import re
from collections import Counter
from pathlib import Path

import pytest

from ductus.core.entry.commands.registry import COMMANDS
from ductus.core.reading.review.note_options import READING_CHOICES
from ductus.core.recording.settings import RECORD_CHOICES
from ductus.core.score.mark_edits.commands import MARK_EDITS
from ductus.core.score.note_edits.registry import EDITS
from ductus.core.score.structure_edits.registry import FRAME_EDITS

ROOT = Path(__file__).parent.parent
TABLE = "".join(p.read_text(encoding="utf-8") for p in sorted((ROOT / "web/src/input").glob("*ommands.ts")))
WEB = "".join(p.read_text(encoding="utf-8") for p in (ROOT / "web/src").rglob("*.ts*") if ".gen." not in p.name)
SENTENCES = "".join(
    (ROOT / "src/ductus" / p).read_text(encoding="utf-8")
    for p in (
        "core/prompt/entry.py",
        "core/prompt/form_sentence.py",  # what More takes in words
        "core/reading/review/prompt.py",
        "core/prompt/recording.py",
    )
)
RECORDS = [*COMMANDS, *EDITS, *READING_CHOICES, *RECORD_CHOICES, *FRAME_EDITS, *MARK_EDITS]
PIANO = set(
    re.findall(r"(Key[A-Z]|Semicolon|Quote): \d+", (ROOT / "web/src/input/computerKeys.ts").read_text(encoding="utf-8"))
)


def keys_of_table() -> list[str]:
    listed = [k for row in re.findall(r"keys: \[([^\]]*)\]", TABLE) for k in re.findall(r"'([^']+)'", row)]
    values = re.search(r"VALUE_KEYS = ((?:.|\n)*?\n\])", TABLE)
    assert values
    return listed + re.findall(r"'(Digit\d)'", values.group(1))


def test_no_key_runs_two_commands() -> None:
    assert [k for k, n in Counter(keys_of_table()).items() if n > 1] == []
    assert len(keys_of_table()) > 50


def test_no_command_takes_a_key_that_plays_a_pitch() -> None:
    assert not PIANO & set(keys_of_table())
    assert len(PIANO) == 18


def is_made_somewhere(record: type, web: str = WEB, sentences: str = SENTENCES) -> bool:
    """Does a control of the page, or a phrase of a sentence, make this record?

    A word that only looks the same (``align="end"``) does not count.
    """
    name = re.escape(record.__dataclass_fields__["name"].default)  # type: ignore[attr-defined]
    literal = re.search(rf"\bname: (?:[^,}}]*\? ?(?:'[\w-]+' : )?)?'{name}'", web)
    return bool(
        literal or re.search(rf"\b{record.__name__}\b", re.sub(r"(?m)^(?:from|import) .*|^    \w+,$", "", sentences))
    )


@pytest.mark.parametrize("record", RECORDS, ids=lambda r: r.__name__)
def test_every_command_edit_and_choice_can_be_reached_on_screen(record: type) -> None:
    assert is_made_somewhere(record)


def test_a_record_that_no_control_makes_is_found_out() -> None:
    record = next(r for r in COMMANDS if r.__name__ == "ReturnToStart")
    name = record.__dataclass_fields__["name"].default
    without = re.sub(rf"name: '{name}'", f'align="{name}"', WEB)
    assert is_made_somewhere(record)
    assert not is_made_somewhere(record, without, "")


def test_every_picture_that_the_readme_shows_is_there_and_none_is_left_over() -> None:
    shown = set(re.findall(r"\(docs/screenshots/([\w-]+\.png)\)", (ROOT / "README.md").read_text(encoding="utf-8")))
    assert shown == {p.name for p in (ROOT / "docs/screenshots").glob("*.png")}


def test_every_file_that_the_page_of_changes_names_is_there() -> None:
    text = (ROOT / "docs/changing.md").read_text(encoding="utf-8")
    for name in re.findall(r"`((?:core|formats|app|store|engraving|demo|web/src)/[\w./-]+?)/?`", text):
        assert (
            (ROOT / name).exists()
            or (ROOT / "src/ductus" / name).exists()
            or (ROOT / "src/ductus/core" / name).exists()
        ), name
