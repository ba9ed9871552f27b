"""Small scenes of a front that creeps over a prop."""

from typing import Any

from tests.conftest import Film, play
from tests.core.matter.rigid.scenes import prop, scene

BOARD = {"kind": "plane", "width": 2.0, "depth": 2.0}
MIDDLE = {
    "kind": "zone", "id": "spark", "name": "spark", "shape": {"kind": "ball", "at": [0, 1, 0], "radius": 0.03}, "edge": 0.0,
}  # fmt: skip


def front(name: str = "board", **more: Any) -> dict[str, Any]:
    row = {"kind": "front", "id": "front", "prop": name, "segments": 40, "lit": "spark", "speed": 0.5, "reach": 0.2}
    return row | {"ragged": 0.0} | more


def burning(row: dict[str, Any], last: int = 25, shape: Any = None, **sections: Any) -> Film:
    """A board that is lit in its middle."""
    props = [prop("board", shape or BOARD, (0, 1, 0)), MIDDLE]
    return play(scene(props, [row], last, forces=[], **sections), "rough", matter="front")
