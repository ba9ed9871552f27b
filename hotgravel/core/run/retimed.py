"""A run shown at another pace: frames between frames, and backwards."""

from collections.abc import Iterable, Mapping
from contextlib import suppress
from typing import Any

import numpy as np

from hotgravel.core.drive.value import one
from hotgravel.core.matter.contract import Array, Column
from hotgravel.core.matter.elements import places_of
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.place import Place
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.finish import Finish


def run_frame_of(shot: Shot, frame: float) -> float:
    """The frame of the run that is shown at a frame: the retime's value there; itself without one."""
    finish = shot.finish
    if finish.retime is None:
        return frame
    return float(np.clip(one(finish, "retime", shot.clock.at(frame)), finish.first, finish.last))


class Retimed(FrameStore):
    """The frames of a run as its shot's retime shows them.

    Elements between two frames lie on the cubic through both places with both velocities (Hermite), by id,
    and are turned the short way; who is only in one of them is shown with the nearer. Velocities are as
    shown: slowed, or turned about. Skins, gauges and events are those of the nearest frame.
    """

    def __init__(self, folder: Place, shot: Shot) -> None:
        super().__init__(folder)
        self.shot = shot

    def frames(self) -> list[int]:
        kept = set(super().frames())
        finish = self.shot.finish
        return [f for f in range(finish.first, finish.last + 1) if self._nearest(f) in kept]

    def in_full(self, finish: Finish) -> list[int]:
        return self.frames()  # between those that the run kept so, elements are blends of them

    def run_frame(self, frame: int) -> float:
        return run_frame_of(self.shot, frame)

    def _nearest(self, frame: int) -> int:
        return int(np.floor(self.run_frame(frame) + 0.5))

    def pace(self, frame: int) -> float:
        """Frames of the run for each that is shown."""
        return run_frame_of(self.shot, frame + 0.5) - run_frame_of(self.shot, frame - 0.5)

    def elements(self, frame: int, matter: str, names: Iterable[str] | None = None) -> dict[str, Array]:
        columns = MATTERS[matter].columns
        names = tuple(columns) if names is None else tuple(names)
        need = {"position": ("velocity",), "turn": ("spin",)}  # what blending goes by
        wanted = tuple(dict.fromkeys((*names, "id", *(n for name in names for n in need.get(name, ())))))
        shown = self.run_frame(frame)
        nearest, other = sorted(self.shot.finish.in_full(shown), key=lambda full: abs(full - shown))
        found = super().elements(nearest, matter, wanted)
        share = abs(shown - nearest) / max(abs(other - nearest), 1)
        if share > 1e-6:
            span = self.shot.pace.lasting(nearest, other)
            with suppress(KeyError):  # where nothing is kept beyond, the nearer stays as it is
                self._blend(found, super().elements(other, matter, wanted), columns, share, span)
        for name in found:
            if columns[name].blend == "rate":
                found[name] = found[name] * np.float32(self.pace(frame))
        return {name: found[name] for name in names}

    def _blend(
        self, near: dict[str, Array], far: dict[str, Array], columns: Mapping[str, Column], share: float, span: float
    ) -> None:  # fmt: skip
        """Bring columns from the nearer frame towards the other, `span` seconds later, in place, each in its own
        manner."""
        place, both = places_of(far["id"].astype(np.int64), near["id"].astype(np.int64))
        pairs = {name: (near[name][both].astype(float), far[name][place].astype(float)) for name in near}
        for name, (p, q) in pairs.items():
            match columns[name].blend:
                case "path":
                    u, v = pairs["velocity"]
                    made = along_path(p, q, span * u, span * v, share)
                case "rate":
                    made = (1.0 - share) * p + share * q
                case "turn":
                    made = turned_between(p, q, share)
                case _:
                    continue
            near[name] = near[name].copy()
            near[name][both] = made

    def skin(self, frame: int, row: str) -> dict[str, Array]:
        found = super().skin(self._nearest(frame), row)
        return found | {"velocity": found["velocity"] * np.float32(self.pace(frame))}

    def record(self, frame: int, name: str, names: Iterable[str]) -> dict[str, Array]:
        return super().record(self._nearest(frame), name, names)

    def gauges(self, frame: int) -> dict[str, Any]:
        return super().gauges(self._nearest(frame))

    def events(self, frame: int) -> Any:
        return super().events(self._nearest(frame))


def along_path(p: Array, q: Array, u: Array, v: Array, t: float) -> Array:
    """Places (n, 3) at a share t of the way from p to q, on the cubic that begins
    along u and ends along v (Hermite)."""
    way: Array = (2 * t**3 - 3 * t**2 + 1) * p + (t**3 - 2 * t**2 + t) * u
    way += (3 * t**2 - 2 * t**3) * q + (t**3 - t**2) * v
    return way


def turned_between(p: Array, q: Array, t: float) -> Array:
    """Turns (n, 4) at a share t of the way from p to q, the short way (Shoemake 1985)."""
    cosine = np.einsum("ij,ij->i", p, q)
    q = np.where(cosine[:, None] < 0.0, -q, q)
    angle = np.arccos(np.clip(np.abs(cosine), 0.0, 1.0))[:, None]
    plain = angle < 1e-6  # so near that the sines say nothing
    sine = np.where(plain, 1.0, np.sin(angle))
    of_p = np.where(plain, 1.0 - t, np.sin((1.0 - t) * angle) / sine)
    of_q = np.where(plain, t, np.sin(t * angle) / sine)
    way = of_p * p + of_q * q
    result: Array = way / np.linalg.norm(way, axis=1, keepdims=True)
    return result


def shown_frames(shot: Shot) -> list[int]:
    """The nearest frame of the run that is shown at each frame of its shot."""
    finish = shot.finish
    return [int(np.floor(run_frame_of(shot, f) + 0.5)) for f in range(finish.first, finish.last + 1)]
