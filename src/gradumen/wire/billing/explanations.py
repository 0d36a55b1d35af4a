"""Why an amount is what it is, as the arithmetic that was done."""

from datetime import date, datetime

from pydantic import ConfigDict, Field

from gradumen.wire.values import AsSet, Body, DecimalText


class _Explained(AsSet, Body):
    """Only what was written is answered: what does not concern a kind of charge is not there."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=False)


class ExplainedBlock(_Explained):
    """A share of the quantity at one price: where it begins, in base units and in the rate's unit, and its amount."""

    from_: DecimalText = Field(alias="from")
    quantity: DecimalText
    in_units: DecimalText
    price: DecimalText
    amount: DecimalText


class Adjustment(_Explained):
    """What a bound, a minimum or another rule put on or took off."""

    kind: str
    amount: DecimalText


class Share(_Explained):
    """A quantity and an amount: what is spread in all, or what was billed before."""

    quantity: DecimalText
    amount: DecimalText


class Exchange(_Explained):
    """What a unit of a currency is worth in another since a day, as the seller said."""

    since: date
    rate: DecimalText


class ImportedCost(_Explained):
    """The cost of which a charge is, as its source states it: ``billed`` or ``effective``, in the card's currency.

    Where it is in another, ``stated`` is what the source states in the charge's unit, and ``exchange`` by what it
    was worth on its days in ``currency``. ``estimated`` is what of the charge is for costs that no file stated by then.
    """

    basis: str
    amount: DecimalText
    stated: DecimalText | None = None
    currency: str | None = None
    exchange: list[Exchange] | None = None
    estimated: DecimalText | None = None


class PromisedLimit(_Explained):
    """What somebody might have from one moment up to another: an organisation, or a project of it (``a/b``).

    In all, or at a ``site``; in ``unit``.
    """

    holder: str
    holder_name: str
    site: str | None
    limit: DecimalText
    unit: str
    start: datetime
    end: datetime


class Explanation(_Explained):
    """The arithmetic of a charge. ``base_units_per_unit`` is a number or a fraction like ``1/3``; the rest are exact.

    ``kind`` says how it was priced: per_unit, stepped, at_reached_step, lots, markup, allocation, recurring, one_off,
    one_off_charge, commitment, spread, overhead, discount, imported_cost, effective_cost, started_hour and the like,
    given_back. Of imported and effective cost it is ``cost`` and ``percent`` on top of it. Of what quotas promise,
    ``limits`` are those of whom it is charged to, of its projects, and of those to whom it passed some of it on. Some
    of what was used is of components of ``composites``: without hours in which these were charged in their place. Hours
    of ``as_components`` in which the components were charged instead are left out.
    """

    # What an earlier version wrote beside is answered as it was written.
    model_config = ConfigDict(extra="allow")

    kind: str
    rate: str
    amount: DecimalText
    quantity: DecimalText
    blocks: list[ExplainedBlock]
    rate_card_version: int | None = None
    starts_on: date | None = None
    meter: str | None = None
    match: str | None = None
    base_unit: str | None = None
    unit: str | None = None
    base_units_per_unit: str | None = None
    covered_by_allowance: DecimalText | None = None
    priced_before_in_period: DecimalText | None = None
    committed_not_used: DecimalText | None = None
    over: str | None = None
    subscribed_quantity: int | None = None
    advance: bool | None = None
    adjustments: list[Adjustment] | None = None
    shared: Share | None = None
    spread_by: str | None = None
    key: DecimalText | None = None
    percent: DecimalText | None = None
    cost: ImportedCost | None = None
    billed_before: Share | None = None
    limits: list[PromisedLimit] | None = None
    composites: list[str] | None = None
    as_components: list[str] | None = None
