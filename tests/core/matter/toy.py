"""A toy matter: counters that stand in a row and get hotter. All of it is here, and nothing else knows of it."""

from dataclasses import dataclass, field
from typing import ClassVar

import numpy as np

from hotgravel.core.matter.contract import COMMON, FACTS, Column, Gauge, Lane, Offers, State
from hotgravel.core.matter.elements import Elements
from hotgravel.core.shape.grid import VelocityGrid


@dataclass(frozen=True)
class ToySolver:
    count: int
    air: dict = field(default_factory=dict)

    def begin(self):
        return State(Elements.blank(0), facts={"made": False})

    def steps(self, state, span):
        return 2

    def step(self, state, seam, dt):
        state.elements.age += dt
        state.elements.temperature += 100.0 * dt
        return 0

    def land(self, state, seam):
        if not state.facts["made"]:
            state.facts["made"] = True
            state.elements = Elements.blank(self.count)
            state.elements.id[:] = seam.ids.take(self.count)
            state.elements.position[:, 0] = np.arange(self.count)
            state.elements.radius[:] = 0.3

    def shed(self, state, shed, seam):
        pass

    def offers(self, state):
        return Offers(grids=self.air)

    def surfaces(self, state, scene):
        return {}

    def records(self, state):
        return {}

    def meshes(self):
        return []

    def drawn(self):
        return []

    def measure(self, state, touches, steps):
        return {"count": len(state.elements), "heat": float(state.elements.temperature.sum())}


class ToyMatter:
    name, kind, called, cost, elements, facts, records = "toy", "points", "counter", 1.0, Elements, FACTS, {}
    takes = 1200.0, 42.0
    columns: ClassVar[dict[str, Column]] = dict(COMMON)
    gauges = {"count": Gauge("", "how many counters"), "heat": Gauge("°C", "sum of temperatures")}  # noqa: RUF012
    lanes = (Lane("heat", "curves", ("heat",)),)

    def build(self, setting):
        wind = np.broadcast_to(np.array([3.0, 0, 0], np.float32), (1, 3, 3, 3, 3)).copy()
        air = {row: VelocityGrid(wind, np.full(3, -50.0), 50.0) for row in setting.shot.fields}
        return ToySolver(12, air) if setting.shot.name == "toys" else None

    def places(self, shot):
        return ()

    def count_at(self, shot, frame):
        return 12.0 if shot.name == "toys" else 0.0

    def findings(self, shot, solver):
        yield from ()

    def after(self, shot, measured):
        yield from ()

    def tables(self, shot, kept, frames):
        yield from ()

    def reasons(self, shot, kept, element, frame):
        yield from ()
