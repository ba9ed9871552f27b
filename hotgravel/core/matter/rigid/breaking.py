"""How bonds give way: which loads are on the cells, which bonds they are too much for, and what is told of it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.elements import LOOSE, NOBODY
from hotgravel.core.matter.rigid.bonds import BondTable
from hotgravel.core.matter.rigid.constraint import FIRST, HIT, NORMAL, SECOND, SUM, SUM_FIRST, SUM_SECOND
from hotgravel.core.matter.rigid.contacts import Contacts
from hotgravel.core.matter.rigid.factors import Factors
from hotgravel.core.matter.rigid.loads import GRIP, Bearing, borne, shared_out, stress_in
from hotgravel.core.matter.rigid.lumps import Lumps, summed
from hotgravel.core.matter.rigid.state import Bodies

HARD = 0.1  # m/s: slower touches are no hits
ROUNDS = 16  # in which loads are shared anew within a pass; what is still too much then gives way at once
WORST = 0.8  # of the greatest overload: bonds that bear so much give way together
TENSION, SHEAR, CUE = range(3)  # why a bond gave way
BREAKS = {
    "one": np.int32, "other": np.int32, "by": np.int32, "why": np.int8, "row": np.int16, "area": np.float32,
    "bore": np.float32, "strength": np.float32, "place": np.float32, "normal": np.float32,
}  # fmt: skip


@dataclass(frozen=True)
class Cells:
    """Where the cells of the bonds are among the bodies: the body (C,) of each, -1 where it is not there, and the turn
    (C, 3, 3) out of its prop's frame into the world."""

    body: NDArray[np.int64]
    turn: Array

    @property
    def there(self) -> NDArray[np.bool_]:
        return self.body >= 0

    def bonded(self, table: BondTable, holds: NDArray[np.uint8]) -> NDArray[np.int64]:
        """The bodies (k, 2) of the bonds that hold."""
        found: NDArray[np.int64] = self.body[table.pairs[holds > 0]]
        return found


def bodies_of(table: BondTable, bodies: Bodies) -> NDArray[np.int64]:
    """The body (C,) of each cell; -1 where it is not there."""
    body = np.full(len(table.cells), -1)
    mine = np.flatnonzero(np.isin(bodies.piece, table.cells) & (bodies.life > 0.0))
    body[np.searchsorted(table.cells, bodies.piece[mine])] = mine
    return body


def cells_of(table: BondTable, bodies: Bodies, axes: Array) -> Cells:
    """The cells among the bodies; axes (C, 3, 3) are those of their models."""
    body = bodies_of(table, bodies)
    turn = np.tile(np.eye(3), (len(body), 1, 1))
    there = body >= 0
    turn[there] = turned_out(bodies.turn[body[there]], axes[there])
    return Cells(body, turn)


def turned_out(turn: Array, axes: Array) -> Array:
    """Out of the frames of props into the world (k, 3, 3), for bodies so turned (k, 4), whose models have such axes."""
    turned: Array = Rotation.from_quat(turn).as_matrix() @ axes.transpose(0, 2, 1)
    return turned


def loads_on(
    table: BondTable, cells: Cells, bearing: Bearing, bodies: Bodies, new: Contacts, pull: Array, dt: float
) -> Array:
    """Forces and moments (C, 6) on the cells in the frames of their props: their weight, all steady pulls (n, 3) m/s²,
    and what presses on them. A blow is its impulse over the contact time of its bonds. Those that sleep bear what they
    bore."""
    n, solved = len(bodies), len(new.table)
    lasts = np.full(n, np.inf)
    times = np.array([row.contact_time for row in table.told])
    there = np.flatnonzero(cells.there)
    lasts[cells.body[there]] = times[table.row_of[there]]
    force, moment = bodies.mass[:, None] * pull, np.zeros((n, 3))
    ends = np.concatenate([np.stack([new.one, new.other], axis=1), new.asleep])
    impulse = new.total[:, None] * new.normal
    t = new.table
    impulse[:solved] = (
        t[:, [SUM]] * t[:, NORMAL : NORMAL + 3]
        + t[:, [SUM_FIRST]] * t[:, FIRST : FIRST + 3]
        + t[:, [SUM_SECOND]] * t[:, SECOND : SECOND + 3]
    )
    blow = np.concatenate([t[:, HIT] > HARD, np.zeros(len(new.asleep), bool)])
    for side, way in ((0, -1.0), (1, 1.0)):
        at = ends[:, side]
        mine = np.flatnonzero((at >= 0) & (at < n))
        who = at[mine]
        over = np.where(blow[mine], np.minimum(lasts[who], dt), dt)[:, None]
        pushed = way * impulse[mine] / over
        force += summed(pushed, who, n)
        moment += summed(np.cross(new.place[mine] - bodies.position[who], pushed), who, n)
    load = bearing.load.copy()
    awake = there[bodies.asleep[cells.body[there]] == 0]
    body, turn = cells.body[awake], cells.turn[awake]
    load[awake, :3] = np.einsum("cji,cj->ci", turn, force[body])
    load[awake, 3:] = np.einsum("cji,cj->ci", turn, moment[body])
    return load


def give_way(
    table: BondTable, cells: Cells, bearing: Bearing, bodies: Bodies, load: Array, strength: Array, factors: Factors,
    hitting: NDArray[np.int64],
) -> dict[str, Array] | None:  # fmt: skip
    """Let bonds break until what is left bears its loads (C, 6); strength (C,) is what each cell has of its material's.
    Returns what is told of the bonds that gave way, None where all hold. hitting (n,) is what last hit each body's
    lump."""
    kept = cells.there.copy()
    kept[cells.there] = bodies.pinned[cells.body[cells.there]] != LOOSE
    weaker = np.minimum(strength[table.pairs[:, 0]], strength[table.pairs[:, 1]])
    damage = np.array([row.damage for row in table.told])[table.rows]
    told: list[dict[str, Array]] = []
    for n in range(ROUNDS):
        give = shared_out(table, bearing, load, kept, cells.there, factors)
        stress = stress_in(table, bearing.holds > 0, give)
        left = weaker * (1.0 - damage * np.minimum(bearing.worst, 1.0))
        bearing.share = np.where(bearing.holds > 0, borne(table, stress, left), 0.0)
        over = bearing.share > 1.0
        if n < ROUNDS - 1:
            over &= bearing.share >= WORST * bearing.share.max(initial=0.0)
        if not over.any():
            break
        which = np.flatnonzero(over)
        tension, shear = (table.tension * left)[which], (table.shear * left + GRIP * stress.pressed)[which]
        sheared = stress.shear[which] / shear > stress.tension[which] / tension
        strong = np.where(sheared, shear, tension)
        told.append(parted(table, cells, bearing, bodies, which, np.where(sheared, SHEAR, TENSION), hitting, strong))
    bearing.worst = np.maximum(bearing.worst, borne(table, stress, np.ones(len(weaker))) * (bearing.holds > 0))
    return joined(told) if told else None


def parted(
    table: BondTable, cells: Cells, bearing: Bearing, bodies: Bodies, which: NDArray[np.int64], why: Array,
    hitting: NDArray[np.int64], strength: Array,
) -> dict[str, Array]:  # fmt: skip
    """Let bonds (k,) go, and tell of them."""
    bearing.holds[which], bearing.since[which] = 0, 0.0
    ends = cells.body[table.pairs[which]]
    here = np.maximum(ends, 0)
    known = np.where(ends >= 0, bodies.id[here], NOBODY) if len(bodies) else np.full(ends.shape, NOBODY)
    side = np.where(ends[:, 0] >= 0, 0, 1)
    cell, body = table.pairs[which, side], here[np.arange(len(which)), side]
    turn = cells.turn[cell]
    place = bodies.position[body] + np.einsum("cij,cj->ci", turn, table.arms[which, side])
    return {
        "one": known[:, 0], "other": known[:, 1], "by": hitting[body], "why": np.broadcast_to(why, len(which)),
        "row": table.rows[which], "area": table.area[which], "bore": bearing.share[which] * strength,
        "strength": strength, "place": place, "normal": np.einsum("cij,cj->ci", turn, table.normal[which]),
    }  # fmt: skip


def joined(told: list[dict[str, Array]]) -> dict[str, Array]:
    """What is told of bonds that gave way, one part after another."""
    blank = {name: np.zeros((0, 3) if name in ("place", "normal") else 0, kind) for name, kind in BREAKS.items()}
    return {name: np.concatenate([blank[name], *(part[name] for part in told)]).astype(kind)
            for name, kind in BREAKS.items()}  # fmt: skip


def hits_of(lumps: Lumps, bodies: Bodies, new: Contacts, named: NDArray[np.int64]) -> NDArray[np.int64]:
    """What hit the lump of each body (n,) hardest in the step, by its name (n + m,): an id, or -2 - k for the shot's
    k-th prop; -1 where nothing did."""
    n, table = len(bodies), new.table
    hardest, by = np.zeros(len(lumps.first)), np.full(len(lumps.first), NOBODY)
    for k in np.flatnonzero(table[:, HIT] > HARD):
        for mine, other in ((new.one[k], new.other[k]), (new.other[k], new.one[k])):
            if mine < n and table[k, SUM] > hardest[lumps.of[mine]]:
                hardest[lumps.of[mine]], by[lumps.of[mine]] = table[k, SUM], named[other]
    return by[lumps.of]
