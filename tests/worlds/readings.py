"""What random customers use, as readings that are sent."""

from collections.abc import Collection
from typing import Any

from gradumen.client.metering.readings import reading_event
from tests.worlds.samplings import SAMPLED
from tests.worlds.worlds import QUARTER, Customer


def levels(customer: Customer, since: int = 0) -> list[dict[str, Any]]:
    """The customer's levels as readings, from the one of a number on."""
    return [
        reading_event(
            "/worlds",
            f"{customer.slug}-level-{number}",
            {
                "owner": f"{customer.slug}/{each.project}",
                "resource": each.resource,
                "meter": f"network/{each.meter}",
                "quantity": str(each.quantity),
                "unit": SAMPLED[each.meter].units[1],
                "start": each.moment.isoformat(),
                "end": (each.moment + each.quarters * QUARTER).isoformat(),
                "attributes": {},
            },
        )
        for number, each in enumerate(customer.levels)
        if number >= since
    ]


def events(customer: Customer, since: int = 0, again: Collection[int] = ()) -> list[dict[str, Any]]:
    """The customer's usage as readings, from the one of a number on; some take the place of what was sent before."""
    return [
        reading_event(
            "/worlds",
            f"{customer.slug}-{number}",
            {
                "owner": f"{customer.slug}/{use.project}",
                "resource": use.resource,
                "meter": "network/egress",
                "quantity": str(use.quantity),
                "unit": "byte",
                "start": use.moment.isoformat(),
                "end": (use.moment + use.quarters * QUARTER).isoformat(),
                "attributes": {"component_of": "app"} if use.resource == "machine" else {},
                "sequence": int(number in again),
            },
        )
        for number, use in enumerate(customer.usage)
        if number >= since or number in again
    ]
