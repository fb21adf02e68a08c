"""``ductus convert``: from any file that is read to any that is written, with no library."""

from __future__ import annotations

import argparse
from dataclasses import dataclass
from pathlib import Path

from ductus.app.files.whole import STDIO, write_out
from ductus.cli.many import HowMany, Outcome, Task, carry_out_all
from ductus.cli.output import file_name, files_in, read_in
from ductus.core.errors import BadInput

READ = (".mid", ".midi", ".musicxml", ".xml", ".mxl", ".ductus")  # that are taken out of a folder


@dataclass(frozen=True, slots=True)
class OutputOptions:
    """How pieces are written: the options of the command line."""

    part: str = ""
    page: str = "a4"
    staff_mm: float | None = None
    as_played: bool = False
    feel: int = 0
    bars: str = ""
    pages: int | None = None
    turn_at_rests: bool = False


def output_options(args: argparse.Namespace) -> OutputOptions:
    """The options of a command that writes pieces."""
    return OutputOptions(
        args.part, args.page, args.staff_mm, args.as_played, args.feel, args.bars, args.pages, args.turn_at_rests
    )


@dataclass(frozen=True, slots=True)
class Conversion:
    """One input and where it goes: a file, or a folder for an input of several pieces."""

    source: str
    out: str
    ending: str
    how: OutputOptions
    into_folder: bool = False

    @property
    def name(self) -> str:
        """The input as people call it."""
        return "standard input" if self.source == STDIO else self.source

    def run(self) -> Outcome:
        """Read, and write. Raises DuctusError, OSError."""
        from ductus.app.files.importing import in_hand

        name = "" if self.source == STDIO else Path(self.source).name
        found = in_hand(read_in(self.source), name)
        if self.ending == "ductus":
            from ductus.store.packed import to_file

            write_out(self.out, to_file([one.packed for one in found]))
        elif len(found) == 1:
            write_out(self.out, written(found[0].packed.piece, self.ending, self.how))
        elif not self.into_folder:
            raise BadInput(f"That file holds {len(found)} pieces; name a folder for them. Nothing was written.")
        else:
            _each(found, Path(self.out), self.ending, self.how)
        return Outcome(tuple(s for one in found for s in one.left_out), {"pieces": len(found)})


def _each(found: list, folder: Path, ending: str, how: OutputOptions) -> None:  # type: ignore[type-arg]
    """Several pieces of one file, each under its title."""
    taken: set[str] = set()
    folder = folder.with_suffix("")
    folder.mkdir(exist_ok=True)
    for one in found:
        plain = name = file_name(one.piece.facts.title)
        k = 2
        while name in taken:
            name, k = f"{plain} {k}", k + 1
        taken.add(name)
        write_out(folder / f"{name}.{ending}", written(one.piece, ending, how))


def written(piece, ending: str, how: OutputOptions, packed=None) -> bytes:  # type: ignore[no-untyped-def]
    """A piece as a file of a kind. Raises BadInput."""
    from ductus.app.files.exporting import Wanted, bars_named, kind_of
    from ductus.core.playback.performance import PlaybackStyle
    from ductus.engraving.pages import PageSetup, part_named

    part = part_named(piece, how.part).id if how.part else ""
    wanted = Wanted(manner=PlaybackStyle(how.as_played, how.feel), bars=bars_named(piece, how.bars), packed=packed)
    setup = PageSetup(how.page, how.staff_mm, part, how.pages, how.turn_at_rests)  # type: ignore[arg-type]
    return kind_of(ending).write(piece, setup, wanted)


def conversions(args: argparse.Namespace) -> list[Task]:
    """What is to be done. Raises BadInput, before anything is, for what cannot be meant."""
    from ductus.app.files.exporting import kind_of

    out, to, sources = args.out, (args.to or "").lstrip(".").lower(), list(args.inputs)
    if sources.count(STDIO) > 1:
        raise BadInput("The standard input can be read once. Nothing was written.")
    folder = Path(out)
    single = (
        len(sources) == 1
        and not Path(sources[0]).is_dir()
        and out != STDIO
        and not folder.is_dir()
        and not out.endswith("/")
    )
    if out == STDIO or single:
        if len(sources) > 1:
            raise BadInput(
                "Several files cannot go to one; name a folder with -o and a kind with --to. Nothing was written."
            )
        ending = to or folder.suffix.lstrip(".").lower()
        if not ending:
            raise BadInput("Say what is to be written: -o FILE with an ending, or --to KIND. Nothing was written.")
        kind_of(ending)
        return [Conversion(sources[0], out, ending, output_options(args))]
    if not to:
        raise BadInput("Say what is to be written into the folder with --to KIND. Nothing was written.")
    kind_of(to)
    folder.mkdir(parents=True, exist_ok=True)
    tasks, taken = [], dict[str, str]()
    for source, below in files_in(sources, READ):
        stem = Path("piece") if source == STDIO else below.with_suffix("")
        target = str(folder / stem.with_name(f"{stem.name}.{to}"))
        if target in taken:
            raise BadInput(f"{source} and {taken[target]} would both be {target}. Nothing was written.")
        if source != STDIO and Path(source).exists() and Path(target).exists() and Path(source).samefile(target):
            raise BadInput(f"{source} would be written over itself. Nothing was written.")
        taken[target] = source
        Path(target).parent.mkdir(parents=True, exist_ok=True)
        tasks.append(Conversion(source, target, to, output_options(args), into_folder=True))
    return list(tasks)


def run_convert(args: argparse.Namespace) -> int:
    """Convert files; returns the exit code."""
    return carry_out_all(conversions(args), HowMany(args.jobs, args.resume, args.manifest), quiet=args.quiet)
