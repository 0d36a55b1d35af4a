"""Clouds that are registered, tried and kept apart, and the keys of their tokens."""

import pytest
from sqlalchemy import text

from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound
from gradumen.demo.clouds import TOKEN, SimulatedCloud
from gradumen.usecases.sealing import forget_secrets, seal_anew
from gradumen.wire.organisations.clouds import CloudCreate
from tests.conftest import Service
from tests.usecases.subscriptions.stepping import asked, registered
from tests.world import World


def test_a_cloud_is_registered_tried_and_kept_apart(world: World, cloud_server: SimulatedCloud) -> None:
    mara, edda = world.mara, world.user("edda")
    made = registered(world, cloud_server, shared=False)
    assert mara.clouds.try_it(made.id).reached
    assert edda.clouds.list("oxbow") == []
    with pytest.raises(Invalid, match="no cloud in which you make accounts is called 'north-fell'"):
        asked(world, "gull")
    changed = mara.clouds.change(made.id, 1, secret="wrong", shared=True, place="Fellside")
    assert (changed.version, changed.place, changed.shared) == (2, "Fellside", True)
    assert mara.clouds.try_it(made.id).model_dump() == {"reached": False, "said": "it does not take the token"}
    [shown] = edda.clouds.list("oxbow")
    assert (shown.name, shown.endpoint, shown.owner) == ("North Fell", None, "tarnwick")
    assert world.user("ines").clouds.list("saltmarsh") == []
    assert "wrong" not in str(mara.audit_entries.list("tarnwick"))
    for act in (
        lambda: edda.clouds.try_it(made.id),
        lambda: edda.clouds.change(made.id, 2, name="x"),
        lambda: edda.clouds.retire(made.id),
    ):
        with pytest.raises(NotFound):
            act()
    for user, refusal in (("piers", Forbidden), ("ines", NotFound)):
        with pytest.raises(refusal):
            world.user(user).clouds.register(
                "oxbow", CloudCreate(slug="x", name="X", endpoint=cloud_server.url, secret="s")
            )
    for endpoint in ("http://169.254.169.254/latest", "https://127.0.0.1:1/", "file:///etc/passwd", "nonsense"):
        with pytest.raises(Invalid) as refused:
            registered(world, cloud_server, slug="other", endpoint=endpoint)
        assert refused.value.facts["field"] == "endpoint"
    mara.clouds.retire(made.id)
    mara.clouds.retire(made.id)
    assert mara.clouds.list("tarnwick") == []


def test_tokens_of_clouds_are_sealed_anew_and_given_up_with_lost_keys(
    world: World, service: Service, cloud_server: SimulatedCloud
) -> None:
    made = registered(world, cloud_server)
    assert service.uow.seals is not None
    with service.uow.engine.connect() as connection:
        before = connection.scalar(text("SELECT sealed FROM clouds"))
    service.uow.seals.add_key()
    assert seal_anew(service.uow) >= 1
    with service.uow.engine.connect() as connection:
        assert connection.scalar(text("SELECT sealed FROM clouds")) != before
    assert world.mara.clouds.try_it(made.id).reached
    forget_secrets(service.uow)
    with pytest.raises(Conflict, match="the token of North Fell is lost with its key; enter it anew"):
        world.mara.clouds.try_it(made.id)
    world.mara.clouds.change(made.id, 1, secret=TOKEN)
    assert world.mara.clouds.try_it(made.id).reached
