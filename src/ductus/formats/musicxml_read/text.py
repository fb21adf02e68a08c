"""Reading texts and numbers of elements that may be missing or wrong."""

from __future__ import annotations

from fractions import Fraction

from ductus.formats.musicxml_xml import Element


def text_of(element: Element | None, path: str = "", otherwise: str = "") -> str:
    """The text of an element, or of a child of it, without white space around it."""
    if element is None:
        return otherwise
    found = element.findtext(path) if path else element.text
    return found.strip() if found and found.strip() else otherwise


def number_of(text: str | None, otherwise: Fraction | None = None) -> Fraction | None:
    """A number as MusicXML writes them ("480", "0.5"); ``otherwise`` for what is none."""
    try:
        value = Fraction((text or "").strip())
    except (ValueError, ZeroDivisionError):
        return otherwise
    return value if abs(value) < 10**9 else otherwise


def whole_of(text: str | None, otherwise: int = 0) -> int:
    """A whole number; ``otherwise`` for what is none."""
    value = number_of(text)
    return otherwise if value is None else int(value)
