"""What needs somebody."""

from gradumen.client.connection import Connection
from gradumen.wire.spend.to_dos import ToDoBody


class ToDos:
    """What needs the members of an organisation."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[ToDoBody]:
        """The most pressing first."""
        return self._connection.all(f"organisations/{organisation}/to-dos", ToDoBody)
