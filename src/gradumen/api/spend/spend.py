"""Routes of spend."""

from datetime import date
from typing import Annotated, Literal

from fastapi import Depends, Query, Response

from gradumen.api.calls import CallerHere, Uow, page_limit
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.documents.spend import FORMATS, write_spend
from gradumen.usecases.spend import spend, spent_charges
from gradumen.usecases.spend.spend import Asked
from gradumen.wire.spend.spend import CurrentChargeBody, SpendBody, SpentChargesBody

router = Router(tags=["spend"], dependencies=EXPENSIVE)


def get_asked(
    organisation: str,
    side: str | None = None,
    from_: Annotated[date | None, Query(alias="from")] = None,
    to: date | None = None,
    only: Annotated[list[str], Query()] = [],  # noqa: B006  # FastAPI copies it
) -> Asked:
    """Whose spend, of which days, and only what."""
    return Asked(organisation, side, from_, to, tuple(only))


AskedHere = Annotated[Asked, Depends(get_asked)]


@router.get("/spend")
def sum_spend(
    uow: Uow,
    caller: CallerHere,
    asked: AskedHere,
    by: Annotated[list[str], Query()] = ["service"],  # noqa: B006  # FastAPI copies it
    top: Annotated[int, Query()] = 12,
) -> SpendBody:
    """What an organisation and all below it are charged (or what it charges, as ``side`` sold), net of tax.

    From a day until before another, by default this month, by one or two of buyer, organisation, project, level-1 to
    level-3 of its tree, cost-centre, plan, service, meter, resource, region, month and day: the largest, and the rest.
    ``only`` takes what has a value, like `service:compute`, and of what is bought a `seller:`. What is charged in a
    month is spent in it, also a term of a quarter or year.
    """
    return spend.sum_spend(uow, caller, asked=asked, by=tuple(by), top=page_limit(top, 1000))


@router.get(
    "/spend/file", response_class=Response, responses={200: {"content": {each: {} for each in FORMATS.values()}}}
)
def write_spend_file(
    uow: Uow,
    caller: CallerHere,
    asked: AskedHere,
    by: Annotated[list[str], Query()] = ["service"],  # noqa: B006  # FastAPI copies it
    format: Literal["csv", "parquet"] = "csv",
) -> Response:
    """The same as a file, CSV or Parquet, with every value by itself."""
    found = spend.sum_spend(uow, caller, asked=asked, by=tuple(by), top=spend.MOST_ROWS)
    name = f"spend-{found.organisation}-{found.from_day}-{found.to_day}.{format}"
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(write_spend(found, format), headers=headers, media_type=FORMATS[format])


@router.get("/spend/charges")
def list_spent_charges(
    uow: Uow, caller: CallerHere, asked: AskedHere, limit: Annotated[int, Query()] = 50
) -> SpentChargesBody:
    """The charges behind spend, billed or not, the largest first; of each what was asked for, and all of it."""
    return spent_charges.list_spent_charges(uow, caller, asked=asked, limit=page_limit(limit))


@router.get("/spend/charges/{charge_id}")
def explain_spent_charge(charge_id: str, uow: Uow, caller: CallerHere) -> CurrentChargeBody:
    """Why a charge is what it is, as it is rated now; of one on a document see `/charges`."""
    return spent_charges.explain_spent_charge(uow, caller, charge=charge_id)
