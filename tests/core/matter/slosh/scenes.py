"""Vessels, and liquid in them."""

from typing import Any

from tests.conftest import Film, play
from tests.core.matter.rigid.scenes import DOWN, prop, scene

JAR = {"kind": "cylinder", "radius": 0.2, "height": 0.8}
TANK = {"kind": "box", "width": 1.0, "height": 0.8, "depth": 0.5}


def keys(*at: tuple[float, float]) -> dict[str, Any]:
    return {"kind": "keys", "keys": [{"frame": f, "value": v} for f, v in at]}


def holding(shape: dict[str, Any], last: int = 25, at: Any = (0, 1, 0), rows: Any = (), **more: Any) -> dict[str, Any]:
    """A vessel that is filled; what more there is goes to it, or to the liquid as `row`."""
    row = {"kind": "slosh", "id": "slosh", "prop": "vessel", "uneven": 0.0} | more.pop("row", {})
    cues = more.pop("cues", [])
    return scene([prop("vessel", shape, at, **more)], [row, *rows], last, forces=[DOWN], cues=cues)


def swung(shot: dict[str, Any], quality: str = "rough") -> Film:
    return play(shot, quality, matter="slosh")
