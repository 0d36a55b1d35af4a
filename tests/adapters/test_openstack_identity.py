"""Accounts as projects of a real identity service."""

from collections.abc import Iterator
from decimal import Decimal
from urllib.parse import urlsplit
from uuid import UUID

import pytest

from gradumen.adapters.cloud_accounts import ensure, existing, remove_ours
from gradumen.adapters.door import Door
from gradumen.adapters.openstack_identity import OpenStackIdentity
from gradumen.core.errors import Conflict, Unavailable
from gradumen.core.organisations.clouds import tag_of
from gradumen.core.quotas.measures import Measure
from tests.adapters.identity.service import Administrator, identity_service

TAG, OTHER = tag_of(UUID(int=7)), tag_of(UUID(int=8))


@pytest.fixture(scope="module")
def url(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    with identity_service(tmp_path_factory.mktemp("identity")) as found:
        yield found


@pytest.fixture(scope="module")
def administrator(url: str) -> Iterator[Administrator]:
    made = Administrator(url)
    yield made
    made.http.close()


def reach(url: str, secret: str) -> OpenStackIdentity:
    return OpenStackIdentity(Door([f"http://127.0.0.1:{urlsplit(url).port}"]), url, secret)


def test_projects_are_made_found_by_their_tag_and_taken_away(url: str, administrator: Administrator) -> None:
    cloud = reach(url, administrator.credential("maker", ["admin"]))
    assert cloud.look() == "an OpenStack identity service, 1 projects in domain Default"
    made = ensure(cloud, "gull", TAG)
    assert (made.name, made.tag) == ("gull", TAG)
    assert ensure(cloud, "gull", TAG) == made == cloud.get(made.id) == existing(cloud, made.id), "never two"
    assert administrator.projects()["gull"] == [TAG]
    with pytest.raises(Conflict, match="already, which is not ours"):
        ensure(cloud, "gull", OTHER)
    with pytest.raises(Conflict, match="taken"):
        cloud.make("gull", OTHER)
    assert cloud.named("admin") is not None and cloud.find(OTHER) is None
    assert remove_ours(cloud, TAG) and not remove_ours(cloud, TAG)
    cloud.remove(made.id)
    with pytest.raises(Conflict, match="there is no account"):
        existing(cloud, made.id)
    assert set(administrator.projects()) == {"admin"}
    cloud.close()


def test_projects_are_held_to_whole_limits_of_what_is_registered(url: str, administrator: Administrator) -> None:
    cloud = reach(url, administrator.credential("limiter", ["admin"]))
    made = ensure(cloud, "tern", TAG)
    assert cloud.limit(made.id, {Measure.PROCESSORS: Decimal(8)}) == [], "none is registered"
    for resource in ("class:VCPU", "class:MEMORY_MB", "server_groups"):
        administrator.register_limit(resource, 10)
    limits = {Measure.PROCESSORS: Decimal("8.5"), Measure.MEMORY: Decimal("1.5"), Measure.ADDRESSES: Decimal(2)}
    for _ in range(2):
        assert cloud.limit(made.id, limits) == [Measure.PROCESSORS, Measure.MEMORY]
        assert administrator.limits(made.id) == {"class:VCPU": 8, "class:MEMORY_MB": 1536}
    cloud.limit(made.id, {Measure.PROCESSORS: Decimal(0), Measure.MEMORY: None})
    assert administrator.limits(made.id) == {"class:VCPU": 0}, "of memory as everybody there"
    cloud.limit(made.id, {Measure.PROCESSORS: Decimal(0), Measure.MEMORY: None})
    assert remove_ours(cloud, TAG)


def test_people_become_users_who_go_with_their_last_account(url: str, administrator: Administrator) -> None:
    cloud = reach(url, administrator.credential("admitter", ["admin"]))
    gwen, hugh = "gwen@gull.example", "hugh@gull.example"
    made, other = ensure(cloud, "gull", TAG), ensure(cloud, "skua", OTHER)
    for _ in range(2):
        assert cloud.admit(made.id, gwen)
    cloud.admit(other.id, gwen)
    assert administrator.users(made.id) == {gwen: ["member"]} == administrator.users(other.id)
    administrator.make_user(hugh)
    with pytest.raises(Conflict, match="already, which is not ours"):
        cloud.admit(made.id, hugh)
    assert remove_ours(cloud, TAG, [gwen, hugh])
    assert administrator.users(other.id) == {gwen: ["member"], hugh: []}
    assert remove_ours(cloud, OTHER, [gwen, hugh]) and not remove_ours(cloud, OTHER, [gwen, hugh])
    assert administrator.users() == {hugh: []}, "what is not ours stays"
    # Killed between the project's end and the user's: the second look finds the user.
    cloud.admit(ensure(cloud, "gull", TAG).id, gwen)
    cloud.remove(existing(cloud, ensure(cloud, "gull", TAG).id).id)
    assert not remove_ours(cloud, TAG, [gwen]) and gwen not in administrator.users()


def test_what_is_missing_is_named(url: str, administrator: Administrator) -> None:
    reader = reach(url, administrator.credential("reader", ["reader"]))
    with pytest.raises(Conflict, match="lacks the role admin"):
        reader.look()
    with pytest.raises(Conflict, match="needs the role admin"):
        reader.make("gull", TAG)
    for secret, words in (("nothing", "enter it as ID:SECRET"), ("a:b", "knows no such application credential")):
        with pytest.raises(Conflict, match=words):
            reach(url, secret).look()
    with pytest.raises(Conflict, match="does not take the application credential"):
        reach(url, administrator.credential("mistyped", ["admin"]).partition(":")[0] + ":wrong").look()
    with pytest.raises(Conflict, match="does not end with /v3"):
        reach(url.removesuffix("/v3") + "/nowhere", administrator.credential("lost", ["admin"])).look()
    with pytest.raises(Unavailable):
        OpenStackIdentity(Door(["http://127.0.0.1:9"]), "http://127.0.0.1:9/v3", "a:b").look()
