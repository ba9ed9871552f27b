"""Each dial of a wet surface, turned."""

from typing import Any

import numpy as np

from tests.conftest import Film, landing, source
from tests.core.matter.wetness.scenes import dipped
from tests.core.run.measures import AS_IS

STATES = [
    {"kind": "state", "id": "one", "name": "one", "of": "wetness"},
    {"kind": "state", "id": "drop", "name": "drop"},
]
DROPS = source(prop="other", state="drop", emit={"kind": "burst", "count": 40, "frame": 6}, radius=0.2)


def post(last: int = 8, cues: Any = (), supply: Any = (), **row: Any):
    """A post that is lifted out of water."""

    def change(shot: dict[str, Any]) -> None:
        cues_there = [{"kind": "cue", "id": "cue", **cue} for cue in cues]
        shot |= dipped(last, rows=[*STATES, landing(id="meets", props=["post"])], cues=cues_there, **row)
        shot["supply"] = list(supply)

    return change


def mesh(f: Film) -> dict[str, np.ndarray]:
    return f.world.solvers["wetness"].surfaces(f.state, f.world.scene(f.world.shot.finish.last))["wetness"]  # type: ignore[return-value]


# fmt: off
def count(f: Film) -> float: return float(len(f.last))
def tall(f: Film) -> float: return float(np.ptp(f.last.rest[:, 1]))
def film(f: Film) -> float: return float(f.last.wet.mean())
def thinnest(f: Film) -> float: return float(mesh(f)["thin"].min())
def paint(f: Film) -> float: return float(mesh(f)["colour"].max() & 0xFFFFFF)
def state(f: Film) -> float: return float(f.last.state.max())
def fired(f: Film) -> float: return float(len(f.events.frame))
# fmt: on


WETTER = {"when": {"kind": "wetter"}, "then": {"kind": "remove"}}
WETNESS: dict[str, tuple[Any, ...]] = {
    "wetness.props": ("matter.0.props", ["post"], ["post", "other"], tall, 1, post()),
    "wetness.segments": ("matter.0.segments", 10, 40, count, 1, post()),
    "wetness.reach": ("matter.0.reach", AS_IS, 0.2, film, 1, post()),
    "wetness.drops": ("matter.0.drops", None, "drop", film, 1, post(supply=[DROPS])),
    "wetness.dries": ("matter.0.dries", AS_IS, 2.0, film, 1, post()),
    "wetness.dark": ("matter.0.dark", 0.2, 0.8, thinnest, -1, post()),
    "wetness.colour": ("matter.0.colour", AS_IS, "#806040", paint, 1, post()),
    "wetness.state": ("matter.0.state", None, "one", state, 1, post()),
    "wetter.wet": ("cues.0.when.wet", 0.1, 1.0, fired, -1, post(cues=[WETTER])),
}
