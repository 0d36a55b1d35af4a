"""Starts the compute service of a cloud with machines that are none: its tables in the tests' database, then itself."""

import os
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from shutil import copy
from typing import Any

import httpx
from sqlalchemy import Engine, create_engine, text

from tests.adapters.identity.service import PASSWORD, SIGNED_IN, Administrator, with_its_driver
from tests.clouds.served import SERVED
from tests.waiting import wait_until_answers

ENVIRONMENT = Path(__file__).parents[2] / ".setup" / "compute"
IMAGE = "11111111-1111-1111-1111-111111111111"
_PLACEMENT = """
[placement_database]
connection = {placement}
[api]
auth_strategy = keystone
[keystone_authtoken]
interface = public
{signed_in}
"""
_COMPUTE = """
[DEFAULT]
state_path = {folder}
my_ip = 127.0.0.1
host = rack-1
compute_driver = fake.FakeDriver
transport_url = fake:///
log_file = {folder}/compute.log
allow_resize_to_same_host = true
[api]
auth_strategy = keystone
[wsgi]
api_paste_config = {folder}/api-paste.ini
[api_database]
connection = {api}
[database]
connection = {cell}
[oslo_concurrency]
lock_path = {folder}/locks
[vnc]
enabled = false
[glance]
valid_interfaces = public
{signed_in}
[neutron]
endpoint_override = {stand_in}
valid_interfaces = public
{signed_in}
[placement]
valid_interfaces = public
{signed_in}
[service_user]
send_service_user_token = false
[keystone_authtoken]
interface = public
{signed_in}
"""
_TIMES = {
    "instances": ("created_at", "updated_at", "launched_at", "terminated_at", "deleted_at"),
    "instance_actions": ("created_at", "updated_at", "start_time", "finish_time"),
}
"""The tables of servers and of what was done to them, each with its times."""
_PLACED = """
import sys
from wsgiref.simple_server import make_server

port = int(sys.argv.pop())
from placement.wsgi.api import application  # which reads what is left of the arguments

make_server("127.0.0.1", port, application).serve_forever()
"""


@contextmanager
def compute_service(
    folder: Path, identity: str, administrator_url: str, ports: tuple[int, int, int]
) -> Iterator["Servers"]:
    """It, for as long as it runs.

    Args:
        identity: address of the identity service whose tokens it takes.
        administrator_url: of a database server, as one who makes databases there.
        ports: its own, that of what places its machines, that of the stand-in for image and network services.
    """
    urls = [f"http://127.0.0.1:{port}" for port in ports]
    administrator = Administrator(identity)
    for kind, url in zip(("compute", "placement", "image", "network"), (*urls, urls[2]), strict=True):
        administrator.register_service(kind, f"{url}/v2.1" if kind == "compute" else url)
    signed_in = SIGNED_IN.format(identity=identity, password=PASSWORD)
    index = with_its_driver(administrator_url)
    names = {each: index.replace("/gradumen?", f"/cloud_{each}?") for each in ("api", "cell", "placement")}
    with create_engine(administrator_url).begin() as connection:
        for each in (*names, "cell0"):
            connection.execute(text(f"CREATE OR REPLACE DATABASE cloud_{each} CHARACTER SET utf8mb3"))
    (folder / "placement.conf").write_text(_PLACEMENT.format(signed_in=signed_in, **names))
    config = folder / "nova.conf"
    config.write_text(_COMPUTE.format(folder=folder, signed_in=signed_in, stand_in=urls[2], **names))
    copy(ENVIRONMENT / "etc" / "nova" / "api-paste.ini", folder)
    at = {**os.environ, "OS_PLACEMENT_CONFIG_DIR": str(folder), "OS_NOVA_CONFIG_DIR": str(folder)}
    _managed(at, "placement-manage", "--config-file", str(folder / "placement.conf"), "db", "sync")
    cell0 = index.replace("/gradumen?", "/cloud_cell0?")
    for words in (
        ("api_db", "sync"),
        ("cell_v2", "map_cell0", "--database_connection", cell0),
        ("db", "sync"),
        ("cell_v2", "create_cell", "--name", "cell1"),
    ):
        _managed(at, "nova-manage", "--config-file", str(config), *words)
    python = str(ENVIRONMENT / "bin" / "python")
    with (folder / "out").open("wb") as out:
        started = [
            subprocess.Popen([python, *map(str, words)], stdout=out, stderr=out, env=at)
            for words in (("-c", _PLACED, ports[1]), ("-c", SERVED, config, ports[0], ports[2]))
        ]
    try:
        wait_until_answers(f"{urls[0]}/", started, folder / "out", seconds=90)
        yield Servers(
            f"{urls[0]}/v2.1/",
            administrator,
            create_engine(administrator_url.replace("/gradumen?", "/cloud_cell?")),
            urls[1],
        )
    finally:
        for each in started:
            each.terminate()
        for each in started:
            each.wait(30)


def _managed(at: dict[str, str], command: str, *words: str) -> None:
    done = subprocess.run(
        [str(ENVIRONMENT / "bin" / command), *words], capture_output=True, text=True, timeout=120, env=at
    )
    assert done.returncode == 0, done.stderr[-2000:]


class Servers:
    """What somebody at the cloud does with servers by hand."""

    def __init__(self, url: str, administrator: Administrator, database: Engine, placement: str) -> None:
        self.url, self.administrator, self.database, self.placement = url, administrator, database, placement
        headers = {"OpenStack-API-Version": "compute 2.60", **administrator.http.headers}
        self.http = httpx.Client(base_url=url, headers=headers, timeout=60)
        self.flavors: dict[str, str] = {}

    def make_flavor(self, name: str, vcpus: int, ram: int, disk: int) -> None:
        """A size."""
        form = {"flavor": {"name": name, "vcpus": vcpus, "ram": ram, "disk": disk}}
        self.flavors[name] = self._json("POST", "flavors", form)["flavor"]["id"]

    def make(self, name: str, flavor: str, **metadata: str) -> str:
        """A server that runs; gives its id."""
        form = {"name": name, "imageRef": IMAGE, "flavorRef": self.flavors[flavor], "networks": "none"}
        id = str(self._json("POST", "servers", {"server": {**form, "metadata": metadata}})["server"]["id"])
        self.until(id, "ACTIVE")
        return id

    def act(self, id: str, action: dict[str, Any], status: str) -> None:
        """Do something to it, and wait until it is in a status."""
        self.http.post(f"servers/{id}/action", json=action).raise_for_status()
        self.until(id, status)

    def resize(self, id: str, flavor: str) -> None:
        """Give it another flavour."""
        self.act(id, {"resize": {"flavorRef": self.flavors[flavor]}}, "VERIFY_RESIZE")
        self.act(id, {"confirmResize": None}, "ACTIVE")

    def delete(self, id: str) -> None:
        """Delete it."""
        self.http.delete(f"servers/{id}").raise_for_status()
        self.until(id, "gone")

    def until(self, id: str, status: str) -> None:
        """Wait until it is in a status."""
        deadline = time.monotonic() + 60
        found = ""
        while found != status:
            answer = self.http.get(f"servers/{id}")
            server = answer.json().get("server", {})
            found = "gone" if answer.status_code == httpx.codes.NOT_FOUND else server["status"]
            busy = server.get("OS-EXT-STS:task_state")
            assert time.monotonic() < deadline, f"{found} instead of {status}"
            if found != status or busy:
                found = found if not busy else ""
                time.sleep(0.1)

    def age(self, hours: int) -> None:
        """Let all that happened so far have happened earlier, as if time had passed: a test cannot wait for hours."""
        with self.database.begin() as connection:
            for table, columns in _TIMES.items():
                earlier = ", ".join(f"{each} = {each} - INTERVAL {hours} HOUR" for each in columns)
                connection.execute(text(f"UPDATE {table} SET {earlier}"))

    def told(self, id: str) -> dict[str, Any]:
        """What is told of one, also when it is gone."""
        found = self._json("GET", "servers/detail?all_tenants=1&changes-since=2020-01-01T00:00:00Z")
        return next(each for each in found["servers"] if each["id"] == id)

    def actions(self, id: str) -> list[tuple[str, str]]:
        """What was done to one and when, the first first."""
        found = self._json("GET", f"servers/{id}/os-instance-actions")["instanceActions"]
        return [(each["action"], each["start_time"][:19]) for each in reversed(found)]

    def hand_out(self, times: str) -> None:
        """Say how many times over the processors of its only host are handed out."""
        with httpx.Client(base_url=self.placement, headers=dict(self.administrator.http.headers)) as http:
            [provider] = http.get("/resource_providers").json()["resource_providers"]
            at = f"/resource_providers/{provider['uuid']}/inventories/VCPU"
            of = http.get(at).json()
            http.put(at, json={**of, "allocation_ratio": float(times)}).raise_for_status()

    def _json(self, method: str, path: str, form: dict[str, Any] | None = None) -> dict[str, Any]:
        answer = self.http.request(method, path, json=form)
        assert answer.is_success, answer.text[:500]
        return dict(answer.json())
