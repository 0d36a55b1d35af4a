"""What plans would cost."""

from collections.abc import Sequence

from gradumen.client.connection import Connection
from gradumen.wire.catalogue.catalogue import (
    CatalogueFile,
)
from gradumen.wire.rating.estimates import (
    CardCoverageBody,
    CoverageAsked,
    EstimateAsked,
    EstimateBody,
)
from gradumen.wire.values import Page


class Estimates:
    """What something would cost."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def price(self, asked: EstimateAsked) -> EstimateBody:
        """What a tier would cost an organisation over a term."""
        return self._connection.post("estimates", EstimateBody, asked)

    def coverage(self, organisation: str, plan: str, files: Sequence[CatalogueFile] = ()) -> list[CardCoverageBody]:
        """What of a plan the cards in files (none: those of the seller) price."""
        body = CoverageAsked(organisation=organisation, plan=plan, files=list(files))
        return self._connection.post("estimates/coverage", Page[CardCoverageBody], body).items
