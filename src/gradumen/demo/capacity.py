"""Where the provider has capacity, how much of it, and what of it is promised to whom. All made up."""

from collections.abc import Callable
from decimal import Decimal
from typing import Any

from gradumen.client import Client
from gradumen.demo.scenario import PROVIDER, SIGNERS
from gradumen.wire.organisations.sites import SiteCreate
from gradumen.wire.quotas.pools import PoolCreate
from gradumen.wire.quotas.quotas import SoftLimit

SITES = (
    ("north-fell", "North Fell", "Upper valley"),
    ("south-quay", "South Quay", "Harbour, hall 3"),
    ("isle-of-ombry", "Isle of Ombry", "Racks and power, by the lighthouse"),
)
POOLS = (
    ("fell-processors", "Fell processors", "north-fell", "processors", "2400", "1.5", "62 hosts of two kinds"),
    ("fell-discs", "Fell discs", "north-fell", "storage", "800000", "1", "Three rings of discs"),
    ("archive-discs", "Archive discs", "north-fell", "storage", "300000", "1", "One ring of large discs"),
    ("fell-addresses", "Fell addresses", "north-fell", "addresses", "480", "1", "Two ranges"),
    ("quay-processors", "Quay processors", "south-quay", "processors", "900", "1.5", "24 hosts, 4 with GPUs"),
    ("quay-addresses", "Quay addresses", "south-quay", "addresses", "126", "1", "One range; no more to be had"),
)
LIMITS = (
    ("oxbow", "north-fell", {"processors": 800, "storage": 110_000, "addresses": 150}),
    ("bluefern", "north-fell", {"processors": 1200, "storage": 200_000, "addresses": 160}),
    ("bluefern", "south-quay", {"processors": 400, "addresses": 72}),
    ("quillstone", "north-fell", {"processors": 128, "storage": 400_000, "addresses": 24}),
    ("kestrel-row", "north-fell", {"processors": 384, "storage": 40_000, "addresses": 20}),
    ("kestrel-row", "south-quay", {"processors": 256, "addresses": 24}),
    ("moorhen", "south-quay", {"processors": 192, "addresses": 22}),
    ("saltmarsh", "north-fell", {"processors": 96, "storage": 12_000, "addresses": 24}),
    ("gannet", "south-quay", {"processors": 128, "addresses": 20}),
)
SET_ASIDE = {"archive-discs": "quillstone"}
WATCHED: tuple[tuple[str, str, int | None, int | None, int], ...] = (
    ("kestrel-row", "processors", None, 200, 14),
    ("quillstone", "egress", 450, None, 0),
)
"""Limits that metered use exceeds: a soft one while there is much to render, and one of the month's egress."""
SELLER_OF = {"saltmarsh": "oxbow", "gannet": "bluefern"}

KINDS = (
    ("fell-a", 38, {"processors": ("48", "0", "1.5"), "memory": ("512", "16", "1")}),
    ("fell-b", 24, {"processors": ("24", "0", "1.5"), "memory": ("256", "8", "1")}),
    ("ring", 3, {"storage": ("270000", "3000", "1")}),
    ("archive-ring", 1, {"storage": ("300000", "0", "1")}),
)
"""Hosts of the cloud at North Fell: how many of a kind, each with its total, what is kept back, and the factor."""


def fell_hosts(hour: int) -> list[dict[str, Any]]:
    """What the hosts at North Fell tell in an hour: three to four fifths of what they hand out is in use."""
    found = []
    for name, many, resources in KINDS:
        for number in range(1, many + 1):
            told = {}
            for resource, (total, reserved, factor) in resources.items():
                capacity = int((Decimal(total) - Decimal(reserved)) * Decimal(factor))
                used = capacity * (60 + (7 * number + 3 * (hour % 24) + len(resource)) % 24) // 100
                told[resource] = {"total": total, "reserved": reserved, "factor": factor, "used": str(used)}
            found.append({"host": f"{name}-{number:02}", "resources": told})
    return found


def place_capacity(signed_in: Callable[[str], Client]) -> None:
    """Sites with pools, who may use which, and limits there: of addresses by the harbour hardly any are left."""
    mara = signed_in(SIGNERS[PROVIDER])
    sites = {
        slug: mara.sites.register(PROVIDER, SiteCreate(slug=slug, name=name, place=place, zone="Europe/Dublin")).id
        for slug, name, place in SITES
    }
    for slug, name, site, measure, capacity, factor, behind in POOLS:
        given = PoolCreate(site=sites[site], slug=slug, name=name, measure=measure, capacity=Decimal(capacity),
                           factor=Decimal(factor), behind=behind, set_aside_for=SET_ASIDE.get(slug))  # fmt: skip
        mara.pools.make(PROVIDER, given)
    mara.site_quotas.permit("oxbow", [sites["north-fell"], sites["isle-of-ombry"]])
    for slug, site, limits in LIMITS:
        signer = signed_in(SIGNERS[SELLER_OF.get(slug, PROVIDER)])
        for measure, limit in limits.items():
            signer.site_quotas.grant(slug, sites[site], measure, Decimal(limit))
    for slug, measure, most, soft, grace in WATCHED:
        has = next(each.limit for each in mara.quotas.list(slug) if (each.project, each.measure) == (None, measure))
        allowed = SoftLimit(limit=None if soft is None else Decimal(soft), grace_days=grace)
        mara.quotas.grant(slug, measure, has if most is None else Decimal(most), soft=allowed)
