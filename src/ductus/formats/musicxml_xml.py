"""XML as the writers of MusicXML make it: children with text and attributes, free of what XML 1.0 cannot hold."""

from __future__ import annotations

import re

from lxml import etree

Element = etree._Element
USUAL_VELOCITY = 80  # of a note of which a file says nothing
FORTE = 90  # the velocity of which a file states percents (MusicXML 4.0, attribute ``dynamics`` of note)


def sub(parent: Element, tag: str, text: object | None = None, **attributes: str) -> Element:
    """Append a child; ``None`` text leaves it empty."""
    child = etree.SubElement(parent, tag)
    for name, value in attributes.items():
        child.set(name.replace("_", "-"), value)
    if text is not None:
        words = text if isinstance(text, str) else str(text)
        child.text = words if words.isascii() and words.isprintable() else xml_text(words)
    return child


def xml_text(text: str) -> str:
    """Drop what XML 1.0 cannot hold (section 2.2, Char)."""
    return re.sub(
        r"[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]", "", text
    )  # compiled where it is needed: that takes 10 ms
