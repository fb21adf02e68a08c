"""The channels that parts sound on, in MIDI and wherever parts are told apart by one."""

from __future__ import annotations

from ductus.core.capture.takes import PERCUSSION_CHANNEL
from ductus.core.score.model.piece import Piece

PITCHED_CHANNELS = tuple(c for c in range(16) if c != PERCUSSION_CHANNEL)


def channels_of(piece: Piece) -> dict[str, int]:
    """The channel of each part: percussion on its own, pitched parts on the other fifteen.

    Where there are more parts than that, parts of one sound share.
    """
    out: dict[str, int] = {}
    pitched = []
    for part in piece.ordered_parts():
        if part.percussion:
            out[part.id] = PERCUSSION_CHANNEL
        else:
            pitched.append(part)
    if len(pitched) <= len(PITCHED_CHANNELS):
        return out | {p.id: c for p, c in zip(pitched, PITCHED_CHANNELS, strict=False)}
    programmes = list(dict.fromkeys(p.programme for p in pitched))
    return out | {p.id: PITCHED_CHANNELS[programmes.index(p.programme) % len(PITCHED_CHANNELS)] for p in pitched}
