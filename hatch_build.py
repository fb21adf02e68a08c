"""Build hook: a wheel or source archive always contains the built front end."""

from __future__ import annotations

import subprocess
from pathlib import Path
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface


class FrontEndHook(BuildHookInterface):
    """Builds web/ into the package when its pages are not there yet (never for editable installs)."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        """Called by hatchling before the archive is written."""
        root = Path(self.root)
        if version == "editable" or (root / "src/ductus/web/static/index.html").exists():
            return
        if not (root / "web/package.json").exists():
            raise RuntimeError("The front end is not built and its sources are not here; build from a checkout.")
        subprocess.run(["npm", "ci"], cwd=root / "web", check=True)
        subprocess.run(["npm", "run", "build"], cwd=root / "web", check=True)
