"""Stored sign-ins: address, organisation and token in a file that only its owner reads."""

import argparse
import json
import os
from pathlib import Path
from typing import Any

from gradumen.client import Client
from gradumen.core.errors import Invalid, NotSignedIn

DEFAULT_URL = "http://127.0.0.1:8470"


def profile_file() -> Path:
    """Where profiles are: GRADUMEN_PROFILES, else gradumen/profiles.json of the user's configuration."""
    named = os.environ.get("GRADUMEN_PROFILES")
    base = Path(os.environ.get("XDG_CONFIG_HOME", Path.home() / ".config"))
    return Path(named) if named else base / "gradumen" / "profiles.json"


def read_profiles() -> dict[str, Any]:
    """All profiles by name."""
    path = profile_file()
    if not path.exists():
        return {}
    try:
        found = json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError) as error:
        raise Invalid(
            f"{path} is no file of profiles ({error}); remove it and sign in again", field="profile"
        ) from error
    if not isinstance(found, dict) or not all(isinstance(each, dict) for each in found.values()):
        raise Invalid(f"{path} is no file of profiles; remove it and sign in again", field="profile")
    return found


def store_profile(name: str, values: dict[str, str] | None) -> None:
    """Store a profile, or forget it with None; the file is readable by its owner only."""
    path = profile_file()
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    profiles = read_profiles()
    profiles.pop(name, None)
    if values is not None:
        profiles[name] = values
    fresh = path.with_suffix(".new")
    descriptor = os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "w") as file:
        json.dump(profiles, file, indent=2)
    fresh.replace(path)


def connect(arguments: argparse.Namespace) -> Client:
    """A client with the profile's token.

    Raises:
        NotSignedIn: there is no such profile.
    """
    profile = read_profiles().get(arguments.profile)
    token = os.environ.get("GRADUMEN_TOKEN") or (profile or {}).get("token")
    if token is None:
        raise NotSignedIn(f"no profile '{arguments.profile}' is stored; run: gradumen sign-in")
    return Client(arguments.url or (profile or {}).get("url") or DEFAULT_URL, token)


def own_organisation(arguments: argparse.Namespace) -> str:
    """The organisation of a command: the one named, else the profile's."""
    named: str | None = arguments.organisation
    if named:
        return named
    profile = read_profiles().get(arguments.profile) or {}
    if "organisation" not in profile:
        raise NotSignedIn("name an organisation with --organisation, or store a profile with: gradumen sign-in")
    stored: str = profile["organisation"]
    return stored
