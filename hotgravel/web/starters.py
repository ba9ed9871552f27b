"""What a new shot can start from."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from hotgravel.core.shot.document import Shot, load
from hotgravel.demo.shots import demo_path


@dataclass(frozen=True)
class Starter:
    """A beginning: what it holds, in words, and how it is made."""

    what: str
    shot: Callable[[], Shot]


def _demo(name: str, called: str) -> Callable[[], Shot]:
    return lambda: load(load(demo_path(name)).dump() | {"name": called})


_BARE: dict[str, Any] = {
    "format": "hotgravel.shot", "version": 4, "name": "New shot",
    "set": [{"kind": "prop", "id": "plain", "name": "cinder plain", "colour": "#3B3634", "shape": {"kind": "plane"}}],
    "matter": [{"kind": "state", "id": "loose", "name": "loose"},
               {"kind": "collision", "id": "landing", "name": "landing", "props": ["plain"]}],
    "forces": [{"kind": "gravity", "id": "gravity"}],
}  # fmt: skip

_FOUNTAIN: dict[str, Any] = _BARE | {
    "name": "New fountain",
    "set": [*_BARE["set"], {"kind": "prop", "id": "mouth", "name": "vent mouth", "position": [0, 0.05, 0],
                            "shape": {"kind": "disc", "radius": 0.3}, "colour": "#6B4A3C"}],
    "supply": [{"kind": "source", "id": "fountain", "name": "fountain", "prop": "mouth", "state": "loose", "speed": 8,
                "emit": {"kind": "stream", "rate": 1500, "start": 1, "end": 96},
                "aim": {"kind": "outward", "cone": 9}, "radius": 0.025, "radius_spread": 0.4}],
}  # fmt: skip

GUIDED = "bare plain"  # the one on which a first shot is made step by step
STARTERS = {
    "ember burst": Starter("A dome that throws embers; drag in flight, gravity once they are slow.",
                           _demo("ember-burst", "New burst")),
    "cinder fountain": Starter("A steady stream of cinders that falls back and rolls out.", lambda: load(_FOUNTAIN)),
    "bare plain": Starter("The plain, gravity and one state; a guide shows what comes next.", lambda: load(_BARE)),
}  # fmt: skip
