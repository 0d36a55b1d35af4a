"""The demo's deliveries by all its feeds, in any order, split, repeated and broken off: always the same in the end."""

import os
import shutil
import subprocess
import time
from collections import defaultdict
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from random import Random
from typing import Any

import pytest

from gradumen.core.errors import GradumenError
from gradumen.demo import carrier, counters, fleet, night_desk, public_cloud, software_vendor, supplier_costs
from gradumen.demo.history import SAMPLE_HOURS, Calendar, History
from gradumen.demo.metrics import SimulatedMetrics
from gradumen.demo.outside import Outside
from gradumen.demo.scenario import SELLERS, SIGNERS
from gradumen.demo.stores import SimulatedStore
from tests.journeys.conftest import directory
from tests.journeys.process import Process

NOW = datetime(2026, 11, 4, 6, tzinfo=UTC)
FIRST, END = date(2026, 10, 31), date(2026, 11, 2)
OCTOBER, NOVEMBER = "2026-10", "2026-11"
DAYS = [FIRST + timedelta(days=number) for number in range((END - FIRST).days)]
FETCHED = f"tarnwick/{counters.FEED}"
ORDERS = int(os.environ.get("GRADUMEN_DELIVERIES", "1"))
Delivery = Callable[[History], None]


@pytest.fixture(scope="module")
def metrics() -> Iterator[SimulatedMetrics]:
    """What measures South Quay, for both services at one address."""
    made = SimulatedMetrics(counters.TOKEN)
    counters.fill(made)
    made.start()
    yield made
    made.stop()


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> Iterator[SimulatedStore]:
    """Where Hexaline lays its files, for both services at one address."""
    made = SimulatedStore(tmp_path_factory.mktemp("vendor"), software_vendor.USER, software_vendor.SECRET)
    made.start()
    yield made
    made.stop()


@pytest.fixture(scope="module")
def outside(metrics: SimulatedMetrics, store: SimulatedStore) -> Outside:
    """What the service asks."""
    return Outside(None, metrics, store)


@contextmanager
def running(folder: Path, outside: Outside) -> Iterator[Process]:
    """The service on a directory, which ends whatever happens; nothing lies in the store yet."""
    for _, path in outside.store.objects(f"{software_vendor.FEED}/"):
        path.unlink()
    service = Process(folder, GRADUMEN_OUTBOUND=outside.addresses())
    try:
        service.start()
        yield service
    finally:
        service.stop()


@pytest.fixture(scope="module")
def scenario(outside: Outside) -> Iterator[Path]:
    """The directory of a service that has the demo's people, plans and feeds, and no usage yet."""
    with directory() as folder:
        with running(folder, outside) as service, closing(history_of(service)) as history:
            history.set_up((folder / "set-up-code").read_text().strip())
            history.organisations()
            history.catalogue()
            history.subscriptions()
            first = history.calendar.first_day
            public_cloud.connect(history.mara, first)
            carrier.connect(history.mara, first, first)
            supplier_costs.connect(history.signed_in, first, first)
            software_vendor.connect(history.signed_in, outside.store, first, first)
            history.mara.feeds.create("tarnwick", slug=night_desk.FEED, name=night_desk.NAME)
            history.mara.feeds.create("tarnwick", slug=counters.FEED, name=counters.NAME)
            history.mara.clock.set(NOW, held=True)
        yield folder


def history_of(service: Process) -> History:
    return History(service.url, Calendar(NOW, 1), lambda words: None)


def deliveries(random: Random | None, outside: Outside) -> list[Delivery]:
    """All that comes in by all feeds: in its order, or split, repeated and mixed."""
    events: list[tuple[str, list[dict[str, Any]]]] = [(public_cloud.FEED, list(public_cloud.readings(FIRST, END)))]
    sited: dict[str, list[dict[str, Any]]] = defaultdict(list)
    for day in DAYS:
        for site, event in fleet.readings_of_day(day, date(2026, 10, 1), SAMPLE_HOURS):
            sited[site].append(event)
    events += sited.items()
    told = night_desk.told_event(night_desk.SOURCE, "told", datetime(2026, 11, 3, tzinfo=UTC))
    events.append((night_desk.FEED, [*night_desk.happenings(date(2026, 11, 1), date(2026, 11, 2)), told]))
    found: list[Delivery] = []
    for feed, of_feed in events:
        if random is not None:
            of_feed = [*of_feed, *random.sample(of_feed, len(of_feed) // 10)]
            random.shuffle(of_feed)
        size = len(of_feed) if random is None else random.randint(100, 900)
        found += [sending(feed, of_feed[start : start + size]) for start in range(0, len(of_feed), size)]
    found += [lines(day) for day in DAYS]
    found += [costs(day) for day in DAYS]
    found.append(costs(DAYS[-1], credit=True))
    found += [seats(outside.store, day, wrong=True) for day in DAYS]
    found += [seats(outside.store, day) for day in DAYS]
    found.append(fetching(outside.metrics))
    if random is not None:
        found += random.sample(found, len(found) // 5)
        found += [again(outside.metrics, wrong) for wrong in ("refuse", "drop", "nonsense", "elsewhere")]
        found += [listing(outside.store, wrong) for wrong in ("refuse", "drop", "nonsense", "elsewhere")]
        found += [listing(outside.store, "", "", wrong) for wrong in ("half", "nonsense", "refuse")]
        random.shuffle(found)
    return found


def sending(feed: str, events: list[dict[str, Any]]) -> Delivery:
    def send(history: History) -> None:
        for outcome in history.mara.readings.send_all(f"tarnwick/{feed}", events):
            assert not outcome.refused, next(each.reason for each in outcome.outcomes if each.reason)

    return send


def lines(day: date) -> Delivery:
    rows = "\n".join(f"{line};{customer};{day:%d/%m/%Y};{sent},25" for line, customer, sent in carrier.LINES)
    content = f"Line;Customer no;Day;Sent, GB\n{rows}".encode()
    return lambda history: _none(history.mara.deliveries.send(f"tarnwick/{carrier.FEED}", f"lines-{day}.csv", content))


def costs(day: date, *, credit: bool = False) -> Delivery:
    exported = datetime(day.year, day.month, day.day, 0, int(credit), tzinfo=UTC) + timedelta(days=1)
    return lambda history: _none(supplier_costs.send_day(history.mara, day, exported, credit=credit))


def seats(store: SimulatedStore, day: date, *, wrong: bool = False) -> Delivery:
    """Lay a day's file into the store; ``wrong`` is what was stated of it first, with one seat less."""
    key, told = f"{software_vendor.FEED}/{software_vendor.FEED}-{day}", software_vendor.content([day])
    exported = datetime(day.year, day.month, day.day, int(not wrong), tzinfo=UTC) + timedelta(days=1)

    def lay(history: History) -> None:
        if wrong:
            assert b",14," in told
            store.put(f"{key}-first.csv", told.replace(b",14,", b",13,"), exported)
        else:
            store.put(f"{key}.csv", told, exported)
        history.mara.pulls.again(software_vendor.PATH)

    return lay


def listing(store: SimulatedStore, *wrong: str) -> Delivery:
    """Look into the store once more, with something going wrong there: with the list, or with an object."""

    def look(history: History) -> None:
        store.mishaps.extend(wrong)
        history.mara.pulls.again(software_vendor.PATH)

    return look


def fetching(metrics: SimulatedMetrics) -> Delivery:
    """Let it be fetched from the first day on; the same again changes nothing."""
    form = counters.pull_form(metrics.url, datetime(FIRST.year, FIRST.month, FIRST.day, tzinfo=UTC))

    def fetch(history: History) -> None:
        # It may have been set before, and asked for again meanwhile.
        version = history.mara.pulls.get(FETCHED).version
        history.mara.pulls.set(FETCHED, form, version=version, secret=counters.TOKEN)

    return fetch


def again(metrics: SimulatedMetrics, wrong: str) -> Delivery:
    """Fetch all of November once more, where it is fetched by now, with something going wrong on the other side."""

    def fetch(history: History) -> None:
        if history.mara.pulls.get(FETCHED).kind is not None:
            metrics.mishaps.append(wrong)
            history.mara.pulls.again(FETCHED, datetime(2026, 11, 1, tzinfo=UTC))

    return fetch


def fetched(history: History, outside: Outside) -> None:
    """Wait until all is fetched; what failed is asked for once more by somebody."""
    outside.metrics.mishaps.clear()
    outside.store.mishaps.clear()
    software_vendor.wait(history.mara, outside.store)
    ends = time.monotonic() + 120
    while True:
        pull = history.mara.pulls.get(FETCHED)
        if pull.complete_until is not None and pull.complete_until >= NOW - timedelta(hours=1):
            return
        assert time.monotonic() < ends, pull
        if pull.problem is not None:
            history.mara.pulls.again(FETCHED)
        time.sleep(0.2)


def _none(_: object) -> None:
    """What came back is looked at elsewhere."""


def deliver(history: History, delivery: Delivery) -> None:
    """Send it until it is answered."""
    ends = time.monotonic() + 120
    while True:
        try:
            return delivery(history)
        except GradumenError as failure:
            assert failure.code in ("unavailable", "unanswered", "too_slow") and time.monotonic() < ends, failure
            time.sleep(0.1)


def close(history: History, seller: str) -> None:
    client = history.signed_in(SIGNERS[seller])
    run = client.bill_runs.wait(client.bill_runs.start(seller, OCTOBER, reason="to see").id, seconds=120)
    assert run.state == "done", run.problem
    for draft in client.invoices.list(state="draft", seller=seller):
        client.invoices.issue(draft.id)


def facts(history: History) -> dict[str, Any]:
    """What is used, charged and accounted for, and what was billed, once everything is counted."""
    found: dict[str, Any] = {}
    for period in (OCTOBER, NOVEMBER):
        used = history.mara.usage.sum("tarnwick", period, by=("project", "resource"), wait=120)
        found[f"usage {period}"] = {(each.meter, *each.keys.values()): each.quantity for each in used.items}
        spells = history.mara.spells.list("tarnwick", period, wait=120)
        found[f"spells {period}"] = [(each.resource, each.attributes, each.start, each.end) for each in spells.items]
        for seller in SELLERS:
            client = history.signed_in(SIGNERS[seller])
            links = client.spend.period_so_far(seller, period, wait=120).links
            found[f"charged {seller} {period}"] = {
                (link.seller, link.buyer): [line.model_dump(exclude={"charge_id"}) for line in link.lines]
                for link in links
            }
        balances = history.mara.feed_balances.get("tarnwick", period, wait=120).items
        assert not any("difference" in each.open for each in balances), "each feed's month closes"
        found[f"balances {period}"] = [
            [meter.model_dump(exclude={"replaced", "taken_back"}) for meter in each.meters] for each in balances
        ]
        found[f"costs {period}"] = [[cost.model_dump(exclude={"replaced"}) for cost in each.costs] for each in balances]
    return found


def billed(history: History) -> dict[tuple[str, str], Decimal]:
    """Net by seller and buyer, over all documents."""
    found: dict[tuple[str, str], Decimal] = defaultdict(Decimal)
    for seller in SELLERS:
        close(history, seller)
        for invoice in history.signed_in(SIGNERS[seller]).invoices.list(seller=seller):
            found[seller, invoice.buyer] += invoice.net
    return dict(found)


def in_order(folder: Path, outside: Outside) -> tuple[dict[str, Any], dict[tuple[str, str], Decimal]]:
    with running(folder, outside) as service, closing(history_of(service)) as history:
        for delivery in deliveries(None, outside):
            deliver(history, delivery)
        fetched(history, outside)
        return facts(history), billed(history)


def mixed(folder: Path, outside: Outside, seed: int) -> tuple[dict[str, Any], dict[tuple[str, str], Decimal]]:
    """In another order, with the service killed three times, a worker once, and a close in between."""
    random = Random(seed)
    sent = deliveries(random, outside)
    moments = random.sample(range(len(sent)), 4)
    with running(folder, outside) as service, closing(history_of(service)) as history:
        for number, delivery in enumerate(sent):
            if number in moments[:2]:
                time.sleep(random.random() / 2)
                service.kill()
                service.start()
            elif number == moments[2]:
                close(history, random.choice(SELLERS))
            elif number == moments[3]:
                service.children("worker")[0].kill()
            deliver(history, delivery)
        # What the killed worker had in hand is free at once where the service begins again.
        service.kill()
        service.start()
        fetched(history, outside)
        return facts(history), billed(history)


@pytest.mark.parametrize("seed", range(ORDERS))
def test_the_same_comes_of_all_deliveries_in_whatever_order(scenario: Path, outside: Outside, seed: int) -> None:
    results = []
    for run in (lambda folder: in_order(folder, outside), lambda folder: mixed(folder, outside, seed)):
        with directory() as folder:
            subprocess.run(["cp", "-a", f"{scenario}/.", str(folder)], check=True)
            results.append(run(folder))
            shutil.rmtree(folder / "database", ignore_errors=True)
    (expected, owed), (found, paid) = results
    assert expected["usage 2026-10"] and expected["spells 2026-11"] and owed
    for name, value in expected.items():
        assert found[name] == value, name
    assert paid == owed
