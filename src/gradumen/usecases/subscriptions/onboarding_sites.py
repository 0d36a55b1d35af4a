"""Sites that a customer may use when it comes on board, and what it may have there."""

from gradumen.core.errors import Invalid
from gradumen.core.quotas.measures import amount_words, of_words
from gradumen.store.organisations.sites import SiteRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, UnitOfWork
from gradumen.usecases.organisations.sites import knows_site, usable_sites
from gradumen.usecases.quotas.held_to_sites import set_permitted_sites
from gradumen.usecases.quotas.pools import placed
from gradumen.usecases.quotas.site_quotas import grant_site_quota
from gradumen.usecases.scope import Caller, load_scope
from gradumen.wire.quotas.site_quotas import SiteQuotaGrant
from gradumen.wire.subscriptions.onboardings import OnboardingCreate


def give_sites(
    joined: UnitOfWork, tx: Session, caller: Caller, row: OrganisationRow, customer: OnboardingCreate
) -> list[str]:
    """Hold it to the sites that are asked for, and give the limits there; what was done in sentences.

    Raises:
        Invalid: no site that its seller may use is called so.
        QuotaExceeded: its seller has not so much there, or it has not in all.
    """
    if customer.sites is None and not customer.site_limits:
        return []
    scope = load_scope(tx, caller)
    usable = [each for each in usable_sites(tx, scope.tree, row.id) if knows_site(scope, each)]
    sentences = []
    if customer.sites is not None:
        chosen = [_site(usable, named) for named in customer.sites]
        set_permitted_sites(joined, caller, organisation=row.slug, sites=[each.id for each in chosen])
        sentences.append(f"It may use {' and '.join(each.name for each in chosen)}, and no other site.")
    for asked in customer.site_limits:
        site, measure = _site(usable, asked.site), placed(tx, asked.measure)
        given = SiteQuotaGrant(limit=asked.limit)
        grant_site_quota(joined, caller, organisation=row.slug, site=site.id, measure=measure, given=given)
        most = f"{amount_words(measure, asked.limit)}{of_words(measure)}"
        sentences.append(f"Of that it may have up to {most} at {site.name}.")
    return sentences


def _site(usable: list[SiteRow], named: str) -> SiteRow:
    fit = [row for row in usable if named in (row.slug, str(row.id))]
    if len(fit) == 1:
        return fit[0]
    said = "several sites are called" if fit else "no site that you may use is called"
    remedy = "say which by its id" if fit else f"there are: {', '.join(row.slug for row in usable) or 'none yet'}"
    raise Invalid(f"{said} '{named[:63]}'; {remedy}", field="sites", value=named)
