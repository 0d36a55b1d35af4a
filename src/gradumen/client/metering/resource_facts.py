"""What is known of resources."""

from gradumen.client.connection import Connection
from gradumen.wire.metering.resource_facts import ResourceFactsBody


class ResourceFacts:
    """What is known of a resource whatever the month."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def get(self, organisation: str, resource: str) -> ResourceFactsBody:
        """Since when it is used, how long it has been quiet, who made it, its tags and attributes."""
        return self._connection.get(
            f"organisations/{organisation}/resource-facts", ResourceFactsBody, resource=resource
        )
