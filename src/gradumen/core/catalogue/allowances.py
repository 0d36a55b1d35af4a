"""What a tier includes of each meter, in base units."""

from collections.abc import Mapping
from decimal import Decimal

from gradumen.core.catalogue.plans import Tier
from gradumen.core.catalogue.services import Meter
from gradumen.core.exact import QUANTITY_PLACES, unscaled
from gradumen.core.units import convertible, smallest


def base_allowances(tier: Tier, meters: Mapping[str, Meter]) -> dict[str, Decimal]:
    """A tier's allowances per meter, in base units."""
    found: dict[str, Decimal] = {}
    for each in tier.allowances:
        unit = convertible(each.unit, meters[each.meter].unit, counted=meters[each.meter].counted)
        found[each.meter] = unscaled(smallest(each.quantity, unit, field="allowances"), QUANTITY_PLACES)
    return found
