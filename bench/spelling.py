"""How many notes the pen spells otherwise than printed.

Scores that the fit never saw, entered part by part in the way of stepping.

python bench/spelling.py [HOW_MANY]
"""

from __future__ import annotations

import sys
from pathlib import Path

sys.path[:0] = [str(Path(__file__).resolve().parent.parent / "tools")]

from ductus.core.entry.events import KeyDown, KeyUp
from ductus.core.entry.machine import advance_entry
from ductus.core.entry.state import EntryState, StepValue, evolved
from ductus.core.errors import BadInput
from ductus.core.score.model.piece import Piece, make_piece
from ductus.core.score.model.records import KeyChange, MeterChange, Part
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER
from spelling_scores import MEASURED, Score, Struck, load_all, measured
from spelling_scores import Part as ScorePart


def meter_of(quarters: float) -> Meter:
    """A meter whose bars are so long, as far as one is."""
    for unit in (4, 8, 16, 32):
        count = quarters * unit / 4
        if count == int(count) and 1 <= count <= 32:
            return Meter(int(count), unit)
    return Meter(4, 4)


def blank_page(score: Score) -> Piece:
    """The page before the first note: parts of one staff, bar lines and signatures of the first part where they are
    printed.
    """
    part = score.parts[0]
    lengths = [b - a for a, b in zip(part.bars, part.bars[1:], strict=False)]
    meters = [MeterChange(f"m{k}", k, meter_of(length)) for k, length in enumerate(lengths)] or [
        MeterChange("m0", 0, Meter(4, 4))
    ]
    keys = {0: 0, **{bar_at(part, at): fifths for at, fifths in part.signatures}}
    parts = [Part(f"p{k}", f"Part {k}", order=k, clefs=("treble",)) for k in range(len(score.parts))]
    return make_piece([*meters, *(KeyChange(f"k{b}", b, f, score.mode) for b, f in keys.items()), *parts])


def bar_at(part: ScorePart, at: float) -> int:
    """The bar (index) of a place in quarters."""
    return max((k for k, start in enumerate(part.bars) if start <= at + 1e-6), default=0)


def entered(piece: Piece, state: EntryState, voice: list[Struck]) -> tuple[Piece, int]:
    """A voice stepped in, chord by chord; returns the page and how many notes were struck."""
    struck = 0
    for k, (at, length, chord) in enumerate(voice):
        until = voice[k + 1][0] if k + 1 < len(voice) else at + length
        ticks = round(max(min(length, until - at), 1 / 32) * QUARTER)
        state = evolved(state, tick=round(at * QUARTER), step=StepValue(custom=ticks))
        for event in [KeyDown(k, key) for key, _ in chord] + [KeyUp(k, key) for key, _ in chord]:
            outcome = advance_entry(state, event, piece)
            state = outcome.state
            piece = outcome.change.apply(piece) if outcome.change else piece
        struck += len(chord)
    return piece, struck


def otherwise_spelled(score: Score) -> tuple[int, int]:
    """(notes spelled otherwise than printed, notes)."""
    piece, wrong, total = blank_page(score), 0, 0
    for k, part in enumerate(score.parts):
        for v, voice in enumerate(part.voices[:4]):
            state = EntryState(f"p{k}", voice=v + 1, down=True)
            piece, _ = entered(piece, state, voice)
            printed = {(round(at * QUARTER), key): name for at, _, chord in voice for key, name in chord}
            mine = [n for n in piece.notes.values() if n.line == state.line and (n.tick, n.pitch.midi) in printed]
            total += len(mine)
            wrong += sum(n.pitch.fifths != printed[n.tick, n.pitch.midi] for n in mine)
    return wrong, total


def share_wrong(count: int = MEASURED) -> dict[str, float]:
    """What ``make bench`` keeps: scores, notes, and the share spelled otherwise, in percent."""
    wrong = total = scores = 0
    for score in load_all(measured(count)):
        try:
            here, of = otherwise_spelled(score)
        except BadInput as error:
            print(f"{score.path}: {error}")
            continue
        if here:
            print(f"{score.path}: {here} of {of}")
        wrong, total, scores = wrong + here, total + of, scores + 1
    return {"scores": scores, "notes": total, "otherwise_percent": round(100 * wrong / total, 3)}


if __name__ == "__main__":
    print(share_wrong(int(sys.argv[1]) if len(sys.argv) > 1 else MEASURED))
