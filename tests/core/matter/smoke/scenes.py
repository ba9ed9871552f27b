"""Small scenes of smoke."""

from typing import Any

from tests.conftest import GRAVITY, document

DOWN = GRAVITY | {"direction": [0, -1, 0]}
VENT = {
    "kind": "prop",
    "id": "vent",
    "name": "vent",
    "shape": {"kind": "sphere", "radius": 0.3},
    "position": [0, 0.5, 0],
}
BOX = {"kind": "smoke", "id": "smoke", "at": [0, 1.6, 0], "size": [1.6, 3.2, 1.6]}
BOX |= {"cell": 0.1, "fade": 0.0, "cooling": 0.0}


def fume(**fields: Any) -> dict[str, Any]:
    return {"kind": "fume", "id": "fume", "prop": "vent", "rate": 8, "temperature": 200} | fields


def smoky(
    smoke: Any = (), supply: Any = None, props: Any = (), forces: Any = (DOWN,), last: int = 13, **more: Any
) -> dict[str, Any]:
    return document(
        set=[VENT, *props], matter=[BOX | dict(smoke), *more.pop("matter", ())], supply=[fume()] if supply is None else supply,
        forces=list(forces), finish={"last": last}, **more,
    )  # fmt: skip
