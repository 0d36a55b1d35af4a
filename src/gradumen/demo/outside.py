"""The simulated systems of others that a demo has beside it."""

from dataclasses import dataclass

from gradumen.demo.clouds import SimulatedCloud
from gradumen.demo.metrics import SimulatedMetrics
from gradumen.demo.simulated import Simulated
from gradumen.demo.stores import SimulatedStore


@dataclass(frozen=True, slots=True)
class Outside:
    """Where clouds make accounts, a metrics server, and a vendor's store; what is None is not there."""

    cloud: SimulatedCloud | None = None
    metrics: SimulatedMetrics | None = None
    store: SimulatedStore | None = None

    def systems(self) -> list[Simulated]:
        """Those that are there."""
        return [each for each in (self.cloud, self.metrics, self.store) if each is not None]

    def addresses(self) -> str:
        """What the service may call, as its setting says it; once they are started."""
        return ",".join(each.url for each in self.systems())
