"""Makes the scenario through the public interface, moving the business clock month by month."""

import importlib.resources
import time
from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID

from gradumen.client import Client
from gradumen.core.errors import GradumenError
from gradumen.core.periods import Period
from gradumen.core.permissions import Role
from gradumen.core.quotas.measures import Kind
from gradumen.demo import carrier, counters, fleet, night_desk, public_cloud, software_vendor, supplier_costs
from gradumen.demo.capacity import place_capacity
from gradumen.demo.outside import Outside
from gradumen.demo.papers import (
    ask_for_more,
    bring_on_board,
    order,
    plan_move,
    register_cloud,
    set_states,
    write_papers,
)
from gradumen.demo.scenario import (
    CATALOGUE,
    HOST_PROJECT,
    MORE_QUOTAS,
    ORGANISATIONS,
    PASSWORD,
    PROJECT_TREES,
    PROVIDER,
    SELLERS,
    SIGNERS,
    TARNWICK_MEMBERS,
    TAXES,
    TENANT_ADDRESSES,
)
from gradumen.wire.access.sessions import SetUp
from gradumen.wire.catalogue.catalogue import CatalogueFile
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.assignment_rules import AssignmentRuleSet
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeCreate
from gradumen.wire.subscriptions.subscriptions import SpecialTermsAgree, SubscriptionChange, SubscriptionCreate

Tell = Callable[[str], None]
SAMPLE_HOURS = 6
CLOSED_MONTHS = {"small": 1, "standard": 3}


@dataclass(frozen=True, slots=True)
class Calendar:
    """The days of the scenario, all following from the business date."""

    now: datetime
    months: int

    @property
    def current(self) -> Period:
        """The month under way."""
        return Period(self.now.year, self.now.month)

    @property
    def closed(self) -> list[Period]:
        """The closed months, oldest first."""
        found = [self.current.before()]
        while len(found) < self.months:
            found.insert(0, found[0].before())
        return found

    @property
    def first_day(self) -> date:
        """The first day of all."""
        return self.closed[0].first_day


class History:
    """Builds the scenario; every step goes through the client, as one of its people."""

    def __init__(self, url: str, calendar: Calendar, tell: Tell, outside: Outside | None = None) -> None:
        self.url, self.calendar, self.tell, self.outside = url, calendar, tell, outside or Outside()
        self.clients: dict[str, Client] = {}

    def signed_in(self, email: str) -> Client:
        """A client with a session of a user."""
        if email not in self.clients:
            client = Client(self.url, timeout=600)
            client.sign_in(email, PASSWORD)
            self.clients[email] = client
        return self.clients[email]

    def close(self) -> None:
        """End all connections."""
        for client in self.clients.values():
            client.close()
        self.clients.clear()

    @property
    def mara(self) -> Client:
        """The provider's administrator."""
        return self.signed_in(SIGNERS[PROVIDER])

    def make(self, code: str) -> None:
        """Everything from the empty service to the business date."""
        self.set_up(code)
        self.organisations()
        self.catalogue()
        self.subscriptions()
        closed = self.calendar.closed
        for index, month in enumerate(closed):
            self.month(month, late_for=closed[index - 1] if index else None)
            if index < len(closed) - 1 or len(closed) == 1:
                self.bill(month, issue=len(closed) > 1)
        self.month_so_far()

    def set_up(self, code: str) -> None:
        """The provider, its people and its feeds."""
        with Client(self.url) as client:
            client.set_up(
                SetUp(
                    code=code,
                    slug=PROVIDER,
                    name="Tarnwick Cloud",
                    country="IE",
                    currency="EUR",
                    billing_zone="Europe/Dublin",
                    email=SIGNERS[PROVIDER],
                    user_name="Mara Fell",
                    password=PASSWORD,
                )
            )
        start = datetime.combine(self.calendar.first_day, datetime.min.time(), UTC)
        self.mara.clock.set(start, held=True)
        for email, name, role in TARNWICK_MEMBERS:
            self.join(self.mara, PROVIDER, email, name, role)
        self.mara.projects.create(PROVIDER, slug=HOST_PROJECT, name="The host of this service")
        for slug, name in (
            ("north-fell", "North Fell"),
            ("south-quay", "South Quay"),
            ("host", "The host of this service"),
        ):
            self.mara.feeds.create(PROVIDER, slug=slug, name=name)
            self.mara.feeds.allow(f"{PROVIDER}/{slug}", "meters@tarnwick.example")
        self.mara.measures.define("database-nodes", "node", Kind.STOCK)
        self.mara.quotas.grant(PROVIDER, "processors", Decimal(4000), label="north-fell and south-quay")
        self.mara.quotas.grant(PROVIDER, "storage", Decimal(1_200_000), label="north-fell and south-quay")
        self._more_quotas(self.mara, PROVIDER)

    def _more_quotas(self, signer: Client, slug: str) -> None:
        for measure, limit in MORE_QUOTAS.get(slug, {"addresses": TENANT_ADDRESSES}).items():
            signer.quotas.grant(slug, measure, Decimal(limit))

    def join(self, inviter: Client, organisation: str, email: str, name: str, role: Role) -> None:
        """Invite somebody, who accepts."""
        invited = inviter.invitations.create(organisation, email=email, role=role)
        with Client(self.url) as anybody:
            anybody.invitations.accept(invited.secret or "", name=name, password=PASSWORD)

    def organisations(self) -> None:
        """Resellers and tenants with their people, projects and quotas, and tax rates."""
        for each in ORGANISATIONS:
            signer = self.signed_in(SIGNERS[each.parent])
            signer.organisations.create(
                OrganisationCreate(
                    parent=each.parent,
                    type=each.type,
                    slug=each.slug,
                    name=each.name,
                    country=each.country,
                    currency=each.currency,
                    billing_zone=each.zone,
                )
            )
            processors, storage = each.quota
            signer.quotas.grant(each.slug, "processors", Decimal(processors))
            signer.quotas.grant(each.slug, "storage", Decimal(storage))
            self._more_quotas(signer, each.slug)
            for index, (email, name, role) in enumerate(each.members):
                # The seller invites the first; the organisation invites the others itself.
                inviter = self.signed_in(each.members[0][0]) if index else signer
                self.join(inviter, each.slug, email, name, role)
            for slug, name, cost_centre in each.projects:
                signer.projects.create(each.slug, slug=slug, name=name, cost_centre=cost_centre)
        for organisation, (levels, under) in PROJECT_TREES.items():
            own = self.signed_in(next(each.members[0][0] for each in ORGANISATIONS if each.slug == organisation))
            for project, parent in under.items():
                own.projects.change(organisation, project, version=1, parent=parent)
            own.projects.set_levels(organisation, levels)
        for seller, country, category, percent in TAXES:
            self.signed_in(SIGNERS[seller]).tax_rates.set(
                seller, country=country, percent=percent, starts_on=date(2020, 1, 1), category=category
            )
        write_papers(self.signed_in)
        place_capacity(self.signed_in)
        self.tell(f"{len(ORGANISATIONS) + 1} organisations with people, projects and quotas")

    def _files(self, *names: str) -> list[CatalogueFile]:
        folder = importlib.resources.files("gradumen.demo") / "catalogue"
        days = {
            "{first-day}": self.calendar.first_day.isoformat(),
            "{next-month}": self.calendar.current.next().first_day.isoformat(),
            "{change-day}": (self.calendar.closed[-1].first_day + timedelta(days=14)).isoformat(),
        }
        found = []
        for name in names:
            content = (folder / name).read_text()
            for mark, day in days.items():
                content = content.replace(mark, day)
            found.append(CatalogueFile(name=name, content=content))
        return found

    def catalogue(self) -> None:
        """Services, plans and everybody's rate cards."""
        for seller, names in CATALOGUE.items():
            self.signed_in(SIGNERS[seller]).catalogue.publish(seller, self._files(*names))
        if len(self.calendar.closed) > 1:
            self.mara.catalogue.publish(PROVIDER, self._files("tarnwick-change.yaml"))
        self.tell("services, plans and rate cards published")

    def subscriptions(self) -> None:
        """Everybody's plans; Saltmarsh changes its tier in mid-month, Copperbeech tries one that ends this month."""
        first = self.calendar.first_day

        def subscribe(
            organisation: str, plan: str, tier: str, name: str, start: date, trial_until: date | None = None
        ) -> UUID:
            seller = next((each.parent for each in ORGANISATIONS if each.slug == organisation), PROVIDER)
            made = self.signed_in(SIGNERS[seller]).subscriptions.create(
                SubscriptionCreate(
                    organisation=organisation,
                    plan=plan,
                    tier=tier,
                    name=name,
                    starts_on=start,
                    ends_on=trial_until,
                    trial_until=trial_until,
                    accepted_terms="2026-2" if plan == "field-kit" else None,
                )
            )
            return made.id

        for each in ORGANISATIONS:
            for plan, tier in each.plans:
                subscribe(each.slug, plan, tier, plan.replace("-", " ").title(), first)
        change = self.calendar.closed[-1].first_day + timedelta(days=11)
        changed = subscribe("saltmarsh", "open-range", "heath", "Open Range", first)
        self.signed_in(SIGNERS["oxbow"]).subscriptions.change(
            changed, SubscriptionChange(starts_on=change, tier="moor")
        )
        month = self.calendar.closed[-1].next().first_day
        subscribe("copperbeech", "field-kit", "heath", "Field Kit on trial", month, month + timedelta(days=28))
        subscribe("quillstone", "night-desk", "heath", "Night Desk", month)
        subscribe(PROVIDER, "home-ground", "heath", "Home Ground", first)
        self._special_terms(month)

    def _special_terms(self, month: date) -> None:
        """Kestrel's GPUs have a subscription of their own and more traffic; Bluefern's labour for Gannet."""
        kestrel = SubscriptionCreate(
            organisation="kestrel-row", plan="open-range", tier="heath", name="Render nights", starts_on=month
        )
        self.mara.subscriptions.create(kestrel)
        self.mara.assignment_rules.set(
            "kestrel-row",
            "graphics",
            AssignmentRuleSet(subscription="Render nights", starts_on=month, conditions={"where": {"size": "gpu"}}),
        )
        held = next(each for each in self.mara.subscriptions.list("kestrel-row") if each.name == "Open Range")
        own = {"allowances": {"network/egress": "3000 GiB"}, "levels": {"response-time": "30 minute"}}
        self.mara.subscriptions.agree(
            held.id, SpecialTermsAgree(seller=PROVIDER, starts_on=month, special_terms=own, version=held.version)
        )
        ruben = self.signed_in(SIGNERS["bluefern"])
        ruben.subscriptions.create(
            SubscriptionCreate(
                organisation="gannet",
                plan="helping-hands",
                tier="heath",
                name="Helping Hands",
                starts_on=month,
                rate_card="bluefern-hands",
            )
        )
        ruben.one_off_charges.enter(
            OneOffChargeCreate(
                seller="bluefern",
                organisation="gannet",
                subscription="Helping Hands",
                day=month,
                description="Setting up the customs scanner at the quay",
                amount="240",
                currency="EUR",
            )
        )

    def send(self, events: dict[str, list[dict[str, Any]]]) -> int:
        """Send events per site; refusals are an error here."""
        count = 0
        for site, batch in events.items():
            sender = self.signed_in("meters@tarnwick.example")
            for outcome in sender.readings.send_all(f"{PROVIDER}/{site}", batch):
                count += len(outcome.outcomes)
                if outcome.refused:
                    reason = next(item.reason for item in outcome.outcomes if item.status == "refused")
                    raise GradumenError(f"the demo's readings were refused: {reason}")
        return count

    def _days(self, first: date, last: date, *, until_hour: int = 24) -> dict[str, list[dict[str, Any]]]:
        """Events of the days from first to last; ``until_hour`` cuts the last one."""
        found: dict[str, list[dict[str, Any]]] = defaultdict(list)
        day = first
        while day <= last:
            cut = until_hour if day == last else 24
            for site, event in fleet.readings_of_day(day, self.calendar.first_day, SAMPLE_HOURS, until_hour=cut):
                found[site].append(event)
            day += timedelta(days=1)
        return found

    def month(self, month: Period, *, late_for: Period | None) -> None:
        """A whole month of readings, and the day after it; some of the month before came late."""
        began = time.monotonic()
        end = datetime.combine(month.next().first_day, datetime.min.time(), UTC)
        self.mara.clock.set(end + timedelta(hours=30), held=True)
        events = self._days(month.first_day, month.next().first_day - timedelta(days=1))
        if late_for is None and self.calendar.months > 1:
            events = {site: [e for e in batch if not _late(e)] for site, batch in events.items()}
        if late_for == self.calendar.closed[0]:
            held_back = self._days(late_for.first_day, late_for.next().first_day - timedelta(days=1))
            self.send({site: [e for e in batch if _late(e)] for site, batch in held_back.items()})
        count = self.send(events)
        self.tell(f"{month.text}: {count} readings in {time.monotonic() - began:.0f} s")

    def bill(self, month: Period, *, issue: bool) -> None:
        """Every seller's drafts of a month, issued where asked."""
        count = 0
        for seller in SELLERS:
            client = self.signed_in(SIGNERS[seller])
            run = client.bill_runs.wait(client.bill_runs.start(seller, month.text).id)
            if run.state != "done":
                raise GradumenError(f"bill run of {seller} for {month.text}: {run.state}, {run.problem}")
            drafts = client.invoices.list(state="draft", seller=seller) if issue else []
            for draft in sorted(drafts, key=lambda each: each.buyer):
                client.invoices.issue(draft.id)
                count += 1
        self.tell(f"{month.text}: " + (f"{count} invoices issued" if issue else "drafts made"))

    def month_so_far(self) -> None:
        """Readings from the first of the month up to the business date."""
        now = self.calendar.now
        self.mara.clock.set(now, held=True)
        self.mara.catalogue.publish(PROVIDER, self._files("tarnwick-coming.yaml"))
        first = self.calendar.current.first_day
        public_cloud.connect(self.mara, first)
        count = self.send(self._days(first, now.date(), until_hour=now.hour))
        count += self.send({public_cloud.FEED: list(public_cloud.readings(first, now.date()))})
        count += carrier.connect(self.mara, first, now.date())
        count += night_desk.connect(self.mara, first, now)
        count += supplier_costs.connect(self.signed_in, first, now.date())
        if self.outside.store is not None:
            count += software_vendor.connect(self.signed_in, self.outside.store, first, now.date())
        if self.outside.metrics is not None:
            counters.connect(self.mara, self.outside.metrics.url, now)
        self.tell(f"{self.calendar.current.text} so far: {count} readings")
        if self.calendar.months > 1:
            ask_for_more(self.signed_in)
            order(self.signed_in, self.calendar.current.next().first_day)
            if self.outside.cloud is not None:
                register_cloud(self.signed_in, self.outside.cloud.url)
                bring_on_board(self.signed_in, self.calendar.current.next().first_day)
            set_states(self.signed_in, self.calendar.current.next().next().first_day)
            plan_move(self.signed_in, self.calendar.current.next().next().first_day)

    def top_up(self, since: date, now: datetime) -> None:
        """After a pause: the readings from a day to now; what is known already does no harm."""
        count = self.send(self._days(since, now.date(), until_hour=now.hour))
        count += self.send({public_cloud.FEED: list(public_cloud.readings(since, now.date()))})
        count += supplier_costs.send(self.mara, since, now.date())
        if self.outside.store is not None:
            first = self.calendar.current.first_day
            count += software_vendor.carry_on(self.mara, self.outside.store, first, now.date())
        count += night_desk.send(self.mara, since, now)
        self.tell(f"{count} readings since {since}")


def _late(event: dict[str, Any]) -> bool:
    """Which readings of the first month arrive after its bill run: two machines' last days."""
    data = event["data"]
    return data["resource"] in ("tiles-02", "booking-02") and data["start"][8:10] in ("27", "28")
