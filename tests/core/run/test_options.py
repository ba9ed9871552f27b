"""No dead options: turning each dial of each row changes the result, in the direction its help states."""

import copy
import json
import tempfile
from dataclasses import dataclass
from functools import cache, lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh

from hotgravel.core.shape.lettering import FONTS
from hotgravel.core.shot.dials import Pick, dials_of, options_of
from hotgravel.core.shot.document import ROWS, load
from hotgravel.core.shot.finish import Finish
from hotgravel.core.shot.props import Prop
from tests.conftest import GRAVITY, GROUND, LOOSE, VENT, Film, document, landing, play, source
from tests.core.run import measures as seen
from tests.core.run.measures import AS_IS
from tests.core.run.turns_of_bodies import BODIES
from tests.core.run.turns_of_bonds import BONDS, DUSTY
from tests.core.run.turns_of_cues import CUES
from tests.core.run.turns_of_fields import FIELDS
from tests.core.run.turns_of_fronts import FRONTS
from tests.core.run.turns_of_liquid import FROTH, LIQUID
from tests.core.run.turns_of_slosh import SLOSH
from tests.core.run.turns_of_smoke import SMOKE
from tests.core.run.turns_of_soft import SOFT
from tests.core.run.turns_of_water import CROWNS, WATER
from tests.core.run.turns_of_wetness import WETNESS

OTHER = {"kind": "state", "id": "other", "name": "other"}
CROWD = {"kind": "burst", "count": 400, "frame": 1}
UP = {"kind": "toward", "direction": [0, 1, 0], "cone": 30}


def base() -> dict[str, Any]:
    """A scene in which everything is at work: thrown up, dragged, blown, bounced, sliding."""
    return document(
        set=[GROUND | {"rotation": [0, 0, 0]}, VENT | {"position": [0, 1, 0], "shape": {"kind": "sphere", "radius": 0.2}}],
        matter=[LOOSE, OTHER, landing(bounce=0.4, friction=0.3)],
        supply=[source(emit=CROWD, aim=UP, speed=6, speed_spread=0.2)],
        forces=[GRAVITY | {"direction": [0, -1, 0]}],
        cues=[{"kind": "cue", "id": "cue", "when": {"kind": "slower", "speed": 3}, "then": {"kind": "enter", "state": "other"}}],
        finish={"last": 40},
    )  # fmt: skip


def with_force(**force: Any):
    def change(shot: dict[str, Any]) -> None:
        shot["forces"].append(force)

    return change


def with_shape(**shape: Any):
    """The shape as what particles leave and, on its own, what they hit."""

    def change(shot: dict[str, Any]) -> None:
        shot["set"][1]["shape"] = shape

    return change


def with_cue(when: dict[str, Any], **more: Any):
    def change(shot: dict[str, Any]) -> None:
        shot["cues"][0] |= {"when": when} | more

    return change


def streaming(shot: dict[str, Any]) -> None:
    shot["supply"][0]["emit"] = {"kind": "stream", "rate": 300, "start": 3, "end": 20}


def outward(shot: dict[str, Any]) -> None:
    shot["supply"][0]["aim"] = {"kind": "outward", "cone": 5}


def living(shot: dict[str, Any]) -> None:
    shot["supply"][0] |= {"life": 1.0, "life_spread": 0.1}


# What is measured.


def bounced(f: Film) -> float:
    return float(np.mean([p.position[:, 1].mean() for p in list(f.frames.values())[-6:]]))


def fired(f: Film) -> float:
    return len(f.events)


def last_birth(f: Film) -> float:
    counts = [len(p) for p in f.frames.values()]
    return float(counts.index(max(counts)))


def sizes(f: Film) -> float:
    return float(f.frames[1].radius.mean())


@cache
def meshes() -> Path:
    """A folder with a tall block that lacks its lid."""
    folder = Path(tempfile.mkdtemp())
    block = trimesh.creation.box(extents=[1, 2, 1])
    trimesh.Trimesh(block.vertices, block.faces[block.face_normals[:, 1] < 0.5], process=False).export(
        folder / "block.obj"
    )
    for name, wide in (("square.svg", 10), ("bar.svg", 40)):
        (folder / name).write_text(f'<svg xmlns="http://www.w3.org/2000/svg"><rect width="{wide}" height="10"/></svg>')
    for name, way in (("east.npz", 1.0), ("west.npz", -1.0)):
        air, thick, hot = np.tile([2.0 * way, 0.0, 0.0], (3, 3, 3, 1)), np.ones((3, 3, 3)), np.full((3, 3, 3), 900)
        np.savez(folder / name, velocity=air, origin=[-2.0, 8.5, -2.0], cell=2.0, density=thick, temperature=hot)
    (folder / "wide.woff2").write_bytes((FONTS / "mono.woff2").read_bytes())
    return folder


def from_mesh(shot: dict[str, Any]) -> None:
    shot["set"][1]["shape"] = {"kind": "mesh", "file": "block.obj"}
    shot["supply"][0]["aim"] = {"kind": "anywhere"}


@dataclass
class Turn:
    """A dial turned from one value to another, and what becomes greater (1), less (-1) or just other (0)."""

    path: str
    low: Any
    high: Any
    measure: Any
    sign: int
    setup: Any = None
    matter: str = "particles"

    def film(self, value: Any) -> Film:
        shot = base()
        if self.setup:
            self.setup(shot)
        shot = copy.deepcopy(shot)  # rows stand in several shots
        here: Any = shot
        *walk, last = self.path.split(".")
        for step in walk:
            here = here[int(step) if step.lstrip("-").isdigit() else step]
        if value != AS_IS:
            here[int(last) if isinstance(here, list) else last] = value
        return film_of(json.dumps(load(shot).dump()), value if last == "quality" else "rough", self.matter)


@lru_cache(maxsize=40)  # dials of one row are turned from the same shot
def film_of(shot: str, quality: str, matter: str) -> Film:
    return play(json.loads(shot), quality, meshes(), matter)


S, C = "supply.0", "matter.2"
CUBIC = {"kind": "stone", "width": 1, "height": 1, "depth": 1}
drag = {"kind": "linear_drag", "id": "drag", "rate": 1}
air = {"kind": "quadratic_drag", "id": "air", "strength": 0.2}
wind = {"kind": "wind", "id": "wind", "speed": 3, "direction": [1, 0, 0], "grip": 0.8}


SIZES = {
    "radius": seen.born_width, "width": seen.born_width, "height": seen.born_height, "depth": seen.born_depth, "tube": seen.born_height,
    "wall": seen.born_height,
}  # fmt: skip


def outwards(f: Film) -> float:
    return float(((f.frames[1].position - [0, 1, 0]) * f.frames[1].velocity).sum())


def corners(f: Film) -> np.ndarray:
    return f.world.setting.shapes["vent"].vertices


TURNS = {
    "prop.position": Turn("set.1.position.1", 1, 3, seen.top, 1),
    "prop.rotation": Turn("set.0.rotation.2", 0, -25, seen.mean_x, 1),
    "prop.scale": Turn("set.1.scale", 1, 4, seen.born_width, 1),
    "prop.shape.kind": Turn("set.1.shape", {"kind": "sphere", "radius": 0.3}, {"kind": "torus"}, seen.born_width, 1),
    "stone.roughness": Turn("set.1.shape.roughness", 0.1, 1.0, lambda f: corners(f).std(), -1, with_shape(**CUBIC)),
    "stone.seed": Turn("set.1.shape.seed", 1, 2, seen.different, 0, with_shape(kind="stone")),
    "tray.bars": Turn("set.1.shape.bars", 4, 9, lambda f: len(corners(f)), 1, with_shape(kind="tray")),
    "tray.bar": Turn("set.1.shape.bar", AS_IS, 0.2, lambda f: np.ptp(corners(f)[:, 0]), 1, with_shape(kind="tray")),
    "collision.whom": Turn(f"{C}.whom", None, "other", lambda f: sum(f.touches.values()), -1),
    "collision.props": Turn(f"{C}.props", ["vent"], ["ground"], seen.rest, 1),
    "collision.bounce": Turn(f"{C}.bounce", AS_IS, 0.8, bounced, 1),
    "collision.friction": Turn(f"{C}.friction", AS_IS, 1.0, seen.reach, -1),
    "collision.thickness": Turn(f"{C}.thickness", 0.01, 0.3, seen.rest, 1),
    "collision.side": Turn(
        f"{C}.side", "outside", "inside", seen.reach, -1, lambda s: s["matter"][2].update(props=["vent"])
    ),
    "source.prop": Turn(f"{S}.prop", "vent", "ground", seen.born_width, 1),
    "mesh.unit": Turn("set.1.shape.unit", "cm", "foot", seen.born_tall, 1, from_mesh),
    "mesh.up": Turn("set.1.shape.up", "y", "z", seen.born_tall, -1, from_mesh),
    "mesh.mend": Turn("set.1.shape.mend", "as it is", "mended", seen.born_on_the_lid, 1, from_mesh),
    "source.part": Turn(
        f"{S}.part", "surface", "volume", lambda f: np.linalg.norm(f.frames[1].position - [0, 1, 0], axis=1).mean(), -1
    ),
    "source.emit.kind": Turn(f"{S}.emit", CROWD, {"kind": "stream", "rate": 20}, seen.count, -1),
    "burst.count": Turn(f"{S}.emit.count", 100, 300, seen.count, 1),
    "burst.frame": Turn(f"{S}.emit.frame", 1, 9, seen.first_seen, 1),
    "stream.rate": Turn(f"{S}.emit.rate", 100, 300, seen.count, 1, streaming),
    "stream.start": Turn(f"{S}.emit.start", 3, 9, seen.first_seen, 1, streaming),
    "stream.end": Turn(f"{S}.emit.end", AS_IS, 30, last_birth, 1, streaming),
    "source.aim.kind": Turn(f"{S}.aim", UP, {"kind": "anywhere"}, seen.top, -1),
    "outward.cone": Turn(f"{S}.aim.cone", AS_IS, 90, outwards, -1, outward),
    "toward.direction": Turn(f"{S}.aim.direction.0", 0, 2, seen.mean_x, 1),
    "toward.cone": Turn(f"{S}.aim.cone", AS_IS, 80, seen.top, -1),
    "source.speed": Turn(f"{S}.speed", 3, 6, seen.top, 1),
    "source.speed_spread": Turn(f"{S}.speed_spread", AS_IS, 0.8, seen.speed_range, 1),
    "source.state": Turn(f"{S}.state", "loose", "other", lambda f: (f.frames[1].state == 1).sum(), 1),
    "source.radius": Turn(f"{S}.radius", 0.01, 0.2, seen.rest, 1),
    "source.radius_spread": Turn(f"{S}.radius_spread", 0.0, 0.5, seen.size_range, 1),
    "source.life": Turn(f"{S}.life", 0.5, 5, seen.count, 1),
    "source.life_spread": Turn(f"{S}.life_spread", AS_IS, 0.9, lambda f: len(f.frames[20]), -1, living),
    "source.seed": Turn(f"{S}.seed", 1, 2, seen.different, 0),
    "gravity.strength": Turn("forces.0.strength", AS_IS, 15, seen.top, -1),
    "gravity.direction": Turn("forces.0.direction.0", 0, 1, seen.mean_x, 1),
    "linear_drag.rate": Turn("forces.1.rate", AS_IS, 3, seen.top, -1, with_force(**drag)),
    "quadratic_drag.strength": Turn("forces.1.strength", AS_IS, 0.6, seen.top, -1, with_force(**air)),
    "wind.speed": Turn("forces.1.speed", AS_IS, 5, seen.mean_x, 1, with_force(**wind)),
    "wind.direction": Turn("forces.1.direction.2", 0, 1, seen.mean_z, 1, with_force(**wind)),
    "wind.grip": Turn("forces.1.grip", AS_IS, 2, seen.mean_x, 1, with_force(**wind)),
    "cue.whom": Turn("cues.0.whom", None, "other", fired, -1),
    "cue.when.kind": Turn(
        "cues.0.when", {"kind": "slower", "speed": 3}, {"kind": "older", "age": 1.2}, seen.when_fired, 1
    ),
    "slower.speed": Turn("cues.0.when.speed", AS_IS, 5, seen.when_fired, -1),
    "faster.speed": Turn("cues.0.when.speed", AS_IS, 6.5, fired, -1, with_cue({"kind": "faster", "speed": 5})),
    "older.age": Turn("cues.0.when.age", 0.3, 0.9, seen.when_fired, 1, with_cue({"kind": "older"})),
    "touches.prop": Turn("cues.0.when.prop", "vent", "ground", fired, 1, with_cue({"kind": "touches"})),
    "at_frame.frame": Turn("cues.0.when.frame", 5, 20, seen.when_fired, 1, with_cue({"kind": "at_frame"})),
    "cue.then.kind": Turn("cues.0.then", {"kind": "enter", "state": "other"}, {"kind": "remove"}, seen.count, -1),
    "enter.state": Turn("cues.0.then.state", "loose", "other", seen.others, 1),
    "finish.first": Turn("finish.first", 1, 20, seen.frames, -1, lambda s: s["supply"][0]["emit"].update(frame=20)),
    "finish.pre_roll": Turn(
        "finish.pre_roll", 0, 20, seen.count, 1, lambda s: s["supply"][0].update(emit={"kind": "stream", "start": -20})
    ),
    "finish.last": Turn("finish.last", 20, 40, seen.frames, 1),
    "finish.rate": Turn("finish.rate", 24, 48, lambda f: f.last.age.max(), -1),
    "finish.quality": Turn("finish.quality", "rough", "fine", seen.steps, 1),
    "finish.time_scale": Turn("finish.time_scale", 0.5, 1.0, lambda f: f.last.age.max(), 1),
}

for kind, shape in options_of(Prop, "shape").items():
    for size in filter(shape.model_fields.__contains__, SIZES):
        more = 1.5 * shape.model_fields[size].default
        TURNS[f"{kind}.{size}"] = Turn(f"set.1.shape.{size}", AS_IS, more, SIZES[size], 1, with_shape(kind=kind))
for matter, turns in {
    "particles": FIELDS | CUES | CROWNS | DUSTY, "rigid": BODIES | BONDS, "smoke": SMOKE, "liquid": LIQUID,
    "slosh": SLOSH, "wetness": WETNESS, "froth": FROTH, "water": WATER, "soft": SOFT, "front": FRONTS,
}.items():  # fmt: skip
    TURNS |= {name: Turn(*turn, matter=matter) for name, turn in turns.items()}

# Names and paint, and how lengths are shown, are for people, or tested elsewhere, as is told.
SHOWN = {
    "liquid.look", "liquid.shown", "slosh.look", "slosh.shown", "wetness.shown", "water.shown", "prop.colour",
    "prop.shine", "prop.seen", "state.colour", "state.shine", "finish.lengths", "mesh.file", "skin.look", "skin.shown",
    "streaks.whom", "streaks.frames", "finish.retime", "finish.every",  # test_execute.py
    "state.of", "cut.inside", "bonds.prop", "cut.prop", "posed.prop",  # matter/rigid
    "finish.light", "finish.exposure", "finish.focus", "finish.aperture",  # exchange/test_exchange.py, picture/test_still.py
    "smoke.colour", "smoke.thickness", "fire.glow", "fume.colour",  # picture/test_volume.py
    "smoke.diffusion", "smoke.along", "detail.times", "detail.curls", "detail.change", "detail.seed",  # matter/smoke
}  # fmt: skip


def all_dials() -> set[str]:
    found: set[str] = set()

    def walk(cls: Any) -> None:
        kind = cls.model_fields["kind"].default
        for name, described in dials_of(cls).items():
            if isinstance(described, Pick):
                found.add(f"{kind}.{name}.kind")
                for option in options_of(cls, name).values():
                    walk(option)
            else:
                found.add(f"{kind}.{name}")

    for cls in (*ROWS, Finish):
        walk(cls)
    # A name is for people, wherever it stands, and what drives is turned in tests/core/drive.
    return {dial for dial in found if not dial.endswith(".name")}


def test_every_dial_of_every_row_is_turned_here():
    assert all_dials() == set(TURNS) | SHOWN


@pytest.mark.parametrize("name", TURNS)
def test_turning_a_dial_changes_the_result_in_its_direction(name):
    turn = TURNS[name]
    before, after = turn.measure(turn.film(turn.low)), turn.measure(turn.film(turn.high))
    if turn.sign == 0:
        assert before != after
    else:
        assert turn.sign * (after - before) > 1e-3 * abs(before), f"{before} to {after}"


def test_vertices_come_from_the_corners(tmp_path):
    shot = base()
    shot["set"][1]["shape"] = {"kind": "box", "width": 1, "height": 1, "depth": 1}
    shot["supply"][0]["part"] = "vertices"
    born = play(shot, "rough").frames[1].position - [0, 1, 0]
    assert (np.abs(born) == 0.5).all()
    trimesh.creation.box(extents=[2, 2, 2]).export(tmp_path / "block.stl")
    shot["set"][1]["shape"] = {"kind": "mesh", "file": "block.stl"}
    born = play(shot, "rough", tmp_path).frames[1].position - [0, 1, 0]
    assert (np.abs(born) == 1.0).all()


@pytest.mark.parametrize("row", [("forces", 0), ("matter", 2), ("cues", 0), ("supply", 0), ("set", 1)])
def test_a_row_that_is_off_does_nothing(row):
    section, index = row
    on, off = base(), base()
    off[section][index]["on"] = False
    assert seen.different(play(on, "rough")) != seen.different(play(off, "rough"))
