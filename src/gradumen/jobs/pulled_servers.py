"""Fetches the servers of a feed: asks outside of any transaction, takes what came in within one."""

from gradumen.adapters.door import Door
from gradumen.adapters.sources import servers_of
from gradumen.core.metering.life_events import Listing
from gradumen.core.metering.readings import Reading
from gradumen.feeds.server_readings import OVERLAP, server_lists, server_readings
from gradumen.jobs.leases import Held, now
from gradumen.usecases.metering.pulled_servers import ServersAsked, accounts_there, servers_to_ask, take_servers
from gradumen.usecases.metering.pulls import Asking
from gradumen.usecases.metering.readings import unreadable


def fetch_servers(held: Held, door: Door, asking: Asking) -> None:
    """Ask what changed since the last look, and take it in."""
    asked = servers_to_ask(held.uow, lease=held.lease, at=now())
    if asked is None:
        return
    with held.step("servers", since=f"{asked.since:%Y-%m-%d %H:%M:%S}") as step:
        step.result.update(_look(held, door, asking, asked))


def _look(held: Held, door: Door, asking: Asking, asked: ServersAsked) -> dict[str, int]:
    form = asking.form
    with servers_of(door.of(asking.seller), form, asking.secret) as source:
        look = source.look(asked.since - OVERLAP, now(), whole=asked.whole)
    until = max(asked.since, min(look.at, asked.now)).replace(microsecond=0)
    found = server_readings(
        form.queries, look.servers, look.actions, asked.since, until, new=asked.new, source=form.endpoint
    )
    items = [each if isinstance(each, Reading) else unreadable(*each) for each in found]
    lists: list[Listing] = []
    if look.there is not None:
        before = accounts_there(held.uow, lease=held.lease)
        lists = list(server_lists(form.queries, look.servers, before, until, form.endpoint))
    accepted, refused = take_servers(
        held.uow, lease=held.lease, asked=form, since=asked.since, until=until, items=items, lists=lists, at=now()
    )
    return {"servers": len(look.changed), "accepted": accepted, "refused": refused}
