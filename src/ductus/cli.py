"""The command line: serve, demo, transcribe, import, export.

Argparse and imports inside the commands keep the start short: a file is transcribed in a fraction of a second
(docs/decisions/0005-start-up.md).
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path

from ductus.core.errors import DuctusError

DEFAULT_DATA = Path.home() / ".local" / "share" / "ductus"


def run_server(args: argparse.Namespace) -> None:
    """Open the library and serve it until interrupted; ``demo`` puts the barge's pieces on an empty shelf."""
    import uvicorn

    from ductus.app.library import Library
    from ductus.demo.shelf import fill_library
    from ductus.web.server import LOCAL_HOSTS, create_app

    demo = args.command == "demo"
    data = args.data or (DEFAULT_DATA / "demo" if demo else DEFAULT_DATA)
    library = Library(data / "library.sqlite")
    if demo:
        fill_library(library)
    hosts = LOCAL_HOSTS if args.host in ("127.0.0.1", "localhost") else (*LOCAL_HOSTS, args.host)
    print(f"Ductus is at http://{args.host}:{args.port}/  (Ctrl-C stops it; everything is kept in {data})", flush=True)
    try:
        uvicorn.run(
            create_app(library, hosts), host=args.host, port=args.port, log_level="warning", ws_max_size=4_000_000
        )
    finally:
        library.close()


def run_import(args: argparse.Namespace) -> None:
    """Bring a MIDI file into the library; prints the address of the new piece."""
    from ductus.app.imports import bring, onto_shelf
    from ductus.app.jobs import carry_out
    from ductus.app.library import Library

    brought = bring(args.file.read_bytes(), args.file.name)
    library = Library((args.data or DEFAULT_DATA) / "library.sqlite")
    try:
        piece_id, job = onto_shelf(library, brought)
        carry_out(library.desk(piece_id), job)
    finally:
        library.close()
    print(f"{piece_id}  {brought.said}")


def run_export(args: argparse.Namespace) -> None:
    """Write a piece of the library as MusicXML, MIDI, PDF or SVG, by the ending of the file; or one part of it."""
    from ductus.app.export import Wanted, kind_of
    from ductus.app.library import Library
    from ductus.core.playback.performance import Manner
    from ductus.engraving.pages import PageSetup, part_named
    from ductus.formats.musicxml_write import left_out

    kind = kind_of(args.out.suffix)
    library = Library((args.data or DEFAULT_DATA) / "library.sqlite")
    try:
        piece = library.desk(args.piece).piece
        part = part_named(piece, args.part).id if args.part else ""
        wanted = Wanted(manner=Manner(args.as_played, args.feel))
        data = kind.write(piece, PageSetup(args.page, args.staff_mm, part), wanted)
        args.out.write_bytes(data)
        for sentence in left_out(piece):
            print(sentence, file=sys.stderr)
    finally:
        library.close()


def run_transcribe(args: argparse.Namespace) -> None:
    """Read a performance into MusicXML 4.0."""
    from ductus.app.transcribe import Wishes, transcribe_file

    wishes = Wishes(
        meter=args.meter,
        tempo=None if args.free else args.tempo,
        start_beat_at=args.start_beat_at,
        about=args.about,
        readings=args.readings,
        shortest=args.shortest,
        tuplets=args.tuplets,
        split=args.split,
        key=args.key,
        title=args.title,
    )
    transcribe_file(args.midi, args.out, wishes, args.doubts)


def readings_count(text: str) -> int:
    """1 to 9."""
    if text not in tuple("123456789"):
        raise argparse.ArgumentTypeError("1 to 9 readings can be written")
    return int(text)


def parser() -> argparse.ArgumentParser:
    """All commands and options."""
    top = argparse.ArgumentParser(prog="ductus", description="Ductus: keyboard playing into notated scores.")
    commands = top.add_subparsers(dest="command", required=True)
    for name, words in (
        ("serve", "serve the library on this machine"),
        ("demo", "serve a library with the barge's pieces"),
    ):
        server = commands.add_parser(name, help=words)
        server.add_argument("--host", default="127.0.0.1")
        server.add_argument("--port", type=int, default=8765)
        server.add_argument("--data", type=Path, help="folder that holds the library")
        server.set_defaults(run=run_server)
    bring = commands.add_parser("import", help="bring a MIDI file into the library")
    bring.add_argument("file", type=Path)
    bring.add_argument("--data", type=Path)
    bring.set_defaults(run=run_import)
    export = commands.add_parser(
        "export",
        help="write a piece as .musicxml, .mxl, .mid, .pdf, .svg, .zip (its pages as SVG), .wav, .flac, .ogg or .mp3",
    )
    export.add_argument("piece")
    export.add_argument("-o", dest="out", type=Path, required=True)
    export.add_argument("--part", default="", help="one part only, by its name")
    export.add_argument("--page", choices=("a4", "letter"), default="a4", help="page size")
    export.add_argument("--staff-mm", type=float, help="height of a staff in mm; proposed from the music if not given")
    export.add_argument("--as-played", action="store_true", help="audio: notes of takes when they were played")
    export.add_argument(
        "--feel",
        type=int,
        choices=range(101),
        default=0,
        metavar="0..100",
        help="audio: small differences of time and touch, in percent",
    )
    export.add_argument("--data", type=Path)
    export.set_defaults(run=run_export)
    read = commands.add_parser("transcribe", help="read a performance into MusicXML 4.0")
    read.add_argument("midi", type=Path, help="Standard MIDI File with a performance")
    read.add_argument("-o", dest="out", type=Path, required=True, help="MusicXML file to write")
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
    read.add_argument("--split", default="reach", help="'reach', or the lowest note of the right hand, as C4")
    read.add_argument("--doubts", type=Path, help="write the doubts as JSON")
    read.add_argument("--key", default="auto", help="'auto', or sharps (+) or flats (-) of the signature")
    read.add_argument("--title", default="", help="title of the page")
    read.set_defaults(run=run_transcribe)
    return top


def main(arguments: Sequence[str] | None = None) -> None:
    """Entry point of the ``ductus`` command: exit 2 and one line if the input cannot be used."""
    args = parser().parse_args(arguments)
    try:
        args.run(args)
    except DuctusError as error:
        print(" ".join(str(error).split()), file=sys.stderr)
        raise SystemExit(2) from error
    except OSError as error:
        print(file_trouble(error), file=sys.stderr)
        raise SystemExit(2) from error


def file_trouble(error: OSError) -> str:
    """What is wrong with a file, in a sentence."""
    name = error.filename or "A file"
    if isinstance(error, FileNotFoundError):
        return f"There is no file {name}."
    if isinstance(error, IsADirectoryError):
        return f"{name} is a folder, not a file."
    return f"{name} cannot be read or written ({error.strerror or error})."


if __name__ == "__main__":
    main()
