"""Long work watched from outside: how far it is, and whether anybody still wants it.

Who runs something long says so with `watched`; what takes long says with `advance`, between its pieces, how far it is.
The watch belongs to the thread's context, not to the program: pure functions stay free of it where nobody watches.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from contextvars import ContextVar, copy_context
from typing import TypeVar

from levelloop.core.errors import LevelLoopError

Progress = Callable[[float], None]  # how much is done, 0…1
Cancel = Callable[[], bool]  # whether to stop
Item = TypeVar("Item")
Other = TypeVar("Other")

_watch: ContextVar[tuple[Progress | None, Cancel | None, float, float] | None] = ContextVar("watch", default=None)


class CancelledError(LevelLoopError):
    """Somebody stopped the work; nothing has changed."""


@contextmanager
def watched(progress: Progress | None = None, cancel: Cancel | None = None) -> Iterator[None]:
    """Work within tells its progress, and stops with CancelledError once cancel says so."""
    token = _watch.set((progress, cancel, 0.0, 1.0))
    try:
        advance(0.0)
        yield
    finally:
        _watch.reset(token)


def advance(share: float) -> None:
    """Says how much of the present work is done, 0…1. Raises CancelledError where nobody wants it any more."""
    watch = _watch.get()
    if watch is None:
        return
    check()
    progress, _, low, high = watch
    if progress is not None:
        progress(low + (high - low) * share)


def check() -> None:
    """Between pieces that are too small to tell. Raises CancelledError where nobody wants the work any more."""
    watch = _watch.get()
    if watch is not None and watch[1] is not None and watch[1]():
        raise CancelledError("Stopped; nothing has changed.")


def both(one: Callable[[], Item], other: Callable[[], Other]) -> tuple[Item, Other]:
    """What two calls come to: the one in a thread of its own, watched as the caller is, beside the other in this."""
    with ThreadPoolExecutor(1) as pool:
        first = pool.submit(copy_context().run, one)
        second = other()
        return first.result(), second


def in_two(work: Iterable[Item], worker: Callable[[Iterator[Item]], None]) -> None:
    """Runs a worker twice at the same time; each takes from the work what neither has taken, until nothing is left.

    So neither waits for the other, whoever is given less of the machine.
    """
    # A list hands out each of its items once, whoever asks.
    left = iter(list(work))
    both(lambda: worker(left), lambda: worker(left))


def pieces(items: Sequence[Item]) -> Iterable[Item]:
    """The items one after the other, each a piece of the present work; what one of them advances is its share."""
    watch = _watch.get()
    if watch is None or len(items) < 2:
        yield from items
        return
    progress, cancel, low, high = watch
    width = (high - low) / len(items)
    for number, item in enumerate(items):
        advance(number / len(items))
        piece = (progress, cancel, low + number * width, low + (number + 1) * width)
        _watch.set(piece)
        try:
            yield item
        finally:
            # Where the work was stopped this may run late and in another thread, which has a watch of its own.
            if _watch.get() is piece:
                _watch.set(watch)
