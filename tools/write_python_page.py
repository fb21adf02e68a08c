"""Write docs/python.md: its examples as they stand, and below them the public names with their docstrings.

python tools/write_python_page.py            # writes the page
python tools/write_python_page.py --check    # exits 1 where the page is not up to date
"""

from __future__ import annotations

import inspect
import re
import sys
from pathlib import Path

import ductus

PAGE = Path(__file__).parent.parent / "docs" / "python.md"
HEADING = "## All names"


def spread(signature: str) -> str:
    """A signature without quotes around its types; a long one with a parameter on each line."""
    plain = re.sub(r"(: |-> )'([^']*)'", r"\1\2", signature)
    if len(plain) < 90:
        return plain
    inside, _, answer = plain[1:].rpartition(")")
    parameters = re.split(r", (?=\w+: |\*)", inside)
    return "(\n" + "".join(f"    {p},\n" for p in parameters) + f"){answer}"


def entry(name: str) -> str:
    """A public name: its signature and its docstring."""
    thing = getattr(ductus, name)
    if not callable(thing):
        return f"### {name}\n\n{thing!r}: ticks in a quarter note."
    kind = "class" if inspect.isclass(thing) else "def"
    signature = spread(str(inspect.signature(thing))) if kind == "def" else ""
    words = inspect.cleandoc(thing.__doc__ or "")
    return f"### {name}\n\n```text\n{kind} {name}{signature}\n\n{words}\n```"


def page() -> str:
    """The whole page."""
    head = PAGE.read_text(encoding="utf-8").split(HEADING)[0].rstrip()
    return "\n\n".join([head, HEADING, *map(entry, ductus.__all__)]) + "\n"


def main() -> int:
    """Write or check."""
    fresh = page()
    if "--check" in sys.argv:
        return int(fresh != PAGE.read_text(encoding="utf-8"))
    PAGE.write_text(fresh, encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
