"""The bonds in one step: what holds at its start, what its loads part, and what is kept of that."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.drive.value import each
from hotgravel.core.matter.contract import Array, Openings, Seam
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.elements import LOOSE, NOBODY, PINNED
from hotgravel.core.matter.rigid.bonds import BondTable
from hotgravel.core.matter.rigid.breaking import (
    BREAKS,
    CUE,
    Cells,
    bodies_of,
    cells_of,
    give_way,
    hits_of,
    joined,
    loads_on,
    parted,
    turned_out,
)
from hotgravel.core.matter.rigid.contacts import Contacts
from hotgravel.core.matter.rigid.factors import Factors
from hotgravel.core.matter.rigid.loads import Bearing
from hotgravel.core.matter.rigid.lumps import Lumps, lumps_of
from hotgravel.core.matter.rigid.state import Bodies

Ints = NDArray[np.int64]


@dataclass
class Bonding:
    """Bonds at work: where their cells are, what they bear, what each cell has of its strength (C,), and what is to be
    told of those that gave way since the last frame."""

    table: BondTable
    cells: Cells
    bearing: Bearing
    strength: Array
    told: list[dict[str, Array]]
    factors: Factors

    @classmethod
    def of(
        cls, table: BondTable, arrays: dict[str, Array], bodies: Bodies, axes: Array, seam: Seam, factors: Factors
    ) -> "Bonding":
        """The bonds at a step's start, less those of pieces that a cue has parted or that are gone; axes (C, 3, 3) are
        those of the cells' models."""
        cells, bearing = cells_of(table, bodies, axes), Bearing.of(arrays)
        made = cls(table, cells, bearing, _strengths(table, cells, bodies, seam), [], factors)
        if seam.frame != np.floor(seam.frame):
            made.told.append(breaks_in(arrays))
        else:
            bearing.peak[:] = 0.0
        bearing.holds[~cells.there[table.pairs].all(axis=1)] = 0
        going = cells.there & (bodies.parting[np.maximum(cells.body, 0)] > 0)
        which = np.flatnonzero((bearing.holds > 0) & going[table.pairs].any(axis=1))
        if len(which):
            nobody = np.full(len(bodies), NOBODY)
            none = np.zeros(len(which))
            made.told.append(parted(table, cells, bearing, bodies, which, np.full(len(which), CUE), nobody, none))
            bodies.asleep[cells.body[table.pairs[which]]] = 0
        bodies.parting[:] = 0
        return made

    @property
    def bonded(self) -> Ints:
        """The bodies (k, 2) of the bonds that hold."""
        return self.cells.bonded(self.table, self.bearing.holds)

    def bear(self, bodies: Bodies, lumps: Lumps, new: Contacts, steady: Array, named: Ints, dt: float) -> bool:
        """Let go of the bonds that the loads of a step are too much for: contacts, and steady pulls (n, 3), m/s².
        named (n + m,) is what bodies and obstacles are called. Returns whether any gave way."""
        if not self.table.solved.any():
            return False
        load = loads_on(self.table, self.cells, self.bearing, bodies, new, steady, dt)
        hitting = hits_of(lumps, bodies, new, named)
        broken = give_way(self.table, self.cells, self.bearing, bodies, load, self.strength, self.factors, hitting)
        if broken is None:
            return False
        self.told.append(broken)
        ends = np.concatenate([broken["one"], broken["other"]])
        stirred = np.isin(bodies.id, ends)
        bodies.asleep[lumps.any(stirred)] = 0
        return True

    def kept(self, bodies: Bodies, dt: float) -> dict[str, Array]:
        """What a state keeps after a step of dt seconds; bodies learn what their bonds bear and how many they have."""
        table, holds = self.table, self.bearing.holds > 0
        self.bearing.since[self.bearing.since >= 0.0] += dt
        cells = len(table.cells)
        share = np.zeros(cells)
        self.bearing.peak = np.where(holds, np.maximum(self.bearing.peak, self.bearing.share), 0.0)
        np.maximum.at(share, table.pairs.ravel(), np.repeat(self.bearing.peak, 2))
        there = np.flatnonzero(self.cells.there)
        body = self.cells.body[there]
        bodies.load[body] = share[there]
        bodies.give[body] = np.linalg.norm(self.bearing.give[there, :3], axis=1)
        bodies.bonds[body] = np.bincount(table.pairs[holds].ravel(), minlength=cells)[there]
        bodies.lost[body] = np.bincount(table.pairs[~holds].ravel(), minlength=cells)[there]
        return self.bearing.arrays() | told_of(self.told)


def bonded_anew(
    table: BondTable, arrays: dict[str, Array], bodies: Bodies, fresh: NDArray[np.bool_]
) -> dict[str, Array]:
    """What a state keeps where some bodies (n,) have just begun: all their bonds hold, and those that are anchored stay
    where they are."""
    bearing, body = Bearing.of(arrays), bodies_of(table, bodies)
    new = body >= 0
    new[new] = fresh[body[new]]
    mine = new[table.pairs].any(axis=1)
    bearing.holds[mine], bearing.since[mine], bearing.worst[mine], bearing.share[mine] = 1, -1.0, 0.0, 0.0
    bearing.load[new] = 0.0
    stays = body[new & table.anchored]
    bodies.pinned[stays[bodies.pinned[stays] == LOOSE]] = PINNED
    bodies.bonds[body[new]] = np.bincount(table.pairs.ravel(), minlength=len(new))[new]
    ends = body[table.pairs[bearing.holds > 0]]
    lumps_of(bodies, ends[(ends >= 0).all(axis=1)])
    return bearing.arrays()


def openings(table: BondTable, arrays: dict[str, Array], bodies: Bodies, axes: Array, until: float) -> Openings:
    """The faces whose bonds gave way so many seconds ago or later; axes (C, 3, 3) are those of the cells' models."""
    where, since = bodies_of(table, bodies), arrays["bond_since"]
    which = np.flatnonzero((since >= 0.0) & (since <= until) & (where[table.pairs] >= 0).all(axis=1))
    pairs = table.pairs[which]
    body = where[pairs]
    turn = turned_out(bodies.turn[body.ravel()], axes[pairs.ravel()]).reshape(-1, 2, 3, 3)
    arm = np.einsum("ksij,ksj->ksi", turn, table.arms[which])
    place, velocity = bodies.position[body] + arm, bodies.velocity[body] + np.cross(bodies.spin[body], arm)
    across = np.einsum("kij,kcj->kci", turn[:, 0], table.across[which])
    return Openings(
        bodies.id[body[:, 0]], bodies.state[body[:, 0]], bodies.temperature[body].mean(axis=1), place.mean(axis=1),
        across, np.einsum("kij,kj->ki", turn[:, 0], table.normal[which]), table.area[which], velocity.mean(axis=1),
        np.linalg.norm(velocity[:, 1] - velocity[:, 0], axis=1), since[which],
    )  # fmt: skip


def told_of(told: list[dict[str, Array]]) -> dict[str, Array]:
    """As a state's arrays."""
    return {f"break_{name}": array for name, array in joined(told).items()}


def breaks_in(arrays: dict[str, Array]) -> dict[str, Array]:
    """What a state tells of the bonds that gave way on the way to its frame."""
    return {name: arrays[f"break_{name}"] for name in BREAKS}


def _strengths(table: BondTable, cells: Cells, bodies: Bodies, seam: Seam) -> Array:
    """What each cell has of its material's strength at the moment."""
    found, ask = np.ones(len(table.cells)), asking(bodies, seam.scene)
    for number, row in enumerate(table.told):
        mine = np.flatnonzero((table.row_of == number) & cells.there)
        asked = each(row, "strength", ask)
        found[mine] = asked[0] if len(asked) == 1 else asked[cells.body[mine]]
    return found
