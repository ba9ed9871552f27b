"""Particles of a frame as PLY (binary, little endian): the Polygon File Format, version 1.0.

Columns: x y z and vx vy vz (in the wanted unit, a second), age (s), radius, id, state, source.
State and source count in the shot's order, which a comment in the head spells out.
"""

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.exchange.take import Step, Take, Wish

NAMES = ("position", "velocity", "age", "radius", "id", "state", "source")
ROW = np.dtype([
    ("x", "<f4"), ("y", "<f4"), ("z", "<f4"), ("vx", "<f4"), ("vy", "<f4"), ("vz", "<f4"),
    ("age", "<f4"), ("radius", "<f4"), ("id", "<i4"), ("state", "<i2"), ("source", "<i2"),
])  # fmt: skip
_TYPES = {"<f4": "float", "<i4": "int", "<i2": "short"}


def write_ply(take: Take, wish: Wish) -> Iterator[Step]:
    """One file a frame."""
    for frame in wish.frames:
        particles = take.store.particles(frame, NAMES)
        for name in ("position", "velocity"):
            particles[name] = wish.placed(particles[name])
        particles["radius"] = particles["radius"] * wish.scale
        yield wish.name(take, frame, ".ply"), ply_bytes(particles, _comments(take, wish, frame))


def ply_bytes(particles: dict[str, NDArray[Any]], comments: list[str]) -> bytes:
    """A whole PLY file from arrays named as in the frame store."""
    rows = np.zeros(len(particles["id"]), ROW)
    for axis, (at, going) in enumerate((("x", "vx"), ("y", "vy"), ("z", "vz"))):
        rows[at], rows[going] = particles["position"][:, axis], particles["velocity"][:, axis]
    for name in ("age", "radius", "id", "state", "source"):
        rows[name] = particles[name]
    head = ["ply", "format binary_little_endian 1.0"]
    head += [f"comment {' '.join(c.split())}" for c in comments]
    head.append(f"element vertex {len(rows)}")
    head += [f"property {_TYPES[ROW[name].str]} {name}" for name in ROW.names or ()]
    head.append("end_header\n")
    return "\n".join(head).encode("ascii", "replace") + rows.tobytes()


def _comments(take: Take, wish: Wish, frame: int) -> list[str]:
    states = ", ".join(f"{i} {s.name}" for i, s in enumerate(take.shot.states))
    sources = ", ".join(f"{i} {s.id}" for i, s in enumerate(take.shot.supply))
    unit = "metres" if wish.unit == "m" else "centimetres"
    return [
        *(f"{name}: {value}" for name, value in take.origin.items()),
        f"frame: {frame} at {take.shot.finish.rate:g} frames a second",
        f"units: {unit}, seconds; {wish.up} is up", f"states: {states}", f"sources: {sources}",
    ]  # fmt: skip
