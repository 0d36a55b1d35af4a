"""What needs somebody: told to its own members alone, the most pressing first, and gone when it is done."""

from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

import pytest
from sqlalchemy import Engine

from gradumen.core.errors import Forbidden, NotFound
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.spend.to_dos import ToDoBody
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.world import GIB, World, egress, files, rate_card, reading


def kinds(found: list[ToDoBody]) -> list[str]:
    return [each.kind for each in found]


def one(found: list[ToDoBody], kind: str) -> ToDoBody:
    (only,) = [each for each in found if each.kind == kind]
    return only


def test_a_month_is_to_bill_then_to_review_then_with_its_buyer(world: World) -> None:
    world.send(egress("q", 300 * GIB, owner="quillstone/archive"), reading("s", owner="saltmarsh/booking"))
    finn = world.user("finn")
    finn.spend.period_so_far("tarnwick", "2026-09", wait=60)
    to_bill = one(finn.to_dos.list("tarnwick"), "to bill")
    assert (to_bill.subject, to_bill.title) == ("2026-09", "September 2026 is not billed for 2 customers")
    drafts = world.close("tarnwick", "finn", "2026-09", issue=False)
    found = finn.to_dos.list("tarnwick")
    assert "to bill" not in kinds(found)
    review = one(found, "drafts")
    assert review.title == f"{len(drafts)} drafts to review"
    for draft in drafts:
        assert draft.currency in review.detail
    assert "drafts" not in kinds(world.user("edda").to_dos.list("oxbow")), "a supplier's drafts are its own"
    world.close("tarnwick", "finn", "2026-09")
    assert not {"drafts", "to bill"} & set(kinds(finn.to_dos.list("tarnwick")))
    (issued,) = finn.invoices.list(buyer="oxbow")
    told = one(world.user("edda").to_dos.list("oxbow"), "invoice")
    assert told.subject == str(issued.id)
    assert issued.number is not None
    assert issued.number in told.title
    assert "Tarnwick Cloud" in told.detail


def test_a_month_that_cannot_be_closed_comes_first(world: World) -> None:
    world.mara.organisations.create(
        OrganisationCreate(
            parent="tarnwick", type="tenant", slug="faraway", name="Far Away", country="JP", currency="EUR"
        )
    )
    world.mara.projects.create("faraway", slug="one", name="One")
    world.mara.subscriptions.create(
        SubscriptionCreate(
            organisation="faraway", plan="open-range", tier="heath", name="Range", starts_on=date(2026, 9, 1)
        )
    )
    finn = world.user("finn")
    assert finn.bill_runs.wait(finn.bill_runs.start("tarnwick", "2026-09").id).problem
    (first, *_) = finn.to_dos.list("tarnwick")
    assert (first.kind, first.weight) == ("task", "failed")
    assert first.title == "Bill run 2026-09 needs a hand"
    assert "no tax rate for buyers in JP" in first.detail
    assert first.subject in {str(each.id) for each in finn.tasks.list("tarnwick")}


def test_what_is_used_and_not_charged(world: World) -> None:
    """Usage of an organisation without any subscription is nobody's to pay: its seller is told."""
    world.mara.organisations.create(
        OrganisationCreate(
            parent="tarnwick", type="tenant", slug="newcomer", name="Newcomer", country="IE", currency="EUR"
        )
    )
    world.mara.projects.create("newcomer", slug="one", name="One")
    span = {"start": "2026-10-02T00:00:00Z", "end": "2026-10-02T06:00:00Z"}
    world.send(reading("a", owner="newcomer/one", **span))
    world.mara.spend.period_so_far("tarnwick", "2026-10", wait=60)
    told = one(world.mara.to_dos.list("tarnwick"), "not priced")
    assert told.title == "Compute: Processors is used and not charged: 1 organisation"
    assert told.detail == "no subscription of theirs takes it"


def test_quotas_that_are_nearly_full_or_more_than_full(world: World) -> None:
    world.mara.quotas.grant("tarnwick", "storage", Decimal(1000))
    world.mara.quotas.grant("oxbow", "storage", Decimal(895))
    assert "quota" not in kinds(world.mara.to_dos.list("tarnwick"))
    world.mara.quotas.grant("quillstone", "storage", Decimal(15))
    full = one(world.mara.to_dos.list("tarnwick"), "quota")
    assert (full.weight, full.subject) == ("look", "storage")
    assert full.title == "90 of 1\u202f000 GiB of storage are left"
    assert "quota" not in kinds(world.user("edda").to_dos.list("oxbow")), "nothing is passed on there"


def test_prices_that_are_about_to_change_are_told_to_who_pays_them(world: World) -> None:
    world.mara.catalogue.publish("tarnwick", files(rate_card("resellers-gbp", "GBP", "resellers", "0.9", "2026-12-01")))
    told = one(world.user("edda").to_dos.list("oxbow"), "price change")
    assert told.title == "Prices of Card resellers-gbp change on 1 December"
    assert "price change" not in kinds(world.mara.to_dos.list("tarnwick"))


def test_a_feed_that_went_quiet_and_readings_that_were_refused(world: World, engine: Engine) -> None:
    sent = world.mara.readings.send("tarnwick/north-fell", [reading("a"), reading("b", owner="nobody/here")])
    assert (sent.accepted, sent.refused) == (1, 1)
    found = world.mara.to_dos.list("tarnwick")
    refused = one(found, "refused readings")
    assert refused.title.startswith("1 reading of feed")
    assert "nobody/here" in refused.detail
    assert "feed" not in kinds(found)
    with engine.begin() as connection:
        long_ago = datetime.now(UTC) - timedelta(hours=31)
        connection.exec_driver_sql("UPDATE deliveries SET received_at = %s", (long_ago.replace(tzinfo=None),))
    quiet = one(world.mara.to_dos.list("tarnwick"), "feed")
    assert quiet.weight == "failed"
    assert "has been silent for 31 hours" in quiet.title


def test_nobody_else_is_told(world: World) -> None:
    world.send(egress("q", 300 * GIB, owner="quillstone/archive"))
    with pytest.raises(Forbidden, match="Oxbow Managed IT"):
        world.mara.to_dos.list("oxbow")
    with pytest.raises(NotFound):
        world.user("ines").to_dos.list("tarnwick")
    assert world.user("ines").to_dos.list("saltmarsh") == []
