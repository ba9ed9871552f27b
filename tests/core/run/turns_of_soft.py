"""Each dial of what is soft, turned."""

from typing import Any

import numpy as np

from tests.conftest import Film
from tests.core.matter.rigid.scenes import DOWN, prop, scene
from tests.core.matter.soft.scenes import SHEET, cloth, jelly, pins
from tests.core.run.measures import AS_IS

AIR = {"kind": "linear_drag", "id": "drag", "rate": 3}
WIND = {"kind": "wind", "id": "wind", "speed": 3, "direction": [1, 0, 0.6], "grip": 4}
HELD = pins((0, 2, -0.45), (1.2, 0.1, 0.2))
STATES = [{"kind": "state", "id": s, "name": s, "of": "soft"} for s in ("one", "two")]
RISES = {"kind": "keys", "keys": [{"frame": 1, "value": 5.0}, {"frame": 13, "value": 7.0}]}
MAST = prop("mast", {"kind": "box", "width": 0.1, "height": 0.1, "depth": 0.1}, (0, RISES, 0))
OTHER = prop("other", SHEET | {"width": 0.4}, (0, 3, 0))


def a_sheet(**fields: Any):
    """A sheet pinned at one side; half of it hangs there."""

    def change(shot: dict[str, Any]) -> None:
        shot["cues"] = []
        row = {"thickness": 0.01, "stretch": 100.0, "shear": 30.0, "pins": "pins"} | fields.get("row", {})
        props = [prop("sheet", SHEET, (0, 2, 0)), OTHER, HELD]
        shot |= scene(
            props, [cloth("sheet", **row), *STATES], fields.get("last", 13), forces=fields.get("forces", [DOWN])
        )

    return change


def a_block(**fields: Any):
    """A block of jelly that falls on the ground, or is pinned at its top."""

    def change(shot: dict[str, Any]) -> None:
        shot["cues"] = []
        box = {"kind": "box", "width": 0.4, "height": 0.8, "depth": 0.4}
        props = [
            prop("block", box, (0, fields.get("height", 2.0), 0)), prop("other", box | {"height": 0.5}, (0, 2, 0)),
            pins((0, 2.4, 0), (1, 0.1, 1)),
        ]  # fmt: skip
        row = {"pins": "pins", "stiffness": 2e4} | fields.get("row", {})
        shot |= scene(props, [jelly("block", **row), *STATES], fields.get("last", 13), forces=[DOWN])

    return change


def by_a_mast(change: Any):
    """The same, and a mast that rises, which it may be pinned to."""

    def changed(shot: dict[str, Any]) -> None:
        change(shot)
        shot["set"].append(MAST)

    return changed


def sewn(**seam: Any):
    """A sheet that is pinned at one side and hangs, and another that is sewn to its end, or to that of a third."""

    def change(shot: dict[str, Any]) -> None:
        a_sheet(last=19)(shot)
        shot["set"] += [prop("more", SHEET, (0, 2, 1.01)), prop("third", SHEET, (0, 2, -1.01)), TIP]
        row = {"kind": "sewn", "id": "seam", "prop": "more", "other": "sheet"} | seam
        shot["matter"] = [row, cloth("more"), cloth("third", begins="held"), *shot["matter"]]

    return change


TIP = {
    "kind": "zone", "id": "tip", "name": "tip", "shape": {"kind": "block", "at": [0.5, 2, 0.5], "size": [0.5, 1, 1]},
}  # fmt: skip


def lowest(f: Film) -> float:
    return float(f.last.position[:, 1].min())


def count(f: Film) -> float:
    return float(len(f.last))


def pulled(f: Film) -> float:
    return float(f.last.stretch.max())


def wide(f: Film) -> float:
    """How wide the middle of a hanging block is."""
    at = f.last.position
    rest = f.last.rest
    middle = np.abs(rest[:, 1]) < 0.15
    return float(np.ptp(at[middle, 0]))


def askew(f: Film) -> float:
    """How far the free corners of a sheet stand apart."""
    free = f.last.rest[:, 2] > 0.49
    return float(np.ptp(f.last.position[free, 0]))


def flat(f: Film) -> float:
    """How far out the end of a sheet that is pinned at one side reaches."""
    return float(f.last.position[:, 2].max())


def slid(f: Film) -> float:
    return float(f.last.position[:, 2].mean())


def speed(f: Film) -> float:
    return float(f.last.speed.mean())


def state(f: Film) -> float:
    return float(f.last.state[0])


def warmth(f: Film) -> float:
    return float(f.last.temperature.mean())


def blown(f: Film) -> float:
    return float(f.last.position[:, 0].mean())


def lying(shot: dict[str, Any]) -> None:
    """A sheet that lies on the ground, which is a slope."""
    a_sheet(last=13, row={"pins": None})(shot)
    shot["set"][0] |= {"rotation": [25.0, 0.0, 0.0]}
    shot["set"][1] |= {"rotation": [25.0, 0.0, 0.0], "position": [0, 0.02, 0]}


def blocks_lying(shot: dict[str, Any]) -> None:
    a_block(height=0.45, row={"pins": None})(shot)
    shot["set"][0] |= {"rotation": [25.0, 0.0, 0.0]}


def balloons_lying(shot: dict[str, Any]) -> None:
    a_balloon(height=0.42)(shot)
    shot["set"][0] |= {"rotation": [25.0, 0.0, 0.0]}


def falling(kind: str):
    """A sheet, a block or a balloon that falls on a sheet that is held."""

    def change(shot: dict[str, Any]) -> None:
        shot["cues"] = []
        box = {"kind": "box", "width": 0.3, "height": 0.3, "depth": 0.3}
        upper = prop("upper", SHEET | {"width": 0.4, "depth": 0.4} if kind == "cloth" else box, (0, 2.3, 0))
        upper_rows = {"cloth": cloth("upper", segments=4), "jelly": jelly("upper", segments=2)}
        row = upper_rows.get(kind) or {"kind": "balloon", "id": "balloon", "prop": "upper", "segments": 2}
        rows = [row, cloth("sheet", segments=10, begins="held")]
        shot |= scene([upper, prop("sheet", SHEET, (0, 2, 0))], rows, 19, forces=[DOWN])

    return change


def folded_paper(shot: dict[str, Any]) -> None:
    """A stiff sheet that hangs over an edge, and is let go of gravity half way."""
    a_sheet(last=25, row={"bend": 0.02, "stretch": 2000.0})(shot)
    ends = {
        "kind": "keys",
        "keys": [{"frame": 1, "value": 9.81}, {"frame": 12, "value": 9.81}, {"frame": 13, "value": 0}],
    }
    shot["forces"] = [DOWN | {"strength": ends}, AIR]


def a_balloon(**fields: Any):
    """A balloon, or two, in the air or over the ground."""

    def change(shot: dict[str, Any]) -> None:
        shot["cues"] = []
        ball = {"kind": "sphere", "radius": 0.4}
        props = [
            prop("ball", ball, (0, fields.get("height", 3.0), 0)), prop("other", ball | {"radius": 0.3}, (0, 3, 0)),
            pins((0, 3.4, 0), (1, 0.2, 1)),
        ]  # fmt: skip
        row = {"kind": "balloon", "id": "balloon", "prop": "ball", "segments": 6, "pressure": 100.0}
        row |= fields.get("row", {})
        shot |= scene(props, [row, *STATES], fields.get("last", 13), forces=fields.get("forces", [DOWN]))

    return change


def size(f: Film) -> float:
    """How wide all is together."""
    return float(np.ptp(f.last.position, axis=0).max())


def low(f: Film) -> float:
    return float(f.last.position[:, 1].mean())


def fired(f: Film) -> float:
    return float(len(f.events))


def fires(when: dict[str, Any], setup: Any):
    """A scene with a cue that lets go what it fires on."""

    def change(shot: dict[str, Any]) -> None:
        setup(shot)
        shot["cues"] = [{"kind": "cue", "id": "cue", "when": when, "then": {"kind": "unpin"}}]

    return change


SIZE = {"kind": "keys", "keys": [{"frame": 1, "value": 0.3}, {"frame": 13, "value": 1.0}]}
HANGS = {"pins": "pins", "stretch": 100.0, "pressure": 0.0, "weight": 1.0}
LIES = {"height": 0.43, "last": 19}


SOFT: dict[str, tuple[Any, ...]] = {
    "cloth.prop": ("matter.0.prop", "sheet", "other", flat, 0, a_sheet()),
    "cloth.segments": ("matter.0.segments", 4, 8, count, 1, a_sheet()),
    "cloth.weave": ("matter.0.weave", "regular", "scattered", askew, 0, a_sheet()),
    "cloth.weight": ("matter.0.weight", AS_IS, 0.6, pulled, 1, a_sheet(forces=[DOWN, AIR], last=37)),
    "cloth.stretch": ("matter.0.stretch", AS_IS, 500.0, pulled, -1, a_sheet(forces=[DOWN, AIR], last=37)),
    "cloth.shear": ("matter.0.shear", AS_IS, 300.0, askew, 0, a_sheet(forces=[DOWN, WIND])),
    "cloth.bend": ("matter.0.bend", AS_IS, 0.2, flat, 1, a_sheet(forces=[DOWN, AIR], last=25)),
    "cloth.crease": ("matter.0.crease", 5.0, 180.0, flat, 1, folded_paper),
    "cloth.catch": ("matter.0.catch", AS_IS, 1.0, blown, 1, a_sheet(forces=[WIND | {"direction": [1, 0, 0]}])),
    "cloth.tear": ("matter.0.tear", 0.05, 10.0, lowest, 1, a_sheet(last=25)),
    "cloth.thickness": ("matter.0.thickness", 0.01, 0.1, lowest, 1, lying),
    "cloth.friction": ("matter.0.friction", AS_IS, 1.0, slid, -1, lying),
    "cloth.sticks": ("matter.0.sticks", 0.0, 20.0, slid, -1, lying),
    "cloth.damping": ("matter.0.damping", AS_IS, 0.1, speed, -1, a_sheet(forces=[DOWN | {"direction": [0, 0, 1]}])),
    "cloth.follow": ("matter.0.follow", 0.0, 20.0, lowest, 1, a_sheet(row={"pins": None})),
    "cloth.to": ("matter.0.to", None, "mast", lowest, 1, by_a_mast(a_sheet())),
    "jelly.to": ("matter.0.to", None, "mast", lowest, 1, by_a_mast(a_block())),
    "balloon.to": ("matter.0.to", None, "mast", lowest, 1, by_a_mast(a_balloon(row={"pins": "pins"}))),
    "cloth.pins": ("matter.0.pins", None, "pins", lowest, 1, a_sheet()),
    "cloth.begins": ("matter.0.begins", "loose", "held", lowest, 1, a_sheet()),
    "cloth.meets": ("matter.0.meets", "props", "all", lowest, 1, falling("cloth")),
    "jelly.meets": ("matter.0.meets", "props", "all", lowest, 1, falling("jelly")),
    "cloth.state": ("matter.0.state", "one", "two", state, 1, a_sheet()),
    "cloth.temperature": ("matter.0.temperature", 20.0, 300.0, warmth, 1, a_sheet()),
    "balloon.prop": ("matter.0.prop", "ball", "other", size, -1, a_balloon()),
    "balloon.copies.kind": ("matter.0.copies", {"kind": "itself"}, {"kind": "stacked"}, count, 1, a_balloon()),
    "balloon.segments": ("matter.0.segments", AS_IS, 8, count, 1, a_balloon()),
    "balloon.weight": ("matter.0.weight", 0.1, 1.0, lowest, -1, a_balloon(row=HANGS)),
    "balloon.stretch": ("matter.0.stretch", 100.0, 1000.0, lowest, 1, a_balloon(row=HANGS)),
    "balloon.shear": ("matter.0.shear", AS_IS, 1000.0, lowest, 0, a_balloon(row=HANGS)),
    "balloon.pressure": ("matter.0.pressure", AS_IS, 200.0, size, 1, a_balloon(row={"air": "held"})),
    "balloon.air": ("matter.0.air", "held", "shut", low, 1, a_balloon(**LIES, row={"pressure": 0.0, "weight": 1.0})),
    "balloon.size": ("matter.0.size", 0.5, 1.0, size, 1, a_balloon()),
    "balloon.late": ("matter.0.late", 0.0, 2.0, size, -1, a_balloon(row={"size": SIZE})),
    "balloon.tear": ("matter.0.tear", 0.05, 10.0, size, 1, a_balloon(row={"air": "held"}, forces=[])),
    "balloon.thickness": ("matter.0.thickness", 0.01, 0.1, lowest, 1, a_balloon(**LIES)),
    "balloon.friction": ("matter.0.friction", AS_IS, 1.0, slid, -1, balloons_lying),
    "balloon.sticks": ("matter.0.sticks", 0.0, 50.0, slid, -1, balloons_lying),
    "balloon.damping": ("matter.0.damping", AS_IS, 0.1, speed, -1, a_balloon(row=HANGS, last=37)),
    "balloon.follow": ("matter.0.follow", 0.0, 20.0, lowest, 1, a_balloon()),
    "balloon.pins": ("matter.0.pins", None, "pins", lowest, 1, a_balloon()),
    "balloon.begins": ("matter.0.begins", "loose", "held", lowest, 1, a_balloon()),
    "balloon.meets": ("matter.0.meets", "props", "all", lowest, 1, falling("balloon")),
    "balloon.state": ("matter.0.state", "one", "two", state, 1, a_balloon()),
    "balloon.temperature": ("matter.0.temperature", 20.0, 300.0, warmth, 1, a_balloon()),
    "stretched.stretch": ("cues.0.when.stretch", 0.05, 0.6, fired, -1, fires({"kind": "stretched"}, a_sheet())),
    "pressed.pressure": ("cues.0.when.pressure", 10.0, 1e5, fired, -1, fires({"kind": "pressed"}, a_balloon(**LIES))),
    "sewn.prop": ("matter.0.prop", "more", "third", lowest, -1, sewn()),
    "sewn.other": ("matter.0.other", "third", "sheet", lowest, 1, sewn()),
    "sewn.near": ("matter.0.near", 0.005, AS_IS, lowest, 1, sewn()),
    "sewn.zone": ("matter.0.zone", "tip", None, lowest, 1, sewn()),
    "sewn.bears": ("matter.0.bears", 0.1, AS_IS, lowest, 1, sewn()),
    "jelly.prop": ("matter.0.prop", "block", "other", lowest, 0, a_block()),
    "jelly.segments": ("matter.0.segments", AS_IS, 6, count, 1, a_block()),
    "jelly.stiffness": ("matter.0.stiffness", AS_IS, 1e5, lowest, 1, a_block()),
    "jelly.squash": ("matter.0.squash", 0.0, AS_IS, wide, -1, a_block()),
    "jelly.gives": ("matter.0.gives", 0.02, 1.0, lowest, 1, a_block(last=25)),
    "jelly.density": ("matter.0.density", AS_IS, 2000.0, lowest, -1, a_block()),
    "jelly.thickness": ("matter.0.thickness", 0.01, 0.1, lowest, 1, a_block(height=0.6, last=25, row={"pins": None})),
    "jelly.friction": ("matter.0.friction", AS_IS, 1.0, slid, -1, blocks_lying),
    "jelly.sticks": ("matter.0.sticks", 0.0, 5e3, slid, -1, blocks_lying),
    "jelly.damping": ("matter.0.damping", AS_IS, 0.1, speed, -1, a_block(last=37)),
    "jelly.follow": ("matter.0.follow", 0.0, 20.0, lowest, 1, a_block(row={"pins": None})),
    "jelly.pins": ("matter.0.pins", None, "pins", lowest, 1, a_block()),
    "jelly.begins": ("matter.0.begins", "loose", "held", lowest, 1, a_block(row={"pins": None})),
    "jelly.state": ("matter.0.state", "one", "two", state, 1, a_block()),
    "jelly.temperature": ("matter.0.temperature", 20.0, 300.0, warmth, 1, a_block()),
}
