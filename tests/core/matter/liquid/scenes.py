"""Small scenes of liquid."""

from typing import Any

from tests.conftest import Film, play
from tests.core.matter.rigid.scenes import DOWN, prop, scene

BOX = {
    "kind": "liquid", "id": "liquid", "at": [0, 0.8, 0], "size": [1.6, 1.6, 0.8], "cell": 0.1, "sides": "closed",
}  # fmt: skip


def body_of(width: float, height: float, depth: float = 0.8, at: Any = (0, None, 0)) -> dict[str, Any]:
    """A prop that is filled; it stands on the ground unless told otherwise."""
    x, y, z = at
    shape = {"kind": "box", "width": width, "height": height, "depth": depth}
    return prop("water", shape, (x, 0.5 * height if y is None else y, z), seen="unseen")


def fill(**more: Any) -> dict[str, Any]:
    return {"kind": "fill", "id": "fill", "prop": "water"} | more


def wet(
    props: list[dict[str, Any]], last: int, supply: Any = None, rows: Any = (), forces: Any = (DOWN,), **liquid: Any
) -> dict[str, Any]:  # fmt: skip
    """A shot of a box of liquid over the ground."""
    return scene(props, [BOX | liquid, *rows], last, supply=[fill()] if supply is None else supply, forces=list(forces))


def flow(shot: dict[str, Any], quality: str = "rough") -> Film:
    return play(shot, quality, matter="liquid")
