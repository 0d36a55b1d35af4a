"""What documents say of where their amounts came from stays true, whatever comes in later."""

from collections import Counter
from datetime import date
from decimal import Decimal

from gradumen.client import Client
from gradumen.wire.billing.invoices import InvoiceBody
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from tests.world import GIB, World, egress

SEPTEMBER = "2026-09"


def quillstone(documents: list[InvoiceBody]) -> InvoiceBody:
    return next(each for each in documents if each.buyer == "quillstone")


def by_resource(world: World, documents: list[InvoiceBody]) -> dict[str | None, tuple[Decimal, Decimal]]:
    """Quantity and amount of egress by resource, over all charges of some documents."""
    quantity: Counter[str | None] = Counter()
    amount: Counter[str | None] = Counter()
    client = world.user("finn")
    for document in documents:
        for charge in {line.charge_id for line in document.lines if line.charge_id is not None}:
            explained = client.charges.explain(charge)
            if explained.explanation.rate == "egress":
                for part in explained.parts:
                    quantity[part.resource] += part.quantity
                    amount[part.resource] += part.amount
    return {resource: (quantity[resource], amount[resource]) for resource in quantity}


def test_usage_that_moves_between_resources_of_one_price_moves_on_the_next_document(world: World) -> None:
    """Its amount is the same, so it makes no document of its own; parts go with the next that there is."""
    world.send(egress("a", 100 * GIB, resource="vm-1", owner="quillstone/archive"))
    first = quillstone(world.close("tarnwick", "finn", SEPTEMBER))
    world.send(egress("a", 100 * GIB, resource="vm-2", owner="quillstone/archive", sequence=1))
    assert world.close("tarnwick", "finn", SEPTEMBER) == []
    world.send(egress("b", 10 * GIB, resource="vm-9", owner="quillstone/archive"))
    second = quillstone(world.close("tarnwick", "finn", SEPTEMBER))
    assert world.close("tarnwick", "finn", SEPTEMBER) == []

    found = by_resource(world, [first, second])
    assert {resource: quantity for resource, (quantity, _) in found.items()} == {
        "vm-1": Decimal(0),
        "vm-2": Decimal(100 * GIB),
        "vm-9": Decimal(10 * GIB),
    }
    assert found["vm-1"][1] == 0
    assert second.net == Decimal("0.50")  # 10 GiB in the second block


def test_the_readings_of_a_charge_are_those_that_it_was_made_from(world: World) -> None:
    """A reading replaced since is shown as it was charged; the correction shows what came in its place."""
    finn = world.user("finn")
    world.send(
        egress("a", 200 * GIB, owner="quillstone/archive"),
        egress("b", 3 * GIB, owner="quillstone/archive"),
        egress("b", 4 * GIB, owner="quillstone/archive", sequence=2),
    )
    first = quillstone(world.close("tarnwick", "finn", SEPTEMBER))
    charge = next(line.charge_id for line in first.lines if line.rate == "egress")
    assert charge is not None
    before = finn.charges.readings(charge)
    assert sorted(each.quantity for each in before) == [4 * GIB, 200 * GIB]

    world.send(egress("a", 50 * GIB, owner="quillstone/archive", sequence=1))
    world.send(egress("c", 5 * GIB, owner="quillstone/archive"))
    assert finn.charges.readings(charge) == before
    assert sum(each.quantity for each in before) == finn.charges.explain(charge).quantity
    note = quillstone(world.close("tarnwick", "finn", SEPTEMBER))
    later = next(line.charge_id for line in note.lines if line.rate == "egress")
    assert later is not None
    assert sorted(each.quantity for each in finn.charges.readings(later)) == [4 * GIB, 5 * GIB, 50 * GIB]
    assert finn.charges.readings(charge) == before


def put(world: World, **owners: str) -> None:
    """Say whose accounts are, in the place of what was said, and wait until it is so."""
    mara = world.mara
    rules = [
        OwnershipRuleForm(name=owner, owner=owner, starts_on=date(2026, 9, 1), conditions={"account": account})
        for account, owner in owners.items()
    ]
    mara.ownership_rules.set("tarnwick", rules, mara.ownership_rules.get("tarnwick").version)
    for each in mara.tasks.list("tarnwick"):
        if each.kind == "owners by rule":
            assert mara.tasks.follow(each.id, seconds=60).state == "done"
    world.settle()


def shown(client: Client, documents: list[InvoiceBody]) -> dict[tuple[str, str], list[str]]:
    """The readings behind what each buyer is charged for traffic, by how they are called."""
    return {
        (each.seller, each.buyer): sorted(found.event_id for found in client.charges.readings(line.charge_id))
        for each in documents
        for line in each.lines
        if line.rate == "egress" and line.charge_id is not None
    }


def test_readings_of_others_whose_resource_has_the_same_name_are_nobody_elses_evidence(world: World) -> None:
    """Each tenant is shown its own, also after rules changed, and after what was another's was cancelled."""
    alike = {"owner": None, "resource": "web-1"}
    put(world, one="quillstone/archive", two="saltmarsh/booking")
    world.send(
        egress("named", GIB, owner="quillstone/archive", resource="web-1"),
        egress("mine", 2 * GIB, account="one", **alike),
        egress("another's", 4 * GIB, account="two", **alike),
        egress("nobody's", 8 * GIB, account="three", **alike),
    )
    sold = world.close("tarnwick", "finn", SEPTEMBER)
    resold = world.close("oxbow", "edda", SEPTEMBER)
    finn, edda = world.user("finn"), world.user("edda")
    expected = {("tarnwick", "quillstone"): ["mine", "named"], ("tarnwick", "oxbow"): ["another's"]}
    assert shown(finn, sold) == expected
    assert shown(edda, resold) == {("oxbow", "saltmarsh"): ["another's"]}

    put(world, one="saltmarsh/booking", two="quillstone/archive")
    world.send(egress("another's", 0, account="two", sequence=1, **alike))
    assert shown(finn, sold) == expected, "as it was when it was charged"
    later = world.close("tarnwick", "finn", SEPTEMBER)
    expected_later = {("tarnwick", "quillstone"): ["another's", "named"], ("tarnwick", "oxbow"): ["mine"]}
    assert shown(finn, later) == expected_later
    put(world)
    assert shown(finn, sold) == expected
    assert shown(finn, later) == expected_later
