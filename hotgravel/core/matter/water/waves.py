"""Waves on a square of water, by their Fourier parts, each of which goes at its own speed exactly.

What the wind has raised is a sum of waves that are known for all times (Tessendorf 2001 on displacing it sideways).
What moves the water is added to that: a height and a potential, which pressure changes (linear waves: Lamb,
Hydrodynamics, chapter 9). Any step of those is exact while the pressure stays.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft2, rfft2
from scipy.ndimage import map_coordinates

from hotgravel.core.chance import uniforms
from hotgravel.core.matter.water.spectrum import heights_of, speed_of

Array = NDArray[np.float64]
Parts = NDArray[np.complex128]
RIM = 0.12  # of the square: so far from its sides what moves the water dies away
SPONGE = 6.0  # 1/s, at the very side


@dataclass(frozen=True, eq=False)
class Square:
    """A square of water: cells along a side, their size, m, its depth, m, and gravity, m/s²."""

    many: int
    cell: float
    depth: float
    gravity: float

    @property
    def side(self) -> float:
        return self.many * self.cell

    @cached_property
    def numbers(self) -> tuple[Array, Array]:
        """Wave numbers (n, n) along x and z, 1/m."""
        k = 2.0 * np.pi * np.fft.fftfreq(self.many, self.cell)
        kx, kz = np.meshgrid(k, k, indexing="ij")
        return kx, kz

    @cached_property
    def turning(self) -> Array:
        """The angular frequency of each wave number (n, n), 1/s."""
        return speed_of(np.hypot(*self.numbers), self.depth, self.gravity)

    @cached_property
    def half(self) -> tuple[Array, Array]:
        """Of the wave numbers that a real field needs (n, n / 2 + 1): their frequency, 1/s, and k tanh(k h), 1/m."""
        w = self.turning[:, : self.many // 2 + 1]
        rise: Array = w**2 / self.gravity
        return w, rise

    @cached_property
    def rim(self) -> Array:
        """How quickly what moves the water dies away at each place (n, n), 1/s."""
        near = np.minimum(np.arange(self.many) + 0.5, self.many - np.arange(self.many) - 0.5) / (RIM * self.many)
        along = np.clip(1.0 - near, 0.0, 1.0) ** 2
        found: Array = SPONGE * np.maximum(along[:, None], along[None, :])
        return found


@dataclass(frozen=True, eq=False)
class Wind:
    """The waves that a wind has raised: the part of each wave number (n, n), m, and its frequency, 1/s."""

    square: Square
    parts: Parts
    turning: Array

    @staticmethod
    def over(
        square: Square, wind: float, way: float, fetch: float | None, together: float, loop: float | None, seed: int,
        row: str,
    ) -> "Wind":  # fmt: skip
        """Waves at their first moment. With a loop, s, frequencies are whole ones of it (Tessendorf 2001)."""
        kx, kz = square.numbers
        high = heights_of(kx, kz, wind, way, fetch, together, square.depth, square.gravity)
        # A wave is named by its number alone, so that more cells add waves and keep those that there are.
        named = np.round(np.stack([kx, kz]) * square.side / (2.0 * np.pi)).astype(np.int64) + (1 << 20)
        phase = uniforms((named[0] * (1 << 24) + named[1]).ravel().astype(np.uint64), 1, seed=seed, who=row)
        turning = square.turning
        if loop is not None:
            turning = np.floor(turning * loop / (2.0 * np.pi)) * 2.0 * np.pi / loop
        return Wind(square, high * np.exp(2j * np.pi * phase.reshape(high.shape)), turning)

    @cached_property
    def _both(self) -> tuple[Parts, Parts]:
        """Of the wave numbers that a real field needs (n, n / 2 + 1): what goes along each, and what comes from it."""
        back = -np.arange(self.square.many)
        half = self.square.many // 2 + 1
        return 0.5 * self.parts[:, :half], 0.5 * self.parts[back][:, back[:half]].conj()

    @cached_property
    def _ways(self) -> tuple[Array, Array, Array, Array, Array, Array]:
        """Of the same wave numbers: their frequency, 1/s; what a height counts along x and z; and how much that changes
        along x, along z and across. Waves of two cells lie still, as they have no side to go to."""
        square, half = self.square, self.square.many // 2
        kx, kz = (k[:, : half + 1].copy() for k in square.numbers)
        k = np.maximum(np.hypot(kx, kz), 1e-12)
        kx[half], kz[:, half] = 0.0, 0.0
        under = 1.0 / np.tanh(np.clip(k * square.depth, 1e-6, 50.0)) / k
        x, z = kx * under, kz * under
        return self.turning[:, : half + 1].copy(), x, z, x * kx, z * kz, x * kz

    def at(self, time: float) -> tuple[Array, Array, Array, Array]:
        """At a time, s: height (n, n), m; how far each place is moved along x and along z (2, n, n), m; velocity
        (n, n, 3), m/s; and how that shift changes along x, along z and across (3, n, n)."""
        (go, come), (w, x, z, xx, zz, xz) = self._both, self._ways
        turn = np.exp(-1j * w[: len(w) // 2 + 1] * time)
        turn = np.concatenate([turn, turn[-2:0:-1]])  # waves along x and against it are as quick
        go, come = go * turn, come * turn.conj()
        now, pace, size = go + come, w * (go - come), self.parts.shape
        shift, velocity, bent = np.empty((2, *size)), np.empty((*size, 3)), np.empty((3, *size))
        sideways = 1j * now
        for out, part in (
            (shift[0], x * sideways), (shift[1], z * sideways), (velocity[..., 0], x * pace),
            (velocity[..., 1], -1j * pace), (velocity[..., 2], z * pace), (bent[0], -xx * now), (bent[1], -zz * now),
            (bent[2], -xz * now),
        ):  # fmt: skip
            out[:] = irfft2(part, s=size, norm="forward", overwrite_x=True)
        return np.asarray(irfft2(now, s=size, norm="forward")), shift, velocity, bent


def stepped(
    square: Square, high: Array, potential: Array, press: Array, calms: float, dt: float
) -> tuple[Array, Array]:
    """The height (n, n), m, and potential (n, n), m²/s, of what moves the water after dt seconds, in which a pressure
    over density, m²/s², is on it and a share `calms` of it dies away each second."""
    w, rise = square.half
    h, p, over = rfft2(high), rfft2(potential), rfft2(press)
    rest = -over / square.gravity  # where it is in balance with the pressure
    rest[0, 0] = 0.0  # water is neither made nor lost
    c, s = np.cos(w * dt), np.sin(w * dt)
    apart = h - rest
    with np.errstate(divide="ignore", invalid="ignore"):
        lifted = np.where(w > 0.0, rise / np.maximum(w, 1e-12) * s, 0.0)
    made = rest + c * apart + lifted * p
    moved = c * p - np.where(w > 0.0, w / np.maximum(rise, 1e-12) * s, 0.0) * apart
    moved[0, 0] = 0.0
    fade = np.exp(-dt * (calms + square.rim))
    size = high.shape
    return np.asarray(irfft2(made, s=size)) * fade, np.asarray(irfft2(moved, s=size)) * fade


def velocity_in(square: Square, high: Array, potential: Array) -> Array:
    """How the surface moves (n, n, 3), m/s, where it has a height and a potential."""
    kx, kz = (k[:, : square.many // 2 + 1] for k in square.numbers)
    p, size = rfft2(potential), high.shape
    made = [irfft2(part, s=size) for part in (1j * kx * p, square.half[1] * p, 1j * kz * p)]
    return np.stack(made, axis=-1)


def carried(values: Array, flow: Array, step: float) -> Array:
    """Values (n, n) in cells after they have gone along with a flow (n, n, 2), m/s, for `step` = seconds over metres of
    a cell; over the rim they come in at the other (semi-Lagrangian: Staniforth and Cote 1991)."""
    cells = np.stack(np.meshgrid(*(np.arange(n) for n in values.shape), indexing="ij"), axis=-1)
    return np.asarray(map_coordinates(values, np.moveaxis(cells - step * flow, -1, 0), order=3, mode="grid-wrap"))
