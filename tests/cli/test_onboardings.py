"""Customers on board on the command line: from files, as drafts with approval, step by step with accounts in clouds."""

import io
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest

from gradumen.client.subscriptions.onboardings import Onboardings
from gradumen.demo.clouds import TOKEN, SimulatedCloud
from tests.cli.test_access import typed
from tests.cli.test_cli import Terminal, profiles, terminal
from tests.world import PASSWORD, World

__all__ = ["profiles", "terminal"]


def ten_thousand(wrong: int) -> str:
    """As many customers, of which one is wrong."""
    names = ["slug", "name", "plan", "tier", "quantity"]
    rows = [[f"c-{number}", f"C {number}", "open-range", "heath", "1"] for number in range(10_000)]
    rows[wrong][-1] = "1,5"
    return "\n".join(",".join(f'"{cell}"' for cell in row) for row in [names, *rows])


def test_customers_come_on_board_from_a_file(
    terminal: Terminal, world: World, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    typed(monkeypatch, *[PASSWORD] * 20)
    one = tmp_path / "gull.yaml"
    one.write_text(
        "slug: gull\nname: Gull Chandlery\nbilling-zone: Europe/Dublin\nlimits: {processors: none}\n"
        "people: [{email: gwen@gull.example}]\nsubscriptions: [{plan: open-range, tier: moor}]\n"
    )
    checked = terminal("onboardings", "make", str(one), "--check")
    assert "Gull Chandlery is a tenant of Tarnwick Cloud, billed in EUR." in checked
    assert "79.00 EUR a month" in checked and "1 customers could come on board" in checked
    assert "1 customers came on board" in terminal("onboardings", "make", str(one))
    assert "1 customers came" not in terminal("onboardings", "make", str(one), exit=1)

    # What the first of a long file use up stops the later ones; mended, the same file goes on.
    many = tmp_path / "many.csv"
    head = "slug,name,email,plan,tier,machines [machine]"
    lines = [f"many-{number},Many {number},,open-range,heath,1" for number in range(23)]
    many.write_text("\n".join([head, *lines]) + "\n")
    world.mara.quotas.grant("tarnwick", "machines", Decimal(21))
    whole = terminal("onboardings", "make", str(many), exit=1)
    assert "all of the file together need 23 machines of machines, of which there are 21 left" in whole
    assert not [each for each in world.mara.organisations.list() if each.slug.startswith("many-")], "nobody came"
    # Another takes what was there while the first come on board.
    world.mara.quotas.grant("tarnwick", "machines", Decimal(23))
    made, taken = Onboardings.make, []

    def rivalled(self: Onboardings, *arguments: Any, **named: Any) -> Any:
        found = made(self, *arguments, **named)
        if not named["check"] and not taken:
            taken.append(world.mara.quotas.grant("quillstone", "machines", Decimal(2)))
        return found

    monkeypatch.setattr(Onboardings, "make", rivalled)
    stopped = terminal("onboardings", "make", str(many), exit=1)
    assert "customer 22, many-21" in stopped and "20 customers came on board before these" in stopped
    world.mara.quotas.grant("tarnwick", "machines", Decimal(25))
    gone_on = terminal("onboardings", "make", str(many))
    assert "20 of 23 customers came on board, or wait, since before" in gone_on
    assert "3 customers came on board" in gone_on
    assert len([each for each in world.mara.organisations.list() if each.slug.startswith("many-")]) == 23
    assert "0 customers came on board" in terminal("onboardings", "make", str(many))
    many.write_text("\n".join([head, "new-1,New,,open-range,heath,", "gull,Gull,,,,"]))
    assert "customer 2, gull: the slug 'gull' is taken" in terminal("onboardings", "make", str(many), exit=1)
    # A cell merged over three lines has its value in the first.
    merged = "slug,name,plan,tier\na,All three,open-range,heath\nb,,,\nc,,,\n"
    for content, said in (
        ("slug,beds\nx,1", "column 'beds'"),
        (ten_thousand(7_776), "line 7778, subscriptions.0.quantity"),
        (merged, "2 lines are wrong: line 3, name: field required; line 4, name: field required"),
        (head + "\n" + "\n".join([*lines, lines[3]]), "slug 'many-3' is in the file twice"),
        ("slug,name\nx,=1+1", "line 2, name: '=1+1' is a formula"),
    ):
        many.write_text(content)
        assert said in terminal("onboardings", "make", str(many), exit=1)
    one.write_text("slug: x\nnme: y\n")
    assert "document 1, name" in terminal("onboardings", "make", str(one), exit=1)


def test_a_customer_is_drafted_waits_and_is_answered_in_the_terminal(
    terminal: Terminal, world: World, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    typed(monkeypatch, *[PASSWORD] * 4)
    file = tmp_path / "gull.yaml"
    file.write_text("name: Gull Chandlery\n")
    assert "nobody is being brought on board" in terminal("onboardings", "list")
    terminal("onboardings", "draft", str(file))
    [draft] = world.mara.onboardings.list("tarnwick")
    assert "needs a short name" in terminal("onboardings", "submit", str(draft.id)[:8], exit=1)
    file.write_text("slug: gull\nname: Gull Chandlery\nsubscriptions: [{plan: open-range, tier: moor}]\n")
    terminal("onboardings", "draft", str(file), "--over", str(draft.id)[:8])
    assert terminal("onboardings", "set-policy", "EUR", "50").split()[-2:] == ["EUR", "50"]
    told = terminal("onboardings", "show", str(draft.id))
    assert "79.00 EUR a month" in told and "It waits for another administrator: more than 50.00 EUR a month" in told
    assert "waiting" in terminal("onboardings", "submit", str(draft.id))
    assert "somebody else approves it" in terminal("onboardings", "approve", str(draft.id), exit=1)
    assert "draft" in terminal("onboardings", "withdraw", str(draft.id))
    assert "is given up" in terminal("onboardings", "discard", str(draft.id))
    assert "any" in terminal("onboardings", "set-policy", "EUR", "any")
    assert "what has no bound" in terminal("onboardings", "policies")


def test_a_cloud_and_the_steps_of_a_customer_in_the_terminal(
    terminal: Terminal, world: World, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, cloud_server: SimulatedCloud
) -> None:
    cloud_server.accounts.clear()
    cloud_server.make("gull", None)
    typed(monkeypatch, *[PASSWORD] * 4)
    monkeypatch.setattr("sys.stdin", io.StringIO("wrong\n"))
    assert "north-fell" in terminal("clouds", "add", "north-fell", world.cloud, "--name", "North Fell", "--shared")
    assert "not reached: it does not take the token" in terminal("clouds", "try", "north-fell", exit=1)
    monkeypatch.setattr("sys.stdin", io.StringIO(f"{TOKEN}\n"))
    terminal("clouds", "change", "north-fell", "--secret-stdin", "--place", "Fellside")
    assert "reached: North Fell accounts, 1 accounts" in terminal("clouds", "try", "north-fell")
    assert "Fellside" in terminal("clouds", "list")
    file = tmp_path / "gull.yaml"
    file.write_text("slug: gull\nname: Gull\ncloud-accounts: [{cloud: north-fell}]\n")
    assert "It gets an account gull in North Fell." in terminal("onboardings", "make", str(file))
    [made] = world.mara.onboardings.list("tarnwick")
    assert made.task is not None
    assert world.mara.tasks.follow(made.task.id).state == "needs a hand"
    told = terminal("onboardings", "show", str(made.id))
    assert "account in North Fell: needs a hand" in told and "choose another name" in told
    assert "wanted" in terminal("clouds", "accounts", "-o", "gull")
    assert "undoing" in terminal("onboardings", "undo", str(made.id)[:8])
    assert "no new accounts are made in north-fell" in terminal("clouds", "retire", "north-fell")
    assert "no cloud yet" in terminal("clouds", "list")
    assert "has no cloud called 'nowhere'" in terminal("clouds", "try", "nowhere", exit=1)
    cloud_server.accounts.clear()
