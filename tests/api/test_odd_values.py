"""Odd values in every field, parameter and path of every route: refused as problem details, never a failure inside."""

from copy import deepcopy
from random import Random
from typing import Any
from urllib.parse import quote

import httpx
import pytest

from tests.api.test_scope import TARNWICK, Call, calls
from tests.conftest import Service
from tests.wire.catalogue.test_odd_forms import ODD, places
from tests.world import World, egress

WORDS = (
    "",
    " ",
    "x" * 3000,
    "ü",
    "%00",
    "..",
    "-1",
    "0",
    "1e9",
    "null",
    "2026-13",
    "' OR 1=1 --",
    "<script>",
    "٣",
    "a/b",
    "2026-09|x",
)
TRIES = 5


def plain(odd: Any) -> bool:
    """Whether JSON can hold it."""
    return odd == odd and odd not in (float("inf"),) and not (isinstance(odd, dict) and 1 in odd)


def odd_bodies(body: Any, random: Random) -> Any:
    """A body with an odd value somewhere."""
    path = random.choice(list(places(body)))
    odd = random.choice([each for each in ODD if plain(each)])
    if not path:
        return odd
    found = deepcopy(body)
    node = found
    for key in path[:-1]:
        node = node[key]
    node[path[-1]] = odd
    return found


def odd_calls(call: Call, random: Random) -> dict[str, Any]:
    """The arguments of a request that is odd in its body, query or path."""
    made: dict[str, Any] = {"method": call.method, "url": call.path, "params": call.query, "headers": call.headers}
    if call.body is not None:
        made["json"] = call.body
    where = (
        random.choice(["body", "body", "query", "path"]) if call.body is not None else random.choice(["query", "path"])
    )
    if where == "body":
        made["json"] = odd_bodies(call.body, random)
    elif where == "query":
        names = [*call.query, "period", "limit", "after", "seller", "organisation", "by", "state", "against"]
        made["params"] = {**call.query, random.choice(names): random.choice(WORDS)}
    else:
        parts = call.path.split("/")
        parts[random.randrange(1, len(parts)) if len(parts) > 1 else 0] = quote(random.choice(WORDS), safe="")
        made["url"] = "/".join(parts)
    return made


def test_no_odd_value_fails_inside(world: World, service: Service) -> None:
    world.send(egress("a", 10**12, owner="quillstone/archive"))
    invoice = next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone")
    http = world.mara.connection.http
    refused = 0
    failed = []
    for name, call in calls(TARNWICK, invoice, world, service).items():
        random = Random(name)
        for _ in range(TRIES):
            made = odd_calls(call, random)
            try:
                answer = http.request(**made)
            except httpx.InvalidURL:
                continue
            except httpx.TransportError as problem:
                failed.append((name, made, problem))
                continue
            if answer.status_code >= 500:
                failed.append((name, made))
            if answer.status_code >= 400:
                refused += 1
                assert answer.headers["content-type"] == "application/problem+json", (name, made)
                problem = answer.json()
                assert problem["detail"] and problem["code"], (name, made, problem)
                assert "Traceback" not in answer.text and "sqlalchemy" not in answer.text
    assert failed == []
    assert refused > 300


@pytest.mark.parametrize("key", ["", "ü", "x" * 1000, "a\tb"])
def test_an_odd_idempotency_key_is_refused_or_kept(world: World, key: str) -> None:
    body = {"slug": "new", "name": "New"}
    headers = {"Idempotency-Key": key.encode()}
    answers = [
        world.mara.connection.http.post("organisations/quillstone/projects", json=body, headers=headers)
        for _ in range(2)
    ]
    assert {each.status_code for each in answers} <= {201, 409, 422}, [each.text for each in answers]
    made = [each.slug for each in world.mara.projects.list("quillstone")]
    assert made.count("new") <= 1
