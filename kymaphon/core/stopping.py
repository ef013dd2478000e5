"""Long work that ends early once its answer is no longer wanted. Who asked for it is known by thread: others that read what it shares go on."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_UNWANTED: ContextVar[Callable[[], bool] | None] = ContextVar("unwanted", default=None)


class Stopped(Exception):
    """Whoever asked for an answer no longer wants it."""


@contextmanager
def stopped_by(unwanted: Callable[[], bool] | None) -> Iterator[None]:
    """What is computed inside, in this thread, ends at its next step once `unwanted` says so; it is asked often."""
    token = _UNWANTED.set(unwanted)
    try:
        yield
    finally:
        _UNWANTED.reset(token)


def check_wanted() -> None:
    """Raises Stopped where the answer is no longer wanted."""
    unwanted = _UNWANTED.get()
    if unwanted is not None and unwanted():
        raise Stopped
