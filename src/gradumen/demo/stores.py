"""A small object store with the part of the S3 protocol that the service asks: a bucket that is a directory.

Beside what `gradumen.demo.simulated` knows goes wrong: ``refuse`` (503, to come back later), ``half`` (the line breaks
in the middle of an object), ``nonsense`` (what is no list and no object's content).
"""

import hashlib
import os
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, unquote, urlsplit
from xml.sax.saxutils import escape

from botocore.auth import S3SigV4Auth
from botocore.awsrequest import AWSRequest
from botocore.credentials import Credentials

from gradumen.demo.simulated import PASSING, Handler, Simulated

BUCKET = "deliveries"


class _Handler(Handler):
    of: "SimulatedStore"

    def do_POST(self) -> None:  # the server calls it so
        """What is to go wrong."""
        if not self.takes_mishaps(self.body()):
            self._refuse(405, "MethodNotAllowed")

    def do_GET(self) -> None:  # the server calls it so
        """A list of objects, or one."""
        if not self._signed():
            self._refuse(403, "AccessDenied")
            return
        wrong = self.next_mishap()
        parts = urlsplit(self.path)
        bucket, _, key = unquote(parts.path).lstrip("/").partition("/")
        if wrong == "refuse":
            self._refuse(503, "SlowDown")
        elif wrong == "nonsense":
            self.answer(200, b"<html>under construction</html>", "text/html", ETag='"0"')
        elif not self.passes(wrong):
            return
        elif bucket != BUCKET:
            self._refuse(404, "NoSuchBucket")
        elif key:
            self._object(key, half=wrong == "half")
        else:
            asked = {name: values[0] for name, values in parse_qs(parts.query).items()}
            self.answer(200, self.of.listed(asked).encode(), "application/xml")

    def _signed(self) -> bool:
        """Whether the call has the signature that the user's secret gives it (AWS Signature Version 4)."""
        scheme, _, rest = self.headers.get("Authorization", "").partition(" ")
        told = dict(each.strip().partition("=")[::2] for each in rest.split(","))
        if scheme != "AWS4-HMAC-SHA256" or not {"Credential", "SignedHeaders", "Signature"} <= told.keys():
            return False
        user, *scope = told["Credential"].split("/")
        if user != self.of.user or len(scope) != 4:
            return False
        headers = {name: self.headers.get(name, "") for name in told["SignedHeaders"].split(";")}
        request = AWSRequest("GET", f"http://{self.headers['Host']}{self.path}", headers=headers)
        request.context["timestamp"] = self.headers.get("X-Amz-Date", "")
        signer: Any = S3SigV4Auth(Credentials(self.of.user, self.of.secret), scope[2], scope[1])
        wanted = signer.signature(signer.string_to_sign(request, signer.canonical_request(request)), request)
        return bool(told["Signature"] == wanted)

    def _object(self, key: str, *, half: bool) -> None:
        path = self.of.folder / key
        if not path.resolve().is_relative_to(self.of.folder.resolve()) or not path.is_file():
            self._refuse(404, "NoSuchKey")
            return
        content = path.read_bytes()
        if self.headers.get("If-Match", _tag(content)) != _tag(content):
            self._refuse(412, "PreconditionFailed")
        elif half:
            self.send_response(200)
            self.send_header("Content-Length", str(len(content)))
            self.end_headers()
            self.wfile.write(content[: len(content) // 2])
            self.close_connection = True
        else:
            self.answer(200, content, "application/octet-stream", ETag=_tag(content))

    def _refuse(self, status: int, code: str) -> None:
        self.answer(status, f"<Error><Code>{code}</Code></Error>".encode(), "application/xml")


class SimulatedStore(Simulated):
    """The store; what is in its directory is in its bucket, and stays."""

    handler = _Handler
    known_mishaps = (*PASSING, "refuse", "half", "nonsense")
    page = 2
    """So many objects at most are listed at once."""

    def __init__(self, folder: Path, user: str, secret: str, port: int = 0) -> None:
        super().__init__(port)
        self.folder, self.user, self.secret = folder, user, secret

    def start(self) -> None:
        """Listen on loopback."""
        self.folder.mkdir(parents=True, exist_ok=True)
        super().start()

    def put(self, key: str, content: bytes, modified: datetime) -> None:
        """Lay an object there, as of a moment; what is there already stays as it is."""
        path = self.folder / key
        if path.exists() and path.read_bytes() == content:
            return
        path.parent.mkdir(parents=True, exist_ok=True)
        written = self.folder / f"{path.name}.part"
        written.write_bytes(content)
        os.utime(written, (modified.timestamp(), modified.timestamp()))
        written.replace(path)

    def objects(self, prefix: str) -> list[tuple[str, Path]]:
        """Those directly under a prefix that names a directory, by key."""
        below = self.folder / prefix
        found = [path for path in below.iterdir() if path.is_file()] if below.is_dir() else []
        return sorted((f"{prefix}{path.name}", path) for path in found)

    def listed(self, asked: dict[str, str]) -> str:
        """A page of a list of objects (ListObjectsV2)."""
        after = asked.get("continuation-token", "")
        left = [each for each in self.objects(asked.get("prefix", "")) if each[0] > after]
        some = left[: self.page]
        more = f"<NextContinuationToken>{escape(some[-1][0])}</NextContinuationToken>" if len(left) > len(some) else ""
        return f"<ListBucketResult>{''.join(_entry(*each) for each in some)}{more}</ListBucketResult>"


def _entry(key: str, path: Path) -> str:
    content, modified = path.read_bytes(), datetime.fromtimestamp(path.stat().st_mtime, UTC)
    return (
        f"<Contents><Key>{escape(key)}</Key><LastModified>{modified:%Y-%m-%dT%H:%M:%S.000Z}</LastModified>"
        f"<ETag>{escape(_tag(content))}</ETag><Size>{len(content)}</Size></Contents>"
    )


def _tag(content: bytes) -> str:
    return f'"{hashlib.sha256(content).hexdigest()[:32]}"'
