"""The solver of wide water: the order of one of its steps."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter, map_coordinates

from hotgravel.core.chance import uniforms
from hotgravel.core.colour import bits_of, screen_of
from hotgravel.core.drive.value import one
from hotgravel.core.matter.contract import NO_BLOWS, Array, Blows, Offers, Seam, Shed, Splashes, State
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.fineness import FINENESS
from hotgravel.core.matter.paint import HAS_COLOUR
from hotgravel.core.matter.water.rain import WATER, WIDE, classes, fall_speed, ringed
from hotgravel.core.matter.water.shores import Shores
from hotgravel.core.matter.water.waves import Square, Wind, carried, stepped, velocity_in
from hotgravel.core.matter.wet import WetLevel
from hotgravel.core.shape.colliders import Moving, stands
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.water import Rain, Water

POINTS = 24  # along a side: those that cues and gauges go by, at most
LAYERS = 8  # of a hull, under which its depth is counted
FOLDED, WHITE = 0.7, 0.35  # how far a surface is pressed together where foam begins, and where it is white at once
STEEP = 0.25  # the slope of a wake or a ring at which foam begins
BORN = 3.0  # 1/s
NO_DROPS = {"drop_place": np.zeros((0, 3)), "drop_wide": np.zeros(0)}
SOFT = 0.7  # cells: the edge of a hull in the water
INSIDE = 4  # points along each side of a body, that tell how much of it is under water


@dataclass(frozen=True)
class Seen:
    """The whole surface at a moment, by its cells (n, n, ...): places, velocities, what of those is of hulls and rain,
    if anything is, and how far it is pressed together, 1 where it is not."""

    place: Array
    velocity: Array
    stirred: Array | None
    pressed: Array


@dataclass(frozen=True, eq=False)
class WaterSolver:
    """The water of one shot."""

    setting: Setting
    row: Water
    square: Square
    wind: Wind
    rains: tuple[Rain, ...]
    number: int
    last: list[tuple[Array, float, Seen]] = field(default_factory=list)  # what was seen last, and of which water
    known: dict[tuple[str, ...], Shores] = field(default_factory=dict)  # by the props that make them

    def begin(self) -> State:
        n = self.square.many
        arrays: dict[str, Array] = {name: np.zeros((n, n)) for name in ("high", "potential", "foam")}
        arrays |= {"owed": np.zeros((len(self.rains), 64)), **NO_BLOWS, **NO_DROPS}
        return State(Elements.blank(0), arrays, {"time": 0.0, "begun": False})

    @cached_property
    def nodes(self) -> Array:
        """Where cells lie at rest (n, n, 3), m."""
        n, cell, (x, y, z) = self.square.many, self.square.cell, self.row.at
        along = (np.arange(n) + 0.5 - 0.5 * n) * cell
        a, b = np.meshgrid(along, along, indexing="ij")
        return np.stack([x + a, np.full_like(a, y), z + b], axis=-1)

    def steps(self, state: State, span: float) -> int:
        return FINENESS[self.setting.quality].steps if self.met else 1

    @cached_property
    def met(self) -> list[str]:
        """The props and bodies that stir it, or that it laps against."""
        return list(dict.fromkeys(prop for prop, _ in self.setting.met))

    def shores(self, props: tuple[str, ...]) -> Shores:
        """Those of props that stand still."""
        if props not in self.known:
            standing = [(self.setting.shapes[prop], self.setting.standing[prop]) for prop in props]
            self.known[props] = Shores.of(standing, self.nodes, self.square.cell)
        return self.known[props]

    def step(self, state: State, seam: Seam, dt: float) -> int:
        """Hulls press it down and rain rings it; all waves go on; foam is born and dries; then points ride on it."""
        a, n, g = state.arrays, self.square.many, self.square.gravity
        press = np.zeros((n, n))
        a |= NO_DROPS
        there = [prop for prop in self.met if stands(self.setting, seam.scene, prop)]
        shores = self.shores(tuple(prop for prop in there if prop in self.setting.standing))
        for prop in there:
            if prop not in self.setting.standing:
                self._press(press, self.setting.shapes[prop], seam.scene.soon[prop])
        for prop in self.met:
            for m in (m for m in seam.surfaces if m.prop == prop):
                self._press(press, m.shape, m.end)
        for number, row in enumerate(self.rains):
            if seam.runs(row) and row.start <= seam.frame < row.end + 1:
                self._rain(state, row, number, seam, shores.open, dt)
        press = gaussian_filter(press, SOFT) if press.any() else press
        if not state.facts["time"]:
            a["high"] = press.mean() - press  # what lies in it at first makes no wave
        if press.any() or a["high"].any() or a["potential"].any():

            def move(high: Array, potential: Array) -> tuple[Array, Array]:
                return stepped(self.square, high, potential, g * press, self.row.calms, dt)

            a["high"], a["potential"] = shores.stepped(move, a["high"], a["potential"])
        state.facts["time"] += dt
        seen = self.seen(state)
        self._foam(a, seen, dt)
        self._ride(state.elements, seen)
        state.elements.age += dt
        self._bear(a, seen, press, seam, dt)
        return 0

    def land(self, state: State, seam: Seam) -> None:
        if not state.facts["begun"]:
            state.facts["begun"] = True
            p = Elements.blank(len(self._picked))
            p.id[:] = seam.ids.take(len(p))
            p.rest[:] = self.nodes.reshape(-1, 3)[self._picked]
            p.radius[:] = p.size[:] = 0.25 * self.square.cell
            p.mass[:], p.source[:], p.temperature[:], p.state[:] = 1.0, self.number, 20.0, -1
            p.colour[:] = int(self.row.colour[1:], 16) + HAS_COLOUR
            state.elements = p
            self._ride(p, self.seen(state))

    def shed(self, state: State, shed: Shed, seam: Seam) -> None:
        """Nothing comes off what moves as water."""

    def offers(self, state: State) -> Offers:
        a, (x, _, z) = state.arrays, self.nodes[0, 0]
        level = WetLevel(self.seen(state).place[..., 1], self.square.cell, (x, z))
        return Offers(blows=(Blows.kept_in(a),), splashes=(Splashes(a["drop_place"], a["drop_wide"]),), wets=(level,))

    def surfaces(self, state: State, scene: Scene) -> dict[str, dict[str, Array]]:
        n, seen, foam = self.square.many, self.seen(state), state.arrays["foam"]
        number = np.arange(n * n).reshape(n, n)
        a, b, c, d = (m.ravel() for m in (number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]))
        faces = np.concatenate([np.stack([a, c, b], axis=1), np.stack([a, d, c], axis=1)])
        own = screen_of(self.row.colour)
        colour = bits_of(255.0 * (own + np.minimum(foam, 1.0).ravel()[:, None] * (1.0 - own)))
        return {self.row.id: {
            "vertices": seen.place.reshape(-1, 3), "faces": faces, "colour": colour,
            "velocity": seen.velocity.reshape(-1, 3),
        }}  # fmt: skip

    def records(self, state: State) -> dict[str, dict[str, Array]]:
        return {}

    def meshes(self) -> list[dict[str, Array]]:
        return []

    def drawn(self) -> list[tuple[str, int | None]]:
        return []

    def measure(self, state: State, touches: int, steps: int) -> dict[str, float]:
        seen, foam, speed = self.seen(state), state.arrays["foam"], state.elements.speed
        high = seen.place[..., 1] - self.row.at[1]
        slope = np.hypot(*np.gradient(high, self.square.cell))
        return {
            "count": len(state.elements), "significant": 4.0 * float(high.std()), "highest": float(high.max()),
            "lowest": float(high.min()), "steepest": float(slope.max()),
            "foam": 100.0 * float(np.minimum(foam, 1.0).mean()),
            "mean_speed": float(speed.mean()) if len(speed) else 0.0, "greatest_speed": float(speed.max(initial=0.0)),
        }  # fmt: skip

    @cached_property
    def _picked(self) -> Array:
        n = self.square.many
        at = np.unique(np.linspace(0, n - 1, min(n, POINTS)).astype(int))
        return np.asarray((at[:, None] * n + at[None, :]).ravel())

    def seen(self, state: State) -> Seen:
        """The whole surface, of wind and of what moves it; a frame's mesh and its gauges are of the same."""
        a, time, chop = state.arrays, float(state.facts["time"]), self.row.chop
        for high, when, known in self.last:
            if high is a["high"] and when == time:
                return known
        high, shift, flow, bent = self.wind.at(time)
        place = self.nodes + np.stack([chop * shift[0], high + a["high"], chop * shift[1]], axis=-1)
        stirred = velocity_in(self.square, a["high"], a["potential"]) if a["potential"].any() else None
        flow = flow if stirred is None else flow + stirred
        pressed = (1.0 + chop * bent[0]) * (1.0 + chop * bent[1]) - (chop * bent[2]) ** 2
        seen = Seen(place, flow, stirred, pressed)
        self.last[:] = [(a["high"], time, seen)]
        return seen

    def _ride(self, p: Elements, seen: Seen) -> None:
        """Points are where the water has them, in place."""
        n = self.square.many
        cells = np.floor((p.rest - self.nodes[0, 0]) / self.square.cell + 0.5).astype(int)[:, [0, 2]]
        i, k = np.clip(cells, 0, n - 1).T
        p.position[:], p.velocity[:] = seen.place[i, k], seen.velocity[i, k]

    def _press(self, press: Array, shape: Shaped, pose: Pose) -> None:
        """How deep a shape reaches under the water at rest, added in place, m."""
        (low, high), level = shape.corners(pose), self.row.at[1]
        deep = level - low[1]
        if deep <= 0.0 or high[1] <= low[1]:
            return
        first = np.floor((low - self.nodes[0, 0]) / self.square.cell).astype(int)
        end = np.ceil((high - self.nodes[0, 0]) / self.square.cell).astype(int) + 1
        (i, k), (ie, ke) = (np.clip(e[[0, 2]], 0, self.square.many) for e in (first, end))
        nodes = self.nodes[i:ie, k:ke]
        if not nodes.size:
            return
        thick = min(deep, high[1] - low[1]) / LAYERS
        top = min(level, float(high[1]))
        under = np.zeros(nodes.shape[:2])
        for layer in range(LAYERS):
            points = nodes.reshape(-1, 3).copy()
            points[:, 1] = top - (layer + 0.5) * thick
            under += thick * (shape.gap(points, pose) < 0.0).reshape(under.shape)
        press[i:ie, k:ke] = np.maximum(press[i:ie, k:ke], under)

    def _rain(self, state: State, row: Rain, number: int, seam: Seam, open_: NDArray[np.bool_], dt: float) -> None:
        """Drops fall in a step on cells (n, n) that are open, in place."""
        square, owed, ask = self.square, state.arrays["owed"][number], seam.scene.ask
        wide, rate = classes(one(row, "rate", ask), row.least)
        owed[: len(wide)] += rate * square.side**2 * dt
        many = np.floor(owed[: len(wide)]).astype(int)
        owed[: len(wide)] -= many
        size = np.repeat(wide, many)
        if not len(size):
            return
        named = np.uint64(seam.number) * np.uint64(1 << 24) + np.arange(len(size), dtype=np.uint64)
        x, z, turn = (np.array([square.many] * 2 + [2.0 * np.pi]) * uniforms(named, 3, seed=row.seed, who=row.id)).T
        place = self.nodes[0, 0] + square.cell * (np.stack([x, np.zeros_like(x), z], axis=1) - [0.5, 0.0, 0.5])
        there = open_[x.astype(int), z.astype(int)]
        if row.through is not None:
            there &= seam.scene.weight_in(row.through, place) >= 0.5
        x, z, turn, size, place = x[there], z[there], turn[there], size[there], place[there]
        a = state.arrays
        place[:, 1] = map_coordinates(self.seen(state).place[..., 1], [x - 0.5, z - 0.5], order=1, mode="nearest")
        a["drop_place"], a["drop_wide"] = np.concatenate([a["drop_place"], place]), np.append(a["drop_wide"], size)
        x, z, turn = (np.ascontiguousarray(each) for each in (x, z, turn))
        impulse = WATER * np.pi / 6.0 * size**3 * fall_speed(size)
        push = one(row, "rings", ask) * impulse / (self.row.density * square.cell**2)
        wide = np.maximum(WIDE, 2.0 * size / square.cell)
        ringed(state.arrays["potential"], x, z, push, wide, one(row, "ragged", ask), turn)

    def _foam(self, a: dict[str, Array], seen: Seen, dt: float) -> None:
        """Foam is born where the surface is folded or steep, goes along with what hulls and rain stir (cells themselves
        go along with the wind's waves), spreads to the cells beside, and dries, in place."""
        born = np.clip((FOLDED - seen.pressed) / (FOLDED - WHITE), 0.0, 1.0)
        if a["high"].any():
            slope = np.hypot(*np.gradient(a["high"], self.square.cell))
            born = np.maximum(born, np.clip((slope - STEEP) / STEEP, 0.0, 1.0))
        foam = a["foam"] * np.exp(-dt / self.row.dries) + self.row.foam * BORN * dt * born
        if seen.stirred is not None and foam.any():
            foam = np.maximum(carried(foam, seen.stirred[..., ::2], dt / self.square.cell), 0.0)
        if self.row.spreads > 0.0 and foam.any():
            beside = sum(np.roll(foam, by, axis) for by in (-1, 1) for axis in (0, 1)) / 4.0
            foam = foam + (1.0 - (1.0 - self.row.spreads) ** dt) * (beside - foam)
        a["foam"] = np.clip(foam, 0.0, 1.5)

    def _bear(self, a: dict[str, Array], seen: Seen, press: Array, seam: Seam, dt: float) -> None:
        """What water gives to bodies: lift by what they displace, and drag, in place. `press` is the dip, m, that they
        make in it when they are at rest, and do not sink into."""
        found = list(self._borne(seen, press, [m for m in seam.surfaces if m.prop in self.met], dt))
        a["struck"] = np.array([m for m, _, _ in found], np.int64)
        a["blow"] = np.array([blow for _, blow, _ in found]).reshape(-1, 3)
        a["blow_at"] = np.array([at for _, _, at in found]).reshape(-1, 3)

    def _borne(
        self, seen: Seen, press: Array, bodies: list[Moving], dt: float
    ) -> Iterator[tuple[int, Array, Array]]:  # fmt: skip
        level, cell, density = seen.place[..., 1] + press, self.square.cell, self.row.density
        share = (np.arange(INSIDE) + 0.5) / INSIDE
        for body in (b for b in bodies if b.element >= 0 and np.isfinite(b.mass)):
            low, high = (np.asarray(end) for end in body.shape.box)
            grid = np.stack(np.meshgrid(share, share, share, indexing="ij"), axis=-1).reshape(-1, 3)
            points = body.end.to_world(low + grid * (high - low))
            inside = body.shape.gap(points, body.end) < 0.0
            at = ((points - self.nodes[0, 0]) / cell)[:, [0, 2]].T
            wet = inside & (points[:, 1] < map_coordinates(level, at, order=1, mode="nearest"))
            if not wet.any():
                continue
            each = float(np.prod(high - low)) * body.end.scale**3 / len(grid)
            before = body.start.to_world(low + grid * (high - low))
            flow = np.stack([
                map_coordinates(seen.velocity[..., axis], at[:, wet], order=1, mode="nearest") for axis in range(3)
            ], axis=1)  # fmt: skip
            going = (points[wet] - before[wet]) / dt
            displaced = density * each
            drag = displaced * self.row.drag * dt
            blow = drag / (1.0 + drag * wet.sum() / body.mass) * (flow - going)
            blow[:, 1] += displaced * self.square.gravity * dt
            for one_blow, place in zip(blow, points[wet], strict=True):
                yield body.element, one_blow, place
