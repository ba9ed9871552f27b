"""Smoke as frames keep it, and its air as others follow it."""

from collections.abc import Sequence

import numpy as np

from hotgravel.core.colour import light_of
from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.fluid.solids import Box
from hotgravel.core.matter.smoke.cells import AIR, parts_of, velocity_in
from hotgravel.core.shape.grid import VelocityGrid

COLDEST, HOTTEST = 400.0, 2400.0  # °C: what is between them glows, in 255 steps
VOLUME = ("density", "shape", "low", "cell", "hot", "tint")
GAS = ("velocity", "heat", "age", "parts", "flame", "density")


def records_of(arrays: dict[str, Array], box: Box, colours: Sequence[str], burns: bool) -> dict[str, dict[str, Array]]:
    """What is drawn (bytes; `hot` in steps from `COLDEST` to `HOTTEST`, `tint` (n, 3) the light that several sources
    throw back; both empty where there is none), and what slices, clicks and files tell (half floats): velocity (n, 3)
    m/s, degrees above the air's, age in seconds, the share of each source (n, k), what burns, and the density."""
    none = np.zeros(0, np.uint8)
    density = arrays["density"].ravel()
    parts = [arrays[name].ravel() for name in parts_of(arrays)]
    share = np.stack(parts, axis=1) / np.maximum(sum(parts), 1e-6)[:, None] if parts else np.zeros((len(density), 0))
    light = np.stack([light_of(colour) for colour in colours]) if colours else np.ones((0, 3))
    tint = none
    if parts and len(set(colours)) > 1:
        tint = _bytes(share @ light + (1.0 - share.sum(axis=1, keepdims=True)), 255.0).reshape(-1)
    hot = _bytes((arrays["heat"].ravel() + AIR - COLDEST) / (HOTTEST - COLDEST), 255.0) if burns else none
    half = {
        "velocity": velocity_in(arrays).reshape(-1, 3), "heat": arrays["heat"].ravel(),
        "age": arrays["age"].ravel() / np.maximum(density, 1e-6), "parts": share,
        "flame": arrays["flame"].ravel() if burns else none, "density": density,
    }  # fmt: skip
    return {
        "volume": {
            "density": _bytes(density, 255.0), "hot": hot, "tint": tint, "shape": np.array(box.shape, np.int32),
            "low": np.array(box.low, np.float32), "cell": np.array([box.cell], np.float32),
        },
        "gas": {name: np.clip(array, -6e4, 6e4).astype(np.float16) for name, array in half.items()},
    }  # fmt: skip


def _bytes(values: Array, times: float) -> Array:
    made: Array = np.clip(np.round(times * values), 0.0, 255.0).astype(np.uint8)
    return made


def grid_of(arrays: dict[str, Array], box: Box) -> VelocityGrid:
    """How the air moves, how dense the smoke is and how hot, in the middles of cells."""
    scalars = {"density": arrays["density"][None], "temperature": (arrays["heat"] + np.float32(AIR))[None]}
    origin = np.array(box.low) + 0.5 * box.cell
    return VelocityGrid(np.ascontiguousarray(velocity_in(arrays)[None], np.float32), origin, box.cell, 0.0, scalars)
