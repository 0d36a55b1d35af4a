"""Body of usage that is made again."""

from gradumen.wire.values import Body


class UsageRemakeCreate(Body):
    """The month whose usage is to be made again."""

    period: str
