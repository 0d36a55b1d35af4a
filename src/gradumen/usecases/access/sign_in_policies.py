"""Of whom an organisation demands a second factor: whoever has none has no rights there until it is set up."""

from gradumen.core.errors import Conflict
from gradumen.core.organisations.sign_in_policies import Demand
from gradumen.core.permissions import Right
from gradumen.store.access.members import members_of
from gradumen.store.access.second_factors import users_with
from gradumen.store.organisations.organisations import lock_organisation
from gradumen.store.organisations.sign_in_policies import own_demand, set_demand
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope, require_password
from gradumen.wire.access.sign_in_policies import SignInPolicyBody, SignInPolicyUpdate

NOBODY = "nobody"


@use_case
def read_sign_in_policy(tx: Session, caller: Caller, *, organisation: str) -> SignInPolicyBody:
    """Of whom an organisation demands a second factor; for its administrators.

    Raises:
        Forbidden: the caller is none of them.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_MEMBERS, owner)
    return _view(tx, scope, owner, own_demand(tx, owner.id))


@use_case
def set_sign_in_policy(
    tx: Session, caller: Caller, *, organisation: str, update: SignInPolicyUpdate
) -> SignInPolicyBody:
    """Demand a second factor from now on, or no more. Setting what is there changes nothing.

    Programs with tokens go on: a token was made by somebody who was signed in.

    Raises:
        Forbidden: the caller is no administrator of the organisation.
        NeedsPassword: a program asks.
        Conflict: the caller has no second factor, and would be shut out first.
    """
    require_password(caller)
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_MEMBERS, owner)
    lock_organisation(tx, owner.id)
    before = own_demand(tx, owner.id)
    after = None if update.second_factor == NOBODY else Demand(update.second_factor)
    if after is not None and not caller.proved:
        raise Conflict("set up your own second factor first: who has none has no rights here from then on")
    if before != after:
        set_demand(tx, owner.id, after)
        was, now = {"second_factor": before or NOBODY}, {"second_factor": after or NOBODY}
        record(tx, caller, "sign-in policy set", owner.id, owner.slug, before=was, after=now)
    return _view(tx, scope, owner, after)


def _view(tx: Session, scope: Scope, owner: OrganisationRow, demand: Demand | None) -> SignInPolicyBody:
    users = {user.id for user, member in members_of(tx, owner.id) if member.disabled_at is None}
    above = scope.tree.chain(owner.id)[1:]
    return SignInPolicyBody(
        organisation=owner.slug,
        second_factor=demand.value if demand else "nobody",
        demanded_above=any(scope.tree.demands.get(each) is Demand.BELOW for each in above),
        without=len(users - users_with(tx, users)),
    )
