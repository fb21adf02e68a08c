"""Ductus: step-time and real-time entry of keyboard playing into notated scores.

The names below are the public surface of the library; they stay as they are within a version 0.x. Each is imported
when it is first used, so that ``import ductus`` costs next to nothing.
"""

from importlib import import_module
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ductus.api import read_performance, read_score, transcribe, write_midi, write_score
    from ductus.core.capture.takes import PlayedNote, Take
    from ductus.core.errors import BadInput, DuctusError
    from ductus.core.pitch.pitches import Pitch, parse_pitch
    from ductus.core.reading.model import Decisions, Doubt, ReadingResult, ReadNote, ReadSettings, Rival
    from ductus.core.reading.page.insertion import page_of
    from ductus.core.score.catalogues.layouts import new_piece
    from ductus.core.score.model.changes import Change, Draft
    from ductus.core.score.model.piece import Piece
    from ductus.core.score.model.records import Note
    from ductus.core.time.meters import Meter, parse_meter
    from ductus.core.time.pulse_map import PulseMap, steady_map
    from ductus.core.time.ticks import QUARTER
    from ductus.formats.musicxml_read.score import ReadScore

__version__ = "0.3.0"

__all__ = [
    "QUARTER",
    "BadInput",
    "Change",
    "Decisions",
    "Doubt",
    "Draft",
    "DuctusError",
    "Meter",
    "Note",
    "Piece",
    "Pitch",
    "PlayedNote",
    "PulseMap",
    "ReadNote",
    "ReadScore",
    "ReadSettings",
    "ReadingResult",
    "Rival",
    "Take",
    "new_piece",
    "page_of",
    "parse_meter",
    "parse_pitch",
    "read_performance",
    "read_score",
    "steady_map",
    "transcribe",
    "write_midi",
    "write_score",
]

_HOMES = {
    "api": ("read_performance", "read_score", "transcribe", "write_midi", "write_score"),
    "core.capture.takes": ("PlayedNote", "Take"),
    "core.errors": ("BadInput", "DuctusError"),
    "core.pitch.pitches": ("Pitch", "parse_pitch"),
    "core.reading.model": ("Decisions", "Doubt", "ReadNote", "ReadSettings", "ReadingResult", "Rival"),
    "core.reading.page.insertion": ("page_of",),
    "core.score.catalogues.layouts": ("new_piece",),
    "core.score.model.changes": ("Change", "Draft"),
    "core.score.model.piece": ("Piece",),
    "core.score.model.records": ("Note",),
    "core.time.meters": ("Meter", "parse_meter"),
    "core.time.pulse_map": ("PulseMap", "steady_map"),
    "core.time.ticks": ("QUARTER",),
    "formats.musicxml_read.score": ("ReadScore",),
}


def __getattr__(name: str) -> object:
    home = next((module for module, names in _HOMES.items() if name in names), None)
    if home is None:
        raise AttributeError(f"module 'ductus' has no attribute {name!r}")
    found = globals()[name] = getattr(import_module(f"ductus.{home}"), name)
    return found


def __dir__() -> list[str]:
    return [*__all__, "__version__"]
