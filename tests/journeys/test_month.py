"""A month from readings to invoices equals a calculation on plain decimals, to the cent, on every link."""

from collections import defaultdict
from decimal import ROUND_HALF_UP, Decimal, getcontext
from io import BytesIO

import pytest
from pypdf import PdfReader

from gradumen.wire.spend.period_so_far import LinkPeriodBody
from tests.world import GIB, World, egress, moment, reading

FACTORS = {("tarnwick", "oxbow"): "0.7", ("oxbow", "saltmarsh"): "0.95", ("tarnwick", "quillstone"): "1"}
TIERS = {"saltmarsh": "heath", "quillstone": "moor"}
DAYS = range(1, 31)


def fleet() -> list[tuple[str, str, str, int, int, int]]:
    """Owner, machine, size, processors, seconds a day, bytes a day."""
    return [
        ("saltmarsh/booking", "b-1", "small", 4, 21_600, 7 * GIB + 13),
        ("saltmarsh/booking", "b-2", "large", 16, 79_199, 2 * GIB),
        ("saltmarsh/harbour", "h-1", "small", 2, 3_601, 11),
        ("quillstone/archive", "q-1", "large", 8, 7, 40 * GIB + 1),
        ("quillstone/archive", "q-2", "small", 1, 59, 0),
    ]


def send_month(world: World) -> None:
    events = []
    for owner, machine, size, processors, seconds, sent in fleet():
        for day in DAYS:
            hours, rest = divmod(seconds, 3600)
            span = {
                "start": f"2026-09-{day:02d}T00:00:00Z",
                "end": f"2026-09-{day:02d}T{hours:02d}:{rest // 60:02d}:{rest % 60:02d}Z",
            }
            base = {"owner": owner, "resource": machine, **span}
            events.append(reading(f"{machine}-{day}", quantity=str(processors), attributes={"size": size}, **base))
            events.append(egress(f"{machine}-{day}-e", sent, **base))
    world.send(*events)


def by_hand(seller: str, buyer: str) -> dict[tuple[str, str | None], Decimal]:
    """Lines per (rate, project) with plain decimals: no part of the product is used."""
    getcontext().prec = 60
    cent = Decimal("0.01")
    f = Decimal(FACTORS[seller, buyer])
    tenant = "quillstone" if buyer == "quillstone" else "saltmarsh"
    exact: dict[tuple[str, str | None], Decimal] = defaultdict(Decimal)
    fee = {"heath": Decimal("19.90"), "moor": Decimal(79)}[TIERS[tenant]]
    exact[TIERS[tenant], None] = f * fee
    sent: dict[str, Decimal] = defaultdict(Decimal)
    for owner, _, size, processors, seconds, traffic in fleet():
        organisation, project = owner.split("/")
        if organisation != tenant:
            continue
        rate, price = ("vcpu-large", "0.017") if size == "large" else ("vcpu", "0.02")
        # London and Dublin are an hour ahead; no machine runs in the last hour of a UTC day, so all of it is September.
        exact[rate, project] += Decimal(processors * seconds * len(DAYS)) / 3600 * f * Decimal(price)
        sent[project] += Decimal(traffic * len(DAYS))
    total = sum(sent.values(), Decimal(0))
    charged = max(total - (10 * GIB if TIERS[tenant] == "heath" else 0), Decimal(0)) / GIB
    amount, low = Decimal(0), Decimal(0)
    for upto, price in ((50, "0.07"), (200, "0.05"), (None, "0.03")):
        high = charged if upto is None else min(charged, Decimal(upto))
        if high > low:
            amount += (high - low) * f * Decimal(price)
            low = high
    for project, quantity in sent.items():
        exact["egress", project] = amount * quantity / total
    return {key: value.quantize(cent, ROUND_HALF_UP) for key, value in exact.items()}


def lines_of(link: LinkPeriodBody) -> dict[tuple[str, str | None], Decimal]:
    return {(line.rate, line.project): line.amount for line in link.lines}


@pytest.mark.parametrize("link", FACTORS, ids="-".join)
def test_invoice_period_so_far_and_plain_decimals_agree_on_every_link(world: World, link: tuple[str, str]) -> None:
    seller, buyer = link
    send_month(world)
    expected = by_hand(seller, buyer)
    user = {"tarnwick": "finn", "oxbow": "edda"}[seller]
    before = next(
        each
        for each in world.user(user).spend.period_so_far(seller, "2026-09", wait=60).links
        if (each.seller, each.buyer) == link
    )
    august = (
        Decimal(79)
        if buyer == "quillstone"
        else (Decimal("19.90") * Decimal(FACTORS[link])).quantize(Decimal("0.01"), ROUND_HALF_UP)
    )
    invoice = next(each for each in world.close(seller, user, "2026-09") if each.buyer == buyer)
    september = {
        (line.rate, line.project): line.amount for line in invoice.lines if line.service_end > moment("2026-09-02")
    }

    assert lines_of(before) == expected
    assert september == expected
    assert before.net == sum(expected.values(), Decimal(0))
    assert invoice.net == before.net + august, "August's fee was not billed before, so it is here"


def test_every_amount_leads_to_its_arithmetic_and_readings(world: World) -> None:
    send_month(world)
    invoice = world.close("oxbow", "edda", "2026-09")[0]
    ines = world.user("ines")
    for line in invoice.lines:
        assert line.charge_id is not None
        charge = ines.charges.explain(line.charge_id)
        own = [part.amount for part in charge.parts if part.project == line.project]
        assert sum(own, Decimal(0)).quantize(Decimal("0.01"), ROUND_HALF_UP) == line.amount
        assert sum((block.amount for block in charge.explanation.blocks), Decimal(0)) == charge.amount
        readings = ines.charges.readings(line.charge_id)
        if line.rate == "egress":
            assert sum((each.quantity for each in readings), Decimal(0)) == charge.explanation.quantity
            assert len(readings) == 90
            assert len(charge.evidence) == 64
    seen = {(line.rate, line.project) for line in invoice.lines}
    assert ("heath", None) in seen and ("vcpu-large", "booking") in seen


def test_the_pdf_has_what_the_invoice_has(world: World) -> None:
    send_month(world)
    invoice = world.close("oxbow", "edda", "2026-09")[0]
    content = world.user("ines").invoices.pdf(invoice.id)
    text = "\n".join(page.extract_text() for page in PdfReader(BytesIO(content)).pages)
    plain = text.replace("\u00a0", "").replace(" ", "")
    assert "OxbowManagedIT" in plain and "Tarnwick" not in plain, "the seller's name, and nobody above it"
    for word in (invoice.number or "", f"{invoice.gross:.2f}", f"{invoice.net:.2f}", "SaltmarshFerries"):
        assert word in plain
    for line in invoice.lines:
        assert f"{line.amount:.2f}" in plain
    assert content == world.user("ines").invoices.pdf(invoice.id), "the same bytes again"
