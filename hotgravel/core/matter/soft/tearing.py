"""Cloth that tears: its vertices part, each into several that keep some of the triangles that met there.

A vertex parts across the way in which the triangle that pulls most is pulled, as in the fracture of solids by O'Brien
and Hodgins (1999); so a tear runs on from its end, where the pull is greatest. Triangles stay whole.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from hotgravel.core.matter.drape import APART, BITS, CORNERS, corner_numbers, corner_rows
from hotgravel.core.matter.soft.model import Array, Energies, Ints, Model, Surface, woven
from hotgravel.core.matter.soft.state import Vertices


@dataclass(frozen=True, eq=False)
class Pull:
    """How triangles are pulled: how much longer than at rest each is along the way in which it is pulled most (T,), and
    that way (T, 3)."""

    stretch: Array
    way: Array


def pull_of(x: Array, triangles: Energies) -> Pull:
    """The greatest stretch of triangles, from the Cauchy-Green tensor of each."""
    n, nodes = triangles.numbers, triangles.nodes
    sides = [x[nodes[:, k]] - x[nodes[:, 0]] for k in (1, 2)]
    u, v = (n[:, w, None] * sides[0] + n[:, 2 + w, None] * sides[1] for w in (0, 1))
    uu, vv, uv = (np.einsum("ij,ij->i", a, b) for a, b in ((u, u), (v, v), (u, v)))
    turn = 0.5 * np.arctan2(2.0 * uv, uu - vv)[:, None]
    way = np.cos(turn) * u + np.sin(turn) * v
    long = np.linalg.norm(way, axis=1)
    return Pull(long - 1.0, way / np.maximum(long, 1e-30)[:, None])


def torn(model: Model, p: Vertices) -> tuple[Model, Ints]:
    """A model as it is torn, and the number in it of each element (k,): those that have come off a vertex stand at its
    end, before a last one for what is gone."""
    off = (p.corners & CORNERS > 0) & (p.corners & 1 == 0)
    many, count = len(model.place), int(off.sum())
    slots = p.vertex.copy()
    slots[off] = many + np.arange(count)
    extra = np.append(p.vertex[off], p.vertex[p.corners & CORNERS > 0][0])
    mass = np.concatenate([model.mass, model.mass[extra]])
    mass[slots] = p.mass
    given = model.triangles.given
    laid = np.append(slots, many + count)[corner_rows(given, p.vertex, p.corners)]
    folds = model.plates
    one, two = (_laid(given, laid, folds.sides[:, side], folds.nodes[:, [0, 1, 2 + side]]) for side in (0, 1))
    plates = replace(
        folds, nodes=np.concatenate([one, two[:, 2:]], axis=1), whole=(one[:, :2] == two[:, :2]).all(axis=1)
    )
    surfaces, start = list[Surface](), 0
    for surface in model.surfaces:
        if surface.woven:
            used, faces = np.unique(laid[start : start + len(surface.faces)], return_inverse=True)
            start += len(surface.faces)
            surface = woven(used, faces.reshape(-1, 3))
        surfaces.append(surface)
    return Model(
        np.concatenate([model.place, model.place[extra]]), mass, np.concatenate([model.body, model.body[extra]]),
        replace(model.triangles, nodes=laid[model.triangles.rows]), model.tets, plates, surfaces,
    ), slots  # fmt: skip


def _laid(given: Ints, laid: Ints, faces: Ints, nodes: Ints) -> Ints:
    """Where the vertices (B, k) of faces (B,) are laid."""
    place = np.argmax(given[faces][:, None, :] == nodes[:, :, None], axis=2)
    return np.take_along_axis(laid[faces], place, axis=1)


def parted(
    p: Vertices, slots: Ints, whole: Model, triangles: Energies, x: Array, most: Array,
    take: Callable[[int], Ints],
) -> Vertices:  # fmt: skip
    """Elements once those have parted that are pulled by more than they take, `most` (n,) by the vertices of `whole` as
    it is torn, which are at x (n, 3) and have some triangles, and those that a cue has parted; `slots` (k,) are their
    vertices in it. Two that share a triangle do not part at once. `take` gives new ids."""
    nodes, pull = triangles.nodes, pull_of(x, triangles)
    over = np.zeros(len(x))
    np.maximum.at(over, nodes.ravel(), np.repeat(pull.stretch, 3))
    over = np.where(p.corners & APART > 0, np.inf, over[slots] / most[slots])
    wanted = np.flatnonzero(over > 1.0)
    if not len(wanted):
        return p
    numbers = corner_numbers(whole.triangles.given)[triangles.rows].ravel()
    order = np.argsort(nodes.ravel(), kind="stable")
    starts = np.searchsorted(nodes.ravel()[order], np.arange(len(x) + 1))
    centre, calm = x[nodes].mean(axis=1), np.ones(len(x), bool)
    parents, corners, shares = list[int](), list[int](), list[float]()
    for element in wanted[np.argsort(-over[wanted], kind="stable")]:
        slot = slots[element]
        mine = order[starts[slot] : starts[slot + 1]]
        faces = mine // 3
        if not calm[nodes[faces]].all() or (numbers[mine] >= BITS).any():
            continue
        if np.isinf(over[element]):
            group = np.arange(len(mine))
            p.corners[element] &= CORNERS
        else:
            way = pull.way[faces[np.argmax(pull.stretch[faces])]]
            group = ((centre[faces] - x[slot]) @ way > 0.0).astype(int)
            if len(np.unique(group)) < 2:
                continue
        calm[nodes[faces]] = False
        area = triangles.numbers[faces, 4]
        for one in np.unique(group):
            parents.append(element)
            corners.append(int((1 << numbers[mine[group == one]]).sum()))
            shares.append(float(area[group == one].sum() / area.sum()))
    return _replaced(p, np.array(parents, int), np.array(corners, np.uint32), np.array(shares), take)


def _replaced(p: Vertices, parents: Ints, corners: Array, shares: Array, take: Callable[[int], Ints]) -> Vertices:
    """Elements of which some are in several parts (m,), with their corners and shares of the mass: the first part of
    each stays in its place."""
    first = np.unique(parents, return_index=True)[1]
    rest = np.setdiff1d(np.arange(len(parents)), first)
    new = p.at(parents[rest])
    new.id[:] = take(len(new))
    for of, which, rows in ((p, parents[first], first), (new, np.arange(len(new)), rest)):
        of.mass[which] *= shares[rows]
        of.corners[which] = corners[rows]
    return p.joined(new)
