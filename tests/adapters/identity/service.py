"""Starts the identity service: its tables in a file, its keys, an administrator, then the server."""

import json
import os
import socket
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx

from tests.waiting import wait_until_answers

ENVIRONMENT = Path(__file__).parents[3] / ".setup" / "identity"
PASSWORD = "of-the-administrator"
_CONFIG = """
[DEFAULT]
log_file = {folder}/log
[database]
connection = sqlite:///{folder}/identity.db
[fernet_tokens]
key_repository = {folder}/tokens
[fernet_receipts]
key_repository = {folder}/tokens
[credential]
key_repository = {folder}/credentials
[identity]
password_hash_rounds = 4
[cache]
enabled = true
backend = dogpile.cache.memory
"""
SIGNED_IN = """
auth_type = password
auth_url = {identity}
www_authenticate_uri = {identity}
username = admin
password = {password}
project_name = admin
user_domain_id = default
project_domain_id = default
"""
"""By what another service looks at tokens, in its configuration."""
_MANAGED = """
import json
import sys

from keystone.cmd import manage

_, config, commands = sys.argv
for words in json.loads(commands):
    sys.argv = ["keystone-manage", "--config-file", config, *words]
    manage.cli.CONF.reset()
    try:
        manage.main()
    except SystemExit as ended:
        if ended.code:
            raise
"""
_SERVED = """
import sys
from wsgiref.simple_server import make_server

port = int(sys.argv.pop())
from keystone.wsgi.api import application  # which reads what is left of the arguments

make_server("127.0.0.1", port, application).serve_forever()
"""


@contextmanager
def identity_service(folder: Path, port: int | None = None) -> Iterator[str]:
    """Its address, for as long as it runs, at a port that is free."""
    config = folder / "keystone.conf"
    config.write_text(_CONFIG.format(folder=folder))
    if port is None:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
    url = f"http://127.0.0.1:{port}/v3"
    user = ["--keystone-user", str(os.getuid()), "--keystone-group", str(os.getgid())]
    words = [
        ["db_sync"],
        ["fernet_setup", *user],
        ["credential_setup", *user],
        ["bootstrap", "--bootstrap-password", PASSWORD, "--bootstrap-public-url", url],
    ]
    python = str(ENVIRONMENT / "bin" / "python")
    done = subprocess.run(
        [python, "-c", _MANAGED, str(config), json.dumps(words)], capture_output=True, text=True, timeout=120
    )
    assert done.returncode == 0, done.stderr[-2000:]
    with (folder / "out").open("wb") as out:
        process = subprocess.Popen(
            [python, "-c", _SERVED, str(port)],
            stdout=out,
            stderr=out,
            env={**os.environ, "OS_KEYSTONE_CONFIG_DIR": str(folder)},
        )
    try:
        wait_until_answers(url, [process], folder / "out", seconds=90)
        yield url
    finally:
        process.terminate()
        process.wait(30)


def with_its_driver(url: str) -> str:
    """The address of a database for the programs of a cloud, whose environment has a driver of its own."""
    return url.replace("mysql://", "mysql+pymysql://")


class Administrator:
    """What somebody at the cloud does by hand: application credentials with some roles."""

    def __init__(self, url: str) -> None:
        user = {"name": "admin", "domain": {"id": "default"}, "password": PASSWORD}
        scope = {"project": {"name": "admin", "domain": {"id": "default"}}}
        asked = {"auth": {"identity": {"methods": ["password"], "password": {"user": user}}, "scope": scope}}
        # Its first answers take long where the machine stalls.
        answer = httpx.post(f"{url}/auth/tokens", json=asked, timeout=60).raise_for_status()
        token = {"X-Auth-Token": answer.headers["X-Subject-Token"]}
        self.http = httpx.Client(base_url=f"{url}/", headers=token, timeout=60)
        self.user = answer.json()["token"]["user"]["id"]

    def credential(self, name: str, roles: list[str]) -> str:
        """An application credential, as it is entered."""
        given = {"name": name, "roles": [{"name": each} for each in roles]}
        answer = self.http.post(f"users/{self.user}/application_credentials", json={"application_credential": given})
        made = answer.raise_for_status().json()["application_credential"]
        return f"{made['id']}:{made['secret']}"

    def register_service(self, kind: str, address: str) -> None:
        """Put a service into the catalogue."""
        made = self.http.post("services", json={"service": {"type": kind, "name": kind}}).raise_for_status()
        of = {"service_id": made.json()["service"]["id"], "interface": "public", "url": address}
        self.http.post("endpoints", json={"endpoint": of}).raise_for_status()

    def register_limit(self, resource: str, default: int) -> None:
        """Register a limit of a resource for everybody."""
        services = self.http.get("services").raise_for_status().json()["services"]
        of = {"service_id": services[0]["id"], "resource_name": resource, "default_limit": default}
        self.http.post("registered_limits", json={"registered_limits": [of]}).raise_for_status()

    def limits(self, project: str) -> dict[str, int]:
        """What a project is held to, by resource."""
        found = self.http.get("limits", params={"project_id": project}).raise_for_status().json()["limits"]
        return {each["resource_name"]: each["resource_limit"] for each in found}

    def make_user(self, name: str) -> None:
        """A user that somebody at the cloud made."""
        self.http.post("users", json={"user": {"name": name, "domain_id": "default"}}).raise_for_status()

    def users(self, project: str = "") -> dict[str, list[str]]:
        """Names of all users but the administrator, with their roles in a project."""
        named = self.http.get("users").raise_for_status().json()["users"]
        found = self.http.get("role_assignments", params={"include_names": "true"}).raise_for_status().json()
        roles = [
            (each["user"]["id"], each["role"]["name"])
            for each in found["role_assignments"]
            if each["scope"].get("project", {}).get("id") == project
        ]
        return {
            user["name"]: [role for id, role in roles if id == user["id"]] for user in named if user["id"] != self.user
        }

    def projects(self) -> dict[str, list[str]]:
        """Names of all projects, with their tags."""
        found = self.http.get("projects").raise_for_status().json()["projects"]
        return {each["name"]: each["tags"] for each in found}
