"""Routes of cost files that come in pieces."""

from uuid import UUID

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.metering import uploads
from gradumen.wire.metering.uploads import PieceSent, UploadBegin, UploadBody
from gradumen.wire.values import Page

router = Router(tags=["feeds"])


@router.post("/uploads")
def begin_upload(feed: str, body: UploadBegin, uow: Uow, caller: CallerHere) -> UploadBody:
    """Begin to send a cost file in pieces to the feed ``organisation/feed``; the same file again is sent on."""
    return uploads.begin_upload(uow, caller, feed=feed, form=body)


@router.get("/uploads")
def list_uploads(feed: str, uow: Uow, caller: CallerHere) -> Page[UploadBody]:
    """What is on its way to a feed or needs a person, the newest first."""
    return Page(items=uploads.list_uploads(uow, caller, feed=feed))


@router.get("/uploads/{upload}")
def read_upload(upload: UUID, uow: Uow, caller: CallerHere) -> UploadBody:
    """How far one is."""
    return uploads.read_upload(uow, caller, upload=upload)


@router.put("/uploads/{upload}/pieces/{number}")
def send_piece(upload: UUID, number: int, body: PieceSent, uow: Uow, caller: CallerHere) -> UploadBody:
    """Send a piece, counted from 0; with the last that is missing the file is read. Safe to repeat."""
    return uploads.send_piece(uow, caller, upload=upload, number=number, content=body.read())


@router.post("/uploads/{upload}/confirm")
def confirm_upload(upload: UUID, uow: Uow, caller: CallerHere) -> UploadBody:
    """Take a file as it is that lacks a person's word alone. Safe to repeat."""
    return uploads.confirm_upload(uow, caller, upload=upload)


@router.post("/uploads/{upload}/give-up")
def give_up_upload(upload: UUID, uow: Uow, caller: CallerHere) -> UploadBody:
    """Forget what came of a file that does not count yet. Safe to repeat."""
    return uploads.give_up_upload(uow, caller, upload=upload)
