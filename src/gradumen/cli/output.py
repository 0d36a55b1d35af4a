"""What commands print: aligned tables for people, JSON for programs, refusals on standard error."""

import json
import shutil
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from decimal import Decimal
from typing import Any, TextIO

from tqdm import tqdm

from gradumen.core.errors import CatalogueInvalid, GradumenError
from gradumen.core.exact import figure, minor_units
from gradumen.wire.metering.usage import AsOf
from gradumen.wire.tasks import TaskBody
from gradumen.wire.values import Body

WIDEST = 100


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
        """An aligned table of at most 100 columns; the widest text column gives way."""
        if self.json:
            return
        cells = [list(map(str, row)) for row in rows]
        if not cells:
            return
        widths = [max(len(row[index]) for row in [list(head), *cells]) for index in range(len(head))]
        most = min(WIDEST, max(shutil.get_terminal_size((WIDEST, 24)).columns, 60))
        numbers = {index for index, name in enumerate(head) if name in right}
        while sum(widths) + 2 * (len(widths) - 1) > most:
            # The first column names the row, so it is kept whole.
            texts = [index for index in range(1, len(head)) if index not in numbers] or [0]
            widest = max(texts, key=lambda index: widths[index])
            if widths[widest] <= 8:
                break
            widths[widest] -= 1
        for row in [list(head), *cells]:
            shown = [
                value.rjust(widths[index]) if index in numbers else _cut(value, widths[index]).ljust(widths[index])
                for index, value in enumerate(row)
            ]
            print("  ".join(shown).rstrip(), file=self.stream)

    @contextmanager
    def following(self) -> Iterator[Callable[[TaskBody], None]]:
        """A progress bar on standard error that shows what a task is at; none where that is no terminal."""
        with tqdm(total=0, disable=self.json or not self.errors.isatty(), file=self.errors) as bar:

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


def _cut(value: str, width: int) -> str:
    return value if len(value) <= width else value[: width - 1] + "…"


def money(amount: Decimal, currency: str) -> str:
    """An amount with the currency's decimals and thousands apart.

    >>> money(Decimal("-1234.5"), "EUR")
    '−1 234.50'
    """
    shown = f"{abs(amount):,.{minor_units(currency)}f}".replace(",", " ")
    return f"−{shown}" if amount < 0 else shown


def quantity(value: Decimal | None) -> str:
    """A quantity with thousands apart; no limit is a word.

    >>> quantity(Decimal("1234567.50"))
    '1 234 567.5'
    """
    if value is None:
        return "no limit"
    return figure(value).replace("\u202f", " ")
