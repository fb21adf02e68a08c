"""``ductus transcribe``: performances read into MusicXML, one or many."""

from __future__ import annotations

import argparse
import gc
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from ductus.cli.many import HowMany, Outcome, Task, carry_out_all
from ductus.cli.output import files_in
from ductus.core.errors import BadInput

if TYPE_CHECKING:
    from ductus.app.files.transcribe import Wishes


@dataclass(frozen=True, slots=True)
class Transcription:
    """One performance and the page it becomes."""

    source: Path
    out: Path
    wishes: Wishes
    doubts: Path | None
    also: tuple[Path, ...] = ()
    traced: Path | None = None

    @property
    def name(self) -> str:
        """The performance."""
        return str(self.source)

    def run(self) -> Outcome:
        """Read and write. Raises DuctusError, OSError."""
        with not_collecting():
            from ductus.app.files.transcribe import transcribe_file

            said, figures = transcribe_file(self.source, self.out, self.wishes, self.doubts, self.also, self.traced)
        return Outcome((said,) if said else (), figures)


@contextmanager
def not_collecting() -> Iterator[None]:
    """While this lasts Python does not look for objects that hold each other.

    Reading makes next to none (60,000 notes take as much memory either way), and to look takes 4 % of the time of a
    short take, 9 % of that of a long one.
    """
    looked = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if looked:
            gc.enable()


def run_transcribe(args: argparse.Namespace) -> int:
    """Read performances into MusicXML 4.0."""
    with not_collecting():
        from ductus.app.files.transcribe import Wishes

    wishes = Wishes(
        meter=args.meter,
        tempo=None if args.free else args.tempo,
        start_beat_at=args.start_beat_at,
        about=args.about,
        readings=args.readings,
        shortest=args.shortest,
        tuplets=args.tuplets,
        split=args.split,
        swing=args.swing,
        key=args.key,
        title=args.title,
    )
    how = HowMany(args.jobs, args.resume, args.manifest)
    if args.out is not None:
        if len(args.midi) > 1:
            raise BadInput("Several performances cannot become one file; name a folder with -d. Nothing was written.")
        task = Transcription(args.midi[0], args.out, wishes, args.doubts, tuple(args.also), args.trace)
        return carry_out_all([task], how)
    if args.also:
        raise BadInput("--also is for one piece with -o. Nothing was written.")
    if args.doubts is not None or args.trace is not None:
        option = "--trace" if args.doubts is None else "--doubts"
        raise BadInput(f"{option} is for one performance with -o. Nothing was written.")
    args.folder.mkdir(parents=True, exist_ok=True)
    found = list(files_in(map(str, args.midi), (".mid", ".midi")))
    outs = [args.folder / below.with_suffix(".musicxml") for _, below in found]
    if len(set(outs)) < len(outs):
        raise BadInput("Two of the performances would be written to the same file. Nothing was written.")
    for folder in {out.parent for out in outs}:
        folder.mkdir(parents=True, exist_ok=True)
    tasks: list[Task] = [Transcription(Path(p), o, wishes, None) for (p, _), o in zip(found, outs, strict=True)]
    return carry_out_all(tasks, how)
