"""Lines at the Isle of Ombry: their carrier writes a file of its own shape, by its customer numbers."""

import random
from datetime import date, timedelta

from gradumen.client import Client
from gradumen.core.metering.file_mappings import Lasts
from gradumen.demo.fleet import SEED
from gradumen.demo.scenario import PROVIDER
from gradumen.wire.metering.deliveries import FileMappingForm, MeasuredForm, SaidForm

FEED, NAME = "ombry-lines", "Lines at Isle of Ombry"
LINES = (("IOM-017", "4410", 21), ("IOM-022", "4402", 64))
"""Line, the carrier's customer number, and GB that it carries in a day."""
MAPPING = FileMappingForm(
    identity=["Line", "Day"],
    measured=[
        MeasuredForm(
            quantity=SaidForm(column="Sent, GB"), meter=SaidForm(text="network/egress"), unit=SaidForm(text="GB")
        )
    ],
    resource=SaidForm(column="Line"),
    owner=SaidForm(column="Customer no", values={"4410": "quillstone/survey", "4402": "kestrel-row/edit"}),
    start=SaidForm(column="Day"),
    lasts=Lasts.DAY,
    times="%d/%m/%Y",
    decimal=",",
)


def connect(mara: Client, first: date, end: date) -> int:
    """Its feed, how its files are read, and the file of a month so far; gives how many readings came of it."""
    mara.feeds.create(PROVIDER, slug=FEED, name=NAME)
    mara.deliveries.set_mapping(f"{PROVIDER}/{FEED}", MAPPING, 0)
    rows = ["Line;Customer no;Day;Sent, GB"]
    for ordinal in range(first.toordinal(), end.toordinal()):
        day = date.fromordinal(ordinal)
        for line, customer, carried in LINES:
            chance = random.Random(f"{SEED}/{line}/{day}")
            amount = carried + chance.randrange(carried // 3)
            rows.append(f"{line};{customer};{day:%d/%m/%Y};{amount},{chance.randrange(100):02}")
    if len(rows) == 1:
        return 0
    name = f"lines-{end - timedelta(days=1):%Y-%m}.csv"
    return mara.deliveries.send(f"{PROVIDER}/{FEED}", name, "\n".join(rows).encode("latin-1")).accepted
