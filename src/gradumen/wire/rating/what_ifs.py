"""Bodies of what-ifs."""

from datetime import datetime
from uuid import UUID

from gradumen.wire.catalogue.catalogue import CatalogueFile
from gradumen.wire.values import Body, DecimalText


class WhatIfAsked(Body):
    """A seller's period, and the cards that it is to be priced with instead."""

    period: str
    files: list[CatalogueFile]


class WhatIfCardBody(Body):
    """A rate card that a period was priced with instead of the published versions of that card."""

    rate_card: str
    name: str


class WhatIfFigures(Body):
    """What charges of a service came to, would have come to, and the difference; net of tax.

    A plan's fees stand under its slug, what comes once under ``one-off``.
    """

    service: str
    service_name: str
    currency: str
    before: DecimalText
    after: DecimalText
    difference: DecimalText


class WhatIfSumBody(WhatIfFigures):
    """Those of all buyers; ``differing`` of ``buyers`` differ."""

    buyers: int
    differing: int


class WhatIfGapBody(Body):
    """A meter that so many buyers used and that nothing would have priced."""

    meter: str
    meter_name: str
    buyers: int


class WhatIfBody(Body):
    """A period priced again; nothing is changed by it. Both sides of each buyer are of the same usage.

    In the state of its task: waiting, running, needs a hand (with a problem), done or undone; ``made`` of ``total``
    buyers are priced. Lists leave ``sums`` and ``not_priced`` empty, and so does one that is not done.
    """

    id: UUID
    seller: str
    period: str
    cards: list[WhatIfCardBody]
    state: str
    problem: str | None
    made: int
    total: int | None
    asked_by: str
    asked_at: datetime
    finished_at: datetime | None
    sums: list[WhatIfSumBody]
    not_priced: list[WhatIfGapBody]


class WhatIfAmountBody(WhatIfFigures):
    """Those of one buyer."""

    buyer: str
    buyer_name: str
