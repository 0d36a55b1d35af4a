"""Usage that is made again."""

from gradumen.client.connection import Connection
from gradumen.wire.metering.usage_remakes import UsageRemakeCreate
from gradumen.wire.tasks import TaskBody


class UsageRemakes:
    """Makes usage again from what came in."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def start(self, organisation: str, period: str, *, key: str | None = None) -> TaskBody:
        """Have that of an organisation and all below it in a month made again; it is a task."""
        path = f"organisations/{organisation}/usage-remakes"
        return self._connection.post(path, TaskBody, UsageRemakeCreate(period=period), key=key)
