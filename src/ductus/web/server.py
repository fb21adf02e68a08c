"""The application: routes, WebSocket, the built front end; ``guard`` stands before all of them."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import partial
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Request, Response, WebSocket
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles

from ductus import __version__
from ductus.app.files.file_jobs import Works
from ductus.app.files.midi_import import read_on
from ductus.app.library import Library
from ductus.app.wire import Problem
from ductus.core.errors import BadInput, DuctusError, NotKept, NotThere, Stale, Stopped, TooMuch
from ductus.web.guard import Guard
from ductus.web.page_routes import router as page_router
from ductus.web.rooms import Rooms
from ductus.web.routes import router
from ductus.web.runtime import for_players
from ductus.web.shelf_routes import router as shelf_router
from ductus.web.wire import fact_json, wire_schema

STATIC = Path(__file__).parent / "static"
SOUNDS = Path(__file__).parents[1] / "sounds"
LOCAL_HOSTS = ("127.0.0.1", "localhost", "[::1]")
STATUS: dict[type[DuctusError], int] = {
    TooMuch: 413,
    BadInput: 422,
    NotThere: 404,
    Stale: 409,
    NotKept: 503,
    Stopped: 409,
    DuctusError: 400,
}
NO_SUCH_PIECE = 4404
LONGEST_NAME = 200  # of a file that is served
NOT_BUILT = "The front end is not built. Run 'make setup' in a checkout of Ductus, or install a released wheel."


def status_of(error: DuctusError) -> int:
    """HTTP status of an error class."""
    return next(STATUS[kind] for kind in type(error).__mro__ if kind in STATUS)


def create_app(
    library: Library, hosts: tuple[str, ...] = LOCAL_HOSTS, described: bool = False, key: str = ""
) -> FastAPI:
    """Make the application for a library.

    It answers only requests for one of ``hosts``, or, with a ``key``, those that bring it. ``described``: it has a
    page that describes its interface to programs.
    """
    rooms = Rooms(library.journal)

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        loop = asyncio.get_running_loop()
        rooms.begin(loop)
        async with for_players(lambda: loop.time() - rooms.touched):
            yield
        rooms.end()

    pages = {} if described else {"docs_url": None, "redoc_url": None, "openapi_url": None}
    app = FastAPI(title="Ductus", version=__version__, lifespan=lifespan, **pages)  # type: ignore[arg-type]
    app.state.library = library
    app.state.rooms = rooms
    app.state.works = Works()
    _add_words(app)
    app.add_middleware(Guard, hosts=hosts, key=key)
    app.include_router(shelf_router)
    app.include_router(router)
    app.include_router(page_router)
    _add_socket(app)
    _add_pages(app)
    _describe_wire(app)
    return app


def _add_words(app: FastAPI) -> None:
    """Every error gets words."""

    @app.exception_handler(DuctusError)
    async def say(_: Request, error: DuctusError) -> Response:
        return JSONResponse({"message": str(error)}, status_of(error))

    @app.exception_handler(RequestValidationError)
    async def misfit(_: Request, error: RequestValidationError) -> Response:
        first = error.errors()[0]
        place = ".".join(str(x) for x in first["loc"][1:])
        return JSONResponse({"message": f"{place}: {first['msg']}. Nothing was changed."}, 422)


def _add_socket(app: FastAPI) -> None:
    @app.websocket("/api/pieces/{piece_id}/desk")
    async def desk(socket: WebSocket, piece_id: str, seat: str = "", fresh: bool = True) -> None:
        await socket.accept()
        try:
            opened = await asyncio.to_thread(app.state.library.desk, piece_id)
            await asyncio.to_thread(app.state.rooms.go_on, opened, partial(read_on, app.state.library, opened))
        except DuctusError as error:
            await socket.send_text(f"[{fact_json(Problem(str(error)))}]")
            await socket.close(NO_SUCH_PIECE if isinstance(error, NotThere) else 1013)
            return
        await app.state.rooms.serve(socket, opened, seat, fresh)


def _add_pages(app: FastAPI) -> None:
    app.mount("/sounds", StaticFiles(directory=SOUNDS), name="sounds")
    if (STATIC / "assets").is_dir():
        app.mount("/assets", StaticFiles(directory=STATIC / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        if path.startswith("api/"):
            raise NotThere("There is nothing at this address.")
        found = (STATIC / path).resolve() if all(len(p) <= LONGEST_NAME for p in path.split("/")) else STATIC
        if path and found.is_relative_to(STATIC) and found.is_file():
            return FileResponse(found)
        index = STATIC / "index.html"
        return FileResponse(index) if index.exists() else Response(NOT_BUILT, 503, media_type="text/plain")


def _describe_wire(app: FastAPI) -> None:
    """Put the WebSocket's messages beside the REST schemas, so that one description serves all types."""
    plain = app.openapi

    def openapi() -> dict[str, Any]:
        description = plain()
        schemas = description.setdefault("components", {}).setdefault("schemas", {})
        wire = wire_schema()
        schemas.update(wire["$defs"])
        schemas["ClientMessage"], schemas["ServerMessage"] = wire["client"], wire["server"]
        return description

    app.openapi = openapi  # type: ignore[method-assign]
