"""Organisations, their details, dated states, parent edges and billing zones, and projects."""

from bisect import bisect_right
from collections import OrderedDict
from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import UTC, date, datetime, timedelta
from threading import Lock
from uuid import UUID

from sqlalchemy import FetchedValue, ForeignKey, Index, Integer, String, Text, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.organisations.sign_in_policies import Demand
from gradumen.core.organisations.states import State, heaviest
from gradumen.core.periods import zone_of
from gradumen.store.columns import Base, Moment, ascii_text
from gradumen.store.revisions import TREE, kept


class OrganisationRow(Base):
    __tablename__ = "organisations"

    id: Mapped[UUID] = mapped_column(primary_key=True)
    type: Mapped[str] = mapped_column(ascii_text(16))
    slug: Mapped[str] = mapped_column(ascii_text(63), unique=True)
    name: Mapped[str] = mapped_column(String(120))
    country: Mapped[str] = mapped_column(ascii_text(2))
    currency: Mapped[str] = mapped_column(ascii_text(3))
    segment: Mapped[str | None] = mapped_column(String(60))
    cost_centre: Mapped[str | None] = mapped_column(String(60))
    created_at: Mapped[datetime] = mapped_column(Moment)
    members_version: Mapped[int] = mapped_column(default=0)
    """Every decision about its members, its state and what is new for it writes it, so that they queue."""


class ParentEdgeRow(Base):
    """From ``starts_at`` to ``ends_at`` (or for ever) ``parent_id`` sells to ``child_id``."""

    __tablename__ = "parent_edges"
    revises = TREE
    __table_args__ = (Index("ix_parent_edges_parent_id", "parent_id", "child_id"),)

    child_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    starts_at: Mapped[datetime] = mapped_column(Moment, primary_key=True)
    parent_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    ends_at: Mapped[datetime | None] = mapped_column(Moment)


class StateRow(Base):
    """From ``starts_at`` on an organisation is in a state; before the first it is active."""

    __tablename__ = "organisation_states"
    revises = TREE

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    starts_at: Mapped[datetime] = mapped_column(Moment, primary_key=True)
    state: Mapped[str] = mapped_column(ascii_text(16))
    reason: Mapped[str | None] = mapped_column(String(300))
    set_at: Mapped[datetime] = mapped_column(Moment)


class DetailsRow(Base):
    """Who an organisation is on paper, and how to reach it; what is not known is not there."""

    __tablename__ = "organisation_details"

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    legal_name: Mapped[str | None] = mapped_column(String(200))
    registration: Mapped[str | None] = mapped_column(String(60))
    tax_id: Mapped[str | None] = mapped_column(ascii_text(30))
    street: Mapped[str | None] = mapped_column(String(320))
    postal_code: Mapped[str | None] = mapped_column(String(20))
    town: Mapped[str | None] = mapped_column(String(100))
    region: Mapped[str | None] = mapped_column(String(100))
    email: Mapped[str | None] = mapped_column(ascii_text(200))
    phone: Mapped[str | None] = mapped_column(ascii_text(40))
    language: Mapped[str | None] = mapped_column(ascii_text(12))
    payer_id: Mapped[UUID | None] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    """Who pays its documents in its place."""
    version: Mapped[int]


class BillingContactRow(Base):
    """Somebody whom documents of an organisation are for, a user or not."""

    __tablename__ = "billing_contacts"

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    email: Mapped[str] = mapped_column(ascii_text(200), primary_key=True)
    name: Mapped[str] = mapped_column(String(120))


class BuyerNotesRow(Base):
    """What a seller writes down about an organisation that it sells to; its buyer never reads it."""

    __tablename__ = "buyer_notes"

    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    buyer_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    notes: Mapped[str] = mapped_column(Text)


class BuyerTagRow(Base):
    """A word of a seller's by which it finds organisations that it sells to."""

    __tablename__ = "buyer_tags"
    __table_args__ = (Index("ix_buyer_tags_buyer_id", "buyer_id", "seller_id"),)

    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    tag: Mapped[str] = mapped_column(String(40, collation="utf8mb4_bin"), primary_key=True)
    buyer_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)


class BillingZoneRow(Base):
    """The zone of a seller's days and periods, from the first day of a period on."""

    __tablename__ = "billing_zones"
    revises = TREE

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    starts_on: Mapped[date] = mapped_column(primary_key=True)
    zone: Mapped[str] = mapped_column(ascii_text(64))


class SignInPolicyRow(Base):
    """What an organisation demands of who signs in: a second factor of its members, or of all below as well."""

    __tablename__ = "sign_in_policies"
    revises = TREE

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    second_factor: Mapped[str] = mapped_column(ascii_text(16))


class ProjectRow(Base):
    __tablename__ = "projects"
    __table_args__ = (UniqueConstraint("organisation_id", "slug"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    slug: Mapped[str] = mapped_column(ascii_text(63))
    name: Mapped[str] = mapped_column(String(120))
    cost_centre: Mapped[str | None] = mapped_column(String(60))
    """That of today; see `gradumen.store.organisations.cost_centres`."""
    parent_id: Mapped[UUID | None] = mapped_column(ForeignKey("projects.id", ondelete="RESTRICT"))
    version: Mapped[int]
    number: Mapped[int] = mapped_column(Integer, FetchedValue(), unique=True)
    """What usage calls it, from 1; the database counts."""


MOST_TREES = 8
"""Trees that each process keeps at once."""
BEGINNING = datetime(2000, 1, 1, tzinfo=UTC)
"""From when on an organisation buys from its first seller."""


class Tree:
    """The organisations' parents and states at a moment, small enough to hold at once (16 bytes twice each).

    ``own_states`` has those that are not active, ``demands`` who demands a second factor and of whom.
    """

    def __init__(
        self,
        parents: Mapping[UUID, UUID],
        own_states: Mapping[UUID, State] | None = None,
        demands: Mapping[UUID, Demand] | None = None,
    ) -> None:
        self.parents, self.own_states, self.demands = parents, own_states or {}, demands or {}
        self._children: dict[UUID, list[UUID]] = {}
        for child, parent in parents.items():
            self._children.setdefault(parent, []).append(child)
        self._below: dict[UUID, frozenset[UUID]] = {}
        self._sold_to: dict[UUID, frozenset[UUID]] = {}

    def sold_to(self, organisation: UUID) -> frozenset[UUID]:
        """Those that an organisation sells to, to be looked up in."""
        if organisation not in self._sold_to:
            self._sold_to[organisation] = frozenset(self.children(organisation))
        return self._sold_to[organisation]

    def children(self, organisation: UUID) -> Sequence[UUID]:
        """Those that an organisation sells to."""
        return self._children.get(organisation, ())

    def chain(self, organisation: UUID) -> list[UUID]:
        """The organisation, its seller, the seller's seller ... up to the root."""
        found = [organisation]
        while found[-1] in self.parents:
            found.append(self.parents[found[-1]])
        return found

    def state(self, organisation: UUID) -> State:
        """What holds for an organisation: the heaviest of its own state and those of all above it."""
        if not self.own_states:
            return State.ACTIVE
        return heaviest(self.own_states.get(each, State.ACTIVE) for each in self.chain(organisation))

    def demanding(self, organisation: UUID) -> UUID | None:
        """Who demands a second factor of an organisation's members: it itself, or the nearest above that does."""
        if not self.demands:
            return None
        if organisation in self.demands:
            return organisation
        above = self.chain(organisation)[1:]
        return next((each for each in above if self.demands.get(each) is Demand.BELOW), None)

    def below(self, roots: Iterable[UUID]) -> frozenset[UUID]:
        """The roots and everything under them."""
        found: list[frozenset[UUID]] = [self._all_below(root) for root in roots]
        return found[0] if len(found) == 1 else frozenset().union(*found)

    def _all_below(self, root: UUID) -> frozenset[UUID]:
        if root not in self._below:
            found = {root}
            pending = [root]
            while pending:
                for child in self.children(pending.pop()):
                    found.add(child)
                    pending.append(child)
            self._below[root] = frozenset(found)
        return self._below[root]


class _Edges:
    """All edges, states and billing zones there ever were, and the trees that they make between two changes."""

    def __init__(
        self,
        rows: Sequence[tuple[UUID, UUID, datetime, datetime | None]],
        states: Sequence[tuple[UUID, datetime, State]],
        demands: Mapping[UUID, Demand],
        zones: Sequence[tuple[UUID, date, str]],
    ) -> None:
        self.rows, self.states, self.demands = rows, states, demands
        self.zones: dict[UUID, list[tuple[date, str]]] = {}
        for organisation, starts_on, zone in zones:
            self.zones.setdefault(organisation, []).append((starts_on, zone))
        moments = {each for row in rows for each in row[2:] if each is not None}
        self.changes = sorted(moments | {starts for _, starts, _ in states})
        self.moves = sorted((starts, child) for child, _, starts, _ in rows if starts > BEGINNING)
        self.last = {child: parent for child, parent, _, ends in rows if ends is None}
        self.eras = sorted({moment for moment, _ in self.moves} | {each[3] for each in rows if each[3] is not None})
        self._trees: OrderedDict[tuple[bool, int], Tree] = OrderedDict()
        self._lock = Lock()

    def at(self, moment: datetime) -> Tree:
        """The tree at a moment."""
        return self._kept((True, bisect_right(self.changes, moment)), moment)

    def era(self, moment: datetime) -> Tree:
        """The same without states, which is one from one move to the next."""
        return self._kept((False, bisect_right(self.eras, moment)), moment)

    def _kept(self, key: tuple[bool, int], moment: datetime) -> Tree:
        with self._lock:
            found = self._trees.get(key)
            if found is None:
                found = self._trees[key] = self._made(moment, with_states=key[0])
            self._trees.move_to_end(key)
            while len(self._trees) > MOST_TREES:
                self._trees.popitem(last=False)
            return found

    def _made(self, moment: datetime, *, with_states: bool) -> Tree:
        parents = {
            child: parent
            for child, parent, starts, ends in self.rows
            if starts <= moment and (ends is None or ends > moment)
        }
        if not with_states:
            return Tree(parents)
        states = {organisation: state for organisation, starts, state in self.states if starts <= moment}
        resting = {organisation: state for organisation, state in states.items() if state is not State.ACTIVE}
        return Tree(parents, resting, self.demands)


def load_tree(tx: Session, at: datetime) -> Tree:
    """The tree at a moment of the business clock."""
    return _edges(tx).at(at)


def trees_between(tx: Session, start: datetime, end: datetime) -> list[tuple[datetime, Tree]]:
    """The trees of a span of time in their order, each with the moment from which it holds; the first from its start.

    They know of no states. It is one where nobody moves meanwhile.
    """
    edges = _edges(tx)
    moments = [start, *sorted({moment for moment, _ in edges.moves if start < moment < end})]
    # Who came or went altogether is there from the beginning, and to the end.
    return [(moment, edges.era(moment)) for moment in moments]


def moves_between(tx: Session, start: datetime, end: datetime) -> list[datetime]:
    """The moments within a span of time at which somebody moved."""
    return [moment for moment, _ in trees_between(tx, start, end)[1:]]


def sellers_ever(tx: Session, organisation: UUID) -> set[UUID]:
    """Those of whom an organisation buys, bought, or is to buy."""
    return {parent for child, parent, *_ in _edges(tx).rows if child == organisation}


def seen_since(tx: Session, members: Collection[UUID], organisation: UUID, at: datetime) -> datetime | None:
    """From when on one of ``members`` is the organisation or sells to it, directly or further up, without a break.

    None where that was always so.
    """
    edges = _edges(tx)
    chain = set(edges.at(at).chain(organisation))
    for moment, moved in reversed(edges.moves):
        if moment <= at and moved in chain:
            chain = set(edges.era(moment - timedelta.resolution).chain(organisation))
            if not chain.intersection(members):
                return moment
    return None


def coming_sellers(tx: Session, at: datetime) -> dict[UUID, UUID]:
    """Who is to move after a moment, and under whom."""
    edges = _edges(tx)
    return {child: edges.last[child] for moment, child in edges.moves if moment > at and child in edges.last}


def has_anybody_moved(tx: Session) -> bool:
    """Whether anybody ever moved, or is to move."""
    return bool(_edges(tx).moves)


def coming_to(tx: Session, seller: UUID) -> list[UUID]:
    """Those that a seller will sell to in the end, as it is planned by now, who have moved or are to move."""
    edges = _edges(tx)
    return [child for _, child in edges.moves if edges.last.get(child) == seller]


def _edges(tx: Session) -> _Edges:
    def read() -> _Edges:
        columns = (ParentEdgeRow.child_id, ParentEdgeRow.parent_id, ParentEdgeRow.starts_at, ParentEdgeRow.ends_at)
        edges = [(child, parent, starts, ends) for child, parent, starts, ends in tx.execute(select(*columns))]
        dated = select(StateRow.organisation_id, StateRow.starts_at, StateRow.state).order_by(StateRow.starts_at)
        zone = BillingZoneRow
        zoned = select(zone.organisation_id, zone.starts_on, zone.zone).order_by(zone.starts_on)
        demanded = select(SignInPolicyRow.organisation_id, SignInPolicyRow.second_factor)
        return _Edges(
            edges,
            [(owner, starts, State(state)) for owner, starts, state in tx.execute(dated)],
            {owner: Demand(demand) for owner, demand in tx.execute(demanded)},
            [(owner, starts_on, zone) for owner, starts_on, zone in tx.execute(zoned)],
        )

    return kept(tx, TREE, read)


def zone_name(tx: Session, organisation: UUID, day: date) -> str:
    """The billing zone that holds on a day."""
    return zone_names(tx, {organisation}, day)[organisation]


def local_day(tx: Session, organisation: UUID, moment: datetime) -> date:
    """The day of a moment in an organisation's billing zone."""
    return moment.astimezone(zone_of(zone_name(tx, organisation, moment.date()))).date()


def zone_names(tx: Session, organisations: Collection[UUID], day: date) -> dict[UUID, str]:
    """The billing zones of organisations that hold on a day."""
    known = _edges(tx).zones
    return {
        each: next((zone for starts_on, zone in reversed(known.get(each, ())) if starts_on <= day), "UTC")
        for each in organisations
    }
