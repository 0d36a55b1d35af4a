"""Starts the metric service of a cloud: its index in the tests' database, its measures in files, then its server."""

import os
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx
from sqlalchemy import create_engine, text

from tests.adapters.identity.service import ENVIRONMENT, PASSWORD, SIGNED_IN, with_its_driver
from tests.waiting import wait_until_answers

_CONFIG = """
[DEFAULT]
log_dir = {folder}
coordination_url = file://{folder}/coordination
parallel_operations = 2
[api]
auth_mode = keystone
paste_config = {folder}/paste.ini
[indexer]
url = {index}
[storage]
driver = file
file_basepath = {folder}/measures
[incoming]
driver = file
file_basepath = {folder}/measures
[metricd]
workers = 1
metric_processing_delay = 1
greedy = true
[keystone_authtoken]
interface = public
{signed_in}
"""
_SERVED = """
import sys
from socketserver import ThreadingMixIn
from wsgiref.simple_server import WSGIServer, make_server

port = int(sys.argv.pop())
from gnocchi.wsgi.api import application  # which reads what is left of the arguments


class Threads(ThreadingMixIn, WSGIServer):
    daemon_threads = True


make_server("127.0.0.1", port, application, server_class=Threads).serve_forever()
"""


@contextmanager
def metric_service(folder: Path, identity: str, administrator_url: str, port: int) -> Iterator[str]:
    """Its address, for as long as it runs.

    Args:
        identity: address of the identity service whose tokens it takes.
        administrator_url: of a database server, as one who makes databases there.
    """
    engine = create_engine(administrator_url)
    with engine.begin() as connection:
        connection.execute(text("CREATE OR REPLACE DATABASE measures CHARACTER SET utf8mb3"))
    for each in ("coordination", "measures"):
        (folder / each).mkdir()
    index = with_its_driver(administrator_url).replace("/gradumen?", "/measures?")
    config = folder / "measures.conf"
    config.write_text(
        _CONFIG.format(folder=folder, index=index, signed_in=SIGNED_IN.format(identity=identity, password=PASSWORD))
    )
    paste = next(ENVIRONMENT.glob("lib/python3*/site-packages/gnocchi/rest/api-paste.ini")).read_text()
    # Without it the part that looks at tokens reads only a file of the system.
    told = f"egg:keystonemiddleware#auth_token\noslo_config_file = {config}"
    (folder / "paste.ini").write_text(paste.replace("egg:keystonemiddleware#auth_token", told))
    programs = ENVIRONMENT / "bin"
    options = ["--config-file", str(config)]
    done = subprocess.run(
        [str(programs / "gnocchi-upgrade"), *options, "--sacks-number", "4"],
        capture_output=True,
        text=True,
        timeout=120,
    )
    assert done.returncode == 0, done.stderr[-2000:]
    served = [str(programs / "python"), "-c", _SERVED, *options, str(port)]
    with (folder / "out").open("wb") as out:
        processes = [
            subprocess.Popen(each, stdout=out, stderr=out, env=os.environ, start_new_session=True)
            for each in (served, [str(programs / "gnocchi-metricd"), *options])
        ]
    url = f"http://127.0.0.1:{port}"
    try:
        wait_until_answers(f"{url}/healthcheck", processes, folder / "out", seconds=90)
        yield url
    finally:
        for process in processes:
            process.terminate()
        for process in processes:
            process.wait(30)
        with engine.begin() as connection:
            connection.execute(text("DROP DATABASE measures"))
        engine.dispose()


class Cloud:
    """What a cloud writes into it: resources with their metrics, and measures of those."""

    def __init__(self, url: str, token: str) -> None:
        self.http = httpx.Client(base_url=f"{url}/v1/", headers={"X-Auth-Token": token}, timeout=30)
        policy = {
            "name": "by-five-minutes",
            "back_window": 400,
            "aggregation_methods": ["mean", "max", "last"],
            "definition": [{"granularity": "5m", "timespan": "40 days"}],
        }
        self.http.post("archive_policy", json=policy).raise_for_status()
        kind = {"name": "machine", "attributes": {"flavour": {"type": "string", "required": False}}}
        self.http.post("resource_type", json=kind).raise_for_status()

    def make(self, id: str, project: str, flavour: str, metrics: list[str]) -> dict[str, str]:
        """A machine; gives its metrics by their names."""
        told: dict[str, Any] = {"id": id, "project_id": project, "flavour": flavour}
        told["metrics"] = {each: {"archive_policy_name": "by-five-minutes"} for each in metrics}
        made = self.http.post("resource/machine", json=told).raise_for_status().json()
        return {str(name): str(metric) for name, metric in made["metrics"].items()}

    def settle(self) -> None:
        """Wait until all that was written is aggregated."""
        deadline = time.monotonic() + 60
        while True:
            answer = self.http.get("status")
            # It fails inside where what it counts is aggregated, and gone, meanwhile.
            if not answer.is_server_error and not answer.raise_for_status().json()["storage"]["summary"]["measures"]:
                return
            assert time.monotonic() < deadline, answer.text
            time.sleep(0.1)

    def measure(self, metric: str, measures: list[tuple[str, float]]) -> None:
        """Write measures of a metric, by their times."""
        told = [{"timestamp": at, "value": value} for at, value in measures]
        self.http.post(f"metric/{metric}/measures", json=told).raise_for_status()
