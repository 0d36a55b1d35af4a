"""What tests of an onboarding's steps share: a cloud registered, and customers asked for."""

from datetime import date
from uuid import UUID

from gradumen.demo.clouds import TOKEN, SimulatedCloud
from gradumen.wire.organisations.clouds import CloudBody, CloudCreate
from gradumen.wire.subscriptions.onboardings import (
    OnboardedBody,
    OnboardingAccount,
    OnboardingBody,
    OnboardingCreate,
    OnboardingPerson,
    OnboardingSubscription,
)
from tests.world import World

MOOR = OnboardingSubscription(plan="open-range", tier="moor", starts_on=date(2026, 10, 9))


class Killed(BaseException):
    """A worker is gone, and says nothing to anybody."""


def registered(world: World, cloud: SimulatedCloud, **given: object) -> CloudBody:
    body = {"slug": "north-fell", "name": "North Fell", "endpoint": cloud.url, "secret": TOKEN, "shared": True, **given}
    return world.mara.clouds.register("tarnwick", CloudCreate.model_validate(body))


def asked(world: World, slug: str, **changes: object) -> OnboardedBody:
    wanted = {
        "slug": slug,
        "name": slug.title(),
        "cloud_accounts": [OnboardingAccount(cloud="north-fell")],
        "people": [OnboardingPerson(email=f"gwen@{slug}.example")],
        "subscriptions": [MOOR],
        **changes,
    }
    [told] = world.user("edda").onboardings.make("oxbow", [OnboardingCreate.model_validate(wanted)]).items
    return told


def id_of(told: OnboardedBody) -> UUID:
    assert told.onboarding is not None
    return told.onboarding


def seen(world: World, told: OnboardedBody) -> OnboardingBody:
    return world.user("edda").onboardings.get(id_of(told))
