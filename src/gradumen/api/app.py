"""The HTTP application."""

from pathlib import Path

from fastapi import FastAPI
from fastapi.middleware.gzip import GZipMiddleware
from fastapi.routing import APIRoute

from gradumen.api import (
    audit_entries,
    clock,
    console,
    description,
    health,
    messages,
    metrics,
    problems,
    retentions,
    tasks,
)
from gradumen.api.access import (
    invitations,
    members,
    passwords,
    programs,
    project_people,
    second_factors,
    sessions,
    set_up,
    sign_in_policies,
    tokens,
)
from gradumen.api.billing import (
    bill_runs,
    billed_months,
    charges,
    invoices,
    ownership_trials,
    rating_differences,
    tax_rates,
)
from gradumen.api.catalogue import (
    catalogue,
    member_services,
    offers,
    plans,
    price_changes,
    price_margins,
    rate_cards,
    services,
    unpublished_changes,
)
from gradumen.api.description import describe, routes_of
from gradumen.api.expensive import Gate
from gradumen.api.headers import HeadAsGet, KnownHosts, SafeHeaders
from gradumen.api.limits import BodyLimit
from gradumen.api.metering import (
    archived_months,
    breaches,
    cloud_feeds,
    deliveries,
    exchange_rates,
    feed_arrivals,
    feed_precedences,
    feeds,
    first_readings,
    imported_costs,
    kind_rules,
    loads,
    ownership_rules,
    pool_days,
    pulls,
    readings,
    refused_items,
    resource_facts,
    resource_owners,
    spells,
    unknown_kinds,
    unowned_usage,
    uploads,
    usage,
    usage_remakes,
    uses,
)
from gradumen.api.organisations import clouds, details, organisations, projects, sites, states
from gradumen.api.quotas import hosts, measures, pools, quota_matrices, quota_requests, quotas, site_quotas
from gradumen.api.rating import composites, estimates, what_ifs
from gradumen.api.routers import PREFIX
from gradumen.api.spend import feed_balances, month_margins, not_priced, period_so_far, spend, to_dos, usage_balances
from gradumen.api.subscriptions import assignment_rules, moves, onboardings, one_off_charges, orders, subscriptions
from gradumen.settings import Settings
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.wire.values import Problem

ROUTERS = (
    organisations,
    details,
    states,
    projects,
    project_people,
    clouds,
    sites,
    set_up,
    sessions,
    passwords,
    second_factors,
    sign_in_policies,
    members,
    invitations,
    tokens,
    programs,
    quotas,
    quota_matrices,
    quota_requests,
    measures,
    hosts,
    pools,
    site_quotas,
    catalogue,
    services,
    member_services,
    plans,
    offers,
    rate_cards,
    unpublished_changes,
    price_changes,
    price_margins,
    onboardings,
    moves,
    subscriptions,
    assignment_rules,
    one_off_charges,
    orders,
    cloud_feeds,
    feed_precedences,
    feeds,
    ownership_rules,
    kind_rules,
    deliveries,
    feed_arrivals,
    first_readings,
    pulls,
    imported_costs,
    exchange_rates,
    unowned_usage,
    resource_facts,
    resource_owners,
    unknown_kinds,
    uploads,
    readings,
    refused_items,
    usage,
    usage_remakes,
    spells,
    loads,
    uses,
    pool_days,
    breaches,
    estimates,
    what_ifs,
    composites,
    bill_runs,
    billed_months,
    ownership_trials,
    rating_differences,
    invoices,
    charges,
    tax_rates,
    period_so_far,
    month_margins,
    usage_balances,
    feed_balances,
    not_priced,
    spend,
    to_dos,
    tasks,
    messages,
    audit_entries,
    archived_months,
    retentions,
    clock,
    metrics,
)


def operation_name(route: APIRoute) -> str:
    """The operation's name in OpenAPI: that of its function."""
    return route.name


def make_app(settings: Settings, uow: UnitOfWork | None, *, set_up_file: Path | None = None) -> FastAPI:
    """The application; without a unit of work only its description can be used.

    Args:
        set_up_file: holds the code with which the provider is made; it goes when used, whichever process used it.
    """
    app = FastAPI(
        title="Gradumen",
        version="1",
        # The framework would make the description in the one thread that answers everybody.
        openapi_url=None,
        docs_url=None,
        redoc_url=None,
        generate_unique_id_function=operation_name,
        responses={"default": {"model": Problem, "description": "A refusal, as problem details"}},
    )
    app.state.settings, app.state.uow = settings, uow
    app.state.set_up_file = set_up_file
    app.state.gate = Gate()
    # All beside each other: a router within another is looked through again for each that it is within.
    for module in ROUTERS:
        app.include_router(module.router, prefix=PREFIX)
    app.include_router(description.router)
    app.include_router(health.router)
    app.include_router(console.router)
    problems.install(app)
    operations = [route for module in ROUTERS for route in routes_of(module.router)]
    describe(app, [(f"{PREFIX}{route.path_format}", route) for route in operations])
    app.add_middleware(GZipMiddleware, minimum_size=1024, compresslevel=3)
    app.add_middleware(HeadAsGet)
    app.add_middleware(BodyLimit, most=settings.largest_body_bytes, seconds=settings.body_seconds)
    app.add_middleware(KnownHosts, hosts=settings.known_hosts)
    app.add_middleware(SafeHeaders, secure=settings.secure_cookies)
    return app
