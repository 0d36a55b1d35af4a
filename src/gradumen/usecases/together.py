"""Several things of one kind that are done together or not at all, each refusal told at its place."""

from collections.abc import Callable, Iterable
from typing import TypeVar

from gradumen.core.errors import Conflict, GradumenError
from gradumen.store.unit_of_work import Session

T = TypeVar("T")


def all_or_nothing(
    tx: Session, acts: Iterable[tuple[int, Callable[[], T]]], *, check: bool, said: Callable[[int], str]
) -> list[T]:
    """Do each act, with its place in the call; where one is refused, or with ``check``, all is taken back.

    Args:
        said: what cannot be, in words, of how many of them.

    Raises:
        Conflict: some were refused: ``problems`` has the place, message and code of each. One that is asked for alone
            is refused as it is.
    """
    done: list[T] = []
    problems: list[tuple[int, GradumenError]] = []
    with tx.begin_nested() as trial:
        for place, act in acts:
            try:
                with tx.begin_nested():
                    done.append(act())
            except GradumenError as problem:
                problems.append((place, problem))
        if problems or check:
            trial.rollback()
    if len(problems) == 1 and not done:
        raise problems[0][1]
    if problems:
        problems.sort(key=lambda each: each[0])
        raise Conflict(
            f"{said(len(problems))}; the first: {problems[0][1].message}",
            problems=[{"place": place, "message": each.message, "code": each.code} for place, each in problems],
        )
    return done
