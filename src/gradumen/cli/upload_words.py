"""How far a file that comes in pieces is, in words."""

from gradumen.core.metering.uploads import UploadState
from gradumen.wire.metering.uploads import UploadBody

STATES = {
    UploadState.SENDING: "not all of it has come; send it again",
    UploadState.READING: "is being read",
    UploadState.WAITING: "was read, and counts once the other files of its export have come",
    UploadState.TAKEN: "is taken",
    UploadState.GIVEN_UP: "was given up",
}


def state_words(each: UploadBody) -> str:
    """How far a file is, and what can be done about it."""
    if each.state != UploadState.REFUSED:
        return STATES[UploadState(each.state)]
    hint = f" (gradumen uploads confirm {each.id})" if each.confirmable else ""
    return f"is not taken: {each.problem}{hint}"
