"""Is what was written last to a library whole?

SQLite passes over everything behind a damaged place of its log without a word.

Source: *SQLite File Format*, section 4, "The Write-Ahead Log" (sqlite.org/fileformat2.html): header, frames, salts
and checksums.
"""

from __future__ import annotations

import shutil
import struct
import time
from pathlib import Path

HEADER, FRAME = 32, 24
MAGIC = 0x377F0682  # the lowest bit is set where checksums are made of big-endian words
LARGEST = 256_000_000  # bytes of a log that is looked through
WORD = 0xFFFFFFFF


def checksum(data: bytes, order: str, s0: int, s1: int) -> tuple[int, int]:
    """The running checksum over data of a length that 8 divides."""
    words = struct.unpack(f"{order}{len(data) // 4}I", data)
    for k in range(0, len(words), 2):
        s0 = (s0 + words[k] + s1) & WORD
        s1 = (s1 + words[k + 1] + s0) & WORD
    return s0, s1


def unreadable(log: bytes) -> int:
    """How many pages of a log, written since it was begun, cannot be read any more.

    The first damaged one and all behind it.
    """
    if len(log) < HEADER + FRAME:
        return 0
    magic, _, size, _, salt_1, salt_2, s0, s1 = struct.unpack(">8I", log[:HEADER])
    order = ">" if magic & 1 else "<"
    step = FRAME + size
    sound = magic & ~1 == MAGIC and 512 <= size <= 65_536 and checksum(log[: HEADER - 8], order, 0, 0) == (s0, s1)
    if not sound:
        return max((len(log) - HEADER) // (FRAME + 4096), 1)
    salts = struct.pack(">2I", salt_1, salt_2)
    places = range(HEADER, len(log) - step + 1, step)
    for k, at in enumerate(places):
        s0, s1 = checksum(log[at : at + 8] + log[at + FRAME : at + step], order, s0, s1)
        told = struct.unpack(">2I", log[at + 16 : at + FRAME])
        if log[at + 8 : at + 16] != salts or told != (
            s0,
            s1,
        ):  # the end, or damage: then pages of this log lie behind it
            ours = [n for n, a in enumerate(places) if n >= k and log[a + 8 : a + 16] == salts]
            return ours[-1] + 1 - k if ours else 0
    return 0


def damage_of(library: Path) -> str:
    """What is to be said of a library (not opened yet) whose log is damaged, "" if it is whole.

    The damaged log is put beside it.
    """
    log = library.with_name(library.name + "-wal")
    if not log.is_file() or not HEADER < log.stat().st_size <= LARGEST:
        return ""
    lost = unreadable(log.read_bytes())
    if not lost:
        return ""
    aside = log.with_name(f"{log.name}.damaged-{time.strftime('%Y%m%d-%H%M%S')}")
    shutil.copy2(log, aside)
    return (
        f"The end of what was written last to {library.name} is damaged: {lost} pages of it cannot be read, so the "
        "latest changes may be missing. All else "
        f"is there; what is damaged was put aside as {aside.name}."
    )
