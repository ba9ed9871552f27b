"""Where the faces of meshes that deform lie on a texture, as files have it: by corner, or by vertex."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.shape.unwrapping import Chart

Array = NDArray[Any]
FINE = 1e6  # steps across a texture that are told apart


def textured(made: Mapping[str, Array], chart: Chart) -> dict[str, Array]:
    """A mesh with places on a texture, `uv` (C, 2), and which of them each corner of its faces has, `uv_at` (F, 3), by
    where its vertices are at `rest` (V, 3). Each place is that of one vertex, and they follow one another as vertices
    do: without a seam, they are the vertices' own."""
    faces = made["faces"]
    uv = chart(made["rest"][faces].astype(np.float64)).reshape(-1, 2)
    told = np.column_stack([faces.ravel(), np.rint(FINE * uv).astype(np.int64)])
    _, first, at = np.unique(told, axis=0, return_index=True, return_inverse=True)
    return dict(made) | {"uv": uv[first].astype(np.float32), "uv_at": at.reshape(-1, 3).astype(np.int32)}


def split(made: dict[str, Array]) -> dict[str, Array]:
    """A mesh with a vertex for each place on its texture: what lies on a seam has several."""
    if "uv_at" not in made:
        return made
    vertex = np.zeros(len(made["uv"]), np.int64)
    vertex[made["uv_at"].ravel()] = made["faces"].ravel()
    own = {name: array[vertex] for name, array in made.items() if name not in ("faces", "uv", "uv_at")}
    return own | {"uv": made["uv"], "faces": made["uv_at"]}
