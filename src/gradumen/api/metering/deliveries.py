"""Routes of files in any shape: how they are mapped, what they would give, sending them and taking them back."""

from uuid import UUID

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.core.errors import Conflict
from gradumen.core.metering.readings import Reading
from gradumen.feeds.mapped_files import look, read_mapped
from gradumen.usecases.metering import deliveries
from gradumen.usecases.metering.readings import unreadable
from gradumen.wire.metering.deliveries import (
    FileDeliveryBody,
    FileLookBody,
    FileMappingBody,
    FileMappingSet,
    FileSent,
    content_hash,
)
from gradumen.wire.metering.readings import DeliveryBody

router = Router(tags=["feeds"])


@router.get("/feeds/file-mapping")
def get_file_mapping(feed: str, uow: Uow, caller: CallerHere) -> FileMappingBody:
    """How the files of the feed ``organisation/feed`` are mapped to readings."""
    return deliveries.get_file_mapping(uow, caller, feed=feed)


@router.put("/feeds/file-mapping")
def set_file_mapping(feed: str, body: FileMappingSet, uow: Uow, caller: CallerHere) -> FileMappingBody:
    """Say how they are mapped from now on. Safe to repeat."""
    return deliveries.set_file_mapping(uow, caller, feed=feed, version=body.version, mapping=body.mapping)


@router.post("/feeds/file-looks", dependencies=EXPENSIVE)
def look_at_file(feed: str, body: FileSent, uow: Uow, caller: CallerHere) -> FileLookBody:
    """What a file is, and what it would give by a mapping: the one that is given, else the feed's. Takes nothing in."""
    mapping, meters = deliveries.mapping_to_use(uow, caller, feed=feed, given=body.mapping)
    return look(body.name, body.read(), mapping, meters)


@router.post("/deliveries/files", dependencies=EXPENSIVE)
def send_file(feed: str, body: FileSent, uow: Uow, caller: CallerHere) -> FileDeliveryBody:
    """Send a file whole; one that came before changes nothing."""
    mapping, _ = deliveries.mapping_to_use(uow, caller, feed=feed, given=body.mapping)
    if mapping is None:
        raise Conflict(f"nobody has said yet how files of '{feed}' are mapped; look at one and save its mapping")
    content = body.read()
    items = [
        each if isinstance(each, Reading) else unreadable(*each) for each in read_mapped(body.name, content, mapping)
    ]
    known_by = content_hash(content, mapping)
    return deliveries.send_file(uow, caller, feed=feed, name=body.name, content_hash=known_by, items=items)


@router.post("/deliveries/{delivery}/take-back")
def take_back_delivery(delivery: UUID, uow: Uow, caller: CallerHere) -> DeliveryBody:
    """Take all readings of a delivery back, as if it had not come. Safe to repeat."""
    return deliveries.take_back_delivery(uow, caller, delivery=delivery)
