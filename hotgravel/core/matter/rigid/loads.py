"""What bonds bear: rigid cells joined by springs across their faces.

The network of rigid bodies and springs of Kawai (1978), with the stiffness over the distance between the seeds of
Voronoi's cells that makes it elastically uniform (Bolander and Saito 1998): a face of area A between cells that are h
apart resists with E A / h in every direction and E / h times its second moments against turning, which is a solid with
Poisson's ratio nought. Cells that are kept in place do not give; a lump that is free bears what is left of its loads
once all of it falls and turns as one.

The system is solved by conjugate gradients, with the factors of an earlier one before them: as few bonds break at once,
few rounds are needed. Which one was factored is part of the state, so that a run that is resumed gets the same bytes.
"""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.sparse import csc_matrix
from scipy.sparse.linalg import splu

from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.rigid.bonds import BondTable
from hotgravel.core.matter.rigid.islands import groups
from hotgravel.core.matter.rigid.lumps import summed

ROUNDS = 24  # of conjugate gradients before the system is factored anew
FEW = 8  # bonds and cells that are not as they were: with more, new factors are quicker than rounds
CLOSE = 1e-8  # of what the loads do: where the rounds end, squared
SLIGHT = 1e-3  # of the least that a bond of a lump bears: loads that come to less together are none
GRIP = 0.6  # what presses on a bond adds so much of itself to its strength in shear
Flags = NDArray[np.bool_]
Solve = Callable[[Array], Array]


@dataclass
class Bearing:
    """What the bonds carry from step to step: which hold (B,), since when they do not (B,), seconds, -1 while they do
    or where their cells are gone; the share of their strength that each bears, the most of that since the last frame,
    and the most that it has ever borne (B,); the loads on cells and how far they give (C, 6); and which bonds held, and
    which cells were firm, when that was found and when the system was factored."""

    holds: NDArray[np.uint8]
    since: Array
    share: Array
    peak: Array
    worst: Array
    load: Array
    give: Array
    found: NDArray[np.uint8]
    found_firm: NDArray[np.uint8]
    factored: NDArray[np.uint8]
    factored_firm: NDArray[np.uint8]

    @classmethod
    def fresh(cls, table: BondTable) -> "Bearing":
        bonds, cells = len(table.pairs), len(table.cells)
        nothing = np.zeros(bonds)
        return cls(
            np.ones(bonds, np.uint8), np.full(bonds, -1.0), nothing, nothing.copy(), nothing.copy(),
            np.zeros((cells, 6)), np.zeros((cells, 6)), *(np.zeros(n, np.uint8) for n in (bonds, cells, bonds, cells)),
        )  # fmt: skip

    @classmethod
    def of(cls, arrays: dict[str, Array]) -> "Bearing":
        """From a state's arrays."""
        return cls(**{name: arrays[f"bond_{name}"].copy() for name in cls.__dataclass_fields__})

    def arrays(self) -> dict[str, Array]:
        """As a state's arrays."""
        return {f"bond_{name}": getattr(self, name) for name in self.__dataclass_fields__}


@dataclass
class Factors:
    """The factors of one system. They say nothing that the state does not: they are made again where they are
    missing."""

    key: bytes = b""
    solve: Solve = field(default=lambda load: load)


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
    same = (load == bearing.load).all() and (bearing.found == holds).all() and (bearing.found_firm == firm).all()
    if same:
        return bearing.give
    give = None
    if not load.any():
        give = np.zeros((cells, 6))
    elif bearing.factored.any() and _changed(bearing, holds, firm) <= FEW:
        solve = _factors(table, bearing.factored > 0, bearing.factored_firm > 0, factors)
        give = _conjugate(table, holds, firm, load, np.where(firm[:, None], 0.0, bearing.give), solve)
    if give is None:
        bearing.factored, bearing.factored_firm = holds.astype(np.uint8), firm.astype(np.uint8)
        give = _factors(table, holds, firm, factors)(load.ravel()).reshape(-1, 6)
    bearing.load, bearing.give = load, give
    bearing.found, bearing.found_firm = holds.astype(np.uint8), firm.astype(np.uint8)
    return give


def _changed(bearing: Bearing, holds: Flags, firm: Flags) -> int:
    """How many bonds and cells are not as they were when the system was factored."""
    return int((bearing.factored != holds).sum() + (bearing.factored_firm != firm).sum())


def _any(lead: NDArray[np.int64], marked: Flags) -> Flags:
    """Whether any cell of the lump led by each cell (C,) is marked."""
    found = np.zeros(len(lead), bool)
    found[lead[marked]] = True
    return found


def _relieved(table: BondTable, holds: Flags, load: Array, kept: Flags, lead: NDArray[np.int64]) -> Array:
    """Loads less what makes a free lump fall and turn as a whole; slight ones are none."""
    held = _any(lead, kept)
    cells = len(lead)

    centre = table.centre
    mass = summed(table.mass, lead, cells)
    middle = summed(table.mass[:, None] * centre, lead, cells) / np.maximum(mass, 1e-300)[:, None]
    arm = centre - middle[lead]
    far = (arm * arm).sum(axis=1)[:, None, None] * np.eye(3) - arm[:, :, None] * arm[:, None, :]
    inertia = summed(table.inertia + table.mass[:, None, None] * far, lead, cells)
    force = summed(load[:, :3], lead, cells)
    moment = summed(load[:, 3:] + np.cross(arm, load[:, :3]), lead, cells)
    led = np.flatnonzero((lead == np.arange(cells)) & ~held)
    straight, turning = np.zeros((cells, 3)), np.zeros((cells, 3))
    straight[led] = force[led] / mass[led, None]
    turning[led] = np.linalg.solve(inertia[led], moment[led][:, :, None])[:, :, 0]
    own = table.mass[:, None] * (straight[lead] + np.cross(turning[lead], arm))
    left = load - np.concatenate([own, np.einsum("cij,cj->ci", table.inertia, turning[lead])], axis=1)
    weakest = np.full(cells, np.inf)
    bears = holds & table.solved
    np.minimum.at(weakest, lead[table.pairs[bears, 0]], (table.tension * table.area)[bears])
    slight = summed(np.abs(left[:, :3]).sum(axis=1), lead, cells) < SLIGHT * weakest
    slight[weakest == np.inf] = True
    slight &= ~held | (weakest == np.inf)
    return np.where(slight[lead][:, None], 0.0, left)


def _factors(table: BondTable, holds: Flags, firm: Flags, factors: Factors) -> Solve:
    key = np.packbits(holds).tobytes() + np.packbits(firm).tobytes()
    if factors.key != key:
        matrix = system(table, holds, firm)
        made = splu(matrix, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True})
        factors.key, factors.solve = key, made.solve
    return factors.solve


def system(table: BondTable, holds: Flags, firm: Flags) -> Any:
    """The stiffness matrix (6 C, 6 C) of the bonds that hold; cells that are firm stand for themselves."""
    blocks, slots, indices, starts, diagonal = table.layout
    works = holds & table.solved
    free = ~firm[table.pairs]
    bears = works[:, None, None] & free[:, :, None] & free[:, None, :]
    values = np.where(bears[..., None, None], blocks, 0.0)
    data = np.bincount(slots.ravel(), values.ravel(), len(indices))
    alone = np.repeat(firm | ~_any_bond(table, np.flatnonzero(works)), 6)
    data[diagonal[alone]] = float(table.springs[0].mean())
    made = csc_matrix((data, indices.copy(), starts.copy()), (len(diagonal), len(diagonal)))
    made.eliminate_zeros()  # of bonds that are gone: the factors would be as large as at first
    return made


def _any_bond(table: BondTable, bonds: NDArray[np.int64]) -> Flags:
    """Which cells have any of the bonds."""
    found = np.zeros(len(table.cells), bool)
    found[table.pairs[bonds]] = True
    return found


@njit(cache=True)
def _answer(pairs, works, firm, arms, stiff, turn, give, out, inner):
    """What the bonds that work make of how far cells give (C, 6): forces and moments on cells, into out (C, 6); and
    into inner (B, 6) those across each bond, on its first cell."""
    out[:] = 0.0
    w = np.empty(6)
    for k in range(len(pairs)):
        if not works[k]:
            continue
        a, b = pairs[k, 0], pairs[k, 1]
        for side in range(2):
            way, of = (-1.0, a) if side == 0 else (1.0, b)
            x, y, z = arms[k, side, 0], arms[k, side, 1], arms[k, side, 2]
            p, q, r = give[of, 3], give[of, 4], give[of, 5]
            if side == 0:
                w[:] = 0.0
            w[0] += way * (give[of, 0] + q * z - r * y)
            w[1] += way * (give[of, 1] + r * x - p * z)
            w[2] += way * (give[of, 2] + p * y - q * x)
            for c in range(3):
                w[3 + c] += way * give[of, 3 + c]
        f0, f1, f2 = stiff[k] * w[0], stiff[k] * w[1], stiff[k] * w[2]
        m0 = turn[k, 0, 0] * w[3] + turn[k, 0, 1] * w[4] + turn[k, 0, 2] * w[5]
        m1 = turn[k, 1, 0] * w[3] + turn[k, 1, 1] * w[4] + turn[k, 1, 2] * w[5]
        m2 = turn[k, 2, 0] * w[3] + turn[k, 2, 1] * w[4] + turn[k, 2, 2] * w[5]
        inner[k, 0], inner[k, 1], inner[k, 2], inner[k, 3], inner[k, 4], inner[k, 5] = f0, f1, f2, m0, m1, m2
        for side in range(2):
            way, of = (-1.0, a) if side == 0 else (1.0, b)
            if firm[of]:
                continue
            x, y, z = arms[k, side, 0], arms[k, side, 1], arms[k, side, 2]
            out[of, 0] += way * f0
            out[of, 1] += way * f1
            out[of, 2] += way * f2
            out[of, 3] += way * (m0 + y * f2 - z * f1)
            out[of, 4] += way * (m1 + z * f0 - x * f2)
            out[of, 5] += way * (m2 + x * f1 - y * f0)


def _conjugate(table: BondTable, holds: Flags, firm: Flags, load: Array, give: Array, solve: Solve) -> Array | None:
    """How far cells give (C, 6), from a first guess; None where the rounds do not suffice."""
    stiff, turn = table.springs
    works, alone = holds & table.solved, firm | ~_any_bond(table, np.flatnonzero(holds & table.solved))
    own, out, inner = float(stiff.mean()), np.empty_like(load), np.empty((len(stiff), 6))

    def answer(x: Array) -> Array:
        _answer(table.pairs, works, firm, table.arms, stiff, turn, x, out, inner)
        return out + own * np.where(alone[:, None], x, 0.0)

    start = float((load * solve(load.ravel()).reshape(-1, 6)).sum())
    left = load - answer(give)
    ready = solve(left.ravel()).reshape(-1, 6)
    way, now = ready.copy(), float((left * ready).sum())
    for _ in range(ROUNDS):
        if now <= CLOSE * start:
            return give
        pushed = answer(way)
        along = now / float((way * pushed).sum())
        give = give + along * way
        left = left - along * pushed
        ready = solve(left.ravel()).reshape(-1, 6)
        now, was = float((left * ready).sum()), now
        way = ready + (now / was) * way
    return None


def stress_in(table: BondTable, holds: Flags, give: Array) -> Stress:
    """What the bonds bear where cells give so far (C, 6)."""
    stiff, turn = table.springs
    out, inner = np.empty_like(give), np.zeros((len(stiff), 6))
    firm = np.zeros(len(table.cells), bool)
    _answer(table.pairs, holds & table.solved, firm, table.arms, stiff, turn, give, out, inner)
    force, moment, normal = inner[:, :3], inner[:, 3:], table.normal
    pull = (force * normal).sum(axis=1)
    across = np.linalg.norm(force - pull[:, None] * normal, axis=1)
    twist = (moment * normal).sum(axis=1)
    bend = moment - twist[:, None] * normal
    size = np.linalg.norm(bend, axis=1)
    axis = bend / np.maximum(size, 1e-300)[:, None]
    polar = np.trace(table.second, axis1=1, axis2=2)
    about = polar - np.einsum("bi,bij,bj->b", axis, table.second, axis)
    # Where a rectangle of the same second moment has its edge.
    about = np.maximum(about, 1e-300)
    edge = np.sqrt(3.0 * about / table.area)
    bent = size * edge / about
    wrung = np.abs(twist) * np.sqrt(1.5 * polar / table.area) / np.maximum(polar, 1e-300)
    direct = pull / table.area
    return Stress(direct + bent, across / table.area + wrung, np.maximum(-direct, 0.0))


def borne(table: BondTable, stress: Stress, share: Array) -> Array:
    """The share (B,) of its strength that each bond bears, where it has so much (B,) of that in the table."""
    solved = table.solved
    tension = np.where(solved, table.tension * share, 1.0)
    shear = np.where(solved, table.shear * share, 1.0) + GRIP * stress.pressed
    with np.errstate(divide="ignore", invalid="ignore"):
        found = np.maximum(stress.tension / tension, stress.shear / shear)
    return np.where(solved, np.nan_to_num(found, nan=0.0, posinf=1e9), 0.0)
