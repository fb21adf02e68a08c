"""The command line: serve, demo, convert, transcribe, import, export, backup."""

from ductus.cli.main import main, parser

__all__ = ["main", "parser"]
