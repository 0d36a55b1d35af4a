"""Accounts as projects of a real identity service."""

from collections.abc import Iterator
from urllib.parse import urlsplit
from uuid import UUID

import pytest

from gradumen.adapters.cloud_accounts import ensure, existing, remove_ours
from gradumen.adapters.door import Door
from gradumen.adapters.openstack_identity import OpenStackIdentity
from gradumen.core.errors import Conflict, Unavailable
from gradumen.core.organisations.clouds import tag_of
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
