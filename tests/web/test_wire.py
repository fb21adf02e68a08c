"""What is sent is what the types of the browser were made from."""

from __future__ import annotations

import json
import math
import random
from dataclasses import dataclass

import pytest
from pydantic import TypeAdapter

from ductus.app.wire import FACTS, Fact
from ductus.web.wire import fact_json
from tests.inventing import invent


@pytest.mark.parametrize("kind", FACTS, ids=lambda kind: kind.__name__)
def test_a_fact_is_sent_as_its_schema_says(kind: type[Fact]) -> None:
    promised = TypeAdapter(kind)
    for seed in range(20):
        fact = invent(kind, random.Random(seed))
        assert json.loads(fact_json(fact)) == json.loads(promised.dump_json(fact))


def test_what_is_no_number_is_sent_as_nothing_as_json_has_no_word_for_it() -> None:
    @dataclass
    class Weighed:
        weight: float

    assert fact_json(Weighed(math.nan)) == '{"weight":null}'  # type: ignore[arg-type]
