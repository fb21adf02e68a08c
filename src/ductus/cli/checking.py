"""``ductus check``: what a proofreader would mark in scores, one line each; the exit code says whether there is any."""

from __future__ import annotations

import argparse
from pathlib import Path

from ductus.app.files.whole import STDIO
from ductus.cli.output import read_in

FOUND = 1  # exit code


def run_check(args: argparse.Namespace) -> int:
    """Proofread each file. Returns 1 where something was found, else 0. Raises DuctusError, OSError."""
    from ductus.app.files.importing import in_hand
    from ductus.engraving.pages import PageSetup, part_named
    from ductus.engraving.proofreading import proofread, report, summary

    code = 0
    for source in args.files:
        for one in in_hand(read_in(source), "" if source == STDIO else Path(source).name):
            piece = one.packed.piece
            part = part_named(piece, args.part).id if args.part else ""
            _, found = proofread(piece, PageSetup(args.page, args.staff_mm, part))
            name = "standard input" if source == STDIO else source
            for line in report(piece, found):
                print(f"{name}: {line}")
            print(f"{name}: {summary(found)}")
            code = FOUND if found else code
    return code
