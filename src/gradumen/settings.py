"""All settings, read once from the environment and passed on."""

import os
from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from pathlib import Path
from typing import Any

from gradumen.core.errors import Invalid


def _setting(default: Any, description: str) -> Any:
    return field(default=default, metadata={"description": description})


_LOOPBACK = ("localhost", "127.0.0.1", "::1")


@dataclass(frozen=True, slots=True)
class Settings:
    """Settings of the service; the environment variable of each is ``GRADUMEN_`` and its name in capitals."""

    data: Path = _setting(Path.home() / ".gradumen", "Directory of the private database and its files.")
    database_url: str = _setting("", "SQLAlchemy URL of a shared MariaDB; empty starts a private one.")
    schema_url: str = _setting(
        "", "SQLAlchemy URL of the account that changes a shared database's tables; empty takes that of the service."
    )
    host: str = _setting("127.0.0.1", "Address to listen on.")
    port: int = _setting(8470, "Port to listen on.")
    console: Path = _setting(Path("console/dist"), "Directory of the built console.")
    clock_control: bool = _setting(
        False, "Whether a provider's administrator may move the business clock (demo, tests)."
    )
    hosts: str = _setting("", "Host names of the service besides that of `GRADUMEN_HOST`, with commas between.")
    trusted_proxies: str = _setting(
        "", "Addresses or networks of proxies whose X-Forwarded-For and -Proto are believed, with commas between."
    )
    secure_cookies: bool = _setting(False, "Whether session cookies are sent over TLS only; set it behind TLS.")
    sign_in_free_attempts: int = _setting(5, "Sign-ins that may fail before waiting times begin, per device.")
    sign_in_longest_wait_seconds: int = _setting(900, "Longest waiting time after failed sign-ins, in seconds.")
    largest_body_bytes: int = _setting(16 * 1024 * 1024, "Largest request body, in bytes.")
    header_seconds: int = _setting(20, "How long the headers of a request may take to come, in seconds.")
    body_seconds: int = _setting(120, "How long the body of a request may take to come, in seconds.")
    shutdown_seconds: int = _setting(20, "How long calls under way may take when the service is told to stop.")
    least_free_mib: int = _setting(512, "Free disk space in MiB below which the service says that it is not ready.")
    api_processes: int = _setting(1, "Processes that answer calls.")
    worker_processes: int = _setting(1, "Processes that do tasks and bring usage up to date.")
    piece_processes: int = _setting(
        0,
        "Processes for a large task, as long as it lasts; 0 is one for each processor, 8 at most.",
    )
    dask: str = _setting("", "Address of a Dask scheduler whose workers do that instead, like tcp://10.0.0.5:8786.")
    session_hours: int = _setting(12, "How long a console session lasts, in hours.")

    @property
    def columns(self) -> Path:
        """The folder of what spend is summed from: a cache."""
        return self.data / "columns"

    @property
    def known_hosts(self) -> frozenset[str]:
        """The hosts that calls may name.

        Raises:
            Invalid: it listens on every address, and none is named.
        """
        named = {each.strip() for each in self.hosts.split(",") if each.strip()}
        if not named and self.host in ("0.0.0.0", "::"):
            raise Invalid(
                f"with {self.host} the service listens on every address; name its hosts in GRADUMEN_HOSTS",
                field="GRADUMEN_HOSTS",
            )
        return frozenset({self.host, *_LOOPBACK, *named})

    @classmethod
    def read(cls, environment: Mapping[str, str] = os.environ, **overrides: Any) -> "Settings":
        """Read the environment.

        Raises:
            Invalid: a value that is not of the setting's type.
        """
        values: dict[str, Any] = {}
        for each in fields(cls):
            raw = environment.get(f"GRADUMEN_{each.name.upper()}")
            if raw is not None:
                values[each.name] = _convert(each.name, raw, each.default)
        return cls(**{**values, **{key: value for key, value in overrides.items() if value is not None}})


def _convert(name: str, raw: str, default: Any) -> Any:
    variable = f"GRADUMEN_{name.upper()}"
    if isinstance(default, bool):
        if raw.lower() not in ("1", "0", "true", "false"):
            raise Invalid(f"{variable} must be true or false; got '{raw}'", field=variable, value=raw)
        return raw.lower() in ("1", "true")
    if isinstance(default, int):
        try:
            return int(raw)
        except ValueError:
            raise Invalid(f"{variable} must be a whole number; got '{raw}'", field=variable, value=raw) from None
    return type(default)(raw) if not isinstance(default, Path) else Path(raw)
