"""Limits of many customers at once: all or nothing, each refusal at its place, less before more; as a spreadsheet too."""

import csv
import io
from decimal import Decimal
from threading import Barrier, Thread

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.client.quotas.quota_matrices import read_matrix, write_matrix
from gradumen.core.errors import Conflict, Forbidden, GradumenError, Invalid, NotFound
from gradumen.core.quotas.measures import BUILT_IN, Measure
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.quotas.quota_matrices import MatrixCellBody, MatrixChange, MatrixMeasureBody, MatrixRowBody
from tests.world import World


@pytest.fixture
def oxbow(world: World) -> World:
    """Oxbow has 100 processors and 1,000 GiB of memory, of which its two customers have some."""
    mara, edda = world.mara, world.user("edda")
    for measure, limit, mine, yours in ((Measure.PROCESSORS, 100, 60, 30), (Measure.MEMORY, 1000, 100, 0)):
        mara.quotas.grant("oxbow", measure, Decimal(limit))
        edda.quotas.grant("saltmarsh", measure, Decimal(mine))
        edda.quotas.grant("thistledown", measure, Decimal(yours))
    return world


def change(
    organisation: str, limit: int | None, measure: str = "processors", version: int | None = None
) -> MatrixChange:
    return MatrixChange(
        organisation=organisation, measure=measure, limit=None if limit is None else Decimal(limit), version=version
    )


def limits(world: World, measure: str = "processors") -> dict[str, Decimal | None]:
    rows = world.user("edda").quota_matrices.rows("oxbow")
    return {row.organisation: cell.limit for row in rows for cell in row.cells if cell.measure == measure}


def test_customers_stand_beside_each_other_with_what_is_left_above_them(oxbow: World) -> None:
    matrix = oxbow.user("edda").quota_matrices.get("oxbow", limit=1)
    own = {each.measure: (each.limit, each.left) for each in matrix.measures}
    assert own["processors"] == (100, 10) and own["memory"] == (1000, 900)
    assert [row.organisation for row in matrix.items] == ["saltmarsh"] and matrix.next == "saltmarsh"
    second = oxbow.user("edda").quota_matrices.get("oxbow", after=matrix.next)
    assert [row.organisation for row in second.items] == ["thistledown"] and second.next is None
    listed = {each.measure: each for each in oxbow.user("edda").quotas.list("saltmarsh") if each.project is None}
    for cell in matrix.items[0].cells:
        assert (cell.limit, cell.passed_on, cell.version) == (
            listed[cell.measure].limit,
            listed[cell.measure].granted,
            listed[cell.measure].version,
        )
    assert [row.organisation for row in oxbow.user("edda").quota_matrices.get("oxbow", search="clinic").items] == [
        "thistledown"
    ]


def test_what_becomes_less_goes_first_whatever_order_it_is_sent_in(oxbow: World) -> None:
    changes = [change("thistledown", 70), change("saltmarsh", 20), change("thistledown", 800, "memory")]
    edda = oxbow.user("edda")
    assert edda.quota_matrices.change("oxbow", changes, check=True).changed == 3
    assert limits(oxbow) == {"saltmarsh": 60, "thistledown": 30}
    assert edda.quota_matrices.change("oxbow", changes).changed == 3
    assert limits(oxbow) == {"saltmarsh": 20, "thistledown": 70}
    assert edda.quota_matrices.change("oxbow", changes).changed == 0
    history = edda.quotas.changes("thistledown", measure="processors")
    assert [each.limit for each in history] == [70, 30]


def test_all_or_nothing_and_each_refusal_at_its_place(oxbow: World) -> None:
    changes = [
        change("saltmarsh", 10),
        change("thistledown", 200),
        change("nobody", 1),
        change("saltmarsh", None, "memory"),
        change("thistledown", 5, "memory", version=99),
        change("quillstone", 1),
    ]
    with pytest.raises(Conflict, match="5 of 6 limits cannot be set, so nothing was changed") as refused:
        oxbow.user("edda").quota_matrices.change("oxbow", changes)
    problems = {each["place"]: each for each in refused.value.facts["problems"]}
    assert {place: each["code"] for place, each in problems.items()} == {
        1: "quota_exceeded", 2: "not_found", 3: "quota_exceeded", 4: "edited_meanwhile", 5: "not_found",
    }  # fmt: skip
    assert "at most 90 vCPU: its 30 and the 60 that Oxbow Managed IT has free" in str(problems[1]["message"])
    assert limits(oxbow) == {"saltmarsh": 60, "thistledown": 30}
    assert len(oxbow.user("edda").quotas.changes("saltmarsh", measure="processors")) == 1


def test_only_who_gives_quotas_of_the_organisation_sets_them(oxbow: World) -> None:
    for user, refusal in (("piers", Forbidden), ("una", NotFound), ("ines", NotFound)):
        with pytest.raises(refusal):
            oxbow.user(user).quota_matrices.change("oxbow", [change("saltmarsh", 1)])
    with pytest.raises(Conflict, match="does not buy from Tarnwick Cloud"):
        oxbow.mara.quota_matrices.change("tarnwick", [change("saltmarsh", 1)])
    with pytest.raises(Invalid, match="not one of"):
        oxbow.user("edda").quota_matrices.change("oxbow", [change("saltmarsh", 1, "beds")])


def test_rivals_who_set_many_at_once_keep_the_limit(oxbow: World) -> None:
    """Each wants nearly all that is free for another customer; whoever is later is refused, none fails inside."""
    for number in range(4):
        body = OrganisationCreate(
            parent="oxbow", type="tenant", slug=f"rival-{number}", name=f"R {number}", country="GB", currency="GBP"
        )
        oxbow.user("edda").organisations.create(body)
    gate, codes = Barrier(4), list[str]()

    def save(number: int) -> None:
        client = oxbow.user("edda")
        changes = [change(f"rival-{number}", 9), change(f"rival-{number}", 800, "memory")]
        gate.wait()
        try:
            client.quota_matrices.change("oxbow", changes if number % 2 else changes[::-1])
            codes.append("done")
        except GradumenError as refused:
            codes.append(refused.code)

    threads = [Thread(target=save, args=(number,)) for number in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(codes) == ["conflict", "conflict", "conflict", "done"]
    own = {each.measure: each.left for each in oxbow.user("edda").quotas.list("oxbow") if each.project is None}
    assert (own["processors"], own["memory"]) == (1, 100)


def row(organisation: str, name: str, cells: list[tuple[Decimal | None, bool]]) -> MatrixRowBody:
    return MatrixRowBody(
        organisation=organisation,
        name=name,
        type="tenant",
        cells=[
            MatrixCellBody(measure=measure, limit=limit, given=given, passed_on=Decimal(0), version=1)
            for measure, (limit, given) in zip(BUILT_IN, cells, strict=True)
        ],
    )


MEASURES = [MatrixMeasureBody(measure=each, unit=each.unit, kind=each.kind, limit=None, left=None) for each in BUILT_IN]
figures = st.decimals(0, 10**20, places=6, allow_nan=False)
cells = st.lists(st.tuples(st.none() | figures, st.booleans()), min_size=len(BUILT_IN), max_size=len(BUILT_IN))
names = st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=20)


@given(st.lists(st.tuples(names, cells), max_size=4))
def test_a_spreadsheet_brings_back_what_it_was_made_of(
    made: list[tuple[str, list[tuple[Decimal | None, bool]]]],
) -> None:
    """Whatever customers are called, what was given comes back, and no cell begins as a formula does."""
    rows = [row(f"c-{place}", name, given) for place, (name, given) in enumerate(made)]
    written = write_matrix(MEASURES, rows)
    expected = [
        MatrixChange(organisation=each.organisation, measure=cell.measure, limit=cell.limit)
        for each in rows
        for cell in each.cells
        if cell.given
    ]
    assert read_matrix(written, BUILT_IN) == expected
    assert not any(cell[:1] in ("=", "+", "@") for line in csv.reader(io.StringIO(written)) for cell in line)


@pytest.mark.parametrize(
    ("written", "said"),
    [
        ("", "first line names the columns"),
        ("a,b\n1,2", "first line names the columns"),
        ("organisation,beds\nx,1", "column 'beds' is no measure"),
        ("organisation,processors\nx,=1+1", "line 2, processors: '=1\\+1' is a formula"),
        ("organisation,processors\nx,many", "line 2, processors: 'many' is not a number"),
        ("organisation,processors\nx,1e999999", "is not a number|digits|too"),
        ("organisation,processors\nx,NaN", "is not a number"),
        ("organisation,processors\n\nx,1,2", "line 3 has 3 cells"),
    ],
)
def test_what_is_no_such_spreadsheet_is_refused_by_line_and_column(written: str, said: str) -> None:
    with pytest.raises(Invalid, match=said):
        changes = read_matrix(written, BUILT_IN)
        raise Invalid(f"too large: {changes[0].limit}")
