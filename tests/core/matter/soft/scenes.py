"""Small scenes of what is soft."""

from typing import Any

from tests.conftest import Film, play
from tests.core.matter.rigid.scenes import scene

SHEET = {"kind": "plane", "width": 1.0, "depth": 1.0}


def cloth(name: str, **more: Any) -> dict[str, Any]:
    """A prop as cloth, in few segments."""
    return {"kind": "cloth", "id": f"{name}-cloth", "prop": name, "segments": 8} | more


def jelly(name: str, **more: Any) -> dict[str, Any]:
    """A prop as jelly, in few segments."""
    return {"kind": "jelly", "id": f"{name}-jelly", "prop": name, "segments": 4} | more


def pins(at: Any, size: Any) -> dict[str, Any]:
    """A block with hard edges, in which things are pinned."""
    shape = {"kind": "block", "at": at, "size": size}
    return {"kind": "zone", "id": "pins", "name": "pins", "shape": shape, "edge": 0.0}


def draped(
    props: list[dict[str, Any]], rows: list[dict[str, Any]], last: int, quality: str = "rough", **more: Any
) -> Film:
    """A run of soft things over the ground."""
    return play(scene(props, rows, last, **more), quality, matter="soft")
