"""What is used in an account is of the customer that it was made for, without anybody's hand."""

import time
from datetime import date, timedelta
from decimal import Decimal
from uuid import UUID

import pytest

from gradumen.core.errors import Forbidden, Invalid, NotFound
from gradumen.core.subscriptions.onboardings import OnboardingState
from gradumen.demo.clouds import SimulatedCloud
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from gradumen.wire.subscriptions.onboardings import (
    LinkedAccountsBody,
    OnboardedBody,
    OnboardingAccount,
    OnboardingBody,
    OnboardingCreate,
    OnboardingProject,
    OnboardingSubscription,
)
from tests.usecases.metering.test_imported_costs import FEED as COSTS
from tests.usecases.metering.test_imported_costs import costs, row, send
from tests.usecases.subscriptions.stepping import MOOR, asked, id_of, seen
from tests.world import GIB, World, moment, reading

__all__ = ["costs"]
FEED = "tarnwick/north-fell"
PROJECTS = [OnboardingProject(slug="boats", name="Boats"), OnboardingProject(slug="nets", name="Nets")]


def cloud_of(world: World) -> UUID:
    return next(each.id for each in world.mara.clouds.list("tarnwick") if each.slug == "north-fell")


def used(world: World, account: str, identity: str, **changes: object) -> None:
    """Four processors of an account for an hour of the 9th."""
    span = {"start": "2026-10-09T00:00:00Z", "end": "2026-10-09T01:00:00Z"}
    event = reading(identity, owner=None, account=account, resource=f"vm-{identity}", **{**span, **changes})
    world.mara.readings.send(FEED, [event])


def done(world: World, told: OnboardedBody) -> OnboardingBody:
    """An onboarding once nothing of it is under way."""
    ends = time.monotonic() + 120
    while time.monotonic() < ends:
        found = seen(world, told)
        if found.state not in (OnboardingState.RUNNING, OnboardingState.UNDOING) or (
            found.task and found.task.state == "needs a hand"
        ):
            return found
        time.sleep(0.05)
    raise AssertionError(f"still under way: {found}")


def of(world: World, organisation: str) -> dict[str, Decimal]:
    """Processor hours of October, by project."""
    found = world.mara.usage.sum(organisation, "2026-10", by=("project",), meter="compute/vcpu", wait=60).items
    return {each.keys["project"]: each.quantity / 3600 for each in found}


def test_a_new_customers_account_is_its_own_from_its_first_reading(world: World, fell: SimulatedCloud) -> None:
    mara = world.mara
    mara.clock.set(moment("2026-10-09") + timedelta(hours=8), held=True)
    catch_all = OwnershipRuleForm(
        name="All else", owner="tarnwick/lab", starts_on=date(2026, 10, 1), conditions={"feed": "north-fell"}
    )
    mara.projects.create("tarnwick", slug="lab", name="Lab")
    mara.ownership_rules.set("tarnwick", [catch_all], 0)
    bound = mara.cloud_feeds.set(cloud_of(world), FEED)
    assert (bound.feed, bound.accounts, bound.owned) == (FEED, 0, 0)
    told = asked(world, "gull", projects=PROJECTS)
    steps = done(world, told).task
    assert steps is not None
    [whose] = [each for each in steps.steps if each.name == "whose its accounts' usage is"]
    assert "gull: gull/boats's from 2026-10-09 on" in str(whose.result)
    [account] = world.user("edda").clouds.accounts("gull")
    assert account.project == "gull/boats" and account.external_id is not None
    edda = world.user("edda")
    assert [(each.metered, each.first_day) for each in edda.first_readings.list("gull")] == [(True, None)]
    used(world, account.external_id, "1")
    used(world, "somebody", "2")
    assert of(world, "gull") == {"gull/boats": 4}
    assert of(world, "tarnwick")["tarnwick/lab"] == 4, "the rule for all else stands behind"
    [first] = edda.first_readings.list("gull")
    assert (first.account, first.cloud_name, first.first_day) == ("gull", "North Fell", date(2026, 10, 9))
    mara.cloud_feeds.drop(cloud_of(world))
    assert [(each.metered, each.first_day) for each in edda.first_readings.list("gull")] == [(False, None)]
    mara.cloud_feeds.set(cloud_of(world), FEED)
    rules = mara.ownership_rules.get("tarnwick").rules
    assert [each.name for each in rules] == ["Accounts in North Fell from 2026-10-09", "All else"]
    again = mara.cloud_feeds.set(cloud_of(world), FEED)
    assert (again.accounts, again.owned) == (1, 1) and mara.ownership_rules.get("tarnwick").rules == rules


def test_accounts_that_were_there_before_get_theirs_and_one_without_a_project_is_told(
    world: World, fell: SimulatedCloud
) -> None:
    mara, edda = world.mara, world.user("edda")
    mara.clock.set(moment("2026-10-09") + timedelta(hours=8), held=True)
    _, full = fell.make("old-tern", None)
    linked = OnboardingAccount(cloud="north-fell", link=str(full["id"]), project="nets", billed_from=date(2026, 10, 3))
    told = asked(world, "tern", cloud_accounts=[linked], projects=PROJECTS)
    assert "linked to it, what is used there from 2026-10-03 on" in str(told.sentences)
    done(world, told)
    done(world, asked(world, "shag"))
    bound = mara.cloud_feeds.set(cloud_of(world), FEED)
    assert (bound.accounts, bound.owned) == (2, 1)
    [rule] = mara.ownership_rules.get("tarnwick").rules
    assert (rule.by, rule.owners, rule.starts_on) == ("account", {str(full["id"]): "tern/nets"}, date(2026, 10, 3))
    edda.projects.create("shag", slug="only", name="Only")
    assert mara.cloud_feeds.set(cloud_of(world), FEED).owned == 2, "of the only project that it has"
    used(world, str(full["id"]), "1", start="2026-10-02T22:00:00Z", end="2026-10-02T23:00:00Z")
    used(world, str(full["id"]), "2", start="2026-10-03T00:00:00Z", end="2026-10-03T01:00:00Z")
    assert of(world, "tern") == {"tern/nets": 4}, "what was before it is billed is not its own"
    mara.cloud_feeds.drop(cloud_of(world))
    mara.cloud_feeds.drop(cloud_of(world))
    assert mara.cloud_feeds.list("tarnwick")[0].feed is None
    assert len(mara.ownership_rules.get("tarnwick").rules) == 2


def test_what_is_in_an_account_that_is_linked_is_told_before_with_what_a_month_of_it_would_cost(
    world: World, fell: SimulatedCloud
) -> None:
    mara = world.mara
    mara.clock.set(moment("2026-10-09") + timedelta(hours=8), held=True)
    gull = {
        "slug": "gull",
        "name": "Gull",
        "type": "tenant",
        "projects": PROJECTS,
        "subscriptions": [MOOR],
        "cloud_accounts": [
            OnboardingAccount(cloud="north-fell", link="acc-9"),
            OnboardingAccount(cloud="north-fell", link="acc-8", name="other"),
        ],
    }

    def looked(user: str = "mara", seller: str = "tarnwick") -> LinkedAccountsBody | None:
        wanted = OnboardingCreate.model_validate(gull)
        [told] = world.user(user).onboardings.make(seller, [wanted], check=True).items
        return told.linked

    unmeasured = looked()
    assert unmeasured and [each.measured for each in unmeasured.accounts] == [False, False]
    mara.cloud_feeds.set(cloud_of(world), FEED)
    of_before = {"start": "2026-10-07T22:00:00Z", "end": "2026-10-07T23:00:00Z"}
    used(world, "acc-9", "1", **of_before)
    used(world, "acc-9", "2", **of_before, meter="network/egress", quantity=f"{3 * GIB}", unit="byte", attributes={})
    used(world, "acc-9", "today")
    used(world, "acc-7", "3", **of_before)
    world.settle()
    found = looked()
    assert found is not None
    full, empty = found.accounts
    assert (full.resources, f"{full.since}", full.owners, empty.since) == (2, "2026-10-07", [], None)
    assert {each.meter: each.quantity for each in full.used} == {"compute/vcpu": 4 * 3600, "network/egress": 3 * GIB}
    [sum_] = found.monthly
    # Moor's fee, four hours of a processor, three GiB: as in the month before, so in the next.
    assert (sum_.currency, sum_.amount) == ("EUR", Decimal("79") + 4 * Decimal("0.02") + 3 * Decimal("0.07"))
    assert found.not_priced == []
    gull["subscriptions"] = []
    bare = looked()
    assert bare is not None and bare.monthly == [] and len(bare.not_priced) == 2
    # The account of a cloud that is only shared with it is none of its business before it has it.
    gull["subscriptions"] = [MOOR]
    assert looked("edda", "oxbow") is None
    assert [each.slug for each in mara.organisations.list() if each.slug == "gull"] == [], "it was only looked at"


def test_what_files_say_that_a_linked_account_cost_is_told_as_it_would_be_sold(
    costs: World, fell: SimulatedCloud
) -> None:
    """Sold with 12 % on top; the supplier's tax is not sold, and what has no exchange rate has no price."""
    mara = costs.mara
    mara.cloud_feeds.set(cloud_of(costs), COSTS)
    send(
        costs, row("10", 3, "acc-9"), row("2.5", 4, "acc-9"), row("1.9", 4, "acc-9", ChargeCategory="Tax"),
        row("70", 3, "acc-8"), row("4", 3, "acc-6", BillingCurrency="SEK"),
    )  # fmt: skip
    costs.settle()
    plan = OnboardingSubscription(plan="cumulant", tier="passed-on", name="Cumulant", starts_on=date(2026, 10, 1))
    for account, since, used_of_it, amount, missing in (
        ("acc-9", "2026-09-03", 12_500_000, Decimal("14.00"), []),
        ("acc-6", "2026-09-03", None, Decimal(0), ["Cumulant: Cost"]),
    ):
        gull = OnboardingCreate(
            slug="gull", name="Gull", type="tenant", projects=PROJECTS, subscriptions=[plan],
            cloud_accounts=[OnboardingAccount(cloud="north-fell", link=account)],
        )  # fmt: skip
        [told] = mara.onboardings.make("tarnwick", [gull], check=True).items
        assert told.linked is not None
        [full] = told.linked.accounts
        assert (f"{full.since}", [each.quantity for each in full.used]) == (since, [used_of_it] if used_of_it else [])
        assert [(each.currency, each.amount) for each in told.linked.monthly] == [("EUR", amount)]
        assert told.linked.not_priced == missing


def test_what_is_undone_takes_its_rules_along(world: World, fell: SimulatedCloud) -> None:
    mara = world.mara
    mara.clock.set(moment("2026-10-09") + timedelta(hours=8), held=True)
    mara.cloud_feeds.set(cloud_of(world), FEED)
    accounts = [OnboardingAccount(cloud="north-fell"), OnboardingAccount(cloud="north-fell", name="z", link="acc-9")]
    told = asked(world, "gull", cloud_accounts=accounts, projects=PROJECTS)
    done(world, told)
    other = done(world, asked(world, "tern", projects=PROJECTS))
    assert other.state is OnboardingState.DONE
    # The second is not there, so all waits for a hand; what was made before may be measured already.
    mara.cloud_feeds.set(cloud_of(world), FEED)
    [both] = mara.ownership_rules.get("tarnwick").rules
    assert sorted((both.owners or {}).values()) == ["gull/boats", "tern/boats"], "those of one day stand in one"
    world.user("edda").onboardings.undo(id_of(told))
    done(world, told)
    [left] = mara.ownership_rules.get("tarnwick").rules
    assert list((left.owners or {}).values()) == ["tern/boats"]


def test_an_account_of_which_nothing_comes_is_among_what_needs_somebody(
    world: World, fell: SimulatedCloud, monkeypatch: pytest.MonkeyPatch
) -> None:
    world.mara.clock.set(moment("2026-10-09") + timedelta(hours=8), held=True)
    world.mara.cloud_feeds.set(cloud_of(world), FEED)
    done(world, asked(world, "gull", projects=PROJECTS))

    def quiet() -> list[str]:
        return [each.title for each in world.mara.to_dos.list("tarnwick") if each.kind == "account"]

    assert quiet() == []
    monkeypatch.setattr("gradumen.usecases.spend.feed_to_dos.QUIET", timedelta(days=-1))
    assert quiet() == ["Nothing was measured yet of account gull in North Fell"]
    [account] = world.user("edda").clouds.accounts("gull")
    used(world, account.external_id or "", "1")
    world.settle()
    assert quiet() == []


def test_only_who_manages_feeds_says_by_which_feed_a_cloud_of_its_own_is_measured(
    world: World, fell: SimulatedCloud
) -> None:
    cloud = cloud_of(world)
    world.user("edda").feeds.create("oxbow", slug="own", name="Own")
    with pytest.raises(NotFound):
        world.user("edda").cloud_feeds.set(cloud, "oxbow/own")
    with pytest.raises(NotFound):
        world.mara.cloud_feeds.set(cloud, "oxbow/own")
    with pytest.raises(Forbidden):
        world.user("oda").cloud_feeds.set(cloud, FEED)
    assert world.user("edda").cloud_feeds.list("oxbow") == []
    with pytest.raises(Invalid, match="is no project of the new customer"):
        asked(world, "gull", cloud_accounts=[OnboardingAccount(cloud="north-fell", project="x")], projects=PROJECTS)
    with pytest.raises(Invalid, match="billed_from is of one that is linked"):
        made = OnboardingAccount(cloud="north-fell", billed_from=date(2026, 10, 9))
        asked(world, "gull", cloud_accounts=[made], projects=PROJECTS)
