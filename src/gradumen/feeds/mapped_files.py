"""What the rows of a file give by a mapping, and what can be seen of a file that has none."""

from collections.abc import Collection, Iterator, Mapping

from gradumen.core.errors import Invalid
from gradumen.core.metering.file_mappings import readings_of
from gradumen.core.metering.mapping_guesses import guess
from gradumen.core.metering.readings import Reading
from gradumen.feeds.reading_files import Table, read_table
from gradumen.wire.metering.deliveries import (
    FileLookBody,
    FileMappingForm,
    FileProblemBody,
    FileRowBody,
    GuessBody,
    ReadingSeenBody,
    missing_columns,
)

ROWS, READINGS, PROBLEMS = 5, 20, 20
"""So many of each are shown."""
LOOKED_AT = 1000
"""Rows from which is guessed."""
SOURCE = "/files"
"""Of rows that say none: the same for all files of a feed, so that a row is known in whichever it comes."""


Wrong = tuple[str, Invalid, Mapping[str, str]]
"""Which line it is, what is wrong with it, and its row."""


def read_mapped(name: str, content: bytes, mapping: FileMappingForm) -> Iterator[Reading | Wrong]:
    """The readings of a file, and the lines that cannot be read, each with the reason.

    Raises:
        Invalid: the file cannot be read, or has not the columns that the mapping needs.
    """
    table = read_table(name, content, delimiter=mapping.delimiter, encoding=mapping.encoding)
    for _, each in _read(table, mapping):
        yield each


def _read(table: Table, form: FileMappingForm) -> Iterator[tuple[int, Reading | Wrong]]:
    mapping = form.value()
    missing_columns(mapping, table.columns)
    for line, row in table.rows:
        try:
            yield from ((line, each) for each in readings_of(mapping, row, SOURCE))
        except Invalid as problem:
            facts = {**problem.facts, "field": problem.facts.get("field") or None}
            yield line, (f"line {line}", Invalid.rebuilt(f"line {line}: {problem.message}", facts), row)


def look(name: str, content: bytes, form: FileMappingForm | None, meters: Collection[str]) -> FileLookBody:
    """What a file is, and what it would give.

    Raises:
        Invalid: as `read_mapped`.
    """
    options = {} if form is None else {"delimiter": form.delimiter, "encoding": form.encoding}
    table = read_table(name, content, **options)
    readings: list[ReadingSeenBody] = []
    problems: list[FileProblemBody] = []
    given = refused = 0
    for line, each in _read(table, form) if form else ():
        if isinstance(each, Reading):
            given += 1
            if len(readings) < READINGS:
                readings.append(ReadingSeenBody.of_line(line, each))
        else:
            refused += 1
            if len(problems) < PROBLEMS:
                problem = each[1]
                problems.append(FileProblemBody(line=line, reason=problem.message, field=problem.facts["field"]))
    return FileLookBody(
        columns=list(table.columns),
        rows=[FileRowBody(line=line, cells=dict(row)) for line, row in table.rows[:ROWS]],
        count=len(table.rows),
        delimiter=table.delimiter,
        encoding=table.encoding,
        guess=_guess(table, meters) if form is None else None,
        readings=readings,
        given=given,
        refused=refused,
        problems=problems,
    )


def _guess(table: Table, meters: Collection[str]) -> GuessBody:
    found = guess(table.columns, [row for _, row in table.rows[:LOOKED_AT]], meters)
    return GuessBody.of(found)
