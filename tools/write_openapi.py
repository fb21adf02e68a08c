"""Write the API's description to a file, from which the front end's types are generated.

python tools/write_openapi.py build/openapi.json
"""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

from ductus.app.library import Library
from ductus.web.server import create_app


def main() -> None:
    """Write the description to the path given."""
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Library(Path(folder) / "library.sqlite"))
        Path(sys.argv[1]).write_text(json.dumps(app.openapi(), indent=1), encoding="utf-8")


if __name__ == "__main__":
    main()
