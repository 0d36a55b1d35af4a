"""The command line of long work: what is in progress, why it stopped, and having it tried again."""

import json
from datetime import date
from decimal import Decimal

from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.cli.test_cli import Terminal, profiles, terminal
from tests.world import World, egress

__all__ = ["profiles", "terminal"]


def far_away(world: World) -> None:
    """A customer in a country for which no tax rate is set."""
    world.mara.organisations.create(
        OrganisationCreate(
            parent="tarnwick", type="tenant", slug="faraway", name="Far Away", country="JP", currency="EUR"
        )
    )
    world.mara.subscriptions.create(
        SubscriptionCreate(
            organisation="faraway", plan="open-range", tier="heath", name="Range", starts_on=date(2026, 9, 1)
        )
    )


def test_what_needs_a_hand_is_found_understood_and_tried_again(terminal: Terminal, world: World) -> None:
    far_away(world)
    refused = terminal("bill-runs", "start", "--period", "2026-09", exit=1)
    assert "the bill run needs a hand: 'tarnwick' has no tax rate for buyers in JP" in refused
    listed = terminal("tasks", "list", "--state", "open")
    assert "bill run" in listed and "needs a hand" in listed and "mara@tarnwick.example" in listed
    assert "has no tax rate for buyers in JP" in listed and "then: gradumen tasks retry" in listed
    task = json.loads(terminal("tasks", "list", "--state", "open", "--json"))[0]["id"]
    shown = terminal("tasks", "show", task[:8])
    assert "bill run 2026-09: needs a hand" in shown
    assert "problem: 'tarnwick' has no tax rate for buyers in JP" in shown
    assert "bring usage up to date" in shown and "make drafts" in shown
    assert terminal("tasks", "follow", task, exit=1)

    world.mara.tax_rates.set("tarnwick", country="JP", percent=Decimal(0), starts_on=date(2020, 1, 1), category="O")
    assert f"see gradumen tasks follow {task[:8]}" in terminal("tasks", "retry", task[:8])
    followed = terminal("tasks", "follow", task[:8])
    assert "bill run 2026-09: done" in followed and "drafts 3" in followed
    assert "nothing is in progress" in terminal("tasks", "list", "--state", "open")
    assert "there is nothing to try again" in terminal("tasks", "retry", task, exit=1)


def test_all_drafts_are_issued_by_a_task_that_is_on_the_list(terminal: Terminal, world: World) -> None:
    world.send(egress("a", 10**12), egress("b", 10**12, owner="quillstone/archive"))
    terminal("bill-runs", "start", "--period", "2026-09")
    issued = terminal("invoices", "issue", "--all")
    assert issued.index("oxbow") < issued.index("quillstone"), "in the order of the buyers"
    assert "TARNWICK-2026-00001" in issued and "TARNWICK-2026-00002" in issued
    listed = terminal("tasks", "list", "--kind", "issue")
    assert "2 of 2 drafts" in listed and "2 drafts of tarnwick" in listed
    assert "name drafts, or use --all" in terminal("invoices", "issue", "--all", exit=1)


def test_a_name_that_is_no_tasks_and_a_state_that_is_none_are_refused(terminal: Terminal) -> None:
    assert "no task of your organisation begins with 'zzz'" in terminal("tasks", "show", "zzz", exit=1)
    assert "state 'finished' is none of: open, waiting" in terminal("tasks", "list", "--state", "finished", exit=1)
    assert "no tasks with this" in terminal("tasks", "list", "--kind", "nothing")


def test_the_document_says_which_tax_it_gives_back(terminal: Terminal, world: World) -> None:
    """A cancelled charge after a change of the rate: two percentages on one document, each with what it is on."""
    charge = ("one-off-charges", "enter", "--day", "2026-09-02", "quillstone", "Open Range")
    terminal(*charge, "1000", "EUR", "Work by the hour")
    terminal("bill-runs", "start", "--period", "2026-09", "--issue")
    world.mara.clock.set(world.mara.clock.read().now.replace(month=11, day=12), held=True)
    terminal("tax-rates", "set", "IE", "7", "--from", "2026-11-10")
    entered = json.loads(terminal("one-off-charges", "list", "--json"))[0]["id"]
    terminal("one-off-charges", "withdraw", entered)
    terminal(*charge, "50", "EUR", "Travel")
    terminal("bill-runs", "start", "--period", "2026-09", "--issue")
    number = next(
        each["number"]
        for each in json.loads(terminal("invoices", "list", "--json"))
        if each["buyer"] == "quillstone" and each["net"].startswith("-")
    )
    shown = terminal("invoices", "show", number)
    assert "tax 7 % 3.50 on 50.00" in shown
    assert "tax 23 % −230.00 on −1 000.00" in shown
