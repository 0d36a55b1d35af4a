"""Cost files that come in pieces."""

import builtins
import hashlib
import time
from base64 import b64encode
from collections.abc import Callable
from pathlib import Path
from urllib.parse import quote
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.core.metering.uploads import UploadState
from gradumen.wire.metering.uploads import PieceSent, UploadBegin, UploadBody

UNDER_WAY = (UploadState.SENDING, UploadState.READING)


class Uploads:
    """Files in pieces: begun, sent on where it stopped, confirmed, given up."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def begin(self, feed: str, body: UploadBegin) -> UploadBody:
        """Begin to send a file; the same again is sent on."""
        return self._connection.post(f"uploads?feed={quote(feed)}", UploadBody, body)

    def list(self, feed: str) -> builtins.list[UploadBody]:
        """What is on its way to a feed or needs a person."""
        return self._connection.page("uploads", UploadBody, feed=feed).items

    def get(self, upload: UUID) -> UploadBody:
        """How far one is."""
        return self._connection.get(f"uploads/{upload}", UploadBody)

    def send_piece(self, upload: UUID, number: int, content: bytes) -> UploadBody:
        """Send a piece, counted from 0; safe to repeat."""
        body = PieceSent(content=b64encode(content).decode())
        return self._connection.put(f"uploads/{upload}/pieces/{number}", UploadBody, body)

    def confirm(self, upload: UUID) -> UploadBody:
        """Take one as it is that lacks a person's word alone; safe to repeat."""
        return self._connection.post(f"uploads/{upload}/confirm", UploadBody)

    def give_up(self, upload: UUID) -> UploadBody:
        """Forget what came of one; safe to repeat."""
        return self._connection.post(f"uploads/{upload}/give-up", UploadBody)

    def send(
        self, feed: str, path: Path, *, tell: Callable[[UploadBody], None] = lambda each: None, **stated: object
    ) -> UploadBody:
        """Send all of a file that is missing; begun before, what is there is not sent again.

        Args:
            tell: called after each piece.
            stated: as in `UploadBegin`.
        """
        with path.open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
            size = path.stat().st_size
            found = self.begin(
                feed, UploadBegin.model_validate({"name": path.name, "size": size, "sha256": digest, **stated})
            )
            for number in found.missing:
                file.seek(number * found.piece_bytes)
                tell(found)
                found = self.send_piece(found.id, number, file.read(found.piece_bytes))
            tell(found)
        return found

    def follow(
        self, upload: UUID, *, tell: Callable[[UploadBody], None] = lambda each: None, seconds: float = 3600
    ) -> UploadBody:
        """Wait until a file that was sent is read, or needs a person."""
        until = time.monotonic() + seconds
        while (found := self.get(upload)).state in UNDER_WAY and time.monotonic() < until:
            tell(found)
            time.sleep(0.3)
        return found
