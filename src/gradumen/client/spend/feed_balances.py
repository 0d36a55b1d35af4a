"""What became of all that came in by feeds."""

from urllib.parse import urlencode

from gradumen.client.connection import Connection
from gradumen.wire.spend.feed_balances import FeedBalancesBody, FeedSignOff


class FeedBalances:
    """Balances of a seller's feeds by month, and their sign-offs."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def get(self, organisation: str, period: str, *, feed: str | None = None, wait: float = 0) -> FeedBalancesBody:
        """Of all that came in by a seller's feeds in a month, or by one of them, what became of it.

        Args:
            wait: for so many seconds at most, until no reading that came in waits to be counted.
        """
        path = f"organisations/{organisation}/feed-balances"
        return self._connection.get_current(path, FeedBalancesBody, wait=wait, period=period, feed=feed)

    def sign_off(self, feed: str, period: str, reason: str | None = None) -> FeedBalancesBody:
        """Sign a feed's month off as it is now; what is open needs a reason."""
        return self._connection.put(_path(feed, period), FeedBalancesBody, FeedSignOff(reason=reason))

    def withdraw(self, feed: str, period: str) -> None:
        """Take a sign-off back."""
        self._connection.delete(_path(feed, period))


def _path(feed: str, period: str) -> str:
    return f"feeds/sign-off?{urlencode({'feed': feed, 'period': period})}"
