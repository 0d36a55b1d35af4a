"""Where in what somebody wrote something is wrong, and all of it told at once."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from gradumen.core.errors import Invalid, Several


def together(problems: "Sequence[Invalid]") -> Invalid:
    """All of them as one refusal; one by itself stays what it is."""
    return problems[0] if len(problems) == 1 else Several(problems)


@contextmanager
def at(path: str) -> Iterator[None]:
    """Put ``path`` before the path of any problem inside."""
    try:
        yield
    except Invalid as problem:
        for each in {id(one): one for one in (problem, *problem.each)}.values():
            inner = each.facts.get("path", "")
            each.facts["path"] = path if not inner else f"{path}{'' if inner.startswith('[') else '.'}{inner}"
        raise


class Mistakes:
    """What is wrong with parts that are each looked at by themselves, to be told all at once.

    >>> mistakes = Mistakes()
    >>> for name in ("one", "two"):
    ...     with mistakes.at(name):
    ...         raise Invalid(f"{name} is wrong")
    >>> [each.facts["path"] for each in mistakes.found]
    ['one', 'two']
    """

    def __init__(self) -> None:
        self.found: list[Invalid] = []

    @contextmanager
    def at(self, path: str) -> Iterator[None]:
        """Keep what is wrong inside, at a path, and go on."""
        with self.whole(), at(path):
            yield

    @contextmanager
    def whole(self) -> Iterator[None]:
        """Keep what is wrong inside, at the path that it names, and go on."""
        try:
            yield
        except Invalid as problem:
            self.found += problem.each

    def tell(self) -> None:
        """Go on where nothing was found.

        Raises:
            Invalid: something was.
        """
        if self.found:
            raise together(self.found)
