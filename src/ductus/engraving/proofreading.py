"""What a proofreader would mark on the pages of a piece before they are printed: collisions, words that leave the
page, letters that no font has, page turns without a rest, the form, ranges of voices.

Every bar is as long as its meter says: a piece cannot be otherwise.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from ductus.core.pitch.pitches import Pitch, parse_pitch, pitch_words
from ductus.core.progress import passed, stretch
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import bars_words, form_of
from ductus.core.score.model.records import Part
from ductus.core.words import capital, count_words
from ductus.engraving.boxes import NAMES, Box, boxes_of, collisions
from ductus.engraving.breaking import ends_with_rest
from ductus.engraving.faces import letters_of, undrawn
from ductus.engraving.pages import PageSetup, Printed, extract, printed

# The written compass of voices in choral music, as handbooks of orchestration and choral writing give it (from memory).
RANGES = {
    "soprano": ("C4", "A5"), "mezzo-soprano": ("A3", "F5"), "alto": ("F3", "D5"), "tenor": ("C3", "A4"),
    "baritone": ("A2", "F4"), "bass": ("E2", "D4"), "singer": ("E2", "C6"), "voice": ("E2", "C6"),
}  # fmt: skip
KEYBOARD = ("A0", "C8")  # of a piano with 88 keys
VIEW = re.compile(r'viewBox="0 0 (\d+) (\d+)"')


@dataclass(frozen=True, slots=True)
class Finding:
    """Something to look at before printing, in ``words``.

    ``kind`` is "collision", "outside", "letter", "turn", "form" or "range"; ``bar`` an index, ``page`` from 1.
    """

    kind: str
    bar: int
    page: int
    words: str


def proofread(piece: Piece, setup: PageSetup) -> tuple[Printed, tuple[Finding, ...]]:
    """The pages of a piece, and what there is to look at on them, by bar. Raises as ``printed`` does."""
    with stretch(0.0, 0.8):
        made = printed(piece, setup)
    alone = extract(piece, setup.part) if setup.part else piece
    found: list[Finding] = [*_form(alone), *_ranges(alone)]
    first_bars = []
    for k, page in enumerate(made.pages):
        boxes = boxes_of(page)
        first_bars.append(min((b.bar for b in boxes if b.bar >= 0), default=0))
        found += _on_page(alone, page, boxes, k + 1)
        passed(0.8 + 0.2 * (k + 1) / len(made.pages))
    found += _turns(alone, first_bars)
    placed = [f if f.page else Finding(f.kind, f.bar, _page_of(f.bar, first_bars), f.words) for f in found]
    return made, tuple(sorted(placed, key=lambda f: (f.bar, f.kind)))


def _page_of(bar: int, first_bars: list[int]) -> int:
    return sum(first <= bar for first in first_bars) or 1


def _form(piece: Piece) -> Iterator[Finding]:
    """Bars that are never heard, signs that lead nowhere, an ending with nothing that goes back to it."""
    form = form_of(piece)
    yield from (Finding("form", p.bar, 0, capital(p.words)) for p in form.problems)
    signs = list(piece.signs.values())
    endings = sorted((s for s in signs if s.kind == "ending"), key=lambda s: s.bar)
    for k, ending in enumerate(endings):
        last = ending.bar + max(ending.bars, 1)
        followed = k + 1 < len(endings) and endings[k + 1].bar == last
        after = k > 0 and endings[k - 1].bar + max(endings[k - 1].bars, 1) == ending.bar
        repeated = any(s.kind == "repeat-end" and s.bar == last - 1 for s in signs)
        if not (followed or after or repeated):
            yield Finding("form", ending.bar, 0, f"Ending {ending.text} has no repeat and no other ending behind it")


def _ranges(piece: Piece) -> Iterator[Finding]:
    """Notes that a singer cannot be expected to sing, or that a keyboard has not."""
    for part in piece.ordered_parts():
        compass = _compass(part)
        if compass is None:
            continue
        low, high = (parse_pitch(name).midi for name in compass)
        outside = [n for n in piece.notes.values() if n.part == part.id and not low <= n.pitch.midi <= high]
        for bar in sorted({piece.timeline.bar_at(n.tick).index for n in outside}):
            here = [n.pitch for n in outside if piece.timeline.bar_at(n.tick).index == bar]
            limits = f"{compass[0]} to {compass[1]}"
            yield Finding("range", bar, 0, f"{_named(here)} out of the range of {part.name} ({limits})")


def _compass(part: Part) -> tuple[str, str] | None:
    if part.percussion:
        return None
    name = part.name.casefold()
    voice = next((v for v in RANGES if re.search(rf"\b{v}s?\b", name)), "singer" if part.lyrics else "")
    if voice:
        return RANGES[voice]
    return KEYBOARD if part.staves > 1 and part.programme < 8 else None


def _named(pitches: list[Pitch]) -> str:
    names = list(dict.fromkeys(pitch_words(p) for p in sorted(pitches, key=lambda p: p.midi)))
    return f"{' and '.join(names[:2])}{' and more' * (len(names) > 2)} {'lies' if len(names) == 1 else 'lie'}"


def _on_page(piece: Piece, page: str, boxes: list[Box], number: int) -> Iterator[Finding]:
    size = VIEW.search(page)
    wide = float(size[1]) if size else 1e9
    for box in boxes:
        if box.text and (box.left < 0 or box.right > wide):
            yield Finding("outside", max(box.bar, 0), number, f"“{box.text[:40]}” leaves the page")
    for one, other in collisions(boxes):
        yield Finding("collision", max(one.bar, 0), number, f"{capital(_thing(one))} lies over {_thing(other)}")
    for letter in sorted(undrawn(letters_of([page]))):
        bar = next((b.bar for b in boxes if letter in b.text), 0)
        yield Finding("letter", max(bar, 0), number, f"No font here has {letter} (U+{ord(letter):04X})")


def _thing(box: Box) -> str:
    name = NAMES[box.kind]
    shown = "".join(c for c in box.text if c.isprintable() and not "\ue000" <= c <= "\uf8ff").strip(" -")
    return f"{name} “{shown[:30]}”" if shown else name


def _turns(piece: Piece, first_bars: list[int]) -> Iterator[Finding]:
    """Right-hand pages that end where the player has no hand free to turn (the first page lies on the right)."""
    for k in range(0, len(first_bars) - 1, 2):
        last = first_bars[k + 1] - 1
        if not ends_with_rest(piece, last):
            yield Finding("turn", last, k + 1, "The page is turned here with no hand free")


def report(piece: Piece, findings: Iterable[Finding]) -> list[str]:
    """One line for each: "page 1, bar 5: ..."."""
    return [f"page {f.page}, {bars_words(piece, f.bar, f.bar)}: {f.words}" for f in findings]


def summary(findings: Iterable[Finding]) -> str:
    """How many there are, in words."""
    count = len(tuple(findings))
    return f"{count_words(count, 'thing')} to look at" if count else "nothing to look at"
