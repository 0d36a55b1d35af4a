"""Bringing customers on board."""

import builtins
from collections.abc import Sequence
from decimal import Decimal
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.core.subscriptions.onboardings import Answer
from gradumen.wire.subscriptions.onboardings import (
    OnboardedBody,
    OnboardingAnswer,
    OnboardingBody,
    OnboardingCreate,
    OnboardingPolicyBody,
    OnboardingSave,
    OnboardingsBody,
    OnboardingsCreate,
    OnboardingSketch,
    OnboardingSubmit,
)


class Onboardings:
    """New customers with all that they begin with."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def make(
        self, seller: str, customers: Sequence[OnboardingCreate], *, check: bool = False, key: str | None = None
    ) -> OnboardingsBody:
        """Bring customers on board together or not at all; with ``check`` only see whether they can be."""
        body = OnboardingsCreate(customers=list(customers), check=check)
        return self._connection.post(f"organisations/{seller}/onboardings", OnboardingsBody, body, key=key)

    def list(self, seller: str, *, state: str | None = None) -> list[OnboardingBody]:
        """Whom a seller brings or brought on board, the last changed first."""
        return self._connection.all(f"organisations/{seller}/onboardings", OnboardingBody, state=state)

    def get(self, onboarding: UUID) -> OnboardingBody:
        """One of them."""
        return self._connection.get(f"onboardings/{onboarding}", OnboardingBody)

    def draft(self, seller: str, wanted: OnboardingSketch, *, key: str | None = None) -> OnboardingBody:
        """Begin a draft."""
        return self._connection.post(f"organisations/{seller}/onboardings/drafts", OnboardingBody, wanted, key=key)

    def save(self, onboarding: UUID, version: int, wanted: OnboardingSketch) -> OnboardingBody:
        """Write a draft anew, over the version that was read."""
        body = OnboardingSave(version=version, wanted=wanted)
        return self._connection.put(f"onboardings/{onboarding}", OnboardingBody, body)

    def discard(self, onboarding: UUID) -> None:
        """Give a draft up."""
        self._connection.delete(f"onboardings/{onboarding}")

    def check(self, onboarding: UUID) -> OnboardedBody:
        """What would happen now; nothing is done."""
        return self._connection.post(f"onboardings/{onboarding}/check", OnboardedBody)

    def submit(self, onboarding: UUID, version: int) -> OnboardingBody:
        """Bring the customer of a draft on board, or ask for it where somebody else approves it."""
        return self._connection.post(
            f"onboardings/{onboarding}/submit", OnboardingBody, OnboardingSubmit(version=version)
        )

    def approve(self, onboarding: UUID, seal: str, reason: str | None = None) -> OnboardingBody:
        """Approve what was read, as `check` told it with its ``seal``."""
        return self._answer(onboarding, OnboardingAnswer(answer=Answer.APPROVE, seal=seal, reason=reason))

    def refuse(self, onboarding: UUID, reason: str) -> OnboardingBody:
        """Refuse it."""
        return self._answer(onboarding, OnboardingAnswer(answer=Answer.REFUSE, reason=reason))

    def ask_back(self, onboarding: UUID, reason: str) -> OnboardingBody:
        """Have it written otherwise first."""
        return self._answer(onboarding, OnboardingAnswer(answer=Answer.ASK_BACK, reason=reason))

    def _answer(self, onboarding: UUID, answer: OnboardingAnswer) -> OnboardingBody:
        return self._connection.post(f"onboardings/{onboarding}/answer", OnboardingBody, answer)

    def withdraw(self, onboarding: UUID) -> OnboardingBody:
        """Take back what waits."""
        return self._connection.post(f"onboardings/{onboarding}/withdraw", OnboardingBody)

    def undo(self, onboarding: UUID) -> OnboardingBody:
        """Take back all that was made of a customer whose steps are not all done."""
        return self._connection.post(f"onboardings/{onboarding}/undo", OnboardingBody)

    def policies(self, seller: str) -> builtins.list[OnboardingPolicyBody]:
        """Up to how much comes on board in a month without another administrator."""
        return self._connection.page(f"organisations/{seller}/onboarding-policies", OnboardingPolicyBody).items

    def set_policy(self, seller: str, subject: str, amount: Decimal | None) -> OnboardingPolicyBody:
        """Say so, for a currency or a measure; None takes the bound away."""
        body = OnboardingPolicyBody(subject=subject, amount=amount)
        return self._connection.put(f"organisations/{seller}/onboarding-policies", OnboardingPolicyBody, body)
