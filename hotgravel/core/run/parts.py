"""Seconds spent in each part of a frame, by a clock that is handed in."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager


class Parts:
    """Adds up seconds under names: `with parts("motion"): ...`."""

    def __init__(self, clock: Callable[[], float]) -> None:
        self.clock = clock
        self.seconds: dict[str, float] = {}

    @contextmanager
    def __call__(self, name: str) -> Iterator[None]:
        start = self.clock()
        try:
            yield
        finally:
            self.seconds[name] = self.seconds.get(name, 0.0) + self.clock() - start
