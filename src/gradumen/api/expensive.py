"""Calls that compute much: a few at once per caller, per organisation and in all, so that the rest is answered."""

import asyncio
from collections import Counter
from collections.abc import AsyncIterator, Hashable, Sequence
from uuid import UUID

from fastapi import Depends, Request

from gradumen.api.calls import CallerHere
from gradumen.core.errors import Busy

RETRY_AFTER_SECONDS = 5


class Gate:
    """Counts what is being computed, and lets calls wait shortly before it refuses them.

    In all it leaves half of the threads that answer calls (40) to those that compute little.
    """

    def __init__(
        self, *, per_caller: int = 4, per_organisation: int = 8, in_all: int = 20, patience_seconds: float = 3
    ) -> None:
        self.per_caller, self.per_organisation, self.in_all = per_caller, per_organisation, in_all
        self.patience_seconds = patience_seconds
        self._running: Counter[Hashable] = Counter()
        self._left = asyncio.Condition()

    async def enter(self, caller: UUID, organisations: Sequence[UUID]) -> None:
        """Begin; waits a little for others to end.

        Raises:
            Busy: they did not.
        """
        limits: dict[Hashable, int] = {"all": self.in_all, ("caller", caller): self.per_caller}
        limits |= {("organisation", each): self.per_organisation for each in organisations}
        async with self._left:
            try:
                async with asyncio.timeout(self.patience_seconds):
                    await self._left.wait_for(lambda: all(self._running[key] < most for key, most in limits.items()))
            except TimeoutError:
                running = self._running["caller", caller]
                raise Busy(running=running, retry_after_seconds=RETRY_AFTER_SECONDS) from None
            self._running.update(limits.keys())

    async def leave(self, caller: UUID, organisations: Sequence[UUID]) -> None:
        """End."""
        async with self._left:
            self._running.subtract(["all", ("caller", caller), *(("organisation", each) for each in organisations)])
            self._running += Counter()  # What is at nought goes.
            self._left.notify_all()


async def expensive(request: Request, caller: CallerHere) -> AsyncIterator[None]:
    """Compute within the gate."""
    gate: Gate = request.app.state.gate
    organisations = tuple(caller.roles)
    await gate.enter(caller.user_id, organisations)
    try:
        yield
    finally:
        await gate.leave(caller.user_id, organisations)


EXPENSIVE = [Depends(expensive)]
"""For ``dependencies`` of a route."""
