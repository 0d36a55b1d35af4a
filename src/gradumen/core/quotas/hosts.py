"""Hosts of clouds: what each has of a resource, what of that is kept back, handed out and in use."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal, localcontext

from gradumen.core.errors import Conflict
from gradumen.core.exact import AMOUNT_PLACES, EXACT, NUMBER, add, figure, round_half_up
from gradumen.core.quotas.measures import Measure

MOST_HOSTS, MOST_STOCKS = 10_000, 100_000
LOOK_SECONDS = 600.0
"""So long a cloud may take to tell of all of them."""
MOST_FIGURE = Decimal(10) ** 18
MOST_FACTOR = Decimal(100_000)
LONGEST_HOST, LONGEST_RESOURCE = 190, 60
WHOLE = ""
"""In the place of a host's name: all hosts of a cloud together."""
MEASURED = {str(each): each.unit for each in (Measure.PROCESSORS, Measure.MEMORY, Measure.STORAGE, Measure.MACHINES)}
"""Resources that are measures of quotas, by the same name, with their units; the others have none."""


@dataclass(frozen=True, slots=True)
class Stock:
    """What a host has of a resource, in the resource's unit; all hosts together have no one factor."""

    host: str
    resource: str
    total: Decimal
    reserved: Decimal
    factor: Decimal | None
    capacity: Decimal
    """What is handed out: what is not kept back, times the factor."""
    used: Decimal
    hosts: int = 1


def stock(host: str, resource: str, total: Decimal, reserved: Decimal, factor: Decimal, used: Decimal) -> Stock:
    """What a host has, with what is handed out of it: (total - reserved) x factor, to 12 places.

    Where more is kept back than there is, nothing is handed out.

    Raises:
        Conflict: a figure that cannot be.

    >>> rack = stock("rack-1", "processors", Decimal(96), Decimal(4), Decimal("1.5"), Decimal(80))
    >>> figure(rack.capacity)
    '138'
    """
    for name, text, longest in (("name of a host", host, LONGEST_HOST), ("resource", resource, LONGEST_RESOURCE)):
        if not 0 < len(text) <= longest or not text.isprintable():
            raise Conflict(f"it told '{text[:40]}' for the {name}, which has 1 to {longest} printable characters")
    for name, amount in (("total", total), ("reserved", reserved), ("used", used)):
        if not 0 <= amount <= MOST_FIGURE or round_half_up(amount, AMOUNT_PLACES) != amount:
            most = figure(MOST_FIGURE)
            raise Conflict(f"it told {amount} for {name} of {resource} of '{host}': 0 to {most}, to 12 places, can be")
    if not 0 < factor <= MOST_FACTOR or round_half_up(factor, AMOUNT_PLACES) != factor:
        raise Conflict(
            f"it told {factor} for the factor of {resource} of '{host}': more than 0, to {figure(MOST_FACTOR)}"
        )
    with localcontext(EXACT):
        capacity = round_half_up(max(total - reserved, Decimal(0)) * factor, AMOUNT_PLACES)
    return Stock(host, resource, total, reserved, factor, capacity, used)


def told_figure(raw: object) -> Decimal:
    """A figure as a cloud tells it: a whole number, or one in a text.

    Raises:
        ValueError: it is none.

    >>> told_figure(16), told_figure("1.5")
    (Decimal('16'), Decimal('1.5'))
    """
    if isinstance(raw, bool) or not isinstance(raw, int | str | Decimal) or not NUMBER.fullmatch(str(raw)):
        raise ValueError(f"'{str(raw)[:40]}' is no figure")
    return Decimal(str(raw))


def together(stocks: Iterable[Stock]) -> list[Stock]:
    """What all hosts have of each resource, by its name.

    >>> one = stock("rack-1", "processors", Decimal(96), Decimal(0), Decimal(2), Decimal(80))
    >>> two = stock("rack-2", "processors", Decimal(64), Decimal(0), Decimal(1), Decimal(3))
    >>> [(each.hosts, figure(each.capacity), figure(each.used)) for each in together([one, two])]
    [(2, '256', '83')]
    """
    by_resource: dict[str, list[Stock]] = {}
    for each in stocks:
        by_resource.setdefault(each.resource, []).append(each)
    return [
        Stock(
            WHOLE,
            resource,
            add([each.total for each in found]),
            add([each.reserved for each in found]),
            None,
            add([each.capacity for each in found]),
            add([each.used for each in found]),
            len(found),
        )
        for resource, found in sorted(by_resource.items())
    ]


def check_told(stocks: Sequence[Stock]) -> None:
    """Check that each host tells of a resource once, and that there are not too many.

    Raises:
        Conflict: one is told twice, or there are too many.
    """
    if len(stocks) > MOST_STOCKS:
        raise Conflict(f"it told of {len(stocks):,} resources of hosts, and {MOST_STOCKS:,} are looked at")
    seen: set[tuple[str, str]] = set()
    for each in stocks:
        if (each.host, each.resource) in seen:
            raise Conflict(f"it told of {each.resource} of '{each.host}' twice")
        seen.add((each.host, each.resource))
    if len({host for host, _ in seen}) > MOST_HOSTS:
        raise Conflict(f"it has more than {MOST_HOSTS:,} hosts, which is as many as are looked at")
