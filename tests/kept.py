"""States that tests begin with: made once through the client, then their rows are put back as they were."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from sqlalchemy import Connection, Engine

from gradumen.store.tables import Base

GUARDED = (
    "invoices",
    "invoice_lines",
    "invoice_taxes",
    "returned_taxes",
    "charges",
    "charge_parts",
    "issued_documents",
    "document_counters",
    "audit_entries",
)
"""Tables whose triggers refuse to remove what is issued or recorded."""


def add_procedure(connection: Connection, name: str, statements: Iterable[str]) -> None:
    """Let the database do these by one call: each by itself takes longer to send than to do."""
    body = ["SET FOREIGN_KEY_CHECKS = 0", *statements, "SET FOREIGN_KEY_CHECKS = 1"]
    connection.exec_driver_sql(f"CREATE OR REPLACE PROCEDURE {name}() BEGIN {'; '.join(body)}; END")


def emptying() -> Iterator[str]:
    """Empties every table, and lets the business clock follow the real one."""
    for table in Base.metadata.sorted_tables:
        if table.name not in ("business_clock", "revisions"):
            # No trigger sees TRUNCATE, which takes long.
            rid = f"TRUNCATE {table.name}" if table.name in GUARDED else f"DELETE FROM {table.name}"
            yield f"IF EXISTS (SELECT 1 FROM {table.name}) THEN {rid}; END IF"
    yield "UPDATE business_clock SET held_at = NULL, offset_seconds = 0"
    yield "UPDATE revisions SET token = UUID()"


@dataclass
class States:
    """What was made, by what made it: of each table that this changed, what is in it is copied beside the service's.

    Not of those of tasks: the day's work is put on the list by whoever works.
    """

    keeper: Engine
    schema: str
    made: dict[str, str] = field(default_factory=dict)
    """The database that holds a copy."""

    def keep(self, name: str, before: Mapping[str, int]) -> None:
        """Keep what making a state changed since the sums of before."""
        kept = f"kept_{len(self.made)}"
        after = self.sums()
        changed = [table for table in after if after[table] != before[table]]
        with self.keeper.begin() as connection:
            connection.exec_driver_sql(f"CREATE OR REPLACE DATABASE {kept}")
            for table in changed:
                connection.exec_driver_sql(f"CREATE TABLE {kept}.{table} SELECT * FROM {self.schema}.{table}")
            add_procedure(connection, f"{kept}.put_back", self._putting_back(kept, changed))
        self.made[name] = kept

    def put_back(self, name: str) -> None:
        """Have a state again, on what it was made on."""
        with self.keeper.begin() as connection:
            connection.exec_driver_sql(f"CALL {self.made[name]}.put_back()")

    def sums(self) -> dict[str, int]:
        """A checksum of each table."""
        tables = [each.name for each in Base.metadata.sorted_tables if not each.name.startswith("task")]
        listed = ", ".join(f"{self.schema}.{table}" for table in tables)
        with self.keeper.begin() as connection:
            found = connection.exec_driver_sql(f"CHECKSUM TABLE {listed} EXTENDED").all()
        return {table: total for table, (_, total) in zip(tables, found, strict=True)}

    def _putting_back(self, kept: str, changed: Sequence[str]) -> Iterator[str]:
        # Lines before what has them: to what is issued none is added.
        for table in reversed(changed):
            there, copy = f"{self.schema}.{table}", f"{kept}.{table}"
            if table in GUARDED:
                others = [each.name for each in Base.metadata.tables[table].columns if not each.primary_key]
                anew = ", ".join(f"`{each}` = VALUES(`{each}`)" for each in others)
                new = f"SELECT * FROM {copy} EXCEPT SELECT * FROM {there}"
                yield f"INSERT INTO {there} SELECT * FROM ({new}) new ON DUPLICATE KEY UPDATE {anew}"
            else:
                # Of the test before, a worker may have written what it had read.
                yield f"DELETE FROM {there}"
                yield f"INSERT INTO {there} SELECT * FROM {copy}"
        # Whoever still reads of the test before keeps it under the token of then.
        yield f"UPDATE {self.schema}.revisions SET token = UUID()"
