"""Each dial of liquid, turned."""

from typing import Any

import numpy as np

from tests.conftest import LOOSE, Film, source
from tests.core.matter.liquid.scenes import body_of, fill, wet
from tests.core.matter.rigid.scenes import DOWN, prop
from tests.core.run.measures import AS_IS, count

OTHER = prop("other", {"kind": "box", "width": 0.3, "height": 0.3, "depth": 0.3}, (0.4, 0.6, 0), seen="unseen")
RIGHT = {
    "kind": "zone", "id": "right", "name": "right", "edge": 0.0,
    "shape": {"kind": "block", "at": [1, 0.5, 0], "size": [2, 4, 4]},
}  # fmt: skip
STATES = [{"kind": "state", "id": s, "name": s, "of": "liquid"} for s in ("one", "two")]
TAP = {"kind": "spout", "id": "spout", "prop": "other", "speed": 2, "end": 20}
SINK = {"kind": "outlet", "id": "outlet", "prop": "water"}
SLOPE = DOWN | {"direction": [1, -1, 0]}


def scene(**fields: Any):
    """A body of liquid that breaks down, or what is given."""

    def change(shot: dict[str, Any]) -> None:
        shot["cues"] = []
        water = fields.pop("water", body_of(0.6, 0.8, at=(-0.5, None, 0)))
        told = {"last": 7, "rows": STATES, "supply": [fill()]} | fields
        shot |= wet([water, OTHER, RIGHT, *told.pop("props", [])], **told)

    return lambda shot: change(shot)


def filling(**fields: Any):
    return scene(supply=[fill(**fields)])


def pouring(**fields: Any):
    return scene(supply=[TAP | fields], last=fields.pop("last", 13))


def draining(**fields: Any):
    return scene(supply=[fill(), SINK | {"start": 4} | fields])


def bubbling(shot: dict[str, Any]) -> None:
    """A pool into which gas comes."""
    ball = {"kind": "sphere", "radius": 0.15}
    props = [prop(name, ball, (0, at, 0), seen="unseen") for name, at in (("vent", 0.3), ("deep", 0.25))]
    gas = {"kind": "gas", "id": "gas", "prop": "vent", "rate": 0.05}
    scene(water=body_of(1.6, 0.6), props=props, supply=[fill(), gas], last=6)(shot)


def swelling(shot: dict[str, Any]) -> None:
    """A ball of liquid, drawn out along its height, in no one's hold."""
    long = {"kind": "box", "width": 0.4, "height": 1.2, "depth": 0.4}
    scene(water=prop("water", long, (0, 0.8, 0), seen="unseen"), forces=(), last=13)(shot)


def along(axis: int):
    return lambda f: float(f.last.position[:, axis].mean())


def gas(f: Film) -> float:
    """How high the liquid stands, which gas lifts."""
    return float(np.quantile(f.last.position[:, 1], 0.99))


def reach(f: Film) -> float:
    return float(np.quantile(f.last.position[:, 0], 0.98))


def tall(f: Film) -> float:
    return float(f.last.position[:, 1].std())


def speed(f: Film) -> float:
    return float(f.last.speed.mean())


def rough(f: Film) -> float:
    """How much drops move beside one another."""
    v, at = f.last.velocity, f.last.position
    cells = np.unique(np.floor(at / 0.2).astype(int), axis=0, return_inverse=True)[1].ravel()
    many = np.bincount(cells)
    means = np.stack([np.bincount(cells, v[:, n]) for n in range(3)], axis=1) / many[:, None]
    return float(np.linalg.norm(v - means[cells], axis=1).mean())


def warmth(f: Film) -> float:
    return float(f.last.temperature.mean())


def mass(f: Film) -> float:
    return float(f.last.mass.sum())


def state(f: Film) -> float:
    return float(f.last.state[0])


def surface(f: Film) -> dict[str, np.ndarray]:
    solver = f.world.solvers["liquid"]
    return next(iter(solver.surfaces(f.state, f.world.scene(f.world.shot.finish.last)).values()))


def corners(f: Film) -> float:
    return float(len(surface(f)["vertices"]))


def wide(f: Film) -> float:
    return float(np.ptp(surface(f)["vertices"], axis=0).prod())


def paint(f: Film) -> float:
    return float(surface(f)["colour"][0])


def jostled(f: Film) -> float:
    """How unevenly drops lie."""
    cells = np.unique(np.floor(f.last.position / 0.1).astype(int), axis=0, return_counts=True)[1]
    return float((cells > 10).mean())


POST = prop("post", {"kind": "box", "width": 0.2, "height": 1.2, "depth": 0.2}, (-0.5, 0.6, 0))
MET = {"kind": "collision", "id": "met", "props": ["post"]}


def melting(**fields: Any):
    """Balls that fall, and become liquid where they touch the ground."""
    shed = {
        "kind": "cue",
        "id": "melts",
        "when": {"kind": "older", "age": 0.1},
        "then": {"kind": "shed", "offshoot": "drip"},
        "second": {"kind": "remove"},
    }
    balls = source(prop="other", radius=0.1, speed=0.0, emit={"kind": "burst", "count": 20, "frame": 1}, part="volume")

    def change(shot: dict[str, Any]) -> None:
        scene(supply=[{"kind": "drip", "id": "drip"} | fields, balls], rows=[*STATES, LOOSE], last=8)(shot)
        shot["cues"] = [shed]

    return change


def spread(f: Film) -> float:
    return float(f.last.position.std())


def in_the_post(f: Film) -> float:
    """How much of its surface lies within the post."""
    solver = f.world.solvers["liquid"]
    made = solver.surfaces(f.state, f.world.scene(f.world.shot.finish.last))["liquid"]["vertices"]
    return float((np.abs(made - [-0.5, 0.6, 0])[:, [0, 2]].max(axis=1) < 0.095).mean())


LIQUID: dict[str, tuple[Any, ...]] = {
    "liquid.around": ("matter.0.around", "through", "clean", in_the_post, 0, scene(water=body_of(0.6, 0.8, at=(-0.5, None, 0)), props=[POST], rows=[*STATES, MET])),
    "drip.size": ("supply.0.size", 0.5, 1.0, count, 1, melting()),
    "drip.speed": ("supply.0.speed", 0.0, 3.0, spread, 1, melting()),
    "liquid.at": ("matter.0.at", [0, 0.8, 0], [-0.6, 0.8, 0], reach, -1, scene()),
    "liquid.size": ("matter.0.size", [1.6, 0.4, 0.8], [1.6, 1.6, 0.8], count, 1, scene(at=[0, 0.2, 0])),
    "liquid.cell": ("matter.0.cell", 0.1, 0.2, count, -1, scene()),
    "liquid.sides": ("matter.0.sides", "open", "closed", count, 1, scene(forces=(SLOPE,), last=19)),
    "liquid.but": ("matter.0.but", None, "right", count, -1, scene(forces=(SLOPE,), last=19)),
    "liquid.density": ("matter.0.density", AS_IS, 1600.0, mass, 1, scene()),
    "liquid.viscosity": ("matter.0.viscosity", AS_IS, 500.0, reach, -1, scene(last=13)),
    "liquid.along": ("matter.0.along", "clings", "slides", reach, 1, scene(viscosity=200.0, last=13)),
    "liquid.tension": ("matter.0.tension", 0.0, 20.0, tall, -1, swelling),
    "liquid.lively": ("matter.0.lively", 0.0, 1.0, rough, 1, scene(last=19)),
    "liquid.evens": ("matter.0.evens", AS_IS, 10.0, jostled, -1, scene(last=25, lively=1.0)),
    "liquid.cooling": ("matter.0.cooling", 0.0, 3.0, warmth, -1, filling(temperature=500)),
    "liquid.crust": ("matter.0.crust", 0.0, 3.0, warmth, -1, filling(temperature=500)),
    "liquid.smoothing": ("matter.0.smoothing", AS_IS, 4, wide, -1, scene()),
    "liquid.surface": ("matter.0.surface", AS_IS, 1.0, corners, -1, scene()),
    "liquid.colour": ("matter.0.colour", AS_IS, "#A0B0C0", paint, 1, scene()),
    "liquid.state": ("matter.0.state", "one", "two", state, 1, scene()),
    "fill.prop": ("supply.0.prop", "water", "other", along(0), 1, scene()),
    "fill.start": ("supply.0.start", 1, 5, speed, -1, scene()),
    "fill.level": ("supply.0.level", 0.3, 1.0, count, 1, scene()),
    "fill.temperature": ("supply.0.temperature", 20.0, 300.0, warmth, 1, scene()),
    "fill.speed": ("supply.0.speed", 0.0, 2.0, along(0), 1, filling(direction=[1, 0, 0])),
    "fill.direction": ("supply.0.direction", [0, 1, 0], [1, 0, 0], along(0), 1, filling(speed=2)),
    "fill.through": ("supply.0.through", None, "right", count, -1, scene(water=body_of(0.6, 0.8))),
    "spout.prop": ("supply.0.prop", "other", "water", along(0), -1, pouring()),
    "spout.temperature": ("supply.0.temperature", 20.0, 300.0, warmth, 1, pouring()),
    "spout.speed": ("supply.0.speed", 0.5, AS_IS, count, 1, pouring()),
    "spout.direction": ("supply.0.direction", [1, 0, 0], [-1, 0, 0], along(0), -1, pouring()),
    "spout.through": ("supply.0.through", None, "right", count, -1, scene(supply=[TAP | {"prop": "water"}], water=body_of(0.6, 0.8, at=(0, 0.6, 0)))),
    "spout.start": ("supply.0.start", 1, 8, count, -1, pouring()),
    "spout.end": ("supply.0.end", 4, 12, count, 1, pouring()),
    "gas.prop": ("supply.1.prop", "vent", "deep", gas, 0, bubbling),
    "gas.rate": ("supply.1.rate", 0.01, AS_IS, gas, 1, bubbling),
    "gas.start": ("supply.1.start", 1, 4, gas, -1, bubbling),
    "gas.end": ("supply.1.end", 2, 20, gas, 1, bubbling),
    "outlet.prop": ("supply.1.prop", "other", "water", count, -1, draining()),
    "outlet.start": ("supply.1.start", AS_IS, 20, count, 1, draining()),
}  # fmt: skip


def breaking(**fields: Any):
    """A column that breaks, with froth."""
    row = {"kind": "froth", "id": "froth", "least": 0.5, "trapped": 40, "crests": 40} | fields
    return scene(water=body_of(0.6, 1.2, at=(-0.5, None, 0)), rows=[*STATES, row], last=15)


def large(f: Film) -> float:
    return float(f.last.radius.mean())


def under(f: Film) -> float:
    """How many bubbles there have been."""
    return float(f.state.facts["bubbles"])


def pale(f: Film) -> float:
    return float(f.last.colour.mean())


def elsewhere(f: Film) -> float:
    return float(f.last.position[:50].sum())


FROTH: dict[str, tuple[Any, ...]] = {
    "froth.least": ("matter.3.least", AS_IS, 2.0, count, -1, breaking()),
    "froth.trapped": ("matter.3.trapped", 5.0, AS_IS, count, 1, breaking()),
    "froth.crests": ("matter.3.crests", AS_IS, 200.0, count, 1, breaking(trapped=5.0)),
    "froth.radius": ("matter.3.radius", AS_IS, 0.02, large, 1, breaking()),
    "froth.lasts": ("matter.3.lasts", 0.1, AS_IS, count, 1, breaking()),
    "froth.rises": ("matter.3.rises", AS_IS, 8.0, under, -1, breaking()),
    "froth.drag": ("matter.3.drag", AS_IS, 40.0, elsewhere, 0, breaking()),
    "froth.colour": ("matter.3.colour", "#405060", AS_IS, pale, 1, breaking()),
    "froth.seed": ("matter.3.seed", AS_IS, 2, elsewhere, 0, breaking()),
}  # fmt: skip
