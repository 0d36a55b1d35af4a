"""The last step of coming on board: that something was measured in each account of a new customer."""

from gradumen.core.organisations.clouds import AccountState
from gradumen.store.metering import cloud_feeds as store
from gradumen.store.organisations.clouds import accounts_of, clouds_by_id
from gradumen.store.organisations.projects import projects_of
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.organisations.clouds import with_accounts
from gradumen.usecases.scope import Caller, load_scope
from gradumen.wire.metering.first_readings import FirstReadingBody


@use_case
def list_first_readings(tx: Session, caller: Caller, *, organisation: str) -> list[FirstReadingBody]:
    """When something was first measured in each account of an organisation; for its members and its direct seller's.

    Raises:
        Forbidden: the caller is neither.
    """
    owner = with_accounts(tx, load_scope(tx, caller), organisation)
    accounts = [each for each in accounts_of(tx, owner.id) if each.state != AccountState.WANTED]
    clouds = clouds_by_id(tx, {each.cloud_id for each in accounts})
    feeds = store.feeds_of_clouds(tx, list(clouds))
    every = [each.id for each in projects_of(tx, [owner.id])]
    found = []
    for each in accounts:
        feed = feeds.get(each.cloud_id)
        of = [each.project_id] if each.project_id else every
        found.append(
            FirstReadingBody(
                cloud_name=clouds[each.cloud_id].name,
                account=each.name,
                metered=feed is not None,
                first_day=None if feed is None else store.first_used(tx, of, feed.id),
            )
        )
    return found
