"""The application: routes, WebSocket, the built front end, and the guards around them.

Ductus serves one person on their own machine. It answers only to its own host names, only to pages it served
itself (Origin), and lets no script run that it did not ship (Content-Security-Policy).
"""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from fastapi import FastAPI, Request, Response, WebSocket
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles
from starlette.middleware.trustedhost import TrustedHostMiddleware

from ductus import __version__
from ductus.app.library import Library
from ductus.core.errors import BadInput, DuctusError, NotThere, Stale, TooMuch
from ductus.web.rooms import Rooms
from ductus.web.routes import router, wire_schema

STATIC = Path(__file__).parent / "static"
LOCAL_HOSTS = ("127.0.0.1", "localhost", "[::1]")
STATUS: dict[type[DuctusError], int] = {TooMuch: 413, BadInput: 422, NotThere: 404, Stale: 409, DuctusError: 400}
MAX_BODY = 21_000_000
POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; font-src 'self' data:; img-src 'self' data: blob:; "
    "media-src 'self' blob:; worker-src 'self' blob:; connect-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'"
)
HEADERS = {"Content-Security-Policy": POLICY, "X-Content-Type-Options": "nosniff", "Referrer-Policy": "no-referrer"}
NOT_BUILT = "The front end is not built. Run 'make setup' in a checkout of Ductus, or install a released wheel."


def status_of(error: DuctusError) -> int:
    """HTTP status of an error class."""
    return next(STATUS[kind] for kind in type(error).__mro__ if kind in STATUS)


def same_origin(origin: str | None, host: str | None) -> bool:
    """May a page from ``origin`` talk to us? Programs that are no browsers send none."""
    return origin is None or urlsplit(origin).netloc == host


def create_app(library: Library, hosts: tuple[str, ...] = LOCAL_HOSTS) -> FastAPI:
    """Make the application for a library; it answers only requests for one of ``hosts``."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        app.state.loop = asyncio.get_running_loop()
        yield

    app = FastAPI(title="Ductus", version=__version__, lifespan=lifespan)
    app.state.library = library
    app.state.rooms = Rooms()
    _add_guards(app)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=list(hosts))
    app.include_router(router)
    _add_socket(app)
    _add_pages(app)
    _describe_wire(app)
    return app


def _add_guards(app: FastAPI) -> None:
    @app.middleware("http")
    async def guard(request: Request, call_next: Callable[[Request], Awaitable[Response]]) -> Response:
        if request.method not in ("GET", "HEAD") and not same_origin(
            request.headers.get("origin"), request.headers.get("host")
        ):
            return JSONResponse(
                {"message": "This request came from a page that is not ours; it was not carried out."}, 403
            )
        if int(request.headers.get("content-length") or 0) > MAX_BODY:
            return JSONResponse(
                {"message": "That is more than 20 MB; Ductus takes no larger files. Nothing was imported."}, 413
            )
        response = await call_next(request)
        response.headers.update(HEADERS)
        return response

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
    async def desk(socket: WebSocket, piece_id: str) -> None:
        if not same_origin(socket.headers.get("origin"), socket.headers.get("host")):
            await socket.close(4403, "This page is not ours.")
            return
        await socket.accept()
        try:
            opened = await asyncio.to_thread(app.state.library.desk, piece_id)
        except NotThere as error:
            await socket.send_json({"type": "problem", "message": str(error), "stale": False})
            await socket.close(4404, "no such piece")
            return
        await app.state.rooms.serve(socket, opened)


def _add_pages(app: FastAPI) -> None:
    if (STATIC / "assets").is_dir():
        app.mount("/assets", StaticFiles(directory=STATIC / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        if path.startswith("api/"):
            raise NotThere("There is nothing at this address.")
        found = (STATIC / path).resolve()
        if path and found.is_relative_to(STATIC) and found.is_file():
            return FileResponse(found)
        index = STATIC / "index.html"
        return FileResponse(index) if index.exists() else Response(NOT_BUILT, 503, media_type="text/plain")


def _describe_wire(app: FastAPI) -> None:
    """Put the WebSocket's messages beside the REST schemas, so that one description serves all types."""
    plain = app.openapi

    def openapi() -> dict[str, Any]:
        description = plain()
        wire: Any = wire_schema()
        schemas = description.setdefault("components", {}).setdefault("schemas", {})
        schemas.update(wire.pop("$defs", {}))
        schemas["WireMessages"] = wire
        return description

    app.openapi = openapi  # type: ignore[method-assign]
