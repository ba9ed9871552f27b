"""The bonds between the pieces of cut props: which faces they glue, how strong they are, what anchors the pieces.

All lengths and directions of a bond lie in its prop's own frame, at the size that the prop has at the first frame:
while bonds hold, nothing changes there.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from hotgravel.core.chance import uniforms
from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.rigid.cast import Role
from hotgravel.core.matter.rigid.factors import Bonded
from hotgravel.core.noise import noise_at
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shot.bonds import Bonds, ByNothing, InZone, NearProps
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.rigid import InPieces

Ints = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class BondTable:
    """Bonds between cells, each a piece that is bonded to others.

    cells (C,) are numbers of roles; pairs (B, 2) of cells; rows (B,) count in `told`. area (B,) m², middle (B, 3) m,
    normal (B, 3) out of the first cell, second (B, 3, 3) m⁴ about the middle, apart (B,) m; arms (B, 2, 3) m, from the
    centre of each cell to the middle. tension, shear and stiffness (B,) Pa; solved (B,) tells which bear loads, and
    anchored (C,) which cells stay in place. mass (C,) kg, centre (C, 3) m and inertia (C, 3, 3) kg m² of cells.
    """

    told: tuple[Bonds, ...]
    cells: Ints
    pairs: Ints
    rows: Ints
    area: Array
    middle: Array
    normal: Array
    second: Array
    apart: Array
    arms: Array
    tension: Array
    shear: Array
    stiffness: Array
    solved: NDArray[np.bool_]
    anchored: NDArray[np.bool_]
    mass: Array
    centre: Array
    inertia: Array

    @cached_property
    def row_of(self) -> Ints:
        """The row (C,) of each cell, counted in `told`."""
        found = np.zeros(len(self.cells), np.int64)
        found[self.pairs.ravel()] = np.repeat(self.rows, 2)
        return found

    @cached_property
    def across(self) -> Array:
        """Two vectors (B, 2, 3) in each face, as long as half of a rectangle with its second moments."""
        size, way = np.linalg.eigh(self.second)
        half = np.sqrt(np.maximum(3.0 * size / self.area[:, None], 0.0))[:, 1:]
        found: Array = np.einsum("bjc,bc->bcj", way[:, :, 1:], half)
        return found

    @cached_property
    def springs(self) -> tuple[Array, Array]:
        """What each bond resists with: (B,) N/m straight on, and (B, 3, 3) N m against turning."""
        density = self.stiffness / self.apart
        trace = np.trace(self.second, axis1=1, axis2=2)[:, None, None] * np.eye(3)
        return density * self.area, density[:, None, None] * (trace - self.second)

    @cached_property
    def bonded(self) -> Bonded:
        """The stiffness of bonds between their cells."""
        stiff, turn = self.springs
        spring = np.zeros((len(stiff), 6, 6))
        spring[:, [0, 1, 2], [0, 1, 2]] = stiff[:, None]
        spring[:, 3:, 3:] = turn
        ends = np.stack([_ends(self.arms[:, side], way) for side, way in ((0, -1.0), (1, 1.0))], axis=1)
        blocks = np.einsum("bpki,bkl,bqlj->bpqij", ends, spring, ends, optimize=True)
        return Bonded(len(self.cells), self.pairs, blocks, float(stiff.mean()))


def _ends(arm: Array, way: float) -> Array:
    """What each motion of a cell (B, 6, 6) does at the middle of its bond: straight on, and turning."""
    made = np.zeros((len(arm), 6, 6))
    made[:, range(6), range(6)] = 1.0
    x, y, z = arm.T
    made[:, 0, 4], made[:, 0, 5] = z, -y
    made[:, 1, 3], made[:, 1, 5] = -z, x
    made[:, 2, 3], made[:, 2, 4] = y, -x
    return way * made


def bonds_of(setting: Setting, roles: Sequence[Role]) -> BondTable | None:
    """The bonds of a shot; None where it has none. Raises `ShotFault`."""
    shot, faults = setting.shot, list[Fault]()
    pieces: dict[str, list[int]] = {}
    for number, role in enumerate(roles):
        if isinstance(role.row.copies, InPieces):
            pieces.setdefault(role.prop.id, []).append(number)
    told: dict[str, Bonds] = {}
    for row in shot.bonds:
        if row.prop not in pieces:
            said = f"{shot.names()[row.prop]} is no body in its pieces. Accepted: a prop that is cut, and rigid so."
            faults.append(Fault(row.id, "prop", said))
        elif row.prop in told:
            said = f"{shot.names()[row.prop]} has bonds of another row too. Accepted: one that is on."
            faults.append(Fault(row.id, "prop", said))
        else:
            told[row.prop] = row
    if faults:
        raise ShotFault(faults)
    made, first = [], 0
    for number, row in enumerate(told.values()):
        mine = pieces[row.prop]
        made.append(_bonded(setting, [roles[k] for k in mine], np.array(mine), row, number, first))
        first += len(mine)
    if not made:
        return None
    columns = {name: np.concatenate([part[name] for part in made]) for name in made[0]}
    return BondTable(tuple(told.values()), **columns)


def _bonded(
    setting: Setting, roles: Sequence[Role], numbers: Ints, row: Bonds, told: int, first: int
) -> dict[str, Array]:
    """The columns of one row's bonds."""
    shared, scale = setting.cuttings[row.prop].shared, setting.at_first[row.prop].scale
    material, count = row.material, len(shared.pairs)
    centres = scale * np.array([role.model.centre for role in roles])
    middle, area, apart = scale * shared.middles, scale**2 * shared.areas, scale * shared.apart
    mass = np.array([role.row.density * role.model.volume for role in roles]) * scale**3
    own = np.array([
        role.row.density * scale**5 * role.model.axes @ np.diag(role.model.inertia) @ role.model.axes.T
        for role in roles
    ])  # fmt: skip
    share = _strengths(row, shared.middles * scale, apart) * _clustered(row, centres, shared.pairs)
    tension, shear, stiffness = (
        (material.tension * share, material.shear * share, np.full(count, material.stiffness))
        if material
        else (np.full(count, np.inf), np.full(count, np.inf), np.ones(count))
    )
    # A cell that came out thin may have its seed on the wrong side: what it is apart from others is bounded from below.
    apart = np.maximum(apart, 0.05 * np.sqrt(area))
    return {
        "cells": numbers, "pairs": shared.pairs + first, "rows": np.full(count, told), "area": area, "middle": middle,
        "normal": shared.normals, "second": scale**4 * shared.seconds, "apart": apart,
        "arms": middle[:, None] - centres[shared.pairs], "tension": tension, "shear": shear, "stiffness": stiffness,
        "solved": np.full(count, material is not None), "anchored": _anchored(setting, roles, row),
        "mass": mass, "centre": centres, "inertia": own,
    }  # fmt: skip


def _strengths(row: Bonds, middle: Array, apart: Array) -> Array:
    """What each bond has of the material's strength: by chance, by veins, and by how finely it is cut."""
    u = uniforms(np.arange(len(middle), dtype=np.uint64), 1, seed=row.seed, who=row.id)[:, 0]
    share = 1.0 + row.spread * (2.0 * u - 1.0)
    if row.veins > 0.0:
        # Noise crosses nought along sheets, which are the veins.
        away = np.abs(noise_at(middle, size=row.vein_size, octaves=2, seed=row.seed))
        share = share * (1.0 - row.veins * np.exp(-((away / 0.15) ** 2)))
    return share * (apart / apart.mean()) ** row.finer if len(apart) else share


def _clustered(row: Bonds, centres: Array, pairs: Ints) -> Array:
    """How many times as strong each bond is because of the clusters that pieces are joined into: each belongs to the
    nearest of some pieces that chance chooses."""
    if row.clusters is None:
        return np.ones(len(pairs))
    u = uniforms(np.arange(len(centres), dtype=np.uint64), 1, seed=row.seed, who=row.id, purpose=1)[:, 0]
    heads = np.argsort(u, kind="stable")[: row.clusters]
    of = cKDTree(centres[heads]).query(centres)[1]
    return np.where(of[pairs[:, 0]] == of[pairs[:, 1]], row.firmer, 1.0)


def _anchored(setting: Setting, roles: Sequence[Role], row: Bonds) -> NDArray[np.bool_]:
    """Which pieces stay where they are, by where their prop has them as all begins."""
    pose, scene = setting.at_first[row.prop], setting.scene(setting.shot.finish.begins)
    found = np.zeros(len(roles), bool)
    match row.support:
        case ByNothing():
            pass
        case InZone(zone=zone):
            found = scene.weight_in(zone, pose.to_world(np.array([role.model.centre for role in roles]))) > 0.5
        case NearProps(props=props, distance=distance):
            sides = [of.vertices[of.faces].mean(axis=1) for of in (role.shape for role in roles)]
            spots = [
                pose.to_world(np.concatenate([role.shape.vertices, side]))
                for role, side in zip(roles, sides, strict=True)
            ]
            ends = np.cumsum([len(of) for of in spots])[:-1]
            for prop in (p for p in props if p in scene.poses):
                off = np.split(scene.distance_to(prop, np.concatenate(spots)), ends)
                found |= np.array([of.min(initial=np.inf) <= distance for of in off])
    return found
