"""The interface does what its description says: calls made from it are answered as it says, and never fail inside."""

import warnings
from random import Random
from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from tests.conftest import Service
from tests.world import World

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import schemathesis
    from schemathesis.checks import not_a_server_error
    from schemathesis.specs.openapi.checks import (
        content_type_conformance,
        response_schema_conformance,
        status_code_conformance,
    )

CHECKS = [not_a_server_error, content_type_conformance, response_schema_conformance, status_code_conformance]
EXAMPLES = 5
KNOWN = {"organisation": "tarnwick", "seller": "tarnwick", "plan": "open-range", "tier": "moor", "kind": "plan"}
SLUGS = {"plans": "open-range", "rate-cards": "tenants-eur", "organisations": "oxbow"}
"""Names that are there, so that calls come further than to where nothing is found."""


def described(service: Service) -> Any:
    """The description as a program reads it."""
    return schemathesis.openapi.from_dict(service.app.openapi())


@pytest.mark.parametrize("half", [0, 1])
def test_calls_made_from_the_description_are_answered_as_it_says(world: World, service: Service, half: int) -> None:
    token = world.mara.connection.http.headers["X-CSRF-Token"]
    cookies = dict(world.mara.connection.http.cookies)
    operations = [each.ok() for each in described(service).get_all_operations()]
    assert len(operations) > 80
    for number, operation in enumerate(operations):
        if number % 2 == half:
            _check(operation, world.url, {"X-CSRF-Token": token}, cookies)
    assert world.mara.session().email == "mara@tarnwick.example"


def _check(operation: Any, url: str, headers: dict[str, str], cookies: dict[str, str]) -> None:
    @settings(
        max_examples=EXAMPLES,
        phases=[Phase.generate],
        database=None,
        derandomize=True,
        deadline=None,
        suppress_health_check=list(HealthCheck),
    )
    @given(case=operation.as_strategy(), seed=st.integers(0, 2**20))
    def check(case: Any, seed: int) -> None:
        random = Random(seed)
        for name in case.path_parameters or {}:
            if random.random() < 0.6:
                known = SLUGS.get(operation.path.split("/")[3]) if name == "slug" else KNOWN.get(name)
                case.path_parameters[name] = known or case.path_parameters[name]
        keep = operation.method.upper() != "DELETE" or operation.path != "/api/v1/session"
        case.call_and_validate(
            base_url=url, checks=CHECKS, headers=headers if keep else {}, cookies=cookies if keep else {}
        )

    check()
