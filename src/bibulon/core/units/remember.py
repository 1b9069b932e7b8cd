"""Remember what was worked out from values that never change, by which value it was.

Jobs and their parts are frozen: the same object always gives the same answer, and asking whether it
is the same object costs nothing, while comparing large jobs field by field does.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable
from functools import lru_cache, wraps
from typing import Any, TypeVar

__all__ = ["by_identity", "kept_with"]

_R = TypeVar("_R")
_ANSWERS = "kept with it"


class _Same:
    """A value that equals itself alone."""

    __slots__ = ("value",)

    def __init__(self, value: object) -> None:
        self.value = value

    def __hash__(self) -> int:
        return id(self.value)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.value is self.value


def by_identity(count: int, kept: int) -> Callable[[Callable[..., _R]], Callable[..., _R]]:
    """Remember a function's answers by the identity of its first ``count`` arguments and the value of the rest.

    kept : how many answers are kept; those arguments are kept alive with them.

    >>> calls = []
    >>> @by_identity(1, 4)
    ... def length(items, extra=0):
    ...     calls.append(1)
    ...     return len(items) + extra
    >>> a = [1, 2]
    >>> length(a), length(a), length([1, 2]), len(calls)
    (2, 2, 2, 2)
    """

    def decorate(function: Callable[..., _R]) -> Callable[..., _R]:
        @lru_cache(maxsize=kept)
        def known(first: tuple[_Same, ...], rest: tuple[Hashable, ...]) -> _R:
            return function(*(s.value for s in first), *rest)

        @wraps(function)
        def asked(*args: Any) -> _R:
            return known(tuple(_Same(a) for a in args[:count]), args[count:])

        return asked

    return decorate


def kept_with(owner: int, count: int, kept: int) -> Callable[[Callable[..., _R]], Callable[..., _R]]:
    """Remember a function's answers in one of its arguments, as long as that lives; else like ``by_identity``.

    A forecast holds megabytes: what was worked out from it must not keep it when another has taken its place.

    owner : which argument, one of the first ``count``; it needs a ``__dict__``.

    >>> from types import SimpleNamespace
    >>> calls = []
    >>> @kept_with(1, 2, 4)
    ... def passed(job, forecast, share=1.0):
    ...     calls.append(share)
    ...     return forecast.passed * share
    >>> job, forecast = [], SimpleNamespace(passed=3.0)
    >>> passed(job, forecast), passed(job, forecast), passed([], forecast), len(calls)
    (3.0, 3.0, 3.0, 2)
    """

    def decorate(function: Callable[..., _R]) -> Callable[..., _R]:
        @wraps(function)
        def asked(*args: Any) -> _R:
            answers: dict[Hashable, _R] = (
                args[owner].__dict__.setdefault(_ANSWERS, {}).setdefault(function, {})
            )
            key = (tuple(_Same(a) for k, a in enumerate(args[:count]) if k != owner), args[count:])
            if key in answers:
                return answers[key]
            answer = function(*args)
            while len(answers) >= kept:
                answers.pop(next(iter(answers)), None)
            answers[key] = answer
            return answer

        return asked

    return decorate
