"""MusicXML in: a file of any program becomes a piece, and what cannot be kept is listed with its count and bars."""

from ductus.formats.musicxml_read.score import read_musicxml
from ductus.formats.musicxml_read.source import is_musicxml

__all__ = ["is_musicxml", "read_musicxml"]
