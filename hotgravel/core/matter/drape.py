"""Meshes that deform: what is drawn of elements that hang together, where they are."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.colour import rgb_of

Array = NDArray[Any]


def draped(mesh: Mapping[str, Array], kept: Mapping[str, Array]) -> dict[str, Array]:
    """A mesh as it lies at a frame: vertices (V, 3), faces (F, 3), colour (V,) as 0xrrggbb, velocity (V, 3). `mesh` has
    the vertices of the model that each of its own follows, nodes (V, 4) by shares (V, 4), and its faces; `kept` are the
    columns of a kept frame. Faces whose elements are gone are left out."""
    nodes, shares, faces = mesh["nodes"].astype(np.int64), mesh["shares"], mesh["faces"].astype(np.int64)
    at = np.full(max(int(nodes.max(initial=0)), int(kept["vertex"].max(initial=0))) + 1, -1)
    at[kept["vertex"]] = np.arange(len(kept["vertex"]))
    rows = at[nodes]
    there = np.asarray((rows >= 0).all(axis=1))
    faces = faces[there[faces].all(axis=1)]
    used, number = np.unique(faces, return_inverse=True)
    rows, shares = rows[used], shares[used][..., None].astype(np.float64)

    def at_corners(values: Array) -> Array:
        found: Array = (shares * values[rows]).sum(axis=1)
        return found

    rgb = np.round(255.0 * at_corners(rgb_of(kept["colour"]))).astype(np.uint32).reshape(-1, 3)
    return {
        "vertices": at_corners(kept["position"]).astype(np.float32).reshape(-1, 3),
        "faces": number.reshape(-1, 3).astype(np.int32), "colour": rgb[:, 0] << 16 | rgb[:, 1] << 8 | rgb[:, 2],
        "velocity": at_corners(kept["velocity"]).astype(np.float32).reshape(-1, 3),
    }  # fmt: skip
