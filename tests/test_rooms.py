"""Each layer has the same rooms in the same order, and a concept has its file in every layer it passes through."""

import ast
import re
from collections.abc import Iterator
from itertools import chain
from pathlib import Path

SOURCE = Path(__file__).parents[1] / "src" / "gradumen"
TESTS = Path(__file__).parent
DOMAINS = (
    "organisations",
    "access",
    "quotas",
    "catalogue",
    "subscriptions",
    "metering",
    "rating",
    "billing",
    "spend",
)
"""A domain uses those before it; quotas stand before what is sold with quotas in it."""
UPWARD = {
    # A member who goes no longer sends readings.
    ("usecases.access.members", "store.metering.feeds"),
    # What runs, is promised or is to bill stands against closing an organisation.
    ("usecases.organisations.states", "store.quotas.quotas"),
    ("usecases.organisations.states", "store.subscriptions.subscriptions"),
    ("usecases.organisations.states", "store.billing.drafts"),
    ("usecases.organisations.states", "store.metering.usage"),
    # Which of its projects what it is promised is of, follows from their tree.
    ("usecases.organisations.projects", "store.quotas.promised"),
    # What came in may name it already, where rules of ownership go by values.
    ("usecases.organisations.projects", "store.metering.ownership_rules"),
    # Who may see a price, and whom a change of it concerns, follows from what is subscribed to.
    ("usecases.catalogue.catalogue_lists", "store.subscriptions.sales"),
    ("usecases.catalogue.derived_cards", "store.subscriptions.sales"),
    ("usecases.catalogue.plan_lists", "store.subscriptions.sales"),
    ("usecases.catalogue.member_services", "store.subscriptions.sales"),
    ("usecases.catalogue.price_changes", "store.subscriptions.sales"),
    ("usecases.catalogue.price_margins", "store.subscriptions.sales"),
    ("usecases.catalogue.publishing", "store.subscriptions.sales"),
    ("usecases.catalogue.tier_sales", "store.subscriptions.sales"),
    # An account that is linked may be full: what a month of it would cost is told before.
    ("usecases.subscriptions.onboarding_trials", "usecases.rating.linked_accounts"),
    # What is issued is priced by versions that stand.
    ("usecases.catalogue.publishing", "store.billing.invoices"),
    # What is published names measures, which are not retired then.
    ("usecases.quotas.measures", "usecases.catalogue.published"),
    # What quotas promise may be priced: who prices it charges anew when it changes.
    ("store.quotas.promised", "store.catalogue.tables"),
    # Tiers promise quotas, and what they promise is taken from what is held.
    ("usecases.quotas.quotas", "usecases.catalogue.published"),
    ("usecases.quotas.limit_checks", "usecases.catalogue.published"),
    ("usecases.quotas.tier_quotas", "usecases.catalogue.published"),
    ("usecases.quotas.tier_quotas", "store.subscriptions.sales"),
    ("usecases.quotas.tier_quotas", "store.subscriptions.tables"),
}
"""Imports against the order, each with its reason; one that is gone is taken off the list."""
LACKING = {
    "passwords": {"wire": "sessions", "usecases": "users", "client": "sessions", "cli": "sessions"},
    "set_up": {"wire": "sessions", "client": "sessions", "cli": "sessions"},
    "invitations": {"wire": "members"},
    "projects": {"client": "organisations", "cli": "organisations"},
    "catalogue": {"usecases": "publishing"},
    "services": {"usecases": "catalogue_lists", "client": "catalogue", "cli": "catalogue"},
    "plans": {"usecases": "plan_lists", "client": "catalogue", "cli": "catalogue"},
    "offers": {"client": "catalogue", "cli": "catalogue"},
    "rate_cards": {"usecases": "catalogue_lists", "client": "catalogue", "cli": "catalogue"},
    "unpublished_changes": {"cli": "catalogue"},
    "price_changes": {"client": "catalogue", "cli": "catalogue"},
    "price_margins": {"client": "catalogue", "cli": "catalogue"},
    "feeds": {"wire": "readings"},
    "unowned_usage": {"wire": "ownership_rules", "client": "ownership_rules", "cli": "ownership_rules"},
    "resource_owners": {"client": "ownership_rules", "cli": "ownership_rules"},
    "unknown_kinds": {"wire": "kind_rules", "client": "kind_rules", "cli": "kind_rules"},
    "usage_remakes": {"cli": "usage"},
    "usage": {"wire": "readings"},
    "first_readings": {"cli": "onboardings"},
    "billed_months": {"cli": "ownership_rules"},
    "rating_differences": {"client": "bill_runs", "cli": "bill_runs"},
    "period_so_far": {"client": "spend", "cli": "spend"},
    "month_margins": {"client": "spend", "cli": "spend"},
    "usage_balances": {"client": "spend", "cli": "usage"},
    "not_priced": {"client": "spend", "cli": "usage"},
}
"""Routers whose concept stands under another name in a layer, where one file serves several."""


def modules() -> Iterator[tuple[Path, str]]:
    for path in sorted(SOURCE.rglob("*.py")):
        if "migrations" not in path.parts:
            yield path, ".".join(path.relative_to(SOURCE).with_suffix("").parts)


def place(module: str) -> int | None:
    """The number of the domain that a module belongs to."""
    parts = module.split(".")
    return DOMAINS.index(parts[1]) if len(parts) > 2 and parts[1] in DOMAINS else None


def imported(path: Path) -> Iterator[str]:
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("gradumen."):
            module = node.module.removeprefix("gradumen.")
            yield module
            yield from (f"{module}.{each.name}" for each in node.names if (SOURCE / module.replace(".", "/")).is_dir())


def test_a_domain_uses_those_before_it_across_layers_too() -> None:
    found = set()
    for path, module in modules():
        own = place(module)
        for used in imported(path):
            theirs = place(used)
            if own is not None and theirs is not None and theirs > own:
                found.add((module, used))
    assert found == UPWARD


def test_a_concept_has_its_file_in_every_layer() -> None:
    missing = []
    for path in sorted((SOURCE / "api").glob("*/*.py")):
        concept = path.stem
        if concept == "__init__":
            continue
        for layer in ("wire", "usecases", "client", "cli"):
            name = LACKING.get(concept, {}).get(layer, concept)
            if not [*(SOURCE / layer).glob(f"*/{name}.py")]:
                missing.append((concept, layer, name))
    assert missing == []


def test_every_router_is_served() -> None:
    served = (SOURCE / "api" / "app.py").read_text()
    routers = [path.stem for path in (SOURCE / "api").glob("*/*.py") if path.stem != "__init__"]
    assert [each for each in routers if f"    {each},\n" not in served] == []


def test_rooms_have_the_same_names_everywhere() -> None:
    layers = ("core", "store", "wire", "usecases", "api", "client", "cli")
    folders = chain.from_iterable((SOURCE / layer).iterdir() for layer in layers)
    inside = {each.name for each in folders if each.is_dir() and each.name not in ("migrations", "__pycache__")}
    assert inside == set(DOMAINS)
    kept = chain.from_iterable((TESTS / layer).iterdir() for layer in layers)
    assert {each.name for each in kept if each.is_dir() and each.name != "__pycache__"} <= set(DOMAINS)


def test_statements_are_written_in_the_store_alone() -> None:
    """What a use case decides with, it asks of a query; no statement stands in it."""
    words = re.compile(r"\b(tx|driver|connection)\.(execute|scalars?|exec_driver_sql|connection)\(|\bsqlalchemy\b")
    found = [
        f"{module}: {line.strip()}"
        for path, module in modules()
        if not module.startswith("store.")
        for line in path.read_text().splitlines()
        if words.search(line)
    ]
    assert found == []


def test_files_and_functions_stay_short() -> None:
    long = []
    for path, module in modules():
        text = path.read_text()
        if len(text.splitlines()) > 400:
            long.append(module)
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, ast.FunctionDef) and (node.end_lineno or 0) - node.lineno >= 55:
                long.append(f"{module}.{node.name}")
    assert long == []
