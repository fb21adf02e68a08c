"""Messages and facts as JSON: the records of ``app.wire``, with the tag that tells them apart.

Nothing is decided here.
"""

from __future__ import annotations

import re
from typing import Annotated, Any, Union

from pydantic import Field, TypeAdapter, ValidationError
from pydantic_core import to_json

from ductus.app import wire as m
from ductus.app.wire.adapters import adapter
from ductus.app.wire.client import Message
from ductus.core.errors import BadInput, DuctusError

LONGEST_MESSAGE = 2_000_000  # characters
NUMBERED = re.compile(r'^\s*\{\s*"n"\s*:\s*(\d{1,15})\s*,\s*"do"\s*:\s*(?=\{)')
INCOMING: TypeAdapter[m.ClientMessage] = adapter(Annotated[m.ClientMessage, Field(discriminator="type")], Message)


def message_from(text: str) -> m.ClientMessage:
    """A message of the browser. Raises BadInput with words for what cannot be understood."""
    if len(text) > LONGEST_MESSAGE:
        raise BadInput("That message is too long; nothing was changed.")
    try:
        return INCOMING.validate_json(text)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(x) for x in first["loc"]) or "message"
        raise BadInput(f"That message was not understood ({place}: {first['msg']}); nothing was changed.") from None
    except DuctusError:
        raise
    except (ValueError, RecursionError, UnicodeError) as error:
        raise BadInput(f"That message was not understood ({type(error).__name__}); nothing was changed.") from None


def numbered_message(text: str) -> tuple[int, m.ClientMessage]:
    """A message with its number: {"n": 17, "do": {...}}; one without a number stands by itself and has 0.

    Raises BadInput as ``message_from``.
    """
    match = NUMBERED.match(text)
    if match is None:
        return 0, message_from(text)
    return int(match.group(1)), message_from(text[match.end() : text.rstrip().rfind("}")])


def fact_json(fact: m.Fact) -> str:
    """A fact for the browser: its fields as they are named, which is what ``wire_schema`` promises (a test compares
    the two).
    """
    return to_json(fact, inf_nan_mode="null").decode()


def wire_schema() -> dict[str, Any]:
    """JSON schema of everything that crosses the WebSocket: ``client`` and ``server`` are the two unions."""
    server = Annotated[Union[m.FACTS], Field(discriminator="type")]  # type: ignore[valid-type]  # noqa: UP007
    client = INCOMING.json_schema(ref_template="#/components/schemas/{model}", mode="validation")
    told: dict[str, Any] = adapter(server).json_schema(
        ref_template="#/components/schemas/{model}", mode="serialization"
    )
    defs = {**told.pop("$defs", {}), **client.pop("$defs", {})}  # what a browser may leave out is optional
    return {"$defs": defs, "client": client, "server": told}
