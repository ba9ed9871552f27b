"""Meshes that deform: what is drawn of elements that hang together, where they are."""

from collections.abc import Iterable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.colour import bits_of, rgb_of

Array = NDArray[Any]
LEFT = 0.1  # where less is left of a skin, it is cut away
BITS = 31  # corners of faces at one vertex that can be told apart
CORNERS = (1 << BITS) - 1
TOLD = ("temperature", "stretch", "pressure", "arrived", "left")  # what files have of each corner, as matter has it
APART = 1 << BITS  # of a vertex that is to come off all of its corners


def draping(columns: Iterable[str], more: Iterable[str] = ()) -> tuple[str, ...]:
    """Those of a matter's columns that `draped` goes by, and more that are wanted."""
    wanted = dict.fromkeys(("vertex", "position", "velocity", "colour", "left", "corners", *more))
    return tuple(name for name in wanted if name in columns)


def draped(mesh: Mapping[str, Array], kept: Mapping[str, Array]) -> dict[str, Array]:
    """A mesh as it lies at a frame: vertices (V, 3), faces (F, 3), colour (V,) as 0xrrggbb, velocity (V, 3), and what
    there is of `TOLD` (V,) and `rest` (V, 3). `mesh` has the vertices of the model that each of its own follows, nodes
    (V, 4) by shares (V, 4), its faces, and (not in older runs) where those of the model, `model` (M,), are at `rest`
    (M, 3), as their prop then lies; `kept` are the columns of a kept frame. Faces whose elements are gone are left out;
    where a share of them is left, they are cut along where that is a tenth. Where elements have only some corners of
    their vertex, the mesh is torn."""
    nodes, shares, faces = mesh["nodes"].astype(np.int64), mesh["shares"], mesh["faces"].astype(np.int64)
    corners = kept.get("corners", np.zeros(len(kept["vertex"]), np.uint32))
    rows = corner_rows(nodes, kept["vertex"], corners * 0)
    torn = corners & CORNERS > 0
    if torn.any() and np.isin(kept["vertex"][torn], nodes).any():
        used, number = np.unique(corner_rows(nodes[faces, 0], kept["vertex"], corners), return_inverse=True)
        rows, faces = np.repeat(used[:, None], 4, axis=1), number.reshape(-1, 3)
        shares = np.eye(4)[np.zeros(len(used), int)]
    there = np.asarray((rows >= 0).all(axis=1))
    faces = faces[there[faces].all(axis=1)]
    used, number = np.unique(faces, return_inverse=True)
    rows, shares = rows[used], shares[used][..., None].astype(np.float64)

    def at_corners(values: Array) -> Array:
        found: Array = (shares * values[rows]).sum(axis=1)
        return found

    if "left" in kept:
        rows, shares, number = _cut(rows, shares, number.reshape(-1, 3), at_corners(kept["left"][:, None])[:, 0])
    made = {
        "vertices": at_corners(kept["position"]).astype(np.float32).reshape(-1, 3),
        "faces": number.reshape(-1, 3).astype(np.int32), "colour": bits_of(255.0 * at_corners(rgb_of(kept["colour"]))),
        "velocity": at_corners(kept["velocity"]).astype(np.float32).reshape(-1, 3),
        **{name: at_corners(kept[name][:, None])[:, 0].astype(np.float32) for name in TOLD if name in kept},
    }  # fmt: skip
    if "rest" in mesh:
        rest = np.zeros((max(int(mesh["model"].max(initial=0)), int(kept["vertex"].max(initial=0))) + 1, 3))
        rest[mesh["model"]] = mesh["rest"]
        made["rest"] = at_corners(rest[kept["vertex"]]).astype(np.float32).reshape(-1, 3)
    return made


def told_of(made: Mapping[str, Array]) -> dict[str, Array]:
    """What there is of `TOLD` (V,) at the corners of a mesh."""
    return {name: made[name] for name in TOLD if name in made}


def at_rest(nodes: Array, place: Array) -> dict[str, Array]:
    """The vertices `model` (M,) that a mesh follows, and where they are at rest (M, 3), of all places (n, 3)."""
    model = np.unique(nodes)
    return {"model": model.astype(np.int32), "rest": place[model].astype(np.float32)}


def corner_numbers(faces: Array) -> Array:
    """The number (F, 3) of each corner of faces among the corners at its vertex, in the order of faces."""
    flat = faces.ravel()
    order = np.argsort(flat, kind="stable")
    number = np.empty(len(flat), np.int64)
    number[order] = np.arange(len(flat)) - np.searchsorted(flat[order], flat[order])
    return number.reshape(faces.shape)


def corner_rows(faces: Array, vertex: Array, corners: Array) -> Array:
    """The element (F, k) that is at each corner of faces, by their vertices; -1 where none is. Element n is at
    `vertex[n]`: at all corners there where `corners[n]` is 0, else at those whose bits are set."""
    part = corners & CORNERS
    at = np.full(max(int(faces.max(initial=0)), int(vertex.max(initial=0))) + 1, -1)
    at[vertex[part == 0]] = np.flatnonzero(part == 0)
    found: Array = at[faces]
    some = np.flatnonzero(part)
    if len(some):
        which, bit = np.nonzero((part[some, None] >> np.arange(BITS, dtype=np.uint32)) & 1)
        key = vertex[some[which]].astype(np.int64) * BITS + bit
        order = np.argsort(key)
        number = corner_numbers(faces)
        mine = faces * BITS + number
        place = np.minimum(np.searchsorted(key[order], mine), len(key) - 1)
        hit = (key[order][place] == mine) & (number < BITS)
        found[hit] = some[which[order[place[hit]]]]
    return found


def _cut(rows: Array, shares: Array, faces: Array, left: Array) -> tuple[Array, Array, Array]:
    """Corners (V, 4) with shares (V, 4, 1), and faces between them (F, 3), without the parts of faces where less than
    `LEFT` is left, of `left` (V,) at the corners."""
    there = left >= LEFT
    many = there[faces].sum(axis=1)
    kept, new, cut = [faces[many == 3]], list[Array](), list[Array]()
    for alone, some in ((True, faces[many == 1]), (False, faces[many == 2])):
        # The corner that differs from the other two comes first.
        first = np.argmax(there[some] == alone, axis=1)[:, None]
        a, b, c = (np.take_along_axis(some, (first + n) % 3, axis=1)[:, 0] for n in range(3))
        ab, ac = (len(left) + len(np.concatenate([np.zeros(0), *cut])) + np.arange(len(a)) + n * len(a) for n in (0, 1))
        for other in (b, c):
            new.append(np.stack([a, other], axis=1))
            cut.append((LEFT - left[a]) / (left[other] - left[a]))
        kept += (
            [np.stack([a, ab, ac], axis=1)] if alone else [np.stack([ab, b, c], axis=1), np.stack([ab, c, ac], axis=1)]
        )
    ends, share = np.concatenate(new), np.concatenate(cut)[:, None, None]
    wide = np.concatenate([rows[ends[:, 0]], rows[ends[:, 1]]], axis=1)
    held = np.concatenate([(1.0 - share) * shares[ends[:, 0]], share * shares[ends[:, 1]]], axis=1)
    none = ((0, 0), (0, rows.shape[1]))
    rows = np.concatenate([np.pad(rows, none, mode="edge"), wide])
    shares = np.concatenate([np.pad(shares, (*none, (0, 0))), held])
    used, number = np.unique(np.concatenate(kept), return_inverse=True)
    return rows[used], shares[used], number
