"""Requests for other limits: asked by a customer, answered by its seller, seen by nobody else."""

from collections.abc import Callable
from decimal import Decimal
from uuid import UUID

import pytest

from gradumen.client import Client
from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound, QuotaExceeded
from tests.world import World


def limits(world: World) -> None:
    world.mara.quotas.grant("tarnwick", "processors", Decimal(1000))
    world.mara.quotas.grant("oxbow", "processors", Decimal(100))
    world.user("edda").quotas.grant("saltmarsh", "processors", Decimal(40))


def test_a_customer_asks_and_its_seller_gives_all_or_less_or_nothing(world: World) -> None:
    limits(world)
    ines, edda = world.user("ines"), world.user("edda")
    asked = ines.quota_requests.ask("saltmarsh", "processors", Decimal(70), "The summer timetable")
    assert (asked.state, asked.present, asked.seller_name) == ("open", 40, "Oxbow Managed IT")
    again = ines.quota_requests.ask("saltmarsh", "processors", Decimal(60), "Less will do")
    assert [each.id for each in edda.quota_requests.list("oxbow")] == [asked.id] == [again.id]
    (todo,) = [each for each in edda.to_dos.list("oxbow") if each.kind == "quota request"]
    assert todo.title == "Saltmarsh Ferries asks for 60 vCPU, it has 40 vCPU"
    for _ in range(2):
        given = edda.quota_requests.answer(asked.id, Decimal(50), "Until March")
        assert (given.state, given.answered, given.answer) == ("partly granted", 50, "Until March")
    assert {each.measure: each.limit for each in ines.quotas.list("saltmarsh")}["processors"] == 50
    (note,) = [each for each in ines.to_dos.list("saltmarsh") if each.kind == "quota request"]
    assert note.title == "60 vCPU were asked for, Oxbow Managed IT gave 50 vCPU"
    with pytest.raises(Conflict, match="partly granted already"):
        edda.quota_requests.answer(asked.id, Decimal(60))
    more = ines.quota_requests.ask("saltmarsh", "processors", Decimal(900), "Everything")
    with pytest.raises(QuotaExceeded, match="at most 100 vCPU: its 50 and the 50"):
        edda.quota_requests.answer(more.id, Decimal(900))
    states = {each.id: each.state for each in edda.quota_requests.list("oxbow")}
    assert states == {more.id: "open", asked.id: "partly granted"}, "nothing was half done"
    listed = [str(each.id) for each in edda.quota_requests.list("saltmarsh")]
    assert set(listed) == set(map(str, states)), "its seller reads them"
    page = edda.connection.http.get("organisations/saltmarsh/quota-requests", params={"limit": 1}).json()
    rest = {"limit": 1, "after": page["next"]}
    (second,) = edda.connection.http.get("organisations/saltmarsh/quota-requests", params=rest).json()["items"]
    assert [page["items"][0]["id"], second["id"]] == listed
    with pytest.raises(Invalid, match="say why it is refused"):
        edda.quota_requests.answer(more.id, None)
    assert edda.quota_requests.answer(more.id, None, "There is no room").state == "refused"
    acts = [each.action for each in ines.audit_entries.list("saltmarsh") if "quota request" in each.action]
    assert acts == ["quota request refused", "quota request partly granted"]


def test_asking_needs_the_right_a_reason_and_something_to_ask_for(world: World) -> None:
    limits(world)
    ines = world.user("ines")
    for limit, reason, refusal in (
        (Decimal(0), "x", Invalid),
        (Decimal(60), " ", Invalid),
        (Decimal(40), "As it is", Conflict),
        (Decimal(30), "Less", Conflict),
    ):
        with pytest.raises(refusal):
            ines.quota_requests.ask("saltmarsh", "processors", limit, reason)
    with pytest.raises(Conflict, match="Saltmarsh Ferries has no limit of storage already"):
        ines.quota_requests.ask("saltmarsh", "storage", Decimal(5), "More")
    with pytest.raises(Conflict, match="buys from nobody"):
        world.mara.quota_requests.ask("tarnwick", "processors", Decimal(5000), "More")
    with pytest.raises(Invalid, match="measure 'attics'"):
        ines.quota_requests.ask("saltmarsh", "attics", Decimal(5), "More")
    for user in ("vera", "edda", "mara"):
        with pytest.raises(Forbidden):
            world.user(user).quota_requests.ask("saltmarsh", "processors", Decimal(60), "For them")


ACTS: tuple[Callable[[Client, UUID], object], ...] = (
    lambda client, id: client.quota_requests.answer(id, Decimal(60)),
    lambda client, id: client.quota_requests.withdraw(id),
)


def test_a_request_is_between_the_two(world: World) -> None:
    """Above, beside and below it is not there; who only reads answers nothing."""
    limits(world)
    asked = world.user("ines").quota_requests.ask("saltmarsh", "processors", Decimal(60), "Between us")
    for user in ("mara", "wynn", "una"):
        for act in ACTS:
            with pytest.raises(NotFound):
                act(world.user(user), asked.id)
    with pytest.raises(Forbidden):
        world.mara.quota_requests.list("saltmarsh")
    assert world.mara.quota_requests.list("tarnwick") == []
    for user in ("piers", "vera", "ines"):
        with pytest.raises(Forbidden):
            world.user(user).quota_requests.answer(asked.id, Decimal(60))
    with pytest.raises(Forbidden):
        world.user("edda").quota_requests.withdraw(asked.id)
    for _ in range(2):
        assert world.user("ines").quota_requests.withdraw(asked.id).state == "withdrawn"
    with pytest.raises(Conflict, match="withdrawn already"):
        world.user("edda").quota_requests.answer(asked.id, Decimal(60))
