"""Kept smoke as it is asked about: cut by a plane, or looked into along a line."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from hotgravel.core.matter.contract import Array, Kept
from hotgravel.core.matter.smoke.cells import AIR, TRACE

Quantity = Literal["density", "temperature", "speed", "age", "flames"]
Axis = Literal["x", "y", "z"]
UNITS: Mapping[str, str] = {"density": "", "temperature": "°C", "speed": "m/s", "age": "s", "flames": "/s"}
ARROWS = 24  # along the longer side of a slice
SEEN = 0.5  # of what is behind: so much is hidden where a look into smoke ends


@dataclass(frozen=True)
class Slice:
    """Values (rows, columns) of cells that a plane cuts; its first corner (3,) and the vectors (3,) along its rows and
    along its columns, metres; and where (k, 3) the air moves how fast (k, 3), m/s, without what it does across."""

    values: Array
    corner: Array
    down: Array
    along: Array
    places: Array
    flow: Array


@dataclass(frozen=True)
class KeptSmoke:
    """A kept grid: its arrays by name (nx, ny, nz), its low corner (3,) and its cell, metres."""

    arrays: dict[str, Array]
    low: Array
    cell: float


def kept_smoke(kept: Kept, frame: int) -> KeptSmoke:
    """The smoke of a frame. Raises `KeyError`."""
    volume = kept.record(frame, "volume", ("shape", "low", "cell"))
    gas = kept.record(frame, "gas", ("density", "heat", "velocity", "age", "flame", "parts"))
    shape = tuple(int(n) for n in volume["shape"])
    velocity = gas["velocity"].astype(np.float32).reshape(*shape, 3)
    density = gas["density"].astype(np.float32).reshape(shape)
    arrays = {
        "density": density, "temperature": AIR + gas["heat"].astype(np.float32).reshape(shape), "velocity": velocity,
        "speed": np.sqrt((velocity**2).sum(axis=-1)),
        "age": gas["age"].astype(np.float32).reshape(shape) * (density > TRACE),
        "flames": (gas["flame"].astype(np.float32) if len(gas["flame"]) else np.zeros(density.size)).reshape(shape),
        "parts": gas["parts"].astype(np.float32).reshape(*shape, -1),
    }  # fmt: skip
    return KeptSmoke(arrays, volume["low"].astype(float), float(volume["cell"][0]))


def slice_of(smoke: KeptSmoke, quantity: Quantity, axis: Axis, share: float) -> Slice:
    """What a plane across an axis cuts, at a share of the grid from its low side."""
    across = "xyz".index(axis)
    rows, columns = (a for a in range(3) if a != across)
    field, cell = smoke.arrays[quantity], smoke.cell
    layer = min(int(share * field.shape[across]), field.shape[across] - 1)
    values = np.take(field, layer, across)
    corner = smoke.low.copy()
    corner[across] += cell * (layer + 0.5)
    step = max(1, round(max(values.shape) / ARROWS))
    at = np.stack(np.meshgrid(*(np.arange(step // 2, n, step) for n in values.shape), indexing="ij"), -1).reshape(-1, 2)
    places = np.repeat(corner[None], len(at), axis=0)
    places[:, [rows, columns]] += cell * (at + 0.5)
    flow = np.take(smoke.arrays["velocity"], layer, across)[at[:, 0], at[:, 1]]
    flow[:, across] = 0.0
    ends = cell * np.array(field.shape)[:, None] * np.eye(3)
    return Slice(values, corner, ends[rows], ends[columns], places, flow)


def looked_into(smoke: KeptSmoke, eye: Array, way: Array, take: float) -> Array | None:
    """Where a look from a place (3,) along a unit vector (3,) ends in smoke, metres (3,), when a metre of density 1
    takes so much light: where half of what is behind is hidden, or where it is thickest; None where there is none."""
    density, cell = smoke.arrays["density"], smoke.cell
    high = smoke.low + cell * np.array(density.shape)
    with np.errstate(divide="ignore", invalid="ignore"):
        ends = np.stack([(smoke.low - eye) / way, (high - eye) / way])
    near, far = np.nanmax(ends.min(axis=0)), np.nanmin(ends.max(axis=0))
    if far <= max(near, 0.0):
        return None
    along = np.arange(max(near, 0.0), far, 0.5 * cell)
    places = eye + along[:, None] * way
    cells = np.clip(((places - smoke.low) / cell).astype(int), 0, np.array(density.shape) - 1)
    met = density[tuple(cells.T)]
    if met.max(initial=0.0) < TRACE:
        return None
    hidden = 1.0 - np.exp(-np.cumsum(met) * take * 0.5 * cell)
    found: Array = places[int(np.argmax(hidden >= SEEN)) if hidden[-1] >= SEEN else int(met.argmax())]
    return found


def told_at(smoke: KeptSmoke, place: Array) -> dict[str, Array]:
    """All that is known of the cell at a place (3,)."""
    shape = np.array(smoke.arrays["density"].shape)
    at = tuple(np.clip(((place - smoke.low) / smoke.cell).astype(int), 0, shape - 1))
    return {name: array[at] for name, array in smoke.arrays.items()}
