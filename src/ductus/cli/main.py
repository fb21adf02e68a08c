"""All commands and options, and what their ends mean to a script.

0 done, 1 some of several failed, 2 wrong use or nothing could be done.

Argparse and imports inside the commands keep the start short: a file is transcribed in a fraction of a second
(docs/decisions/0005-start-up.md).
"""

from __future__ import annotations

import argparse
import os
import signal
import sys
from collections.abc import Sequence
from pathlib import Path

# Our matrices are small: threads for them cost a tenth of a short take's computing.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from ductus import __version__
from ductus.cli.checking import run_check
from ductus.cli.converting import run_convert
from ductus.cli.library import run_backup, run_export, run_import, run_server
from ductus.cli.output import file_trouble
from ductus.cli.transcribing import run_transcribe
from ductus.core.errors import DuctusError

KINDS = "musicxml, mxl, mid, pdf, svg, zip (its pages as SVG), wav, flac, ogg, mp3 or ductus"
INTERRUPTED = 130
CONVERT_EXAMPLES = """examples:
  ductus convert song.mid -o song.musicxml
  ductus convert scores/*.mxl -o parts --to pdf --jobs 2
  ductus convert score.musicxml -o - --to mid > score.mid
  ductus convert library.ductus -o pages/ --to pdf
"""
CHECK_EXAMPLES = """examples:
  ductus check score.musicxml
  ductus check parts.mxl --part Viola --page letter
  ductus check scores/*.mxl || echo "look at them once more"
"""
TRANSCRIBE_EXAMPLES = """examples:
  ductus transcribe take.mid -o take.musicxml --tempo 96 --meter 3/4 --start-beat-at 2.5
  ductus transcribe free.mid -o free.musicxml --free --readings 3
  ductus transcribe takes/*.mid -d pages --free --jobs 2
  ductus transcribe one.mid --also two.mid --also three.mid -o all.musicxml --free
"""
COMPLETION_EXAMPLES = """examples:
  ductus completion bash > ~/.local/share/bash-completion/completions/ductus
  ductus completion zsh > ~/.zfunc/_ductus
"""
NAMES_OF_FILES = ("inputs", "files", "midi", "out", "also", "doubts", "folder", "data", "manifest")
EXPORT_EXAMPLES = """examples:
  ductus export 3f2a91c0de -o waltz.pdf
  ductus export --all -o backup/ --to ductus --history
"""


def readings_count(text: str) -> int:
    """1 to 9."""
    if text not in tuple("123456789"):
        raise argparse.ArgumentTypeError("1 to 9 readings can be written")
    return int(text)


def pages_count(text: str) -> int:
    """1 to 400 pages."""
    if not text.isascii() or not text.isdecimal() or not 1 <= int(text[:4]) <= 400:
        raise argparse.ArgumentTypeError("a piece can be fitted on 1 to 400 pages")
    return int(text)


def jobs_count(text: str) -> int:
    """1 to 64 at a time."""
    if not text.isascii() or not text.isdecimal() or not 1 <= int(text[:4]) <= 64:
        raise argparse.ArgumentTypeError("1 to 64 files can be worked on at a time")
    return int(text)


def parser() -> argparse.ArgumentParser:
    """All commands and options."""
    top = argparse.ArgumentParser(prog="ductus", description="Ductus: keyboard playing into notated scores.")
    top.add_argument("--version", action="version", version=f"Ductus {__version__}")
    commands = top.add_subparsers(dest="command", required=True)
    for name, words in (
        ("serve", "serve the library on this machine"),
        ("demo", "serve a library with the barge's pieces"),
    ):
        server = commands.add_parser(name, help=words)
        server.add_argument("--host", default="127.0.0.1")
        server.add_argument(
            "--describe", action="store_true", help="also serve a page that describes the interface to programs (/docs)"
        )
        server.add_argument("--port", type=int, default=8765)
        server.add_argument("--data", type=Path, help="folder that holds the library")
        server.set_defaults(run=run_server)
    _add_convert(commands)
    _add_check(commands)
    _add_library(commands)
    _add_transcribe(commands)
    complete = _command(
        commands, "completion", "print what a shell needs to complete commands, options and files", COMPLETION_EXAMPLES
    )
    complete.add_argument("shell", choices=("bash", "zsh"))
    complete.set_defaults(run=run_completion)
    return top


def run_completion(args: argparse.Namespace) -> int:
    """Print the completion of a shell, made from the very same options."""
    import shtab

    top = parser()
    todo = [top]
    while todo:
        for action in todo.pop()._actions:
            if isinstance(action, argparse._SubParsersAction):
                todo += action.choices.values()
            elif action.dest in NAMES_OF_FILES:
                action.complete = shtab.FILE  # type: ignore[attr-defined]
    print(shtab.complete(top, args.shell))
    return 0


def _command(
    commands: argparse._SubParsersAction[argparse.ArgumentParser], name: str, words: str, examples: str = ""
) -> argparse.ArgumentParser:
    made: argparse.ArgumentParser = commands.add_parser(
        name, help=words, description=words[:1].upper() + words[1:] + ".", epilog=examples,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )  # fmt: skip
    return made


def _add_how(command: argparse.ArgumentParser) -> None:
    """Options of commands that write pieces."""
    command.add_argument("--to", help=f"kind of file, where the name does not say it: {KINDS}")
    command.add_argument("--part", default="", help="one part only, by its name")
    command.add_argument("--page", choices=("a4", "letter"), default="a4", help="page size")
    command.add_argument("--staff-mm", type=float, help="height of a staff in mm; proposed from the music if not given")
    command.add_argument("--pages", type=pages_count, metavar="N", help="fit it on at most so many pages")
    command.add_argument("--turn-at-rests", action="store_true", help="right-hand pages end with a rest if one is near")
    command.add_argument("--bars", default="", metavar="5-12", help="audio: these bars only")
    command.add_argument(
        "--as-played", action="store_true", help="audio and MIDI: notes of takes when they were played"
    )
    command.add_argument(
        "--feel", type=int, choices=range(101), default=0, metavar="0..100",
        help="audio: small differences of time and touch, in percent",
    )  # fmt: skip


def _add_many(command: argparse.ArgumentParser) -> None:
    """Options of commands that work on many files."""
    command.add_argument("--resume", action="store_true", help="leave what is there and newer than what it is made of")
    command.add_argument(
        "--manifest",
        type=Path,
        metavar="FILE",
        help="add a line of JSON for each file: what became of it, and how long",
    )


def _add_convert(commands) -> None:  # type: ignore[no-untyped-def]
    convert = _command(commands, "convert", "turn files of one kind into another, without a library", CONVERT_EXAMPLES)
    convert.add_argument(
        "inputs",
        nargs="+",
        metavar="IN",
        help="MIDI, MusicXML (.musicxml, .xml, .mxl) or .ductus, or a folder of them; - for the standard input",
    )
    convert.add_argument(
        "-o",
        dest="out",
        required=True,
        metavar="OUT_OR_DIR",
        help="file to write, or folder; - for the standard output",
    )
    _add_how(convert)
    convert.add_argument("--jobs", type=jobs_count, default=1, metavar="N", help="files worked on at a time")
    _add_many(convert)
    convert.add_argument("--quiet", action="store_true", help="do not list what of a file could not be kept")
    convert.set_defaults(run=run_convert)


def _add_check(commands) -> None:  # type: ignore[no-untyped-def]
    check = _command(
        commands, "check", "proofread scores: collisions, turns, ranges, the form; exit code 1 if there is anything",
        CHECK_EXAMPLES,
    )  # fmt: skip
    check.add_argument("files", nargs="+", metavar="IN", help="MusicXML, .ductus or MIDI; - for the standard input")
    check.add_argument("--part", default="", help="one part only, by its name")
    check.add_argument("--page", choices=("a4", "letter"), default="a4", help="page size")
    check.add_argument("--staff-mm", type=float, help="height of a staff in mm; proposed from the music if not given")
    check.set_defaults(run=run_check)


def _add_library(commands) -> None:  # type: ignore[no-untyped-def]
    bring = _command(commands, "import", "bring files into the library")
    bring.add_argument("files", nargs="+", metavar="FILE", help="MIDI, MusicXML or .ductus")
    bring.add_argument("--data", type=Path, help="folder that holds the library")
    bring.set_defaults(run=run_import)
    export = _command(commands, "export", f"write pieces of the library as {KINDS}", EXPORT_EXAMPLES)
    export.add_argument(
        "pieces", nargs="*", metavar="PIECE", help="the address of a piece, as the shelf and import give it"
    )
    export.add_argument("--all", action="store_true", help="all pieces of the library")
    export.add_argument("-o", dest="out", required=True, metavar="OUT_OR_DIR")
    _add_how(export)
    export.add_argument("--history", action="store_true", help="ductus: with everything that can be undone")
    export.add_argument("--data", type=Path, help="folder that holds the library")
    export.set_defaults(run=run_export)
    backup = _command(commands, "backup", "write the whole library into one .ductus file; import brings it back")
    backup.add_argument("-o", dest="out", required=True, metavar="OUT")
    backup.add_argument("--data", type=Path, help="folder that holds the library")
    backup.set_defaults(run=run_backup)


def _add_transcribe(commands) -> None:  # type: ignore[no-untyped-def]
    read = _command(commands, "transcribe", "read performances into MusicXML 4.0", TRANSCRIBE_EXAMPLES)
    read.add_argument("midi", type=Path, nargs="+", help="Standard MIDI File with a performance, or a folder of them")
    where = read.add_mutually_exclusive_group(required=True)
    where.add_argument("-o", dest="out", type=Path, help="MusicXML file to write")
    where.add_argument("-d", dest="folder", type=Path, help="folder to write into, for several performances")
    read.add_argument("--jobs", type=jobs_count, default=1, metavar="N", help="performances read at a time")
    _add_many(read)
    read.add_argument(
        "--also", type=Path, action="append", default=[], metavar="TAKE",
        help="a further take of the same (with --tempo: to the same click from the same start); "
        "may be given several times",
    )  # fmt: skip
    read.add_argument("--meter", help="3/4; found from the playing if not given")
    read.add_argument("--tempo", type=float, help="quarter notes a minute of the click, in every meter")
    read.add_argument(
        "--start-beat-at", type=float, default=0.0, help="seconds at which beat 1 of the first full bar falls"
    )
    read.add_argument("--free", action="store_true", help="played without a click: nothing is known")
    read.add_argument("--about", type=float, help="rough tempo of free playing, quarter notes a minute")
    read.add_argument(
        "--readings", type=readings_count, default=1, help="also write OUT-2, OUT-3 ... with rival readings"
    )
    read.add_argument("--shortest", help="finest value written: quarter, eighth, 16th, 32nd ...")
    read.add_argument(
        "--tuplets", action=argparse.BooleanOptionalAction, help="write tuplets (default: where clearly played)"
    )
    read.add_argument(
        "--swing",
        help="'written' (swung eighths as they sound), or the percentage of a beat that the first takes, as 64 "
        "(default: found, and written even with the sign)",
    )
    read.add_argument("--split", default="reach", help="'reach', or the lowest note of the right hand, as C4")
    read.add_argument("--doubts", type=Path, help="write the doubts as JSON")
    read.add_argument("--trace", type=Path, help="write why each note was written as it was, as JSON")
    read.add_argument("--key", default="auto", help="'auto', or sharps (+) or flats (-) of the signature")
    read.add_argument("--title", default="", help="title of the page")
    read.set_defaults(run=run_transcribe)


def main(arguments: Sequence[str] | None = None) -> None:
    """Entry point of the ``ductus`` command: one line for what cannot be done, and an exit code."""
    args = parser().parse_args(arguments)
    if arguments is None and args.run is not run_server:
        signal.signal(
            signal.SIGTERM, lambda *_: sys.exit(INTERRUPTED)
        )  # what is half written is taken away, as by Ctrl-C
    try:
        code = args.run(args)
    except DuctusError as error:
        print(" ".join(str(error).split()), file=sys.stderr)
        raise SystemExit(2) from error
    except BrokenPipeError:  # who reads our output has heard enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        raise SystemExit(1) from None
    except OSError as error:
        print(file_trouble(error), file=sys.stderr)
        raise SystemExit(2) from error
    except KeyboardInterrupt:
        print("Stopped. Files that were whole are kept; none is half written.", file=sys.stderr)
        raise SystemExit(INTERRUPTED) from None
    if code:
        raise SystemExit(code)
