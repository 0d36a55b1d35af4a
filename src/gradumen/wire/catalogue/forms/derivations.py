"""How a rate card follows another, as it is written."""

from collections.abc import Mapping
from decimal import Decimal
from typing import Annotated, Any

from pydantic import Field

from gradumen.core.catalogue.derived import Derivation, OnTop
from gradumen.core.errors import Invalid
from gradumen.core.mistakes import at
from gradumen.core.names import slug_of
from gradumen.wire.catalogue.forms.base import Form, Price, SignedPercent, SignedPrice, Written, read, whole
from gradumen.wire.catalogue.forms.rates import RateForm

SMALLEST_STEP = Decimal("0.000000000001")


class OnTopForm(Form):
    """What is put on a base price: a percentage (below 0 takes off), or an amount per unit."""

    percent: SignedPercent | None = None
    amount: SignedPrice | None = None

    def value(self) -> OnTop:
        """What is put on.

        Raises:
            Invalid: more taken off than there is.
        """
        return OnTop(self.percent or Decimal(0), self.amount or Decimal(0))


class DerivedForm(Form):
    """The base (``seller/card``), what is put on its prices, and to what they are rounded.

    ``own`` is in what is read of a published card: its rates beside those of the base. Nobody writes it.
    """

    base: Written
    on_top: OnTopForm | None = None
    services: dict[str, OnTopForm] = {}
    rates: dict[str, OnTopForm] = {}
    price_step: Price | None = None
    notice_days: Annotated[int, *whole(366)] = 0
    own: list[RateForm] | None = Field(None, json_schema_extra={"readOnly": True})

    def value(self) -> Derivation:
        """How the card follows.

        Raises:
            Invalid: no such name, or a step of nought.
        """
        seller, _, card = self.base.partition("/")
        with at("base"):
            slugs = (slug_of(seller, field="base"), slug_of(card, field="base"))
        return Derivation(
            *slugs,
            _on_top(self.on_top, "on-top") if self.on_top else OnTop(),
            {slug: _on_top(each, f"services.{slug}") for slug, each in self.services.items()},
            {slug: _on_top(each, f"rates.{slug}") for slug, each in self.rates.items()},
            SMALLEST_STEP if self.price_step is None else self.price_step,
            self.notice_days,
        )


def _on_top(form: OnTopForm, path: str) -> OnTop:
    with at(path):
        return form.value()


def read_derivation(form: object) -> Derivation | None:
    """How a written card follows another; None if it does not.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    if not isinstance(form, Mapping) or form.get("derived") is None:
        return None
    with at("derived"):
        found = read(DerivedForm, form["derived"])
        if found.own is not None:
            raise Invalid("'own' is not a field here; write own rates among 'rates'", field="own")
        return found.value()


def source_form(form: Mapping[str, Any]) -> dict[str, Any]:
    """The form that a version was written as: a derived card's without the rates that it takes from its base."""
    how = form.get("derived")
    if not how:
        return dict(form)
    derived = {name: value for name, value in how.items() if name != "own"}
    return {**form, "rates": how.get("own", []), "derived": derived}
