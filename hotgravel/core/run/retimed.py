"""A run shown at another pace: frames between frames, and backwards."""

from collections.abc import Iterable
from contextlib import suppress
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.drive.value import one
from hotgravel.core.run.frames import STORED, FrameStore
from hotgravel.core.run.place import Place
from hotgravel.core.shot.document import Shot


def moment_of(shot: Shot, frame: float) -> float:
    """The frame of the run that is shown at a frame: the retime's value there; itself without one."""
    finish = shot.finish
    if finish.retime is None:
        return frame
    return float(np.clip(one(finish, "retime", shot.clock.at(frame)), finish.first, finish.last))


class Retimed(FrameStore):
    """The frames of a run as its shot's retime shows them.

    Particles between two frames lie on the cubic through both places with both velocities (Hermite), by
    id; who is only in one of them is shown with the nearer. Velocities are as shown: slowed, or turned
    about. Skins, gauges and events are those of the nearest frame.
    """

    def __init__(self, folder: Place, shot: Shot) -> None:
        super().__init__(folder)
        self.shot = shot

    def frames(self) -> list[int]:
        kept = set(super().frames())
        finish = self.shot.finish
        return [f for f in range(finish.first, finish.last + 1) if self._nearest(f) in kept]

    def moment(self, frame: int) -> float:
        return moment_of(self.shot, frame)

    def _nearest(self, frame: int) -> int:
        return int(np.floor(self.moment(frame) + 0.5))

    def pace(self, frame: int) -> float:
        """Frames of the run for each that is shown."""
        return moment_of(self.shot, frame + 0.5) - moment_of(self.shot, frame - 0.5)

    def particles(self, frame: int, names: Iterable[str] = tuple(STORED)) -> dict[str, NDArray[Any]]:
        names = tuple(names)
        wanted = tuple(dict.fromkeys((*names, "position", "velocity", "id")))
        moment, nearest = self.moment(frame), self._nearest(frame)
        found = super().particles(nearest, wanted)
        other = nearest + (1 if moment > nearest else -1)
        share = abs(moment - nearest)
        if share > 1e-6:
            with suppress(KeyError):  # where nothing is kept beyond, the nearest stays as it is
                self._between(found, super().particles(other, ("position", "velocity", "id")), share, other - nearest)
        found["velocity"] = found["velocity"] * np.float32(self.pace(frame))
        return {name: found[name] for name in names}

    def _between(self, near: dict[str, NDArray[Any]], far: dict[str, NDArray[Any]], share: float, way: int) -> None:
        ids = near["id"]
        if not len(far["id"]) or not len(ids):
            return
        place = np.minimum(np.searchsorted(far["id"], ids), len(far["id"]) - 1)
        both = far["id"][place] == ids
        span = way * self.shot.finish.time_scale / self.shot.finish.rate
        p, q = near["position"][both].astype(float), far["position"][place[both]].astype(float)
        u, v = span * near["velocity"][both].astype(float), span * far["velocity"][place[both]].astype(float)
        t = share
        between = (2 * t**3 - 3 * t**2 + 1) * p + (t**3 - 2 * t**2 + t) * u
        between += (3 * t**2 - 2 * t**3) * q + (t**3 - t**2) * v
        near["position"] = near["position"].copy()
        near["position"][both] = between
        near["velocity"] = near["velocity"].copy()
        near["velocity"][both] = (1 - t) * near["velocity"][both] + t * far["velocity"][place[both]]

    def skin(self, frame: int, row: str) -> dict[str, NDArray[Any]]:
        found = super().skin(self._nearest(frame), row)
        return found | {"velocity": found["velocity"] * np.float32(self.pace(frame))}

    def gauges(self, frame: int) -> dict[str, Any]:
        return super().gauges(self._nearest(frame))

    def events(self, frame: int) -> Any:
        return super().events(self._nearest(frame))


def shown_frames(shot: Shot) -> list[int]:
    """The nearest frame of the run that is shown at each frame of its shot."""
    finish = shot.finish
    return [int(np.floor(moment_of(shot, f) + 0.5)) for f in range(finish.first, finish.last + 1)]
