"""Folders of files that a feed is fetched from: of this machine, or of a store that speaks the S3 protocol."""

import os
import stat
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Protocol
from urllib.parse import quote, urlsplit
from xml.etree.ElementTree import Element, ParseError

import httpx
from botocore.auth import S3SigV4Auth
from botocore.awsrequest import AWSRequest
from botocore.credentials import Credentials
from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring

from gradumen.adapters.door import Door, call
from gradumen.core.errors import Conflict, Invalid, Unavailable, whole_text

MOST_FILES = 20_000
LARGEST = 64 * 1024 * 1024
REGION = "us-east-1"


@dataclass(frozen=True, slots=True)
class Found:
    """A file that is there: ``mark`` is another one when its content is."""

    name: str
    size: int
    mark: str
    modified: datetime


class Folder(Protocol):
    """One of them, reached."""

    def files(self) -> list[Found]:
        """What is in it, by name; not what is in folders within it.

        Raises:
            Conflict, Invalid, Unavailable: why it was not reached.
        """

    def read(self, found: Found) -> bytes:
        """A file.

        Raises:
            Conflict: it is too large.
            Unavailable: no answer in time, or it is another one by now.
        """

    def close(self) -> None:
        """End its connections."""


class Directories:
    """The directories that the operator lets sellers fetch from."""

    def __init__(self, listed: str) -> None:
        """``listed`` is like ``tarnwick/drop=/srv/drop``, with commas between several."""
        self.roots: dict[tuple[str, str], Path] = {}
        for each in filter(None, (part.strip() for part in listed.split(","))):
            place, equals, path = each.partition("=")
            seller, slash, name = place.strip().partition("/")
            if not (equals and slash and seller and name) or not path.strip().startswith("/"):
                raise Invalid(
                    f"'{each[:100]}' is no directory of a seller; write SELLER/NAME=/PATH",
                    field="GRADUMEN_DIRECTORIES",
                    value=each,
                )
            self.roots[seller, name] = Path(path.strip())

    def at(self, seller: str, address: str) -> Path:
        """The directory of an address ``NAME`` or ``NAME/FOLDER`` of a seller.

        Raises:
            Invalid: the operator lets the seller fetch from none of that name, or it leads out of it.
        """
        name, _, below = address.partition("/")
        root = self.roots.get((seller, name))
        if root is None:
            raise Invalid(
                f"'{name[:60]}' is no directory that the operator lets {seller} fetch from; it has to be added to "
                "GRADUMEN_DIRECTORIES",
                field="endpoint",
                value=address,
            )
        found = (root / below).resolve()
        if not found.is_relative_to(root.resolve()):
            raise Invalid(f"'{address[:100]}' leads out of the directory", field="endpoint", value=address)
        return found


class LocalFolder:
    """A directory of this machine."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def files(self) -> list[Found]:
        """The regular files in it, links left out."""
        found = []
        try:
            with os.scandir(self.path) as entries:
                for entry in entries:
                    if entry.is_file(follow_symlinks=False):
                        found.append(_seen(entry.name, entry.stat(follow_symlinks=False)))
        except OSError as error:
            raise Unavailable(f"the directory cannot be read: {error.strerror}") from error
        return _sorted(found)

    def read(self, found: Found) -> bytes:
        """A file of it, as it was listed."""
        _check_size(found)
        try:
            # What took its place meanwhile, a link too, is another file.
            number = os.open(self.path / found.name, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
            with os.fdopen(number, "rb") as file:
                told = os.fstat(number)
                content = file.read(LARGEST + 1) if stat.S_ISREG(told.st_mode) else b""
        except OSError as error:
            raise Unavailable(f"{found.name} cannot be read: {error.strerror}") from error
        if _seen(found.name, told).mark != found.mark or len(content) != found.size:
            raise Unavailable(f"{found.name} is being written")
        return content

    def close(self) -> None:
        """Nothing is open."""


def _seen(name: str, told: os.stat_result) -> Found:
    modified = datetime.fromtimestamp(told.st_mtime_ns // 1_000_000_000, UTC)
    return Found(name, told.st_size, f"{told.st_size}-{told.st_mtime_ns}-{told.st_ino}", modified)


def _check_size(found: Found) -> None:
    if found.size > LARGEST:
        raise Conflict(f"{found.name} has {found.size} bytes; a file that is fetched has at most {LARGEST}")


def _sorted(found: list[Found]) -> list[Found]:
    if len(found) > MOST_FILES:
        raise Conflict(f"there are {len(found)} files; at most {MOST_FILES} are looked at: take old ones away")
    return sorted(found, key=lambda each: each.name)


class ObjectStore:
    """A bucket, or what begins with a prefix in one: ``https://HOST/BUCKET`` or ``https://HOST/BUCKET/PREFIX``.

    Lists with ListObjectsV2 and signs with AWS Signature Version 4; without a user it asks unsigned.
    """

    def __init__(self, door: Door, endpoint: str, user: str | None, secret: str) -> None:
        parts = urlsplit(endpoint)
        bucket, _, prefix = parts.path.strip("/").partition("/")
        if not bucket:
            raise Invalid("the address names a bucket: https://HOST/BUCKET/PREFIX", field="endpoint", value=endpoint)
        self._root, self._bucket = f"{parts.scheme}://{parts.netloc}", bucket
        self._prefix = f"{prefix.strip('/')}/" if prefix.strip("/") else ""
        self._client = door.client(self._root)
        self._signer = S3SigV4Auth(Credentials(user, secret), "s3", REGION) if user else None

    def files(self) -> list[Found]:
        """The objects directly under the prefix."""
        found: list[Found] = []
        more: str | None = ""
        while more is not None:
            asked = {"list-type": "2", "delimiter": "/", "max-keys": "1000", "prefix": self._prefix}
            if more:
                asked["continuation-token"] = more
            page, more = self._page(self._asked(f"/{quote(self._bucket)}", asked).content)
            found += page
            if len(found) > MOST_FILES:
                break
        return _sorted(found)

    def _page(self, content: bytes) -> tuple[list[Found], str | None]:
        try:
            told = fromstring(content)
            if _bare(told.tag) != "ListBucketResult":
                raise ValueError(told.tag)
            page = [self._object(each) for each in told.iter() if _bare(each.tag) == "Contents"]
        except (ParseError, DefusedXmlException, ValueError, KeyError) as error:
            raise Conflict("it answered something that is no list of objects; look at the address") from error
        more = next((each.text for each in told.iter() if _bare(each.tag) == "NextContinuationToken"), None)
        return [each for each in page if each.name], more

    def _object(self, told: Element) -> Found:
        parts = {_bare(each.tag): each.text or "" for each in told}
        modified = datetime.fromisoformat(parts["LastModified"]).astimezone(UTC).replace(microsecond=0)
        return Found(parts["Key"].removeprefix(self._prefix), int(parts["Size"]), _mark(parts["ETag"]), modified)

    def read(self, found: Found) -> bytes:
        """An object, as it was listed."""
        _check_size(found)
        path = f"/{quote(self._bucket)}/{quote(self._prefix + found.name, safe='/~')}"
        answer = self._asked(path, {}, {"If-Match": f'"{found.mark}"'})
        if _mark(answer.headers.get("ETag", "")) != found.mark:
            raise Unavailable(f"what came in the place of {found.name} is not the file that was listed")
        return answer.content

    def _asked(self, path: str, query: Mapping[str, str], headers: Mapping[str, str] | None = None) -> httpx.Response:
        asked = "&".join(f"{name}={quote(value, safe='~')}" for name, value in sorted(query.items()))
        address = f"{self._root}{path}{'?' if asked else ''}{asked}"
        request = AWSRequest("GET", address, headers=dict(headers or {}))
        if self._signer is not None:
            self._signer.add_auth(request)
        signed = {name: str(value) for name, value in request.headers.items()}
        answer = call(self._client, "GET", address, largest=LARGEST, headers=signed)
        if answer.status_code in (httpx.codes.UNAUTHORIZED, httpx.codes.FORBIDDEN):
            raise Conflict(f"it does not let the user list and read there: {_code(answer.content)}")
        if answer.status_code == httpx.codes.PRECONDITION_FAILED:
            raise Unavailable("the file is another one by now")
        if not answer.is_success:
            raise Conflict(f"it refused: {_code(answer.content)} ({answer.status_code})")
        return answer

    def close(self) -> None:
        """End its connections."""
        self._client.close()


def _mark(told: str) -> str:
    return told.strip('"')[:100]


def _bare(tag: str) -> str:
    return tag.rpartition("}")[2]


def _code(content: bytes) -> str:
    """What a refusal of the protocol says."""
    try:
        told = fromstring(content)
    except (ParseError, DefusedXmlException):
        return "no reason given"
    said = {_bare(each.tag): each.text or "" for each in told}
    return whole_text(f"{said.get('Code', '')} {said.get('Message', '')}".strip()[:200])
