"""From readings with hours of usage to readings by resource with packed days: nothing is lost, nothing counted twice."""

from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from uuid import UUID

from alembic import command
from sqlalchemy import Engine, select, text
from sqlalchemy.orm import Session

from gradumen.core.metering.packed_days import unpack
from gradumen.core.metering.readings import hash_of, reading_key
from gradumen.core.periods import hour_start
from gradumen.jobs.leases import now
from gradumen.store import schema
from gradumen.store.metering.readings import Origin, find_reading, number_origins
from gradumen.store.metering.tables import (
    OriginRow,
    ReadingKeyRow,
    ReadingRow,
    ResourceRow,
    SupersededReadingRow,
    UsageDayRow,
)
from gradumen.store.organisations.tables import ProjectRow
from gradumen.store.tasks import TaskRow
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases.metering.stale_usage import refresh_usage

ORG, PROJECT, OTHER, PERSON = (UUID(int=number) for number in range(1, 5))
READINGS = [
    # id, sequence, delivery, project, account, resource, start, hours, quantity, stands
    ("a", 0, 1, PROJECT, None, "vm-1", "2026-09-30 22:00", 4, 400, True),
    ("b", 0, 1, PROJECT, "Acct", "vm-1", "2026-10-01 05:00", 1, 7, False),
    ("c", 0, 1, None, "acct", "VM-1", "2026-10-01 05:00", 1, 11, True),
    ("b", 1, 2, OTHER, "Acct", "vm-2", "2026-10-01 06:00", 1, 9, False),
    ("b", 4, 3, OTHER, "Acct", "vm-2", "2026-10-02 06:00", 1, 8, True),
]


def before(fresh: Engine) -> None:
    """A database of the release before, with a reading that was replaced twice and one that nobody owns."""
    schema.migrate(fresh, "0011")
    with fresh.begin() as connection:

        def write(statement: str, **values: object) -> None:
            connection.execute(text(statement), values)

        write(
            "INSERT INTO organisations (id, type, slug, name, country, currency, created_at, members_version) "
            "VALUES (:org, 'provider', 'tarnwick', 'Tarnwick', 'IE', 'EUR', NOW(), 0)",
            org=ORG.hex,
        )
        for project, slug in ((PROJECT, "booking"), (OTHER, "harbour")):
            write(
                "INSERT INTO projects (id, organisation_id, slug, name) VALUES (:id, :org, :slug, :slug)",
                id=project.hex,
                org=ORG.hex,
                slug=slug,
            )
        write("INSERT INTO services (id, organisation_id, slug) VALUES (:org, :org, 'network')", org=ORG.hex)
        write(
            "INSERT INTO meters (id, service_id, slug, name, unit, combine) "
            "VALUES (1, :org, 'network/egress', 'Egress', 'byte', 'sum')",
            org=ORG.hex,
        )
        write("INSERT INTO feeds (id, organisation_id, slug, name) VALUES (1, :org, 'n', 'N')", org=ORG.hex)
        write("INSERT INTO attribute_sets (id, hash, document) VALUES (1, 'x', '{}')")
        for number in (1, 2, 3):
            write(
                "INSERT INTO deliveries (id, public_id, feed_id, received_at, accepted, known, refused) "
                "VALUES (:id, UUID(), 1, NOW(), 1, 0, 0)",
                id=number,
            )
        for identity, sequence, delivery, project, account, resource, start, hours, quantity, stands in READINGS:
            begin = datetime.fromisoformat(start)
            key = reading_key("1", "/sites/ö", identity)
            write(
                "INSERT INTO readings (start_at, end_at, feed_id, delivery_id, source, event_id, sequence, project_id, "
                "account, resource, meter_id, attribute_set_id, quantity) VALUES (:start, :end, 1, :delivery, "
                "'/sites/ö', :id, :sequence, :project, :account, :resource, 1, 1, :quantity)",
                start=begin,
                end=begin + timedelta(hours=hours),
                delivery=delivery,
                id=identity,
                sequence=sequence,
                project=None if project is None else project.hex,
                account=account,
                resource=resource,
                quantity=quantity,
            )
            write(
                "REPLACE INTO reading_keys (`key`, content, sequence, delivery_id, start_at) "
                "VALUES (:key, 'c', :sequence, :delivery, :start)",
                key=key,
                sequence=sequence,
                delivery=delivery,
                start=begin,
            )
            if not stands:
                write(
                    "INSERT INTO superseded_readings (delivery_id, `key`, source, event_id) "
                    "VALUES (:delivery, :key, '/sites/ö', :id)",
                    delivery=delivery,
                    key=key,
                    id=identity,
                )
        write(
            "REPLACE INTO reading_keys (`key`, content, sequence, delivery_id, start_at) "
            "VALUES (:key, 'c', 0, 1, '2020-01-01')",
            key=reading_key("1", "/sites/ö", "of a month that is no longer kept"),
        )


def test_usage_of_before_is_made_again_by_a_task(fresh: Engine) -> None:
    before(fresh)
    schema.migrate(fresh)
    command.check(schema.alembic_config(fresh))
    with Session(fresh) as session:
        assert [(task.kind, task.state) for task in session.scalars(select(TaskRow))] == [("usage by day", "waiting")]
    refresh_usage(UnitOfWork(fresh), at=now())
    with Session(fresh) as session:
        numbers = {row.number: row.slug for row in session.scalars(select(ProjectRow))} | {0: "nobody"}
        names = {row.id: row.name for row in session.scalars(select(ResourceRow))}
        rows = session.scalars(select(UsageDayRow).order_by(UsageDayRow.day)).all()
        hours = unpack(
            [(row.day - date(1970, 1, 1)).days for row in rows],
            [row.hours for row in rows],
            [row.slots for row in rows],
        )
        found = {
            (numbers[rows[row].project_number], names[rows[row].resource_id], hour_start(hour)): quantity // 10**6
            for row, hour, quantity in zip(hours.row, hours.hour.tolist(), hours.quantity.to_list(), strict=True)
        }
        assert sum(row.total for row in rows) == Decimal(419)
        assert sum(row.readings for row in rows) == 3

    def at(moment: str) -> datetime:
        return datetime.fromisoformat(moment).replace(tzinfo=UTC)

    assert found == {
        ("booking", "vm-1", at("2026-09-30 22:00")): 100,
        ("booking", "vm-1", at("2026-09-30 23:00")): 100,
        ("booking", "vm-1", at("2026-10-01 00:00")): 100,
        ("booking", "vm-1", at("2026-10-01 01:00")): 100,
        ("nobody", "VM-1", at("2026-10-01 05:00")): 11,
        ("harbour", "vm-2", at("2026-10-02 06:00")): 8,
    }


def test_what_was_known_stays_known_and_what_was_replaced_stays_replaced(fresh: Engine) -> None:
    before(fresh)
    schema.migrate(fresh)
    with Session(fresh) as session:
        keys = {row.key: row for row in session.scalars(select(ReadingKeyRow))}
        standing = {row[0]: row for row in READINGS if row[-1]}
        for identity, row in standing.items():
            reading = find_reading(session, keys[reading_key("1", "/sites/ö", identity)])
            assert reading is not None
            assert (reading.event_id, reading.sequence, reading.quantity) == (identity, row[1], row[8])
        lost = keys[reading_key("1", "/sites/ö", "of a month that is no longer kept")]
        assert find_reading(session, lost) is None
        gone = session.execute(
            select(ReadingRow.event_id, ReadingRow.sequence, SupersededReadingRow.by_delivery_id).join(
                SupersededReadingRow,
                (SupersededReadingRow.delivery_id == ReadingRow.delivery_id)
                & (SupersededReadingRow.position == ReadingRow.position),
            )
        )
        assert {tuple(row) for row in gone} == {("b", 0, 2), ("b", 1, 3)}
        origins = session.scalars(select(OriginRow)).all()
        assert {(row.account, row.owner) for row in origins} == {
            (None, "tarnwick/booking"),
            ("Acct", "tarnwick/booking"),
            ("Acct", "tarnwick/harbour"),
            ("acct", None),
        }
        again = {
            hash_of("/sites/ö", row.account or "", row.owner or ""): Origin("/sites/ö", row.account, row.owner)
            for row in origins
        }
        assert set(number_origins(session, again).values()) == {row.id for row in origins}
