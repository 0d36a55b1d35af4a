"""Bodies of files and versions of the catalogue."""

from gradumen.wire.catalogue.plans import PublishedPlanBody
from gradumen.wire.values import Body


class CatalogueFile(Body):
    """A catalogue file as it was written."""

    name: str
    content: str


class CatalogueFiles(Body):
    """Files to check, compare or publish together, for a seller."""

    organisation: str
    files: list[CatalogueFile]


class DifferenceBody(Body):
    """A value that changes, by its place in the written form and in words; a whole rate, tier or discount is one."""

    path: str
    before: str | None
    after: str | None
    words: str


class ChangeBody(Body):
    """What publishing does to one service, plan or rate card: new, new version, unchanged."""

    kind: str
    slug: str
    change: str
    version: int
    differences: list[DifferenceBody]


class ChangesBody(Body):
    """What publishing does, or did."""

    changes: list[ChangeBody]


class VersionsBody(Body):
    """A plan with all its versions, oldest first."""

    kind: str
    slug: str
    versions: list[PublishedPlanBody]


class DifferencesBody(Body):
    """What differs between two versions."""

    differences: list[DifferenceBody]
