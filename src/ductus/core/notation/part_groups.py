"""Which parts of a score are bracketed together: neighbours of one family of instruments.

Winds, brass and strings share their bar lines; singers are bracketed without, since words stand between their staves
(common practice of scores).
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Sequence
from dataclasses import dataclass

from ductus.core.score.model.records import Part

PROGRAMMES: tuple[tuple[range, str], ...] = (
    (range(40, 46), "strings"), (range(48, 52), "strings"), (range(52, 55), "voices"), (range(56, 64), "brass"),
    (range(64, 80), "winds"),
)  # of General MIDI 1  # fmt: skip
NAMES: tuple[tuple[re.Pattern[str], str], ...] = tuple(
    (re.compile(rf"\b(?:{words})", re.IGNORECASE), family)
    for words, family in (
        (
            r"viol[ieo]n|violas?\b|viole\b|alto viola|bratsche|geige|cell[io]|violonc|kontrabass|contrabass|"
            r"double ?bass|basso continuo|vln|vla|vc\b",
            "strings",
        ),
        (
            r"fl[uö]t|flaut|oboe|hautbois|clarin|klarin|bassoon|basson|fagott|sax|piccolo|recorder|blockfl|"
            r"english horn|englischhorn|corno inglese|cor anglais",
            "winds",
        ),
        (r"horn|corn[oi]\b|trump|tromp|tromb|posaun|tuba|cornet", "brass"),
        (
            r"sopran|alt(?:o|us)?\b|contralto|mezzo|tenor|bariton|cant(?:o|us)\b|bass(?:us|o)?\b(?! ?guitar)|quintus|"
            r"treble|voice|singer|gesang|stimme|[satb]\.?$",
            "voices",
        ),
    )
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class PartGroup:
    """Parts ``first``..``last`` (places in the order of the score, both included), and whether bar lines go through."""

    first: int
    last: int
    through: bool


def family_of(part: Part) -> str:
    """The family that an instrument belongs to, by its sound, else by its name; "" for keyboards and others.

    The sound of a piano is what files give to parts of which they know none.
    """
    if part.percussion or len(part.clefs) > 1:
        return ""
    if part.lyrics:
        return "voices"
    known = next((family for programmes, family in PROGRAMMES if part.programme in programmes), "")
    if known or part.programme:
        return known
    return next((family for pattern, family in NAMES if pattern.search(part.name)), "")


def part_groups(parts: Sequence[Part]) -> list[PartGroup]:
    """The groups of a score's parts, from the top; a single part is none."""
    groups, place = [], 0
    for family, members in itertools.groupby(parts, family_of):
        count = len(list(members))
        if family and count > 1:
            groups.append(PartGroup(place, place + count - 1, family != "voices"))
        place += count
    return groups
