"""What a library remembers of words that no dictionary has."""

from __future__ import annotations

from pathlib import Path

import pytest

from ductus.app.library import Library
from ductus.core.errors import BadInput


def test_a_word_is_asked_about_once_and_known_after_a_restart(tmp_path: Path) -> None:
    library = Library(tmp_path / "l.db")
    assert library.marks_for("Wie ein Kahn")[0].explains == "tempo"
    library.explain("Wie ein Kahn", "expression")
    library.close()
    again = Library(tmp_path / "l.db")
    first = again.marks_for("wie ein kahn")[0]
    assert (first.text, first.explains) == ("expression: wie ein kahn", "")
    again.explain("wie ein Kahn", "section")
    assert again.marks_for("Wie ein Kahn")[0].text == "section: Wie ein Kahn"
    with pytest.raises(BadInput, match="Words are tempo, expression, technique and section"):
        again.explain("Kahn", "banana")
    again.close()
