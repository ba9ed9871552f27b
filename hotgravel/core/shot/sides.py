"""Which sides of a box are walls."""

import re
from collections.abc import Iterator
from typing import Literal

from hotgravel.core.shot.dials import choice, words
from hotgravel.core.shot.row import Row

# The axis that each lies across, and at which end of it.
SIDES = {"left": (0, 0), "right": (0, -1), "floor": (1, 0), "top": (1, -1), "back": (2, 0), "front": (2, -1)}
SHUT = {"open": (), "floor": ("floor",), "closed": tuple(SIDES)}


class Sided(Row):
    """A row with a box whose sides are open or closed."""

    sides: Literal["floor", "open", "closed"] = choice(
        {"floor": "open but for its floor", "open": "open on all sides", "closed": "closed"}, "floor", label="sides",
        help="What comes to an open side leaves through it for good; closed ones are walls.",
    )  # fmt: skip
    but: str | None = words(
        label="other way round", none="none",
        help="Sides that are not as that says, one or several: left, right, floor, top, back, front. Left is where x "
        "is least, back where z is.",
    )  # fmt: skip

    def wording(self) -> str:
        return self.phrase.replace("{sides}", "{sides}, the other way round at {but}") if self.but else self.phrase

    def complaints(self) -> Iterator[tuple[str, str]]:
        for name in self._others:
            if name not in SIDES:
                yield "but", f"{name} is no side. Accepted: left, right, floor, top, back, front, with commas between."

    @property
    def walls(self) -> tuple[tuple[int, int], ...]:
        """The axes and ends of the sides that are walls."""
        shut, others = SHUT[self.sides], self._others
        return tuple(at for name, at in SIDES.items() if (name in shut) != (name in others))

    @property
    def _others(self) -> list[str]:
        return [name for name in re.split(r"[,\s]+", (self.but or "").lower()) if name not in ("", "and")]
