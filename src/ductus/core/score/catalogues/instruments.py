"""Instruments that a part can be for.

By family, with their General MIDI 1 sound (programme 0..127), clefs, and how they are written.

``transpose`` is staff steps and semitones from the written to the sounding pitch (common practice, as in any book of
instrumentation).
"""

from __future__ import annotations

from dataclasses import dataclass

from ductus.core.errors import BadInput
from ductus.core.score.model.records import Part


@dataclass(frozen=True, slots=True)
class Instrument:
    """One instrument: name, short name, family, General MIDI programme, clefs from the top, transposition, whether
    it sings.
    """

    name: str
    short: str
    family: str
    programme: int
    clefs: tuple[str, ...] = ("treble",)
    transpose: tuple[int, int] = (0, 0)
    lyrics: bool = False

    def part(self, part_id: str, order: int, name: str = "", short: str = "") -> Part:
        """A part for it."""
        return Part(
            part_id,
            name or self.name,
            short or self.short,
            self.programme,
            self.clefs,
            order,
            self.lyrics,
            self.transpose,
        )


GRAND = ("treble", "bass")
B_FLAT, E_FLAT_DOWN, E_FLAT_LOW, F_HORN = (-1, -2), (-5, -9), (-12, -21), (-4, -7)
INSTRUMENTS: tuple[Instrument, ...] = (
    Instrument("Piano", "Pno.", "keyboards", 0, GRAND),
    Instrument("Electric piano", "E. Pno.", "keyboards", 4, GRAND),
    Instrument("Harpsichord", "Hpd.", "keyboards", 6, GRAND),
    Instrument("Celesta", "Cel.", "keyboards", 8, GRAND, (7, 12)),
    Instrument("Organ", "Org.", "keyboards", 19, GRAND),
    Instrument("Harmonium", "Harm.", "keyboards", 20, GRAND),
    Instrument("Accordion", "Acc.", "keyboards", 21, GRAND),
    Instrument("Harp", "Hp.", "keyboards", 46, GRAND),
    Instrument("Singer", "S.", "voices", 52, lyrics=True),
    Instrument("Soprano", "S.", "voices", 52, lyrics=True),
    Instrument("Alto", "A.", "voices", 52, lyrics=True),
    Instrument("Tenor", "T.", "voices", 52, ("treble-8",), lyrics=True),
    Instrument("Bass (voice)", "B.", "voices", 52, ("bass",), lyrics=True),
    Instrument("Piccolo", "Picc.", "winds", 72, transpose=(7, 12)),
    Instrument("Flute", "Fl.", "winds", 73),
    Instrument("Oboe", "Ob.", "winds", 68),
    Instrument("English horn", "E. H.", "winds", 69, transpose=F_HORN),
    Instrument("Clarinet in B flat", "Cl.", "winds", 71, transpose=B_FLAT),
    Instrument("Clarinet in A", "Cl.", "winds", 71, transpose=(-2, -3)),
    Instrument("Bassoon", "Bsn.", "winds", 70, ("bass",)),
    Instrument("Soprano saxophone", "S. Sax.", "winds", 64, transpose=B_FLAT),
    Instrument("Alto saxophone", "A. Sax.", "winds", 65, transpose=E_FLAT_DOWN),
    Instrument("Tenor saxophone", "T. Sax.", "winds", 66, transpose=(-8, -14)),
    Instrument("Baritone saxophone", "B. Sax.", "winds", 67, transpose=E_FLAT_LOW),
    Instrument("Recorder", "Rec.", "winds", 74, ("treble+8",)),
    Instrument("Horn in F", "Hn.", "brass", 60, transpose=F_HORN),
    Instrument("Trumpet in B flat", "Tpt.", "brass", 56, transpose=B_FLAT),
    Instrument("Trumpet in C", "Tpt.", "brass", 56),
    Instrument("Trombone", "Tbn.", "brass", 57, ("bass",)),
    Instrument("Tuba", "Tba.", "brass", 58, ("bass",)),
    Instrument("Violin", "Vln.", "strings", 40),
    Instrument("Viola", "Vla.", "strings", 41, ("alto",)),
    Instrument("Cello", "Vc.", "strings", 42, ("bass",)),
    Instrument("Double bass", "Db.", "strings", 43, ("bass",), (-7, -12)),
    Instrument("String ensemble", "Str.", "strings", 48, GRAND),
    Instrument("Guitar", "Gtr.", "plucked", 24, ("treble-8",)),
    Instrument("Bass guitar", "B. Gtr.", "plucked", 33, ("bass",), (-7, -12)),
    Instrument("Mandolin", "Mdn.", "plucked", 25),
    Instrument("Glockenspiel", "Glk.", "percussion", 9, transpose=(14, 24)),
    Instrument("Xylophone", "Xyl.", "percussion", 13, transpose=(7, 12)),
    Instrument("Vibraphone", "Vib.", "percussion", 11),
    Instrument("Marimba", "Mar.", "percussion", 12),
    Instrument("Timpani", "Timp.", "percussion", 47, ("bass",)),
    Instrument("Drum kit", "Dr.", "percussion", 0, ("percussion",)),
    Instrument("Melody", "Mel.", "other", 73),
)
BY_NAME = {i.name.casefold(): i for i in INSTRUMENTS}


def instrument(name: str) -> Instrument:
    """An instrument by its name. Raises BadInput."""
    found = BY_NAME.get(name.strip().casefold())
    if found is None:
        raise BadInput(
            f"“{name[:40]}” is no instrument of the list; choose one, and give the part any name you like. Nothing was "
            "changed."
        )
    return found
