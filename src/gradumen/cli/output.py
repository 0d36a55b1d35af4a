"""What commands print: aligned tables for people, JSON for programs, refusals on standard error."""

import io
import json
import os
import shutil
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime, timedelta
from decimal import Decimal
from fractions import Fraction
from functools import partial
from typing import Any, TextIO

from rich.cells import cell_len
from rich.console import Console
from rich.table import Table
from rich.text import Text
from tqdm import tqdm

from gradumen.core import exact
from gradumen.core.errors import CatalogueInvalid, GradumenError
from gradumen.core.exact import QUANTITY_PLACES, figure, round_half_up
from gradumen.core.periods import days_between
from gradumen.core.units import unit_words
from gradumen.wire.metering.usage import AsOf
from gradumen.wire.tasks import TaskBody
from gradumen.wire.values import Body

ANY_WIDTH = 100_000
LEAST = 8
"""No text is cut to fewer letters."""


class Out:
    """Where a command prints."""

    def __init__(self, *, json: bool, stream: TextIO | None = None, errors: TextIO | None = None) -> None:
        self.json = json
        self.stream = stream or sys.stdout
        self.errors = errors or sys.stderr

    def say(self, line: str = "") -> None:
        """A line for people; nothing in JSON mode."""
        if not self.json:
            print(line, file=self.stream)

    def note(self, line: str) -> None:
        """A line beside the result, on standard error."""
        print(line, file=self.errors)

    def as_of(self, answer: AsOf) -> None:
        """Beside the result, that something newer is not in it yet."""
        if answer.waiting and not self.json:
            moment = f"{answer.as_of:%Y-%m-%d %H:%M} UTC"
            self.note(f"as of {moment}: something newer is being counted; wait for it with --wait 60")

    def body(self, body: Body | Sequence[Body]) -> None:
        """The answer itself, in JSON mode."""
        if self.json:
            plain = _plain(body) if isinstance(body, Body) else [_plain(each) for each in body]
            print(json.dumps(plain, indent=2, ensure_ascii=False), file=self.stream)

    def table(self, head: Sequence[str], rows: Iterable[Sequence[str]], *, right: Iterable[str] = ()) -> None:
        """An aligned table; where a terminal is too narrow for it, its widest text gives way."""
        if self.json:
            return
        cells = [list(map(str, row)) for row in rows]
        if not cells:
            return
        widths = [max(cell_len(row[index]) for row in [list(head), *cells]) for index in range(len(head))]
        numbers = {index for index, name in enumerate(head) if name in right}
        # The first column names the row, and a cut number is another one: both are kept whole.
        texts = [index for index in range(1, len(head)) if index not in numbers] or [0]
        most = self._width()
        while sum(widths) + 2 * len(widths) > most and max(widths[index] for index in texts) > LEAST:
            widths[max(texts, key=lambda index: widths[index])] -= 1
        drawn = Table(box=None, show_edge=False, pad_edge=False, padding=(0, 2, 0, 0), header_style="")
        for index, name in enumerate(head):
            drawn.add_column(
                name,
                justify="right" if index in numbers else "left",
                no_wrap=True,
                min_width=widths[index],
                max_width=widths[index],
            )
        for row in cells:
            drawn.add_row(*map(Text, row))
        with io.StringIO() as drawing:
            Console(file=drawing, width=ANY_WIDTH, color_system=None).print(drawn)
            for line in drawing.getvalue().splitlines():
                print(line.rstrip(), file=self.stream)

    def _width(self) -> int:
        """How wide tables may be: as the terminal; a file or another program takes all of it."""
        if self.stream.isatty() or "COLUMNS" in os.environ:
            return max(shutil.get_terminal_size().columns, 60)
        return ANY_WIDTH

    @property
    def bar(self) -> dict[str, Any]:
        """How a progress bar is drawn: on standard error, and not at all where that is no terminal."""
        return {"disable": self.json or not self.errors.isatty(), "file": self.errors}

    @contextmanager
    def following(self) -> Iterator[Callable[[TaskBody], None]]:
        """A progress bar on standard error that shows what a task is at; none where that is no terminal."""
        with tqdm(total=0, **self.bar) as bar:

            def show(task: TaskBody) -> None:
                running = [each.name for each in task.steps if each.state == "running"]
                bar.set_description(f"{task.kind} {task.subject}: {running[-1] if running else task.state}")
                bar.total, bar.n, bar.unit = task.total or 0, task.made, f" {task.counted}"
                bar.refresh()

            yield show

    def refuse(self, error: GradumenError) -> None:
        """Print a refusal."""
        if self.json:
            plain = {"code": error.code, "detail": error.message, "facts": error.facts}
            print(json.dumps(plain, indent=2), file=self.errors)
        elif isinstance(error, CatalogueInvalid):
            for each in error.facts["problems"]:
                where = f"{each['file']}:{each['line']}"
                path = f" {each['path']}:" if each["path"] else ""
                print(f"{where}:{path} {each['message']}", file=self.errors)
        else:
            print(f"gradumen: {error.message}", file=self.errors)


def _plain(body: Body) -> dict[str, Any]:
    return body.model_dump(mode="json")


money = partial(exact.money, apart=" ")
"""An amount as any terminal can show it."""


def quantity(value: Decimal | None) -> str:
    """A quantity with thousands apart; no limit is a word.

    >>> quantity(Decimal("1234567.50"))
    '1 234 567.5'
    """
    if value is None:
        return "no limit"
    return figure(value).replace("\u202f", " ")


def in_short(value: Decimal, unit: str) -> str:
    """A quantity in base units with the unit that people read, to two places; nothing for nothing.

    >>> in_short(Decimal(9000), "vCPU-second"), in_short(Decimal(0), "byte")
    ('2.5 vCPU-hours', '')
    """
    if not value:
        return ""
    number, words = in_words(value, unit)
    return f"{exact.figure(round_half_up(Decimal(number.replace(' ', '')), 2))} {words}"


def beside(values: Iterable[Decimal]) -> Decimal:
    """The quantity in whose unit several of one meter can be compared: in which none is less than a tenth.

    >>> beside([Decimal(9000), Decimal(50), Decimal(0)]), beside([Decimal(9), Decimal(8)])
    (Decimal('500'), Decimal('9'))
    """
    sizes = [abs(each) for each in values if each]
    return min(max(sizes), 10 * min(sizes)) if sizes else Decimal(0)


def in_words(value: Decimal, unit: str, like: Decimal | None = None) -> tuple[str, str]:
    """A quantity in base units, in the unit that people read, to six places.

    Hours for seconds, a currency for its millionths; of bytes the largest of KiB to PiB that leaves at least one, or
    leaves that of what it is to be in one unit with.

    >>> in_words(Decimal(7200), "vCPU-second"), in_words(Decimal(2**30 * 3600), "byte-second")
    (('2', 'vCPU-hours'), ('1', 'GiB-hour'))
    >>> in_words(Decimal(500), "byte"), in_words(Decimal(1536), "byte")
    (('500', 'bytes'), ('1.5', 'KiB'))
    >>> in_words(Decimal(512), "byte", Decimal(1536))
    ('0.5', 'KiB')
    """
    exact_value, size = Fraction(value), abs(Fraction(value if like is None else like))
    if unit.startswith("micro-"):
        return quantity(round_half_up(exact_value / 10**6, QUANTITY_PLACES)), unit.removeprefix("micro-")
    if unit.endswith("second"):
        exact_value, size, unit = exact_value / 3600, size / 3600, unit.removesuffix("second") + "hour"
    if unit.startswith("byte"):
        steps = iter(("KiB", "MiB", "GiB", "TiB", "PiB"))
        while size >= 1024 and (larger := next(steps, "")):
            exact_value, size, unit = exact_value / 1024, size / 1024, larger + unit[unit.find("-") :] * ("-" in unit)
    shown = round_half_up(exact_value, QUANTITY_PLACES)
    return quantity(shown), unit_words(unit, shown)


def service_days(start: datetime, end: datetime) -> str:
    """A service period by its first and last day, whatever the zone of its seller; hours only of parts of a day.

    >>> service_days(datetime(2026, 8, 31, 23), datetime(2026, 9, 30, 23))
    '1 Sep to 30 Sep'
    >>> service_days(datetime(2026, 9, 2, 6), datetime(2026, 9, 2, 9))
    '2 Sep 06:00 to 09:00 UTC'
    >>> service_days(datetime(2026, 9, 30, 11), datetime(2026, 10, 31, 11))
    '1 Oct to 31 Oct'
    """
    if end - start < timedelta(hours=23):
        return f"{start:%-d %b %H:%M} to {end:%H:%M} UTC"
    first, last = days_between(start, end)
    return f"{first:%-d %b}" if first == last else f"{first:%-d %b} to {last:%-d %b}"
