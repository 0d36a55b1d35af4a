"""A bill run again: drafts that would be made as they are stay, and what stays is what would be made."""

from collections.abc import Callable
from datetime import date
from decimal import Decimal
from typing import Any

import pytest

from gradumen.wire.billing.invoices import InvoiceBody
from tests.conftest import Service
from tests.usecases.billing.test_bill_runs import SECOND, subscribed_in_pounds
from tests.world import GIB, World, egress, reading

OWN = {"id", "charge_id", "invoice_id"}


def drafts_of(world: World) -> dict[tuple[str, str], InvoiceBody]:
    """The drafts of a new run, by buyer and currency."""
    made = world.close("tarnwick", "finn", "2026-09", issue=False)
    return {(each.buyer, each.currency): each for each in made}


def told(world: World, draft: InvoiceBody) -> Any:
    """All that a draft and its charges say but for their ids."""
    client = world.user("finn")
    charges = [client.charges.explain(line.charge_id) for line in draft.lines if line.charge_id]
    return without_ids(draft.model_dump()), [without_ids(each.model_dump()) for each in charges]


def without_ids(value: Any) -> Any:
    if isinstance(value, dict):
        return {name: without_ids(each) for name, each in value.items() if name not in OWN}
    return [without_ids(each) for each in value] if isinstance(value, list | tuple) else value


def ids(drafts: dict[tuple[str, str], InvoiceBody]) -> dict[tuple[str, str], Any]:
    return {key: each.id for key, each in drafts.items()}


def test_where_nothing_changed_drafts_stay_and_are_those_of_the_new_run(world: World) -> None:
    world.send(reading("a"), egress("b", 40 * GIB, owner="quillstone/archive"))
    first = drafts_of(world)
    again = drafts_of(world)
    runs = world.user("finn").bill_runs
    third = runs.wait(runs.start("tarnwick", "2026-09").id)

    assert again == first
    assert len(first) == third.drafts == 2
    assert sorted(each.drafts for each in runs.list("tarnwick")) == [0, 0, 2]


def more_usage(world: World) -> None:
    world.send(egress("more", 7 * GIB, owner="quillstone/archive"))


def another_resource(world: World) -> None:
    """What it costs stays; what it is for does not."""
    world.send(egress("q", 40 * GIB, owner="quillstone/archive", resource="vm-9", sequence=1))


def another_tax(world: World) -> None:
    world.user("finn").tax_rates.set(
        "tarnwick", country="IE", starts_on=date(2026, 10, 1), category="S", percent=Decimal(7)
    )


def another_name(world: World) -> None:
    world.mara.organisations.change("quillstone", name="Quillstone & Daughters")


def another_subscription(world: World) -> None:
    world.mara.subscriptions.create(SECOND)


CHANGES: list[Callable[[World], None]] = [more_usage, another_resource, another_tax, another_name, another_subscription]


@pytest.mark.parametrize("change", CHANGES, ids=lambda change: change.__name__)
def test_only_who_is_concerned_gets_new_ones_and_all_are_as_made_from_nothing(
    world: World, change: Callable[[World], None]
) -> None:
    world.send(reading("a"), egress("q", 40 * GIB, owner="quillstone/archive"))
    before = drafts_of(world)
    change(world)
    after = drafts_of(world)
    found = {key: told(world, each) for key, each in after.items()}
    for each in after.values():
        world.user("finn").invoices.discard(each.id)
    made = drafts_of(world)

    kept = {buyer for (buyer, _), each in after.items() if each.id in set(ids(before).values())}
    assert kept == {"oxbow"}
    assert found == {key: told(world, each) for key, each in made.items()}
    assert not set(ids(made).values()) & set(ids(after).values())


def test_those_of_others_stay_when_one_is_issued(world: World) -> None:
    world.send(reading("a"), egress("b", 40 * GIB, owner="quillstone/archive"))
    first = drafts_of(world)
    world.user("finn").invoices.issue(first["oxbow", "GBP"].id)
    again = drafts_of(world)

    assert again == {key: each for key, each in first.items() if key[0] == "quillstone"}
    world.user("finn").invoices.issue(again["quillstone", "EUR"].id)
    assert drafts_of(world) == {}


def test_with_one_of_its_currencies_gone_a_buyer_gets_both_anew_and_both_are_billed(
    world: World, service: Service
) -> None:
    """A draft that stayed would not know the month that both are of as its own."""
    finn = world.user("finn")
    subscribed_in_pounds(world, service)
    first = drafts_of(world)
    finn.invoices.discard(first["quillstone", "GBP"].id)
    again = drafts_of(world)

    assert again["quillstone", "EUR"].id != first["quillstone", "EUR"].id
    assert {key: each.gross for key, each in again.items()} == {key: each.gross for key, each in first.items()}
    for each in again.values():
        finn.invoices.issue(each.id)
    assert drafts_of(world) == {}
