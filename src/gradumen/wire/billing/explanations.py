"""Why an amount is what it is, as the arithmetic that was done."""

from datetime import date

from pydantic import ConfigDict, Field, SerializerFunctionWrapHandler, model_serializer

from gradumen.wire.values import Body, DecimalText


class _Explained(Body):
    """Only what was written is answered: what does not concern a kind of charge is not there."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=False)

    @model_serializer(mode="wrap")
    def _without_what_is_not_there(self, write: SerializerFunctionWrapHandler):  # type: ignore[no-untyped-def]
        # Without a type of what it gives, the description is that of the fields.
        names = {name: field.alias or name for name, field in self.__class__.model_fields.items()}
        there = self.model_fields_set | {names[name] for name in self.model_fields_set if name in names}
        return {name: value for name, value in write(self).items() if name in there}


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


class Explanation(_Explained):
    """The arithmetic of a charge. ``base_units_per_unit`` is a number or a fraction like ``1/3``; the rest are exact.

    ``kind`` says how it was priced: per_unit, stepped, at_reached_step, lots, markup, allocation, recurring, one_off,
    one_off_charge, commitment, spread, overhead, discount, started_hour and the like, given_back.
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
    billed_before: Share | None = None
