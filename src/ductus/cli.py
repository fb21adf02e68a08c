"""The command line: serve, demo, transcribe, import, export."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, NoReturn

import typer

from ductus.core.errors import DuctusError

app = typer.Typer(add_completion=False, no_args_is_help=True, help="Ductus: keyboard playing into notated scores.")
DEFAULT_DATA = Path.home() / ".local" / "share" / "ductus"
Data = Annotated[Path, typer.Option(help="folder that holds the library")]


def fail(error: Exception) -> NoReturn:
    """One line on standard error, exit 2."""
    typer.echo(" ".join(str(error).split()), err=True)
    raise typer.Exit(2)


def run_server(data: Path, host: str, port: int, *, demo: bool) -> None:
    """Open the library and serve it until interrupted."""
    import uvicorn

    from ductus.app.library import Library
    from ductus.demo.scenario import fill_library
    from ductus.web.server import LOCAL_HOSTS, create_app

    try:
        library = Library(data / "library.sqlite")
        if demo:
            fill_library(library)
    except (DuctusError, OSError) as error:
        fail(error)
    hosts = LOCAL_HOSTS if host in ("127.0.0.1", "localhost") else (*LOCAL_HOSTS, host)
    typer.echo(f"Ductus is at http://{host}:{port}/  (Ctrl-C stops it; everything is kept in {data})")
    uvicorn.run(create_app(library, hosts), host=host, port=port, log_level="warning", ws_max_size=4_000_000)
    library.close()


@app.command()
def serve(host: str = "127.0.0.1", port: int = 8765, data: Data = DEFAULT_DATA) -> None:
    """Serve the library on this machine."""
    run_server(data, host, port, demo=False)


@app.command()
def demo(host: str = "127.0.0.1", port: int = 8765, data: Data = DEFAULT_DATA / "demo") -> None:
    """Serve a library with the barge's pieces (put there when the shelf is empty)."""
    run_server(data, host, port, demo=True)


@app.command("import")
def import_(file: Path, data: Data = DEFAULT_DATA) -> None:
    """Bring a MIDI file into the library; prints the address of the new piece."""
    from ductus.app.imports import import_file
    from ductus.app.library import Library

    try:
        imported = import_file(file.read_bytes(), file.name)
        library = Library(data / "library.sqlite")
        piece_id = library.add(imported.piece, imported.take)
        library.close()
    except (DuctusError, OSError) as error:
        fail(error)
    typer.echo(f"{piece_id}  {imported.said}")


@app.command()
def export(
    piece: str,
    out: Annotated[Path, typer.Option("-o", help="file to write: .musicxml or .mid")],
    data: Data = DEFAULT_DATA,
) -> None:
    """Write a piece of the library as MusicXML or as a MIDI file, by the ending of the file."""
    from ductus.app.library import Library
    from ductus.formats.midi import write_midi
    from ductus.formats.musicxml_write import write_musicxml

    try:
        writers = {".musicxml": write_musicxml, ".xml": write_musicxml, ".mid": write_midi, ".midi": write_midi}
        if out.suffix not in writers:
            fail(ValueError(f"Ductus writes .musicxml and .mid, not '{out.suffix}'. Nothing was written."))
        library = Library(data / "library.sqlite")
        out.write_bytes(writers[out.suffix](library.desk(piece).piece))
        library.close()
    except (DuctusError, OSError) as error:
        fail(error)


@app.command()
def transcribe(
    midi: Annotated[Path, typer.Argument(help="Standard MIDI File with a performance")],
    out: Annotated[Path, typer.Option("-o", help="MusicXML file to write")],
    meter: Annotated[str | None, typer.Option(help="3/4; found from the playing if not given")] = None,
    tempo: Annotated[float | None, typer.Option(help="quarter notes a minute of the click, in every meter")] = None,
    start_beat_at: Annotated[float, typer.Option(help="seconds at which beat 1 of the first full bar falls")] = 0.0,
    free: Annotated[bool, typer.Option("--free", help="played without a click: nothing is known")] = False,
    about: Annotated[float | None, typer.Option(help="rough tempo of free playing, quarter notes a minute")] = None,
    readings: Annotated[int, typer.Option(min=1, max=9, help="also write OUT-2, OUT-3 ... with rival readings")] = 1,
    shortest: Annotated[str | None, typer.Option(help="finest value written: quarter, eighth, 16th, 32nd ...")] = None,
    tuplets: Annotated[
        bool | None, typer.Option("--tuplets/--no-tuplets", help="write tuplets (default: where clearly played)")
    ] = None,
    split: Annotated[str, typer.Option(help="'reach', or the lowest note of the right hand, as C4")] = "reach",
    doubts: Annotated[Path | None, typer.Option(help="write the doubts as JSON")] = None,
    key: Annotated[str, typer.Option(help="'auto', or sharps (+) or flats (-) of the signature")] = "auto",
    title: Annotated[str, typer.Option(help="title of the page")] = "",
) -> None:
    """Read a performance into MusicXML 4.0. Exit 2 and one line if the input cannot be used."""
    from ductus.app.transcribe import Wishes, transcribe_file

    try:
        wishes = Wishes(
            meter=meter,
            tempo=None if free else tempo,
            start_beat_at=start_beat_at,
            about=about,
            readings=readings,
            shortest=shortest,
            tuplets=tuplets,
            split=split,
            key=key,
            title=title,
        )
        transcribe_file(midi, out, wishes, doubts)
    except (DuctusError, OSError) as error:
        fail(error)


def main() -> None:
    """Entry point of the ``ductus`` command."""
    app(prog_name="ductus")


if __name__ == "__main__":
    main()
