"""Particles of a frame as PLY (binary, little endian): the Polygon File Format, version 1.0.

Columns: x y z (m), vx vy vz (m/s), age (s), radius (m), id, state, source. State and source
count in the shot's order, which a comment in the head spells out.
"""

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.run.frames import FrameStore
from hotgravel.core.shot.document import Shot

NAMES = ("position", "velocity", "age", "radius", "id", "state", "source")
ROW = np.dtype([
    ("x", "<f4"), ("y", "<f4"), ("z", "<f4"), ("vx", "<f4"), ("vy", "<f4"), ("vz", "<f4"),
    ("age", "<f4"), ("radius", "<f4"), ("id", "<i4"), ("state", "<i2"), ("source", "<i2"),
])  # fmt: skip
_TYPES = {"<f4": "float", "<i4": "int", "<i2": "short"}


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


def comments_for(shot: Shot, frame: int) -> list[str]:
    """What a reader of the file should know."""
    states = ", ".join(f"{i} {s.name}" for i, s in enumerate(shot.states))
    sources = ", ".join(f"{i} {s.id}" for i, s in enumerate(shot.supply))
    return [
        f"shot: {shot.name}", f"frame: {frame} at {shot.finish.rate:g} frames a second",
        "units: metres, seconds; y is up", f"states: {states}", f"sources: {sources}",
    ]  # fmt: skip


def export_ply(store: FrameStore, shot: Shot, frames: list[int], folder: Path) -> list[Path]:
    """One file a frame: particles.0001.ply and so on. Returns their paths."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = []
    for frame in frames:
        path = folder / f"particles.{frame:04d}.ply"
        path.write_bytes(ply_bytes(store.particles(frame, NAMES), comments_for(shot, frame)))
        paths.append(path)
    return paths
