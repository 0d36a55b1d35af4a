"""What a feed is fetched from, by the kind that it is of."""

from collections.abc import Iterator
from contextlib import contextmanager

from gradumen.adapters.door import Door
from gradumen.adapters.folders import Directories, Folder, LocalFolder, ObjectStore
from gradumen.adapters.measuring import Measuring
from gradumen.adapters.openstack_metrics import OpenStackMetrics
from gradumen.adapters.openstack_servers import OpenStackServers
from gradumen.adapters.prometheus import Prometheus
from gradumen.core.metering.pulls import PullKind
from gradumen.wire.metering.pulls import PullForm


@contextmanager
def folder_of(door: Door, directories: Directories, seller: str, form: PullForm, secret: str) -> Iterator[Folder]:
    """The folder that a pull of a seller fetches files from.

    Raises:
        Invalid: the operator does not open it.
    """
    folder: Folder
    if form.kind is PullKind.DIRECTORY:
        folder = LocalFolder(directories.at(seller, form.endpoint))
    else:
        folder = ObjectStore(door, form.endpoint, form.user, secret)
    try:
        yield folder
    finally:
        folder.close()


@contextmanager
def servers_of(door: Door, form: PullForm, secret: str, *, seconds: float | None = None) -> Iterator[OpenStackServers]:
    """The compute service whose servers a pull asks for, as long as it is asked, for so many seconds at most.

    Raises:
        Invalid: the operator does not let its address be called.
    """
    source = OpenStackServers(door, form.endpoint, secret, seconds=seconds)
    try:
        yield source
    finally:
        source.close()


@contextmanager
def source_of(door: Door, form: PullForm, secret: str) -> Iterator[Measuring]:
    """The system that a pull asks, as long as it is asked.

    Raises:
        Invalid: the operator does not let its address be called.
    """
    source: Measuring
    if form.kind is PullKind.OPENSTACK_METRICS:
        source = OpenStackMetrics(door, form.endpoint, secret)
    else:
        source = Prometheus(door, form.endpoint, form.user, secret)
    try:
        yield source
    finally:
        source.close()
