"""Names of rows, each its own."""

from collections.abc import Collection
from itertools import count


def free_name(name: str, taken: Collection[str]) -> str:
    """A name, with the first number behind it that makes it one of its own among those taken (in lower case)."""
    free = (f"{name} {n}" if n > 1 else name for n in count(1))
    return next(name for name in free if name.casefold() not in taken)
