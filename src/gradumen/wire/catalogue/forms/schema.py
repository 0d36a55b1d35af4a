"""The JSON Schema of catalogue files."""

from typing import Any

from pydantic import TypeAdapter
from pydantic.json_schema import GenerateJsonSchema

from gradumen.wire.catalogue.forms.offers import OfferForm
from gradumen.wire.catalogue.forms.plans import PlanForm
from gradumen.wire.catalogue.forms.rate_cards import RateCardForm
from gradumen.wire.catalogue.forms.services import ServiceForm


def catalogue_schema() -> dict[str, Any]:
    """The schema of one document of a catalogue file (JSON Schema 2020-12)."""
    adapter: TypeAdapter[Any] = TypeAdapter(ServiceForm | PlanForm | OfferForm | RateCardForm)
    found = adapter.json_schema(by_alias=True, mode="validation")
    return {
        "$schema": GenerateJsonSchema.schema_dialect,
        "title": "A service, plan, offer or rate card",
        **found,
    }
