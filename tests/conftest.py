"""What tests share: shots in a line, and films of them without a disk."""

import copy
import os
import shutil
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import settings

from hotgravel.core.cues.record import Events, all_events
from hotgravel.core.matter.contract import State
from hotgravel.core.matter.elements import Elements
from hotgravel.core.run.execute import still, threads
from hotgravel.core.run.frame import first_frame, next_frame
from hotgravel.core.run.world import World, beside, build
from hotgravel.core.shape.shelf import FOLDER as CUTTINGS
from hotgravel.core.shot.document import load

CUT = pytest.StashKey[str]()
# Where files run side by side, the longest go first: begun last, one of them would keep a core waiting for the other.
LONGEST = (
    "test_options.py", "test_soft.py", "test_smoke.py", "test_browser.py", "test_api.py", "test_guard.py",
    "test_motion.py", "test_kills.py", "test_bodies_page.py", "test_liquid.py", "test_warm.py", "test_contract.py",
    "test_plume.py", "test_refusals.py", "test_machines.py", "test_look.py", "test_smoke_page.py", "test_first_use.py",
    "test_access.py", "test_driven.py", "test_cues_page.py", "test_liquid_page.py", "test_farm.py",
)  # fmt: skip
settings.register_profile("steady", deadline=None, derandomize=True)  # no test's outcome depends on the machine
settings.load_profile("steady")

GROUND = {"kind": "prop", "id": "ground", "name": "ground", "shape": {"kind": "plane", "width": 400, "depth": 400}}
# A ball so small that what leaves its surface leaves a point.
VENT = {
    "kind": "prop", "id": "vent", "name": "vent", "shape": {"kind": "sphere", "radius": 1e-6}, "position": [0, 0, 0],
}  # fmt: skip
LOOSE = {"kind": "state", "id": "loose", "name": "loose"}
GRAVITY = {"kind": "gravity", "id": "gravity", "strength": 9.81}


def source(**fields: Any) -> dict[str, Any]:
    """A source of one particle that flies straight along x, unless told otherwise."""
    plain = {
        "kind": "source", "id": "source", "prop": "vent", "state": "loose",
        "emit": {"kind": "burst", "count": 1, "frame": 1},
        "aim": {"kind": "toward", "direction": [1, 0, 0], "cone": 0}, "speed": 10, "speed_spread": 0, "radius": 0.01,
    }  # fmt: skip
    return plain | fields


def landing(**fields: Any) -> dict[str, Any]:
    return {"kind": "collision", "id": "landing", "props": ["ground"], "bounce": 0.0, "friction": 0.0} | fields


def document(**sections: Any) -> dict[str, Any]:
    """A shot with a vent, one state and what is given."""
    plain: dict[str, Any] = {
        "format": "hotgravel.shot", "version": 1, "name": "a test", "set": [GROUND, VENT], "matter": [LOOSE],
        "supply": [source()], "finish": {"last": 25},
    }  # fmt: skip
    return copy.deepcopy(plain | sections)


def at(height: float, **fields: Any) -> list[dict[str, Any]]:
    """The ground, and the vent at a height."""
    return [GROUND, VENT | {"position": [0, height, 0]} | fields]


@dataclass
class Film:
    """All frames of a shot, in memory; those of one matter."""

    world: World
    frames: dict[int, Elements]
    events: Events
    touches: dict[int, int]
    state: State

    def path(self, who: int = 0) -> np.ndarray:
        """Positions of one particle over the frames (n, 3)."""
        return np.array([p.position[p.id == who][0] for p in self.frames.values() if (p.id == who).any()])

    @property
    def last(self) -> Elements:
        return self.frames[max(self.frames)]


def play(shot: dict[str, Any], quality: Any = "fair", meshes: Path = Path(), matter: str = "particles") -> Film:
    """Run a document through the order of frames, keeping copies."""
    world = build(load(shot), beside(meshes), quality)
    now, happened = first_frame(world, still)
    frames, events, touches = {now.frame: now.crowds[matter].copy()}, [happened.events], {now.frame: 0}
    while now.frame < world.shot.finish.last:
        happened = next_frame(world, now, still)
        frames[now.frame] = now.crowds[matter].copy()
        events.append(happened.events)
        touches[now.frame] = happened.touches[matter]
    return Film(world, frames, all_events(events), touches, now.states[matter])


@pytest.fixture(scope="session")
def ember_run(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with a small run of the demo shot."""
    from hotgravel.core.run.execute import execute
    from hotgravel.demo.shots import demo_path

    shot = load(demo_path("ember-burst")).dump()
    shot["supply"][0]["emit"]["count"] = 400
    shot["finish"]["last"] = 40
    folder = tmp_path_factory.mktemp("ember-run")
    execute(build(load(shot), beside(Path())), folder)
    return folder


def pytest_configure(config: pytest.Config) -> None:
    """Tests that run side by side take a core each: kernels whose threads wait for another's are many times slower."""
    if hasattr(config, "workerinput"):
        threads(1)
    else:  # what one test has cut no other cuts again; kept for this session alone, as the code may change
        os.environ[CUTTINGS] = config.stash[CUT] = tempfile.mkdtemp()


@pytest.fixture(autouse=True)
def _own_threads() -> Iterator[None]:
    """A test that changes how many threads kernels use changes that for itself alone."""
    import numba  # after the application, which tells it where compiled kernels are kept

    before = numba.get_num_threads()
    yield
    threads(before)


def pytest_unconfigure(config: pytest.Config) -> None:
    shutil.rmtree(config.stash.get(CUT, ""), ignore_errors=True)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes long begins."""
    items.sort(key=lambda item: LONGEST.index(item.path.name) if item.path.name in LONGEST else len(LONGEST))
