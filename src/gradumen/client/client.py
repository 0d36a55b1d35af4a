"""The client: one attribute a concept."""

from types import TracebackType
from typing import Self

import httpx

from gradumen.client.access.invitations import Invitations
from gradumen.client.access.members import Members
from gradumen.client.access.programs import Programs
from gradumen.client.access.project_people import ProjectPeople
from gradumen.client.access.second_factors import SecondFactors
from gradumen.client.access.sessions import Sessions
from gradumen.client.access.sign_in_policies import SignInPolicies
from gradumen.client.access.tokens import Tokens
from gradumen.client.audit_entries import AuditEntries
from gradumen.client.billing.bill_runs import BillRuns
from gradumen.client.billing.billed_months import BilledMonths
from gradumen.client.billing.charges import Charges
from gradumen.client.billing.invoices import Invoices
from gradumen.client.billing.ownership_trials import OwnershipTrials
from gradumen.client.billing.tax_rates import TaxRates
from gradumen.client.catalogue.catalogue import Catalogue
from gradumen.client.catalogue.member_services import MemberServices
from gradumen.client.catalogue.unpublished_changes import UnpublishedChanges
from gradumen.client.clock import Clock
from gradumen.client.connection import Connection
from gradumen.client.messages import Messages
from gradumen.client.metering.archived_months import ArchivedMonths
from gradumen.client.metering.breaches import Breaches
from gradumen.client.metering.cloud_feeds import CloudFeeds
from gradumen.client.metering.deliveries import Deliveries
from gradumen.client.metering.exchange_rates import ExchangeRates
from gradumen.client.metering.feed_arrivals import FeedArrivals
from gradumen.client.metering.feed_precedences import FeedPrecedences
from gradumen.client.metering.feeds import Feeds
from gradumen.client.metering.first_readings import FirstReadings
from gradumen.client.metering.imported_costs import ImportedCosts
from gradumen.client.metering.kind_rules import KindRules
from gradumen.client.metering.loads import Loads
from gradumen.client.metering.ownership_rules import OwnershipRules
from gradumen.client.metering.pool_days import PoolDays
from gradumen.client.metering.pulls import Pulls
from gradumen.client.metering.readings import Readings
from gradumen.client.metering.refused_items import RefusedItems
from gradumen.client.metering.resource_facts import ResourceFacts
from gradumen.client.metering.spells import Spells
from gradumen.client.metering.uploads import Uploads
from gradumen.client.metering.usage import Usage
from gradumen.client.metering.usage_remakes import UsageRemakes
from gradumen.client.metering.uses import Uses
from gradumen.client.organisations.clouds import Clouds
from gradumen.client.organisations.details import Details
from gradumen.client.organisations.organisations import Organisations
from gradumen.client.organisations.projects import Projects
from gradumen.client.organisations.sites import Sites
from gradumen.client.organisations.states import States
from gradumen.client.quotas.hosts import Hosts
from gradumen.client.quotas.measures import Measures
from gradumen.client.quotas.pools import Pools
from gradumen.client.quotas.quota_matrices import QuotaMatrices
from gradumen.client.quotas.quota_requests import QuotaRequests
from gradumen.client.quotas.quotas import Quotas
from gradumen.client.quotas.site_quotas import SiteQuotas
from gradumen.client.rating.composites import Composites
from gradumen.client.rating.estimates import Estimates
from gradumen.client.rating.what_ifs import WhatIfs
from gradumen.client.retentions import Retentions
from gradumen.client.spend.feed_balances import FeedBalances
from gradumen.client.spend.spend import Spend
from gradumen.client.spend.to_dos import ToDos
from gradumen.client.subscriptions.assignment_rules import AssignmentRules
from gradumen.client.subscriptions.moves import Moves
from gradumen.client.subscriptions.onboardings import Onboardings
from gradumen.client.subscriptions.one_off_charges import OneOffCharges
from gradumen.client.subscriptions.orders import Orders
from gradumen.client.subscriptions.subscriptions import Subscriptions
from gradumen.client.tasks import Tasks
from gradumen.wire.access.sessions import SessionBody, SetUp


class Client:
    """Talks to a service; usable as a context manager.

    Args:
        url: where the service listens, like ``http://127.0.0.1:8470``.
        token: a program's token; without one, `sign_in` begins a session.
        timeout: seconds until a call without answer is given up.
        transport: another httpx transport, for tests.
    """

    def __init__(
        self, url: str, token: str | None = None, *, timeout: float = 120, transport: httpx.BaseTransport | None = None
    ) -> None:
        self.connection = Connection(url, token, timeout=timeout, transport=transport)
        self.organisations = Organisations(self.connection)
        self.details = Details(self.connection)
        self.clouds = Clouds(self.connection)
        self.sites = Sites(self.connection)
        self.projects = Projects(self.connection)
        self.project_people = ProjectPeople(self.connection)
        self.measures = Measures(self.connection)
        self.hosts = Hosts(self.connection)
        self.pools = Pools(self.connection)
        self.site_quotas = SiteQuotas(self.connection)
        self.states = States(self.connection)
        self.quotas = Quotas(self.connection)
        self.quota_matrices = QuotaMatrices(self.connection)
        self.quota_requests = QuotaRequests(self.connection)
        self.catalogue = Catalogue(self.connection)
        self.unpublished_changes = UnpublishedChanges(self.connection)
        self.estimates = Estimates(self.connection)
        self.what_ifs = WhatIfs(self.connection)
        self.composites = Composites(self.connection)
        self.subscriptions = Subscriptions(self.connection)
        self.assignment_rules = AssignmentRules(self.connection)
        self.onboardings = Onboardings(self.connection)
        self.moves = Moves(self.connection)
        self.one_off_charges = OneOffCharges(self.connection)
        self.orders = Orders(self.connection)
        self.spend = Spend(self.connection)
        self.feed_balances = FeedBalances(self.connection)
        self.to_dos = ToDos(self.connection)
        self.bill_runs = BillRuns(self.connection)
        self.invoices = Invoices(self.connection)
        self.charges = Charges(self.connection)
        self.tax_rates = TaxRates(self.connection)
        self.tasks = Tasks(self.connection)
        self.messages = Messages(self.connection)
        self.retentions = Retentions(self.connection)
        self.audit_entries = AuditEntries(self.connection)
        self._add_metering()
        self._add_access()

    def _add_metering(self) -> None:
        """What was used, and how it comes in."""
        self.feeds = Feeds(self.connection)
        self.cloud_feeds = CloudFeeds(self.connection)
        self.feed_precedences = FeedPrecedences(self.connection)
        self.deliveries = Deliveries(self.connection)
        self.imported_costs = ImportedCosts(self.connection)
        self.uploads = Uploads(self.connection)
        self.exchange_rates = ExchangeRates(self.connection)
        self.ownership_rules = OwnershipRules(self.connection)
        self.kind_rules = KindRules(self.connection)
        self.pulls = Pulls(self.connection)
        self.readings = Readings(self.connection)
        self.refused_items = RefusedItems(self.connection)
        self.feed_arrivals = FeedArrivals(self.connection)
        self.resource_facts = ResourceFacts(self.connection)
        self.first_readings = FirstReadings(self.connection)
        self.billed_months = BilledMonths(self.connection)
        self.ownership_trials = OwnershipTrials(self.connection)
        self.usage = Usage(self.connection)
        self.spells = Spells(self.connection)
        self.loads = Loads(self.connection)
        self.usage_remakes = UsageRemakes(self.connection)
        self.uses = Uses(self.connection)
        self.pool_days = PoolDays(self.connection)
        self.archived_months = ArchivedMonths(self.connection)
        self.breaches = Breaches(self.connection)

    def _add_access(self) -> None:
        """Who signs in, and what they may."""
        self.members = Members(self.connection)
        self.member_services = MemberServices(self.connection)
        self.invitations = Invitations(self.connection)
        self.tokens = Tokens(self.connection)
        self.programs = Programs(self.connection)
        self.sessions = Sessions(self.connection)
        self.second_factors = SecondFactors(self.connection)
        self.sign_in_policies = SignInPolicies(self.connection)
        self.clock = Clock(self.connection)

    def set_up(self, body: SetUp) -> None:
        """Make the provider and its first administrator."""
        self.connection.send("POST", "set-up", json=body.model_dump(mode="json"))

    def sign_in(self, email: str, password: str, code: str | None = None) -> SessionBody:
        """Begin a session; see `Connection.sign_in`."""
        return self.connection.sign_in(email, password, code)

    def session(self) -> SessionBody:
        """Who is signed in."""
        return self.connection.get("session", SessionBody)

    def close(self) -> None:
        """Close the connection."""
        self.connection.http.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()
