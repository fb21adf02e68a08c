"""New pieces from a layout: the parts, clefs and sounds that a way of playing needs."""

from __future__ import annotations

from collections.abc import Sequence

from ductus.core.pitch.keys import check_fifths
from ductus.core.score.catalogues.instruments import instrument
from ductus.core.score.model.piece import Piece, make_piece
from ductus.core.score.model.records import Facts, KeyChange, MeterChange, Part, Record, TempoMark, checked_text
from ductus.core.time.meters import Meter
from ductus.core.time.note_values import NoteValue, value_for_ticks
from ductus.core.time.ticks import QUARTER

LAYOUTS: dict[str, tuple[Part, ...]] = {
    "keys": (Part("p1", "Piano", "Pno.", 0),),
    "singer and keys": (
        Part("p1", "Singer", "S.", 52, ("treble",), 0, lyrics=True),
        Part("p2", "Piano", "Pno.", 0, ("treble", "bass"), 1),
    ),
    "keys and kit": (
        Part("p1", "Piano", "Pno.", 0),
        Part("p2", "Drum kit", "Dr.", 0, ("percussion",), 1),
    ),
    "melody": (Part("p1", "Melody", "Mel.", 73, ("treble",)),),
    "four voices": (
        Part("p1", "Sopranos and altos", "S. A.", 52, ("treble",), 0, lyrics=True),
        Part("p2", "Tenors and basses", "T. B.", 52, ("bass",), 1, lyrics=True),
    ),
}
NEW_PIECE_BARS = 4


def new_piece(
    layout: str = "keys",
    title: str = "",
    meter: Meter | None = None,
    fifths: int = 0,
    mode: str = "major",
    pickup: int = 0,
    bpm: float = 92.0,
    tempo_text: str = "",
    composer: str = "",
    subtitle: str = "",
    arranger: str = "",
    lyricist: str = "",
    number: str = "",
    parts: Sequence[str] = (),
    tempo_range: str = "",
    meter_sign: str = "",
) -> Piece:
    """Make a clean piece; what is not answered leaves no text on the page.

    ``parts`` are instruments by name in place of a layout; ``tempo_range`` is printed in place of the number
    ("63–76"). ``pickup`` in ticks, ``bpm`` in felt beats a minute (halves in 2/2, dotted quarters in 6/8).
    """
    meter = meter or Meter(4, 4)
    check_fifths(fifths)
    records: list[Record] = [
        Facts(
            title=checked_text(title, "title"),
            subtitle=checked_text(subtitle, "subtitle"),
            composer=checked_text(composer, "composer line"),
            arranger=checked_text(arranger, "arranger line"),
            lyricist=checked_text(lyricist, "lyricist line"),
            number=checked_text(number, "number"),
            pickup=pickup if 0 < pickup < meter.bar_ticks else 0,
            bars=NEW_PIECE_BARS + bool(pickup),
        ),
        *(chosen_parts(parts) if parts else LAYOUTS[layout]),
        MeterChange("m0", 0, meter, meter_sign),
        KeyChange("k0", 0, fifths, mode),
        TempoMark("t0", 0, float(bpm), felt_beat(meter), checked_text(tempo_text, "tempo word"), shown=tempo_range),
    ]
    return make_piece(records)


def chosen_parts(names: Sequence[str]) -> list[Part]:
    """Parts for instruments, from the top; two of a kind are numbered. Raises BadInput."""
    out: list[Part] = []
    for k, name in enumerate(names):
        kind = instrument(name)
        same = sum(p.name.startswith(kind.name) for p in out)
        out.append(kind.part(f"p{k + 1}", k, f"{kind.name} {same + 1}" if same else ""))
    return out


SLOWEST_BEAT = 40  # a minute: where a metronome begins (common practice)


def counted_beat(meter: Meter, quarter_us: float) -> NoteValue:
    """The value in which a tempo of so many microseconds to the quarter is counted.

    The felt beat, or the unit of a compound meter whose beats would come more slowly than a metronome goes (a slow
    3/8 or 6/8 is counted in eighths).
    """
    beat = felt_beat(meter)
    slow = 60e6 / quarter_us * QUARTER / beat.ticks < SLOWEST_BEAT
    return value_for_ticks(meter.unit_ticks) or beat if meter.compound and slow else beat


def felt_beat(meter: Meter) -> NoteValue:
    """The value of one beat, in which a tempo is counted; the quarter where beats differ."""
    if meter.irregular:
        return NoteValue("quarter")
    return value_for_ticks(meter.beat_ticks) or NoteValue("quarter")
