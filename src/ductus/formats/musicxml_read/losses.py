"""What a file says and the page cannot: counted, with its bars, so that nothing is dropped in silence."""

from __future__ import annotations

from collections import Counter

from ductus.core.words import listed

SHOWN_BARS = 6


class Losses:
    """Counts by the name of a thing and its bar. Where a name has a ``~``, more than one of it has an "s"."""

    def __init__(self) -> None:
        self._found: dict[str, Counter[str]] = {}
        self._whole: dict[str, None] = {}

    def add(self, thing: str, bar: str, count: int = 1) -> None:
        """One more of a thing ("cue note"), in a bar of the file as it is numbered there."""
        self._found.setdefault(thing, Counter())[bar] += count

    def once(self, sentence: str) -> None:
        """Something that is true of the whole file, as a sentence."""
        self._whole[sentence] = None

    def sentences(self) -> tuple[str, ...]:
        """What was not kept: "3 cue notes (bars 4, 7 and 9)."."""
        return (*self._whole, *(self._sentence(thing, bars) for thing, bars in sorted(self._found.items())))

    @staticmethod
    def _sentence(thing: str, bars: Counter[str]) -> str:
        count, where = bars.total(), listed(list(bars), SHOWN_BARS)
        many = thing if "~" in thing else f"{thing}~"
        words = many.replace("~", "" if count == 1 else "s")
        return f"{count:,} {words}, {'bar' if len(bars) == 1 else 'bars'} {where}."

    def __len__(self) -> int:
        return len(self._found) + len(self._whole)
