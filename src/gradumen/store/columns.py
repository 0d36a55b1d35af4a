"""Column types that refuse what MariaDB would change silently, and the declarative base."""

from datetime import UTC, datetime
from decimal import Decimal
from typing import Any, ClassVar

from sqlalchemy import DECIMAL, ColumnElement, Dialect, MetaData, String, TypeDecorator, false
from sqlalchemy.dialects.mysql import DATETIME
from sqlalchemy.exc import DontWrapMixin
from sqlalchemy.orm import DeclarativeBase, InstrumentedAttribute

from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES


class Base(DeclarativeBase):
    """All tables; constraint names are fixed so that migrations can name them."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_N_name)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    revises: ClassVar[str | None] = None
    """Of which kind of what each process keeps (`gradumen.store.revisions`) the rows are, where they are of one."""


class Unfit(Invalid, DontWrapMixin):
    """A value that a column cannot hold as it is; named so before MariaDB would change or refuse it."""


class _Exact(TypeDecorator[Decimal]):
    impl = DECIMAL
    cache_ok = True
    digits, places = 38, 0

    def __init__(self) -> None:
        super().__init__(self.digits, self.places)

    def process_bind_param(self, value: Decimal | None, dialect: Dialect) -> Decimal | None:
        if value is None:
            return None
        exponent = value.as_tuple().exponent
        if not isinstance(exponent, int) or (exponent < -self.places and value != round(value, self.places)):
            raise Unfit(f"{value} has more than {self.places} decimal places", value=value)
        if abs(value) >= 10 ** (self.digits - self.places):
            raise Unfit(f"{value} has more than {self.digits - self.places} digits before the point", value=value)
        return value


class Quantity(_Exact):
    """DECIMAL(38,6), in base units."""

    places = QUANTITY_PLACES
    cache_ok = True


class Amount(_Exact):
    """DECIMAL(38,12)."""

    places = AMOUNT_PLACES
    cache_ok = True


class Figure(_Exact):
    """DECIMAL(50,12): a quantity or an amount."""

    digits, places = 50, AMOUNT_PLACES
    cache_ok = True


class Moment(TypeDecorator[datetime]):
    """DATETIME(6) in UTC: naive times are refused, aware ones come back aware."""

    impl = DATETIME(fsp=6)
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        if value is None:
            return None
        if value.tzinfo is None:
            raise Unfit(f"{value} has no time zone", value=value)
        return value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return None if value is None else value.replace(tzinfo=UTC)


class Second(TypeDecorator[datetime]):
    """DATETIME in UTC: naive times and parts of a second are refused, aware ones come back aware."""

    impl = DATETIME
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        if value is not None and (value.tzinfo is None or value.microsecond):
            raise Unfit(f"{value} is no whole second with a time zone", value=value)
        return None if value is None else value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return None if value is None else value.replace(tzinfo=UTC)


class AsciiText(TypeDecorator[str]):
    """Text of ASCII characters that compares by bytes; others are refused, MariaDB cannot compare them with it."""

    impl = String
    cache_ok = True

    def __init__(self, length: int) -> None:
        super().__init__(length, collation="ascii_bin")

    def process_bind_param(self, value: str | None, dialect: Dialect) -> str | None:
        if value is not None and not value.isascii():
            raise Unfit(f"'{value[:60]}' is no name that is known here: those have plain letters only", value=value)
        return value


def has_text(column: InstrumentedAttribute[Any], wanted: str) -> ColumnElement[bool]:
    """Whether a text stands in a column; letters that it never has stand in none of it."""
    if isinstance(column.type, AsciiText) and not wanted.isascii():
        return false()
    return column.contains(wanted, autoescape=True)


def ascii_text(length: int) -> AsciiText:
    """Text of ASCII characters that compares by bytes: slugs, codes, hashes."""
    return AsciiText(length)


Document = dict[str, Any]
