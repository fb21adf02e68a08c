"""Commands that work on the library: serve, demo, import, export, backup."""

from __future__ import annotations

import argparse
import secrets
import signal
import socket
import sys
from pathlib import Path

from ductus.app.files.whole import STDIO, write_out
from ductus.cli.converting import OutputOptions, output_options, written
from ductus.cli.many import Outcome, attempt
from ductus.cli.output import file_name, read_in
from ductus.core.errors import BadInput
from ductus.core.words import count_words

# a connection that is closed while a request is on its way over it breaks the request: that is left to the browser
KEEP_ALIVE_S = 75


EVERYWHERE = ("0.0.0.0", "::")
OPEN_TO_OTHERS = (
    "Every machine that reaches this one can open that address: who has its key reads and changes all pieces, and "
    "nothing on the way is encrypted. "
    "The key holds until Ductus is stopped; a browser that came with it once needs it no more."
)


def library_path(args: argparse.Namespace) -> Path:
    """The file of the library that a command works on."""
    return Path(args.data or default_data()) / "library.sqlite"


def default_data() -> Path:
    """The folder where this system keeps the data of programs: ~/.local/share/ductus on Linux."""
    from platformdirs import user_data_path

    return user_data_path("ductus", appauthor=False)


def run_server(args: argparse.Namespace) -> int:
    """Open the library and serve it until interrupted; ``demo`` puts the barge's pieces on an empty shelf."""
    import uvicorn

    from ductus.app.library import Library
    from ductus.demo.shelf import fill_library
    from ductus.web.server import LOCAL_HOSTS, create_app

    demo = args.command == "demo"
    data = args.data or (default_data() / "demo" if demo else default_data())
    library = Library(data / "library.sqlite", apart=True)
    if demo:
        fill_library(library)
    if library.database.damage:
        print(library.database.damage, file=sys.stderr, flush=True)
    key = "" if args.host in LOCAL_HOSTS else secrets.token_urlsafe(18)
    where = args.host if args.host not in EVERYWHERE else socket.gethostname()
    address = f"http://{where}:{args.port}/" + (f"?key={key}" if key else "")
    print(f"Ductus is at {address}  (Ctrl-C stops it; everything is kept in {data})", flush=True)
    if key:
        print(OPEN_TO_OTHERS, flush=True)
    # The server ends its work and then lets the signal go on to whoever had it before: to us, so that the library is
    # closed.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    try:
        uvicorn.run(
            create_app(library, LOCAL_HOSTS, args.describe, key),
            host=args.host,
            port=args.port,
            log_level="warning",
            ws_max_size=4_000_000,
            timeout_keep_alive=KEEP_ALIVE_S,
        )
    finally:
        library.close()
    return 0


class Import:
    """A file on its way into a library."""

    def __init__(self, library: object, source: str) -> None:
        self.library, self.source = library, source

    @property
    def name(self) -> str:
        """The file."""
        return "standard input" if self.source == STDIO else self.source

    def run(self) -> Outcome:
        """Take it in; the addresses of its pieces go to the standard output. Raises DuctusError, OSError."""
        from ductus.app.document.jobs import carry_out
        from ductus.app.files.importing import take_in
        from ductus.app.library import Library

        assert isinstance(self.library, Library)
        arrived = take_in(self.library, read_in(self.source), Path(self.source).name)
        if arrived.job is not None:
            carry_out(self.library.desk(arrived.pieces[0]), arrived.job)
        for piece in arrived.pieces:
            print(f"{piece}  {arrived.said}", flush=True)
        return Outcome(arrived.left_out)


def run_import(args: argparse.Namespace) -> int:
    """Bring files into the library; prints the address of each new piece.

    One library is written by one process, so one after the other.
    """
    from ductus.app.library import Library

    library = Library(library_path(args))
    failed = 0
    try:
        for source in args.files:
            done = attempt(Import(library, source))
            failed += bool(done.trouble)
            for sentence in (done.trouble,) if done.trouble else done.outcome.said:
                print(f"{done.name}: {sentence}" if len(args.files) > 1 else sentence, file=sys.stderr)
    finally:
        library.close()
    return 0 if not failed else 2 if len(args.files) == 1 else 1


def run_export(args: argparse.Namespace) -> int:
    """Write pieces of the library, by the ending of the file; or one part of each."""
    from ductus.app.files.exporting import kind_of
    from ductus.app.library import Library

    out = Path(args.out)
    many = len(args.pieces) != 1 or args.all or out.is_dir() or args.out.endswith("/")
    ending = (args.to or ("" if many else out.suffix)).lstrip(".").lower()
    if not ending:
        raise BadInput("Say what is to be written into the folder with --to KIND. Nothing was written.")
    kind_of(ending)
    library = Library(library_path(args))
    failed = 0
    try:
        if not args.all and not args.pieces:
            raise BadInput("Name pieces, or --all. Nothing was written.")
        names = [row.id for row in library.shelf()] if args.all else args.pieces
        for name in names:
            done = attempt(Export(library, name, out, ending, output_options(args), many=many, history=args.history))
            failed += bool(done.trouble)
            for sentence in (done.trouble,) if done.trouble else done.outcome.said:
                print(f"{name}: {sentence}" if len(names) > 1 else sentence, file=sys.stderr)
    finally:
        library.close()
    return 0 if not failed else 2 if len(names) == 1 else 1


class Export:
    """A piece of a library on its way out."""

    def __init__(
        self, library: object, piece: str, out: Path, ending: str, how: OutputOptions, *, many: bool, history: bool
    ) -> None:
        self.library, self.piece, self.out, self.ending, self.how = library, piece, out, ending, how
        self.many, self.history = many, history

    @property
    def name(self) -> str:
        """The address of the piece."""
        return self.piece

    def run(self) -> Outcome:
        """Write it. Raises DuctusError, OSError."""
        from ductus.app.library import Library
        from ductus.formats.musicxml_write import left_out

        assert isinstance(self.library, Library)
        piece = self.library.desk(self.piece).piece
        packed = self.library.packed(self.piece, history=self.history) if self.ending == "ductus" else None
        data = written(piece, self.ending, self.how, packed)
        path = self.out
        if self.many:
            self.out.mkdir(parents=True, exist_ok=True)
            path = self.out / f"{file_name(piece.facts.title)}-{self.piece}.{self.ending}"
        write_out(path, data)
        return Outcome(tuple(left_out(piece)) if self.ending != "ductus" else ())


def run_backup(args: argparse.Namespace) -> int:
    """The whole library as one file."""
    from ductus.app.library import Library

    library = Library(library_path(args))
    try:
        write_out(args.out, library.backup())
        print(f"{count_words(len(library.shelf()), 'piece')} in {args.out}.", file=sys.stderr)
    finally:
        library.close()
    return 0
