"""Which tax documents have, worked out anew of their lines."""

from collections import defaultdict
from collections.abc import Iterable
from datetime import date, timedelta
from decimal import Decimal
from fractions import Fraction

from gradumen.wire.billing.invoices import InvoiceBody, InvoiceLineBody
from tests.worlds.spans import rounded
from tests.worlds.worlds import LAST, MINOR

TAXES = {date(2020, 1, 1): Decimal(23), LAST + timedelta(days=6): Decimal(25)}
"""The percentage from each day on."""
TAKEN_OFF = ("trial", *(f"{each}{named}" for each in ("part", "off", "less") for named in ("", "-named")))
RESOLD = ("resold", "resold-named")
Line = tuple[str | None, ...]


def wrong_taxes(documents: Iterable[InvoiceBody]) -> list[tuple[object, ...]]:
    """What of documents, in the order in which they were issued, is not taxed as it should be.

    A group of one percentage is taxed once; what is given back has the tax of the document that charged it, and no
    more is given back of that than it charged; all else has the tax of the day.
    """
    wrong: list[tuple[object, ...]] = []
    charged: dict[tuple[str | None, Line], Decimal] = defaultdict(Decimal)
    percents: dict[str | None, Decimal] = {}
    for each in documents:
        assert each.invoice_date is not None
        percents[each.number] = percent_on(each.invoice_date)
        sums: dict[Decimal, Decimal] = defaultdict(Decimal)
        for line in each.lines:
            sums[line.tax_percent] += line.amount
            of, key = line.corrects or each.number, key_of(line)
            left = charged[of, key]
            charged[of, key] += line.amount
            # Of what credits are among, one stretch may have charged what another gave.
            mixed = line.rate in RESOLD
            if line.corrects and not mixed and (left * line.amount > 0 or abs(line.amount) > abs(left)):
                wrong.append((each.number, "gives back too much", line, left))
            # A supplier's credit is below nothing by itself.
            given = line.rate in TAKEN_OFF or (line.rate in RESOLD and line.amount < 0)
            if not line.corrects and (line.amount < 0) != given and line.amount:
                wrong.append((each.number, "gives back without a document", line))
            if line.tax_percent != percents[of]:
                wrong.append((each.number, "another percentage", line))
        places = MINOR[each.currency]
        taxes = {percent: rounded(Fraction(net) * Fraction(percent) / 100, places) for percent, net in sums.items()}
        given_back = {line.tax_percent for line in each.lines if line.corrects}
        # Of what others charged no more is given back than they have left, each of whose taxes was rounded.
        off = {
            group.percent: abs(Fraction(group.tax) - taxes.get(group.percent, Fraction(0)))
            - (Fraction(1, 10**places) if group.percent in given_back else 0)
            for group in each.taxes
        }
        if {group.percent: group.net for group in each.taxes} != sums or any(more > 0 for more in off.values()):
            wrong.append((each.number, "groups", each.taxes, taxes))
        if each.tax != sum(group.tax for group in each.taxes) or each.gross != each.net + each.tax:
            wrong.append((each.number, "sums", each.net, each.tax, each.gross))
    return wrong


def percent_on(day: date) -> Decimal:
    return [percent for first, percent in TAXES.items() if first <= day][-1]


def key_of(line: InvoiceLineBody) -> Line:
    """What a line is for; several stretches of a subscription are together."""
    return line.organisation, line.subscription, line.project, line.rate, str(line.rate_card_version)
