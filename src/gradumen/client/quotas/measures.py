"""What quotas limit."""

import builtins

from gradumen.client.connection import Connection
from gradumen.core.quotas.measures import Counted, Kind
from gradumen.wire.quotas.measures import MeasureBody, MeasureCreate


class Measures:
    """Measures that are built in, and those that the provider defines."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self) -> builtins.list[MeasureBody]:
        """All that are in use."""
        return self._connection.page("measures", MeasureBody).items

    def define(self, measure: str, unit: str, kind: Kind, *, counts: Counted | None = None) -> MeasureBody:
        """Define one, for those who manage the provider's quotas; safe to repeat."""
        given = MeasureCreate(measure=measure, unit=unit, kind=kind, counts=counts)
        return self._connection.put("measures", MeasureBody, given)

    def retire(self, measure: str) -> None:
        """Give no limits of one any more; safe to repeat."""
        self._connection.delete(f"measures/{measure}")
