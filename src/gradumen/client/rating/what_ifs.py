"""Periods priced again with other rate cards."""

from collections.abc import Callable, Sequence
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.client.tasks import Tasks
from gradumen.wire.catalogue.catalogue import CatalogueFile
from gradumen.wire.rating.what_ifs import WhatIfAmountBody, WhatIfAsked, WhatIfBody
from gradumen.wire.tasks import TaskBody


class WhatIfs:
    """Periods priced again with other rate cards, which changes nothing."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def ask(
        self, organisation: str, period: str, files: Sequence[CatalogueFile], *, key: str | None = None
    ) -> WhatIfBody:
        """Ask what a seller's period would have come to with the rate cards in files."""
        body = WhatIfAsked(period=period, files=list(files))
        return self._connection.post(f"organisations/{organisation}/what-ifs", WhatIfBody, body, key=key)

    def wait(
        self, what_if_id: UUID, *, seconds: float = 3600, tell: Callable[[TaskBody], None] | None = None
    ) -> WhatIfBody:
        """Wait until one, which is a task, has ended, or the time is over."""
        Tasks(self._connection).follow(what_if_id, seconds=seconds, tell=tell)
        return self.get(what_if_id)

    def amounts(self, what_if_id: UUID, *, differing: bool = False, search: str = "") -> list[WhatIfAmountBody]:
        """What each buyer's charges of each service came to and would have come to, by buyer."""
        path = f"what-ifs/{what_if_id}/amounts"
        return self._connection.all(path, WhatIfAmountBody, differing=differing, search=search, limit=500)

    def get(self, what_if_id: UUID) -> WhatIfBody:
        """One, with its sums when it is done."""
        return self._connection.get(f"what-ifs/{what_if_id}", WhatIfBody)

    def list(self, organisation: str, *, limit: int = 50) -> list[WhatIfBody]:
        """What was asked for a seller, newest first, without sums."""
        return self._connection.page(f"organisations/{organisation}/what-ifs", WhatIfBody, limit=limit).items
