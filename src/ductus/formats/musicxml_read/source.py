"""From bytes to a partwise score: plain or compressed, any encoding that XML declares, and safe against files made
to do harm.

Entities are not resolved and nothing is fetched; an archive is read only as far as a score may be large.
"""

from __future__ import annotations

from lxml import etree

from ductus.core.errors import BadInput, TooMuch
from ductus.formats.archives import NOTHING, ZIP, Archive, opened
from ductus.formats.musicxml_xml import Element

MAX_BYTES = 64_000_000  # of text; 200,000 notes with all their marks have fewer
MAX_MEMBERS = 1_000
XML_STARTS = (
    b"<?xml",
    b"<score",
    b"<!DOCTYPE score",
    b"\xef\xbb\xbf<",
    b"\xff\xfe<",
    b"\xfe\xff\x00<",
    b"<\x00?\x00",
    b"\x00<\x00?",
)


def is_musicxml(data: bytes) -> bool:
    """Does a file begin as a MusicXML file does, plain or compressed?"""
    if data[:4] == ZIP:
        return b"META-INF/container.xml" in data[:4096] or b"META-INF/container.xml" in data[-65536:]
    return data[:64].lstrip().startswith(XML_STARTS)


def partwise(data: bytes) -> Element:
    """The ``score-partwise`` of a file; a timewise one is turned. Raises BadInput, TooMuch."""
    root = parsed(inside_archive(data) if data[:4] == ZIP else data)
    if root.tag == "score-timewise":
        return turned(root)
    if root.tag != "score-partwise":
        raise BadInput(f"That is XML, but no MusicXML score (it holds “{str(root.tag)[:40]}”). {NOTHING}")
    return root


def inside_archive(data: bytes) -> bytes:
    """The score of a compressed file, the one that its container names (MusicXML 4.0, container.xsd)."""
    with opened(data, MAX_BYTES, MAX_MEMBERS) as archive:
        return archive.read(score_name(archive))


def score_name(archive: Archive) -> str:
    """Which member is the score."""
    if "META-INF/container.xml" in archive.names:
        for rootfile in parsed(archive.read("META-INF/container.xml")).iter("{*}rootfile"):
            path = rootfile.get("full-path") or ""
            if path in archive.names and "pdf" not in (rootfile.get("media-type") or ""):
                return path
    for name in archive.names:
        if name.lower().endswith((".musicxml", ".xml")) and not name.startswith("META-INF/"):
            return name
    raise BadInput(f"There is no score in that archive. {NOTHING}")


def parsed(data: bytes) -> Element:
    """The root of an XML text. Raises BadInput, TooMuch."""
    if len(data) > MAX_BYTES:
        raise TooMuch(
            f"That score has {len(data) / 1e6:.0f} MB; Ductus takes up to {MAX_BYTES // 1_000_000} MB. {NOTHING}"
        )
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, remove_comments=True, remove_pis=True
    )
    try:
        root = etree.fromstring(data.lstrip() if data[:1].isspace() else data, parser)
    except (etree.XMLSyntaxError, ValueError, LookupError) as error:
        where = f", line {error.lineno}" if isinstance(error, etree.XMLSyntaxError) and error.lineno else ""
        raise BadInput(f"That MusicXML file is damaged or cut short{where}. {NOTHING}") from error
    dtd = root.getroottree().docinfo.internalDTD
    if dtd is not None and any(True for _ in dtd.iterentities()):  # type: ignore[union-attr]
        raise BadInput(f"That file defines entities of its own, which no score needs; it was not read. {NOTHING}")
    return without_namespace(root)


def without_namespace(root: Element) -> Element:
    """Tags without their namespace, where a program has given them one."""
    if isinstance(root.tag, str) and root.tag.startswith("{"):
        for element in root.iter():
            if isinstance(element.tag, str):
                element.tag = etree.QName(element).localname
    return root


def turned(root: Element) -> Element:
    """A timewise score as a partwise one: the measures of each part in their order."""
    score = etree.Element("score-partwise")
    parts: dict[str, Element] = {}
    for child in list(root):
        if child.tag != "measure":
            score.append(child)
            continue
        for part in list(child):
            if part.tag != "part":
                continue
            name = part.get("id") or ""
            if name not in parts:
                parts[name] = etree.Element("part", id=name)
            measure = etree.SubElement(parts[name], "measure", {str(k): str(v) for k, v in child.attrib.items()})
            measure.extend(list(part))
    score.extend(parts.values())
    return score
