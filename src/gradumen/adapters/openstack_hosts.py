"""Hosts of an OpenStack cloud, as its placement service tells them (Placement API 1.14 or later).

A host is a resource provider, named by its cloud; what it has are its inventories, of which ``(total - reserved) x
allocation_ratio`` is handed out, and what is in use its usages.
"""

from decimal import Decimal
from typing import Any
from urllib.parse import quote

import httpx

from gradumen.adapters.door import Door, Outside, Patience, call, json_object
from gradumen.adapters.openstack_tokens import ROLE, service_of
from gradumen.core.errors import Conflict
from gradumen.core.exact import EXACT
from gradumen.core.quotas.hosts import LOOK_SECONDS, MOST_HOSTS, Stock, stock, told_figure
from gradumen.core.quotas.measures import Measure

CLASSES = {
    "VCPU": (Measure.PROCESSORS, Decimal(1)),
    "MEMORY_MB": (Measure.MEMORY, Decimal(1024)),
    "DISK_GB": (Measure.STORAGE, Decimal(1)),
}
"""Of a class of resources: the measure that it is, and how many of it make one unit of that. Its MB are MiB."""
_VERSION = "placement 1.14"


def hosts_of(door: Door, identity: Outside, secret: str) -> list[Stock]:
    """What all resource providers have of each class.

    Raises:
        Conflict: it refuses, or tells something that cannot be.
        Unavailable: no answer in time.
    """
    placement = service_of(door, identity, secret, "placement")
    placement.headers["OpenStack-API-Version"] = _VERSION
    try:
        found = _asked(placement, "resource_providers").get("resource_providers")
        if not isinstance(found, list):
            raise Conflict("its placement service answered without resource providers; look at its address")
        if len(found) > MOST_HOSTS:
            raise Conflict(f"it has {len(found):,} hosts, and {MOST_HOSTS:,} are looked at")
        patience = Patience(LOOK_SECONDS, "its hosts")
        return [stock for each in found for stock in _of_one(placement, each, patience)]
    finally:
        placement.close()


def _of_one(placement: Outside, provider: Any, patience: Patience) -> list[Stock]:
    """What one has; nothing where it went meanwhile."""
    patience.check()
    if not isinstance(provider, dict) or not isinstance(provider.get("uuid"), str):
        raise Conflict("its placement service told of a resource provider without its uuid")
    at = f"resource_providers/{quote(provider['uuid'], safe='')}"
    inventories = _asked(placement, f"{at}/inventories").get("inventories", {})
    usages = _asked(placement, f"{at}/usages").get("usages", {}) if inventories else {}
    try:
        return [_stock(str(provider["name"]), str(name), each, usages) for name, each in inventories.items()]
    except (KeyError, ValueError, TypeError, AttributeError, ArithmeticError) as error:
        raise Conflict(f"its placement service told of '{provider.get('name')}' without {error}") from error


def _stock(host: str, name: str, inventory: dict[str, Any], usages: dict[str, Any]) -> Stock:
    measure, many = CLASSES.get(name, (None, Decimal(1)))
    figures = (inventory["total"], inventory["reserved"], usages.get(name, 0))
    total, reserved, used = (EXACT.divide(told_figure(each), many) for each in figures)
    return stock(host, measure or name, total, reserved, told_figure(inventory["allocation_ratio"]), used)


def _asked(placement: Outside, path: str) -> dict[str, Any]:
    answer = call(placement, "GET", path)
    if answer.status_code == httpx.codes.UNAUTHORIZED:
        raise Conflict("its placement service does not take the token of its identity service")
    if answer.status_code == httpx.codes.FORBIDDEN:
        raise Conflict(f"the credential may not read resource providers; its user needs the role {ROLE}")
    if answer.status_code == httpx.codes.NOT_FOUND and path != "resource_providers":
        return {}
    found = json_object(answer, parse_float=Decimal) if answer.is_success else None
    if found is None:
        raise Conflict(f"its placement service answered {answer.status_code}; look at its address in the catalogue")
    return found
