"""Bodies of feeds whose usage the service fetches itself."""

from datetime import datetime
from uuid import UUID

from pydantic import Field

from gradumen.core.metering.pulls import How, PullKind
from gradumen.wire.metering.deliveries import FileProblemBody, ReadingSeenBody
from gradumen.wire.values import Body, WholeNumber, YesOrNo

MOST_QUERIES = 20
Label = str


class PullQueryForm(Body):
    """One query, and what its series become.

    ``query`` is in the language of the source, as PromQL. ``how`` says what its numbers are. ``resource`` are the
    labels that together name the resource, ``account`` and ``owner`` the ones with its account and its
    ``organisation/project``; ``attributes`` are those of the meter's service, each by a label.

    Of servers the query is what is counted of each: ``servers``, ``vcpus``, ``ram`` or ``disk``. ``phases`` say in
    which phase one is by its status; in a status without a phase it is not counted. Without any it always is while it
    is there.
    """

    name: str = Field(min_length=1, max_length=40)
    query: str = Field(min_length=1, max_length=2000)
    meter: str = Field(max_length=140)
    unit: str = Field(max_length=40)
    how: How
    resource: list[Label] = Field(min_length=1, max_length=4)
    account: Label | None = None
    owner: Label | None = None
    attributes: dict[str, Label] = Field(default_factory=dict, max_length=16)
    phases: dict[str, str] = Field(default_factory=dict, max_length=24)


class PullForm(Body):
    """From where a feed's usage is fetched, and how often.

    ``endpoint`` is one that the operator lets be called. With ``user`` the secret is a password, without it a bearer
    token. ``step_seconds`` are between two samples; an hour is fetched whole, ``settles_minutes`` after its end,
    looked for every ``every_minutes``. ``starts_at`` is the first hour.

    Of a directory the endpoint is ``NAME`` or ``NAME/FOLDER``, of an object store ``https://HOST/BUCKET/PREFIX``, its
    user an access key. Files whose names fit ``names`` (``*`` stands for any text) and that rested for
    ``settles_minutes`` are fetched once, and again when they are others; ``starts_at`` is how old they are at most.
    """

    kind: PullKind = PullKind.PROMETHEUS
    endpoint: str = Field(min_length=1, max_length=300)
    user: str | None = Field(default=None, max_length=120)
    queries: list[PullQueryForm] = Field(default_factory=list, max_length=MOST_QUERIES)
    names: str = Field(default="*", min_length=1, max_length=180)
    step_seconds: WholeNumber = 60
    every_minutes: WholeNumber = 60
    settles_minutes: WholeNumber = 10
    starts_at: datetime


class PullSet(Body):
    """A pull in the place of the one of a version that was read, 0 for none.

    ``secret`` is a token or a password; null leaves it as it is, an empty text is none.
    """

    version: WholeNumber
    pull: PullForm
    secret: str | None = Field(default=None, max_length=4000)


class PullTry(Body):
    """A pull to be tried before it is set; without a secret with the one that is set."""

    pull: PullForm
    secret: str | None = Field(default=None, max_length=4000)


class PullBody(Body):
    """How a feed is fetched, and how that goes; ``pull`` is null where it is not.

    ``pull`` and ``has_secret`` are told to those who manage feeds. ``complete_until`` is up to when all is here;
    ``behind`` says that it should be more by now. ``problem`` is why the last run brought nothing, ``failing_since``
    the first of the runs that did not since the last that did. ``quiet_from`` is the first hour in
    which nothing at all was measured, though something was before: asked for once more it is believed. ``files`` were
    looked at so far, ``refused_files`` of
    them not taken.
    """

    feed: str
    name: str
    version: int
    kind: PullKind | None
    pull: PullForm | None
    has_secret: bool
    paused: bool
    complete_until: datetime | None
    behind: bool
    problem: str | None
    failing_since: datetime | None
    quiet_from: datetime | None = None
    files: int = 0
    refused_files: int = 0
    last_run_at: datetime | None
    next_run_at: datetime | None


class PullPause(Body):
    """Whether a pull rests."""

    paused: YesOrNo


class PullAgain(Body):
    """From which hour on everything is fetched once more; null is what is due, at once."""

    since: datetime | None = None


class PullTriedBody(Body):
    """What came of trying: whether it was reached, what it said or lacks, and what the last hour would give."""

    reached: bool
    said: str
    readings: list[ReadingSeenBody] = Field(default_factory=list)
    count: int = 0
    problems: list[FileProblemBody] = Field(default_factory=list)
    refused: int = 0


class PullFileConfirm(Body):
    """The name of a file that was not taken, which is taken as it is."""

    name: str = Field(min_length=1, max_length=180)


class PullFileBody(Body):
    """A file that was fetched: the delivery that it became, or why it was not taken.

    ``confirmable``: a person's word is all that is missing; ``confirmed``: it was given, and the file is read again.
    """

    name: str
    size: int
    modified_at: datetime
    fetched_at: datetime
    delivery: UUID | None
    problem: str | None
    confirmable: bool
    confirmed: bool
