"""Routes of what organisations demand of who signs in."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.access import sign_in_policies
from gradumen.wire.access.sign_in_policies import SignInPolicyBody, SignInPolicyUpdate

router = Router(tags=["sign-in policies"])


@router.get("/organisations/{organisation}/sign-in-policy")
def read_sign_in_policy(organisation: str, uow: Uow, caller: CallerHere) -> SignInPolicyBody:
    """Of whom an organisation demands a second factor; for its administrators."""
    return sign_in_policies.read_sign_in_policy(uow, caller, organisation=organisation)


@router.put("/organisations/{organisation}/sign-in-policy")
def set_sign_in_policy(organisation: str, body: SignInPolicyUpdate, uow: Uow, caller: CallerHere) -> SignInPolicyBody:
    """Demand a second factor from now on, or no more. Setting what is there changes nothing."""
    return sign_in_policies.set_sign_in_policy(uow, caller, organisation=organisation, update=body)
