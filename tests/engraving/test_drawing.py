"""The engraver in a process of its own draws what it draws here, comes back when it is killed, and ends with its
library.
"""

from __future__ import annotations

from ductus.engraving.drawing import Apart
from ductus.engraving.engraver import Engraver
from ductus.engraving.layout import SystemRange
from tests.building import random_piece


def test_a_system_is_the_same_drawn_here_and_apart() -> None:
    piece = random_piece(5, "3/4")
    here, apart = Engraver(), Engraver(apart=True)
    for system in (SystemRange(0, 2), SystemRange(3, 5)):
        assert here.engrave(piece, system).svg == apart.engrave(piece, system).svg
    assert here.engrave(piece, SystemRange(0, 2), 1800).svg == apart.engrave(piece, SystemRange(0, 2), 1800).svg
    apart.close()


def test_an_engraver_that_dies_is_started_again() -> None:
    piece = random_piece(6, "4/4")
    engraver = Engraver(apart=True)
    drawing = engraver._drawing
    assert isinstance(drawing, Apart)
    assert drawing._process is not None
    drawing._process.kill()
    drawing._process.wait()
    assert engraver.engrave(piece, SystemRange(0, 1)).svg.startswith("<svg")
    engraver.close()
    assert drawing._process.poll() is not None
