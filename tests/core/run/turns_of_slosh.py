"""Each dial of liquid in a vessel, turned."""

from typing import Any

import numpy as np

from tests.conftest import Film
from tests.core.matter.rigid.scenes import prop
from tests.core.matter.slosh.scenes import JAR, holding, keys
from tests.core.run.measures import AS_IS

JOLT = keys((1, 0), (3, 0), (6, 0.2), (9, 0.2))
OTHER = {"kind": "state", "id": "other", "name": "other", "of": "slosh"}


def jar(last: int = 16, at: Any = JOLT, cues: Any = (), **row: Any):
    """A jar that is jolted."""

    def change(shot: dict[str, Any]) -> None:
        cues_there = [{"kind": "cue", "id": "cue", **cue} for cue in cues]
        shot |= holding(JAR, last, at=(at, 1, 0), row=row, rows=[OTHER], cues=cues_there)
        shot["set"].append(prop("bowl", {"kind": "sphere", "radius": 0.3}, (3, 1, 0)))

    return change


def mesh(f: Film) -> dict[str, np.ndarray]:
    return f.world.solvers["slosh"].surfaces(f.state, f.world.scene(f.world.shot.finish.last))["slosh"]  # type: ignore[return-value]


def over(f: Film, name: str) -> np.ndarray:
    return np.array([getattr(p, name) for p in f.frames.values() if len(p)])


def leaning(f: Film) -> float:
    return float(over(f, "steep").max())


def at_last(f: Film) -> float:
    return float(over(f, "steep")[-8:].max())


def high(f: Film) -> float:
    return float(f.last.position[:, 1].mean())


def wide(f: Film) -> float:
    made = mesh(f)
    return float(np.ptp(made["vertices"][made["faces"]][:, :, 2]))


def aside(f: Film) -> float:
    return float(f.last.position[:, 0].mean())


def curled(f: Film) -> float:
    """How far the surface is from a plane."""
    p = f.last.position - f.last.position.mean(axis=0)
    return float(np.linalg.svd(p)[1][2])


def ragged(f: Film) -> float:
    """Waves that go across the jolt."""
    return float(np.abs(f.state.arrays["wave slosh"][0, [1, 2, 3]]).sum())


def white(f: Film) -> float:
    return float(f.state.arrays["foam slosh"][0])


def film(f: Film) -> float:
    return float(f.state.arrays["film slosh"].mean())


def paint(f: Film) -> float:
    return float(mesh(f)["colour"].min() >> 16)


def states(f: Film) -> float:
    return float(f.last.state.max())


def fired(f: Film) -> float:
    return float(len(f.events.frame))


SLOSH: dict[str, tuple[Any, ...]] = {
    "slosh.prop": ("matter.0.prop", "vessel", "bowl", aside, 1, jar()),
    "slosh.level": ("matter.0.level", 0.3, AS_IS, high, 1, jar()),
    "slosh.wall": ("matter.0.wall", 0.0, 0.05, wide, -1, jar(wet=0.0)),
    "slosh.swing": ("matter.0.swing", 0.2, 1.0, leaning, 1, jar()),
    "slosh.calms": ("matter.0.calms", AS_IS, 6.0, at_last, -1, jar(40)),
    "slosh.ripples": ("matter.0.ripples", 0.0, 1.0, curled, 1, jar(8)),
    "slosh.uneven": ("matter.0.uneven", 0.0, 1.0, ragged, 1, jar(8)),
    "slosh.seed": ("matter.0.seed", 1, 2, ragged, 0, jar(8, uneven=0.5)),
    "slosh.foam": ("matter.0.foam", AS_IS, 1.0, white, 1, jar()),
    "slosh.lasts": ("matter.0.lasts", 0.2, AS_IS, white, 1, jar()),
    "slosh.wet": ("matter.0.wet", 0.2, AS_IS, film, 1, jar()),
    "slosh.colour": ("matter.0.colour", AS_IS, "#A0B0C0", paint, 1, jar()),
    "slosh.state": ("matter.0.state", None, "other", states, 1, jar()),
    "steep.steep": ("cues.0.when.steep", 5.0, 90.0, fired, -1,
                    jar(at=keys((1, 0), (9, 0.05)), cues=[{"when": {"kind": "steep"}, "then": {"kind": "enter", "state": "other"}}])),
}  # fmt: skip
