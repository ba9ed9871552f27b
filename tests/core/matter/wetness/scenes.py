"""Things that get wet."""

from typing import Any

from tests.core.matter.rigid.scenes import DOWN, prop, scene

POST = {"kind": "box", "width": 0.5, "height": 1.0, "depth": 0.5}
LAKE = {"kind": "water", "id": "lake", "size": 4.0, "cell": 0.2, "wind": 0.0}
# It stands half in the water until frame 3, and over it from frame 5 on.
LIFTED = {"kind": "keys", "keys": [{"frame": f, "value": y} for f, y in ((1, 0), (3, 0), (5, 2))]}


def dipped(last: int = 13, post: Any = None, rows: Any = (), cues: Any = (), **row: Any) -> dict[str, Any]:
    """A post that is lifted out of still water."""
    props = [post or prop("post", POST, (0, LIFTED, 0)), prop("other", POST | {"height": 2.0}, (0, LIFTED, 0))]
    wetness = {"kind": "wetness", "id": "wetness", "props": ["post"], "segments": 20, "reach": 0.0, "dries": 0.2} | row
    return scene(props, [wetness, LAKE, *rows], last, forces=[DOWN], cues=list(cues))
