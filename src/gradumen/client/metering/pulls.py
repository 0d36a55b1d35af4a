"""Feeds that the service fetches itself."""

from datetime import datetime
from urllib.parse import quote

from gradumen.client.connection import Connection
from gradumen.wire.metering.pulls import (
    PullAgain,
    PullBody,
    PullFileBody,
    PullFileConfirm,
    PullForm,
    PullPause,
    PullSet,
    PullTriedBody,
    PullTry,
)


class Pulls:
    """From where feeds are fetched, and how that goes."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def get(self, feed: str) -> PullBody:
        """How one is fetched."""
        return self._connection.get("feeds/pull", PullBody, feed=feed)

    def set(self, feed: str, form: PullForm, *, version: int, secret: str | None = None) -> PullBody:
        """Fetch one in this way from now on, over the version that was read; without a secret that stays."""
        body = PullSet(version=version, pull=form, secret=secret)
        return self._connection.put(_path(feed), PullBody, body)

    def attempt(self, feed: str, form: PullForm, secret: str | None = None) -> PullTriedBody:
        """What the last hour would give; nothing is taken in."""
        return self._connection.post(_path(feed, "/try"), PullTriedBody, PullTry(pull=form, secret=secret))

    def pause(self, feed: str, *, paused: bool) -> PullBody:
        """Let it rest, or go on."""
        return self._connection.put(_path(feed, "/paused"), PullBody, PullPause(paused=paused))

    def again(self, feed: str, since: datetime | None = None) -> PullBody:
        """Fetch what is due at once, or all from an hour on once more."""
        return self._connection.post(_path(feed, "/runs"), PullBody, PullAgain(since=since))

    def files(self, feed: str, *, refused: bool = False) -> list[PullFileBody]:
        """The files that were fetched of one, by name; only what was not taken if asked."""
        return self._connection.all("feeds/pull/files", PullFileBody, feed=feed, refused=refused)

    def confirm_file(self, feed: str, name: str) -> PullFileBody:
        """Take one as it is that lacks a person's word alone; safe to repeat."""
        return self._connection.post(_path(feed, "/files/confirm"), PullFileBody, PullFileConfirm(name=name))

    def drop(self, feed: str) -> None:
        """Fetch it no more."""
        self._connection.delete(_path(feed))

    def list(self, organisation: str) -> list[PullBody]:
        """The feeds of a seller that are fetched."""
        return self._connection.page(f"organisations/{organisation}/pulls", PullBody).items


def _path(feed: str, more: str = "") -> str:
    return f"feeds/pull{more}?feed={quote(feed)}"
