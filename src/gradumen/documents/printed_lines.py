"""The lines of a document over as many pages as they need, drawn directly: five thousand take about a second."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import NamedTuple

from reportlab.lib import colors
from reportlab.lib.utils import simpleSplit
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.platypus import Flowable

from gradumen.documents.fonts import BODY, STRONG

INK, QUIET, LINE = colors.HexColor("#23302b"), colors.HexColor("#5f6b64"), colors.HexColor("#c9cdc4")
_SHARES = (0.39, 0.18, 0.18, 0.11, 0.14)
_RIGHT = (1, 3, 4)
_PADDING, _GAP, _HEAD = 3.0, 8.0, 18.0
_FRAME = 6.0
"""The padding of the page's frame, which the lines do not keep: they are as wide as the text area."""


class _Letters(NamedTuple):
    font: str
    size: float
    leading: float
    colour: colors.Color


_TITLES = _Letters(BODY, 7.0, 9.0, QUIET)
_TEXT = _Letters(BODY, 8.5, 11.0, INK)
_HEADING = _Letters(STRONG, 8.5, 11.0, INK)
_DETAIL = _Letters(BODY, 7.0, 9.0, QUIET)


@dataclass(frozen=True, slots=True)
class PrintedLine:
    """The cells of a line, and what stands small below its first."""

    cells: tuple[str, ...]
    detail: str
    heads: bool = False
    """Whether it stands above others, in strong letters, and never last on a page."""

    @property
    def letters(self) -> _Letters:
        """What its cells are written in."""
        return _HEADING if self.heads else _TEXT


@cache
def _wrapped(text: str, letters: _Letters, width: float) -> tuple[str, ...]:
    return tuple(simpleSplit(text, letters.font, letters.size, width)) or ("",)


class PrintedLines(Flowable):
    """Lines below a head that stands on every page."""

    def __init__(self, lines: Sequence[PrintedLine], head: tuple[str, ...], width: float) -> None:
        super().__init__()
        self.lines, self.head, self.width = lines, head, width
        self.widths = [width * share for share in _SHARES]
        self.lefts = [sum(self.widths[:column]) for column in range(len(self.widths))]
        self.height = 0.0

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        """Width and height; where more is needed than there is, only that more is."""
        height = _HEAD
        for line in self.lines:
            height += self._height(line)
            if height > available_height:
                break
        self.height = height
        return self.width, height

    def split(self, available_width: float, available_height: float) -> list[Flowable]:
        """What fits, and the rest; nothing where not even one line fits."""
        height, fitting = _HEAD, 0
        for line in self.lines:
            height += self._height(line)
            if height > available_height:
                break
            fitting += 1
        while fitting and self.lines[fitting - 1].heads:
            fitting -= 1
        if fitting == 0:
            return []
        parts = (self.lines[:fitting], self.lines[fitting:])
        return [PrintedLines(part, self.head, self.width) for part in parts if part]

    def draw(self) -> None:
        """Draw the head and every line, from the top down."""
        top = self.height
        self.canv.translate(-_FRAME, 0)
        self._cells(self.head, top - _PADDING, _TITLES)
        top -= _HEAD
        self._rule(top, INK, 0.8)
        for line in self.lines:
            self._cells(line.cells, top - _PADDING, line.letters)
            below = top - _PADDING - line.letters.leading * len(self._cell(0, line.cells[0], line.letters))
            self._text(0, line.detail, below, _DETAIL)
            top -= self._height(line)
            self._rule(top, LINE, 0.3)

    def _cell(self, column: int, text: str, letters: _Letters) -> tuple[str, ...]:
        return _wrapped(text, letters, self.widths[column] - _GAP)

    def _height(self, line: PrintedLine) -> float:
        letters = line.letters
        heights = [letters.leading * len(self._cell(column, text, letters)) for column, text in enumerate(line.cells)]
        if line.detail:
            heights[0] += _DETAIL.leading * len(self._cell(0, line.detail, _DETAIL))
        return max(heights) + 2 * _PADDING

    def _cells(self, cells: tuple[str, ...], top: float, letters: _Letters) -> None:
        for column, text in enumerate(cells):
            self._text(column, text, top, letters)

    def _text(self, column: int, text: str, top: float, letters: _Letters) -> None:
        font, size, leading, colour = letters
        left = self.lefts[column]
        right = left + self.widths[column] - (0 if column == len(self.widths) - 1 else _GAP)
        self.canv.setFont(font, size)
        self.canv.setFillColor(colour)
        for number, row in enumerate(self._cell(column, text, letters)):
            base = top - size - number * leading
            self.canv.drawString(right - stringWidth(row, font, size) if column in _RIGHT else left, base, row)

    def _rule(self, height: float, colour: colors.Color, width: float) -> None:
        self.canv.setStrokeColor(colour)
        self.canv.setLineWidth(width)
        self.canv.line(0, height, self.width, height)
