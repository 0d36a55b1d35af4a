"""What concerns many customers takes no more statements than what concerns few."""

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date
from threading import current_thread

import pytest
from sqlalchemy import Engine, event, select, text
from sqlalchemy.orm import Session

from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.pairs import links_above
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.conftest import Service, settle
from tests.world import World, files, rate_card
from tests.worlds.stored import differing_pairs

CUSTOMERS = 12


@contextmanager
def counted(engine: Engine) -> Iterator[list[str]]:
    """The statements that answering takes; what the worker looks for meanwhile is not among them."""
    sent: list[str] = []

    def note(_connection: object, _cursor: object, statement: str, *_rest: object) -> None:
        if current_thread().name != "worker":
            sent.append(statement)

    event.listen(engine, "before_cursor_execute", note)
    yield sent
    event.remove(engine, "before_cursor_execute", note)


def add_customers(world: World) -> None:
    for number in range(CUSTOMERS):
        slug = f"quay-{number}"
        world.user("edda").organisations.create(
            OrganisationCreate(
                parent="oxbow", type="tenant", slug=slug, name=slug.title(), country="GB", currency="GBP",
                billing_zone="Europe/London",
            )
        )  # fmt: skip
        world.user("edda").subscriptions.create(
            SubscriptionCreate(
                organisation=slug, plan="open-range", tier="heath", name="Range", starts_on=date(2026, 9, 1)
            )
        )


def publish(world: World, service: Service, day: str) -> list[str]:
    """A version of what resellers pay; the statements of which it consists."""
    settle(service.uow.engine)
    with service.worker.gate, counted(service.uow.engine) as sent:
        world.mara.catalogue.publish("tarnwick", files(rate_card("resellers-gbp", "GBP", "resellers", "0.6", day)))
    return sent


def wanted(service: Service, period: str) -> dict[tuple[str, str], int]:
    """How often each pair of a month was raised, by seller and buyer."""
    query = (
        "SELECT s.slug, b.slug, wanted FROM pairs JOIN organisations s ON s.id = seller_id "
        "JOIN organisations b ON b.id = buyer_id WHERE period = :period"
    )
    with service.uow.engine.connect() as connection:
        return {(seller, buyer): n for seller, buyer, n in connection.execute(text(query), {"period": period})}


def test_a_card_of_many_customers_takes_no_more_statements_than_of_few(world: World, service: Service) -> None:
    few = publish(world, service, "2026-11-01")
    add_customers(world)
    before = wanted(service, "2026-11")
    many = publish(world, service, "2026-12-01")
    assert len(many) <= len(few) + 2
    after = wanted(service, "2026-11")
    links = {("oxbow", f"quay-{number}") for number in range(CUSTOMERS)} | {("tarnwick", "oxbow")}
    assert {link for link in after if after[link] > before[link]} >= links
    settle(service.uow.engine)
    assert differing_pairs(service.uow) == {}


def test_spend_of_many_customers_without_files_is_read_together(world: World, service: Service) -> None:
    def read(period: str) -> int:
        with service.worker.gate, counted(service.uow.engine) as sent:
            world.user("edda").spend.margins("oxbow", period)
        return len(sent)

    read("2026-10")
    few = read("2026-10")
    add_customers(world)
    settle(service.uow.engine)
    assert read("2026-10") <= few + 2
    rows = world.user("edda").spend.margins("oxbow", "2026-10").rows
    assert {row.buyer for row in rows} >= {f"quay-{number}" for number in range(CUSTOMERS)}


@pytest.mark.parametrize(("advance", "raised"), [("false", False), ("true", True)])
def test_months_before_a_version_are_rated_again_where_it_divides_terms_in_advance(
    world: World, service: Service, advance: str, raised: bool
) -> None:
    yearly = f"  - {{rate: year, fee: open-range/heath, every: year, advance: {advance}, price: 100}}\n"
    card = rate_card("resellers-gbp", "GBP", "resellers", "0.6", "2026-11-01")
    world.mara.catalogue.publish("tarnwick", files(card + yearly))
    settle(service.uow.engine)
    before = wanted(service, "2026-08")
    publish(world, service, "2026-12-01")
    after = wanted(service, "2026-08")
    assert (after[("tarnwick", "oxbow")] > before[("tarnwick", "oxbow")]) is raised


def test_the_links_above_many_are_those_above_each(world: World, service: Service) -> None:
    with Session(service.uow.engine) as tx:
        ids = dict(tx.execute(select(OrganisationRow.slug, OrganisationRow.id)).all())
        found = links_above(tx, list(ids.values()))
        assert found == {each: links_above(tx, [each])[each] for each in ids.values()}
        named = {id: slug for slug, id in ids.items()}
        assert {(named[seller], named[buyer]) for seller, buyer in found[ids["saltmarsh"]]} == {
            ("oxbow", "saltmarsh"), ("tarnwick", "oxbow"), ("oxbow", "oxbow"), ("tarnwick", "tarnwick"),
        }  # fmt: skip
