"""What people call meters."""

from collections.abc import Callable

from gradumen.usecases.catalogue.published import Published


def meter_names(published: Published) -> Callable[[str], str]:
    """What people call any meter."""
    return lambda slug: meter_name(slug, published)


def meter_name(slug: str, published: Published) -> str:
    """A meter with its service; what quotas promise belongs to none, and one that is not published has its slug."""
    meter = published.meters.get(slug) or published.promised.get(slug)
    if meter is None:
        return slug
    service = published.services.get(slug.partition("/")[0])
    return f"{service.name}: {meter.name}" if service else meter.name
