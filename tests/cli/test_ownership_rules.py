"""Rules of ownership on the command line."""

from pathlib import Path

from tests.cli.test_cli import Terminal, profiles, terminal
from tests.world import GIB, World, egress, reading

__all__ = ["profiles", "terminal"]


def test_a_line_of_two_is_divided(terminal: Terminal, world: World, tmp_path: Path) -> None:
    world.send(egress("a", 4 * GIB, owner=None, account="acc-9", resource="uplink"))
    add = ("ownership-rules", "add", "Line", "--from", "2026-09-01", "--resource", "uplink")
    assert "no share" in terminal(*add, "--share", "saltmarsh/booking", exit=1)
    shares = ("--share", "saltmarsh/booking=3", "--share", "quillstone/archive=1")
    told = terminal(*add, *shares, "--check")
    assert "saltmarsh/booking (3), quillstone/archive (1)" in told and "4 GiB" in told
    assert "saltmarsh/booking (3), quillstone/archive (1)" in terminal(*add, *shares)
    for task in world.mara.tasks.list("tarnwick"):
        world.mara.tasks.follow(task.id, seconds=60)
    used = terminal("usage", "show", "--period", "2026-09", "--by", "project", "--wait", "60")
    assert "3 GiB" in " ".join(used.split()) and "1 GiB" in " ".join(used.split())
    rules = tmp_path / "rules.yaml"
    rules.write_text(
        "- {name: Line, shares: {saltmarsh/booking: 1, quillstone/archive: 1}, starts-on: 2026-09-01, "
        "conditions: {resource: uplink}}\n"
    )
    assert "saltmarsh/booking (1), quillstone/archive (1)" in terminal("ownership-rules", "apply", str(rules))


def test_accounts_are_of_whom_a_table_names(terminal: Terminal, world: World, tmp_path: Path) -> None:
    for account in ("acc-1", "acc-2"):
        world.send(egress(account, GIB, owner=None, account=account, resource=account))
    table = tmp_path / "owners.csv"
    table.write_text("value,owner\nacc-1,saltmarsh/booking\nacc-2, quillstone/archive\n")
    add = ("ownership-rules", "add", "Accounts", "--from", "2026-09-01", "--by", "account")
    assert "names one owner" in terminal("ownership-rules", "add", "None", "--from", "2026-09-01", exit=1)
    told = terminal(*add, "--owners", str(table), "--check")
    assert "nobody -> saltmarsh/booking" in told and "nobody -> quillstone/archive" in told
    assert "whom account names, of 2 in a table" in terminal(*add, "--owners", str(table))
    table.write_text("acc-1,saltmarsh/booking\nacc-1,quillstone/archive\n")
    assert "owners.csv:2: 'acc-1,quillstone/archive' stands twice" in terminal(*add, "--owners", str(table), exit=1)
    table.write_text("acc-1\n")
    for task in world.mara.tasks.list("tarnwick"):
        world.mara.tasks.follow(task.id, seconds=60)
    why = " ".join(terminal("ownership-rules", "of", "acc-2", "--period", "2026-09").split())
    assert "1 quillstone/archive rule Accounts" in why
    assert "nothing of vm-9 came in" in terminal("ownership-rules", "of", "vm-9", "--period", "2026-09")
    assert "owners.csv:1: 'acc-1' is no value and its owner" in terminal(*add, "--owners", str(table), exit=1)
    rules = tmp_path / "rules.yaml"
    rules.write_text("- {name: Tags, by: where.size, starts-on: 2026-09-01, conditions: {}}\n")
    assert "whom where.size names" in terminal("ownership-rules", "apply", str(rules))


def test_a_line_is_divided_by_what_each_used(terminal: Terminal, world: World) -> None:
    world.send(
        egress("a", 4 * GIB, owner=None, account="acc-9", resource="uplink"),
        reading("q", owner="quillstone/archive", quantity="6"),
        reading("b", quantity="2"),
    )
    add = ("ownership-rules", "add", "Line", "--from", "2026-09-01", "--meter", "network/egress")
    assert "--whole is of --by-usage METER" in terminal(*add, "--whole", "9", exit=1)
    by = ("--by-usage", "compute/vcpu", "--among", "saltmarsh/booking", "--among", "quillstone/archive")
    assert "name a remainder" in terminal(*add, *by, "--whole", "4 vCPU", exit=1)
    rest = ("--whole", "4 vCPU", "--remainder", "saltmarsh/harbour")
    words = "saltmarsh/booking, quillstone/archive by what each used of compute/vcpu, the rest saltmarsh/harbour"
    assert f"nobody -> {words}" in " ".join(terminal(*add, *by, *rest, "--check").split())
    assert words in " ".join(terminal(*add, *by, *rest).split())
    for task in world.mara.tasks.list("tarnwick"):
        world.mara.tasks.follow(task.id, seconds=60)
    used = terminal(
        "usage", "show", "--period", "2026-09", "--by", "project", "--meter", "network/egress", "--wait", "60"
    )
    # 36 and 12 processor hours of 96.
    assert [part in " ".join(used.split()) for part in ("1.5 GiB", "0.5 GiB", "2 GiB")] == [True] * 3, used


def test_a_rule_that_reaches_a_billed_month_is_tried_with_what_each_customer_would_pay(
    terminal: Terminal, world: World
) -> None:
    world.send(egress("a", 100 * GIB, owner="quillstone/archive"))
    world.close("tarnwick", "mara", "2026-09")
    world.send(egress("later", 40 * GIB, owner=None, account="acc-7", resource="box"))
    world.settle()
    add = ("ownership-rules", "add", "Seven", "quillstone/archive", "--from", "2026-09-01", "--account", "acc-7")
    told = terminal(*add, "--check")
    [link] = world.mara.ownership_trials.get(world.mara.ownership_trials.list("tarnwick")[0].id).links
    row = next(" ".join(line.split()) for line in told.splitlines() if line.startswith("2026-09 "))
    figures = [f"{each:.2f}" for each in (link.before, link.after, link.difference, link.billed or 0)]
    assert row == "2026-09 quillstone EUR {} {} +{} {}".format(*figures)
    assert "2026-09 in all: +" in told and "settled on the customer's next document" in told
    assert world.mara.ownership_rules.get("tarnwick").rules == [], "it was only looked at"
    assert terminal("ownership-trials", "list").count("done") == 1
    identity = str(world.mara.ownership_trials.list("tarnwick")[0].id)
    assert row in " ".join(terminal("ownership-trials", "show", identity[:8]).split())
    terminal(*add)
    assert [each.name for each in world.mara.ownership_rules.get("tarnwick").rules] == ["Seven"]
