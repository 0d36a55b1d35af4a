"""Body of the services of which a member orders and sells plans."""

from gradumen.wire.values import Body


class MemberServices(Body):
    """Services by their slugs; null is all, an empty list none."""

    services: list[str] | None
