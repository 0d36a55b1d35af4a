"""Bodies of published services."""

from datetime import datetime

from gradumen.wire.catalogue.forms.services import ServiceForm
from gradumen.wire.values import Body


class PublishedServiceBody(Body):
    """A service in its newest version, in its written form; ``seller`` is whose it is."""

    slug: str
    version: int
    published_at: datetime
    form: ServiceForm
    seller: str
