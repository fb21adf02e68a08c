"""Write the API reference of the public names into docs/api, with pdoc.

python tools/write_api.py
"""

from __future__ import annotations

from pathlib import Path

import pdoc

import ductus


def main() -> None:
    """Write it. Public names are imported when they are first used, so each is used once before."""
    for name in ductus.__all__:
        getattr(ductus, name)
    pdoc.pdoc("ductus", output_directory=Path(__file__).parent.parent / "docs" / "api")


if __name__ == "__main__":
    main()
