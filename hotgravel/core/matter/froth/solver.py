"""The solver of spray, foam and bubbles: the order of one of its steps."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.chance import uniforms
from hotgravel.core.drive.value import one
from hotgravel.core.matter.barrier import bar
from hotgravel.core.matter.contract import Array, Offers, Seam, Shed, State
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.fineness import FINENESS
from hotgravel.core.matter.forces import acting_on, gather
from hotgravel.core.matter.froth.stirred import Stirred, stirred
from hotgravel.core.matter.paint import HAS_COLOUR
from hotgravel.core.matter.pushed import forced
from hotgravel.core.shape.colliders import KIND, colliders_of
from hotgravel.core.shape.distance import MESH
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.liquid import Froth

BUBBLE, FOAM = 0.8, 0.15  # how full the liquid is about bubbles, and about foam; less is spray
MOST = 2_000_000
SPREAD = 0.5  # of its life: how much longer or shorter each lasts


@dataclass(frozen=True)
class FrothSolver:
    """What comes off the liquid of one shot, in cells of a size, metres."""

    setting: Setting
    row: Froth
    cell: float
    number: int

    def begin(self) -> State:
        return State(Elements.blank(0), facts={"spray": 0, "foam": 0, "bubbles": 0})

    def steps(self, state: State, span: float) -> int:
        return FINENESS[self.setting.quality].steps

    def step(self, state: State, seam: Seam, dt: float) -> int:
        """Air is taken in where liquid breaks; bubbles rise, foam goes with the surface and spray flies."""
        drops, p = seam.crowds.get("liquid"), state.elements
        liquid = None
        if drops is not None and len(drops):
            liquid, air, crest = stirred(drops.position, drops.velocity, self.cell)
            if seam.runs(self.row):
                p = p.joined(self._born(drops, air, crest, len(p), seam, dt))
        fill = self._go(p, liquid, seam, dt)
        foam = (fill >= FOAM) & (fill < BUBBLE)
        p.age += np.where(foam, dt, 0.25 * dt)  # what flies or is under water lasts on
        state.facts |= {"spray": int((fill < FOAM).sum()), "foam": int(foam.sum()),
                        "bubbles": int((fill >= BUBBLE).sum())}  # fmt: skip
        state.elements = p.where(p.age < p.life)
        return 0

    def land(self, state: State, seam: Seam) -> None:
        """All comes during steps."""

    def shed(self, state: State, shed: Shed, seam: Seam) -> None:
        """Nothing comes off it."""

    def offers(self, state: State) -> Offers:
        return Offers()

    def surfaces(self, state: State, scene: Scene) -> dict[str, dict[str, Array]]:
        return {}

    def records(self, state: State) -> dict[str, dict[str, Array]]:
        return {}

    def meshes(self) -> list[dict[str, Array]]:
        return []

    def drawn(self) -> list[tuple[str, int | None]]:
        return []

    def measure(self, state: State, touches: int, steps: int) -> dict[str, float]:
        speed, facts = state.elements.speed, state.facts
        return {
            "count": len(speed), "spray": float(facts["spray"]), "foam": float(facts["foam"]),
            "bubbles": float(facts["bubbles"]), "mean_speed": float(speed.mean()) if len(speed) else 0.0,
            "greatest_speed": float(speed.max(initial=0.0)),
        }  # fmt: skip

    def _born(self, drops: Elements, air: Array, crest: Array, there: int, seam: Seam, dt: float) -> Elements:
        """What drops let off in a step."""
        row, ask = self.row, seam.scene.ask
        fast = np.clip(drops.speed / one(row, "least", ask) - 1.0, 0.0, 1.0)
        wished = fast * (one(row, "trapped", ask) * air + one(row, "crests", ask) * crest) * dt
        named = drops.id.astype(np.uint64)
        chance = uniforms(named, 1, seed=row.seed, who=row.id, frame=seam.number)[:, 0]
        many = np.floor(wished + chance).astype(np.int64)
        many = np.where(np.cumsum(many) + there <= MOST, many, 0)
        of = np.repeat(np.arange(len(drops)), many)
        nth = np.arange(len(of)) - np.repeat(np.cumsum(many) - many, many)
        each = named[of] * np.uint64(1 << 12) + nth.astype(np.uint64)
        off = uniforms(each, 5, seed=row.seed, who=row.id, frame=seam.number, purpose=1)
        p = Elements.blank(len(of))
        p.id[:] = seam.ids.take(len(of))
        p.velocity[:] = drops.velocity[of] * (1.0 + 0.2 * (off[:, 4:] - 0.5))
        p.position[:] = drops.position[of] + self.cell * (off[:, :3] - 0.5) + dt * off[:, 3:4] * p.velocity
        p.rest[:] = drops.position[of]
        p.radius[:] = p.size[:] = one(row, "radius", ask) * (0.5 + off[:, 3])
        p.life[:] = one(row, "lasts", ask) * (1.0 + SPREAD * (2.0 * off[:, 4] - 1.0))
        p.mass[:], p.temperature[:], p.source[:], p.state[:] = 1.0, drops.temperature[of], self.number, -1
        p.parent[:] = drops.id[of]
        p.colour[:] = int(row.colour[1:], 16) + HAS_COLOUR
        return p

    def _bar(self, p: Elements, was: Array, flies: NDArray[np.bool_], seam: Seam, dt: float) -> None:
        """Nothing goes through what collisions name, in place; what goes with the liquid, which keeps off meshes by
        itself, is held by plain shapes alone."""
        colliders = colliders_of(self.setting, seam.scene, seam.surfaces)
        plain = colliders.table[:, KIND] != MESH
        p.touched[:] = 0
        for some, meets in ((flies, np.ones(len(plain), bool)), (~flies, plain)):
            place, touched = p.position[some], np.zeros(int(some.sum()), np.uint64)
            bar(
                was[some], place, p.state[some], p.radius[some], p.age[some], colliders.table[meets],
                colliders.bits[meets], self.setting.tree, touched, 0.0, dt, 0.1 * float(p.radius.min()),
            )  # fmt: skip
            p.position[some], p.touched[some] = place, touched

    def _go(self, p: Elements, liquid: Stirred | None, seam: Seam, dt: float) -> NDArray[np.float64]:
        """Each goes on by what is about it, in place; returns how full that is of liquid."""
        if not len(p):
            return np.zeros(0)
        row, ask = self.row, seam.scene.ask
        fill, flow = liquid.at(p.position) if liquid else (np.zeros(len(p)), np.zeros((len(p), 3)))
        table = gather(acting_on(self.setting.shot, seam.switched), self.setting.states, seam.scene, p, dt, {})
        before, was = p.velocity.copy(), np.where(p.age[:, None] > 0.0, p.position, p.rest)
        forced(p.velocity, p.state, table.by_element, table.pull, table.rate, table.drift, table.bite, dt)
        pushed = p.velocity - before
        under, floats = fill >= BUBBLE, (fill >= FOAM) & (fill < BUBBLE)
        hold = -np.expm1(-one(row, "drag", ask) * dt)
        risen = before - one(row, "rises", ask) * pushed
        p.velocity[under] = (risen + hold * (flow - risen))[under]
        p.velocity[floats] = flow[floats]
        p.position += dt * p.velocity
        self._bar(p, was, fill < FOAM, seam, dt)
        p.velocity[:] = np.where((p.touched > 0)[:, None], (p.position - was) / dt, p.velocity)
        p.travelled += np.linalg.norm(p.position - was, axis=1)
        return fill
