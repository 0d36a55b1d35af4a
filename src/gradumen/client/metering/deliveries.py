"""Files in any shape, and deliveries that are taken back."""

from base64 import b64encode
from urllib.parse import quote
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.metering.deliveries import (
    FileDeliveryBody,
    FileLookBody,
    FileMappingBody,
    FileMappingForm,
    FileMappingSet,
    FileSent,
)
from gradumen.wire.metering.readings import DeliveryBody


class Deliveries:
    """Files that are looked at, sent, and taken back."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def mapping(self, feed: str) -> FileMappingBody:
        """How a feed's files are mapped to readings."""
        return self._connection.get("feeds/file-mapping", FileMappingBody, feed=feed)

    def set_mapping(self, feed: str, mapping: FileMappingForm, version: int) -> FileMappingBody:
        """Say how, over the version that was read."""
        body = FileMappingSet(version=version, mapping=mapping)
        return self._connection.put(f"feeds/file-mapping?feed={quote(feed)}", FileMappingBody, body)

    def look(self, feed: str, name: str, content: bytes, mapping: FileMappingForm | None = None) -> FileLookBody:
        """What a file is and would give."""
        return self._connection.post(
            f"feeds/file-looks?feed={quote(feed)}", FileLookBody, _sent(name, content, mapping)
        )

    def send(self, feed: str, name: str, content: bytes, mapping: FileMappingForm | None = None) -> FileDeliveryBody:
        """Send a file; again it changes nothing."""
        return self._connection.post(
            f"deliveries/files?feed={quote(feed)}", FileDeliveryBody, _sent(name, content, mapping)
        )

    def take_back(self, delivery: UUID) -> DeliveryBody:
        """Take all readings of a delivery back."""
        return self._connection.post(f"deliveries/{delivery}/take-back", DeliveryBody, None)


def _sent(name: str, content: bytes, mapping: FileMappingForm | None) -> FileSent:
    return FileSent(name=name, content=b64encode(content).decode(), mapping=mapping)
