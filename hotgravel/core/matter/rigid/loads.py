"""What bonds bear: rigid cells joined by springs across their faces.

The network of rigid bodies and springs of Kawai (1978), with the stiffness over the distance between the seeds of
Voronoi's cells that makes it elastically uniform (Bolander and Saito 1998): a face of area A between cells that are h
apart resists with E A / h in every direction and E / h times its second moments against turning, which is a solid with
Poisson's ratio nought. Cells that are kept in place do not give; a lump that is free bears what is left of its loads
once all of it falls and turns as one.

"""

import math
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.rigid.bonds import BondTable
from hotgravel.core.matter.rigid.factors import Factors
from hotgravel.core.matter.rigid.islands import groups
from hotgravel.core.matter.rigid.lumps import summed

SLIGHT = 1e-3  # of the least that a bond of a lump bears: loads that come to less together are none
GRIP = 0.6  # what presses on a bond adds so much of itself to its strength in shear
Flags = NDArray[np.bool_]


@dataclass
class Bearing:
    """What the bonds carry from step to step: which hold (B,), since when they do not (B,), seconds, -1 while they do
    or where their cells are gone; the share of their strength that each bears, the most of that since the last frame,
    and the most that it has ever borne (B,); the loads on cells and how far they give (C, 6)."""

    holds: NDArray[np.uint8]
    since: Array
    share: Array
    peak: Array
    worst: Array
    load: Array
    give: Array

    @classmethod
    def fresh(cls, table: BondTable) -> "Bearing":
        bonds, cells = len(table.pairs), len(table.cells)
        nothing = np.zeros(bonds)
        return cls(
            np.ones(bonds, np.uint8), np.full(bonds, -1.0), nothing, nothing.copy(), nothing.copy(),
            np.zeros((cells, 6)), np.zeros((cells, 6)),
        )  # fmt: skip

    @classmethod
    def of(cls, arrays: dict[str, Array]) -> "Bearing":
        """From a state's arrays."""
        return cls(**{name: arrays[f"bond_{name}"].copy() for name in cls.__dataclass_fields__})

    def arrays(self) -> dict[str, Array]:
        """As a state's arrays."""
        return {f"bond_{name}": getattr(self, name) for name in self.__dataclass_fields__}


@dataclass(frozen=True)
class Stress:
    """What each bond (B,) bears, Pa: in tension at its worst edge, and in shear; pressed is what presses on it."""

    tension: Array
    shear: Array
    pressed: Array


def shared_out(table: BondTable, bearing: Bearing, load: Array, kept: Flags, there: Flags, factors: Factors) -> Array:
    """How far cells give (C, 6) under loads (C, 6), forces in newtons and moments in newton metres about their centres,
    in the prop's frame; in place of what `bearing` had. Cells that are kept, and one of each free lump, do not."""
    holds = bearing.holds > 0
    cells = len(table.cells)
    lead = groups(cells, table.pairs[holds, 0], table.pairs[holds, 1], there)
    load = _relieved(table, holds, load, kept, lead)
    firm = kept | ~there | ((lead == np.arange(cells)) & ~_any(lead, kept)[lead])
    load = np.where(firm[:, None], 0.0, load)
    works = holds & table.solved
    if not factors.fit(table.bonded, works, firm) and (load == bearing.load).all():
        return bearing.give
    bearing.load, bearing.give = load, factors.answer(table.bonded, load)
    return bearing.give


def _any(lead: NDArray[np.int64], marked: Flags) -> Flags:
    """Whether any cell of the lump led by each cell (C,) is marked."""
    found = np.zeros(len(lead), bool)
    found[lead[marked]] = True
    return found


def _relieved(table: BondTable, holds: Flags, load: Array, kept: Flags, lead: NDArray[np.int64]) -> Array:
    """Loads less what makes a free lump fall and turn as a whole. Slight ones are none, and so are those on lumps that
    have no bonds that bear."""
    cells, held = len(lead), _any(lead, kept)
    weakest = np.full(cells, np.inf)
    bears = holds & table.solved
    np.minimum.at(weakest, lead[table.pairs[bears, 0]], (table.tension * table.area)[bears])
    bonded = weakest[lead] < np.inf
    load = np.where(bonded[:, None], load, 0.0)
    who = np.flatnonzero(bonded & ~held[lead])
    if not len(who):
        return load
    of, own = lead[who], load[who]
    mass = summed(table.mass[who], of, cells)
    middle = summed(table.mass[who, None] * table.centre[who], of, cells) / np.maximum(mass, 1e-300)[:, None]
    arm = table.centre[who] - middle[of]
    far = (arm * arm).sum(axis=1)[:, None, None] * np.eye(3) - arm[:, :, None] * arm[:, None, :]
    inertia = summed(table.inertia[who] + table.mass[who, None, None] * far, of, cells)
    force = summed(own[:, :3], of, cells)
    moment = summed(own[:, 3:] + np.cross(arm, own[:, :3]), of, cells)
    led = np.unique(of)
    straight, turning = np.zeros((cells, 3)), np.zeros((cells, 3))
    straight[led] = force[led] / mass[led, None]
    turning[led] = np.linalg.solve(inertia[led], moment[led][:, :, None])[:, :, 0]
    carries = table.mass[who, None] * (straight[of] + np.cross(turning[of], arm))
    own -= np.concatenate([carries, np.einsum("cij,cj->ci", table.inertia[who], turning[of])], axis=1)
    slight = summed(np.abs(own[:, :3]).sum(axis=1), of, cells) < SLIGHT * weakest
    load[who] = np.where(slight[of][:, None], 0.0, own)
    return load


@njit(cache=True)
def _stressed(pairs, works, arms, normal, area, second, stiff, turn, give, tension, shear, pressed):
    """What bonds that work bear where cells give so far (C, 6), as `Stress` has it; the others bear nothing."""
    w, m = np.empty(6), np.empty(3)
    for k in range(len(pairs)):
        tension[k], shear[k], pressed[k] = 0.0, 0.0, 0.0
        if not works[k]:
            continue
        w[:] = 0.0
        for side, way in ((0, -1.0), (1, 1.0)):
            of = pairs[k, side]
            x, y, z = arms[k, side, 0], arms[k, side, 1], arms[k, side, 2]
            p, q, r = give[of, 3], give[of, 4], give[of, 5]
            w[0] += way * (give[of, 0] + q * z - r * y)
            w[1] += way * (give[of, 1] + r * x - p * z)
            w[2] += way * (give[of, 2] + p * y - q * x)
            for c in range(3, 6):
                w[c] += way * give[of, c]
        pull, twist, polar = 0.0, 0.0, 0.0
        for i in range(3):
            m[i] = turn[k, i, 0] * w[3] + turn[k, i, 1] * w[4] + turn[k, i, 2] * w[5]
            pull += stiff[k] * w[i] * normal[k, i]
            twist += m[i] * normal[k, i]
            polar += second[k, i, i]
        across, bent = 0.0, 0.0
        for i in range(3):
            across += (stiff[k] * w[i] - pull * normal[k, i]) ** 2
            m[i] -= twist * normal[k, i]
            bent += m[i] ** 2
        about = polar
        for i in range(3):
            for j in range(3):
                about -= m[i] * second[k, i, j] * m[j] / max(bent, 1e-300)
        # The edge is where a rectangle of the same second moment has it.
        about, direct = max(about, 1e-300), pull / area[k]
        tension[k] = direct + math.sqrt(bent) * math.sqrt(3.0 * about / area[k]) / about
        wrung = abs(twist) * math.sqrt(1.5 * polar / area[k]) / max(polar, 1e-300)
        shear[k], pressed[k] = math.sqrt(across) / area[k] + wrung, max(-direct, 0.0)


def stress_in(table: BondTable, holds: Flags, give: Array) -> Stress:
    """What the bonds bear where cells give so far (C, 6)."""
    found = Stress(*(np.empty(len(table.pairs)) for _ in range(3)))
    _stressed(
        table.pairs, holds & table.solved, table.arms, table.normal, table.area, table.second, *table.springs, give,
        found.tension, found.shear, found.pressed,
    )  # fmt: skip
    return found


def borne(table: BondTable, stress: Stress, share: Array) -> Array:
    """The share (B,) of its strength that each bond bears, where it has so much (B,) of that in the table."""
    solved = table.solved
    tension = np.where(solved, table.tension * share, 1.0)
    shear = np.where(solved, table.shear * share, 1.0) + GRIP * stress.pressed
    with np.errstate(divide="ignore", invalid="ignore"):
        found = np.maximum(stress.tension / tension, stress.shear / shear)
    return np.where(solved, np.nan_to_num(found, nan=0.0, posinf=1e9), 0.0)
