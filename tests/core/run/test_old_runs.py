"""Runs that were kept when there were only particles can still be looked at."""

import numpy as np

from hotgravel.core.cues.record import COLUMNS
from hotgravel.core.matter.contract import COMMON
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.zarr_file import write_groups
from hotgravel.core.shot.document import load
from tests.conftest import document


def test_a_frame_of_then_reads_as_one_of_now(tmp_path):
    store = FrameStore(tmp_path)
    particles = {
        name: np.zeros((3, 3) if name in ("position", "velocity") else 3, c.dtype) for name, c in COMMON.items()
    }
    events = {n: np.zeros((2, 3) if n == "place" else 2, t) for n, t in COLUMNS.items() if n not in ("matter", "other")}
    events["particle"][:] = 4, -1
    gauges = {"particles": 3, "mean_speed": 1.0, "greatest_speed": 2.0, "kinetic_energy": 0.5, "touches": 1, "steps": 2}
    attributes = {"frame": 5, "gauges": gauges}
    write_groups(store.path(5), {"particles": particles, "events": events}, attributes, plain=["position"])
    assert store.matters(5) == ["particles"]
    assert len(store.particles(5)["id"]) == 3
    assert len(store.elements(5, "rigid")["id"]) == 0
    assert store.events(5).matter.tolist() == [0, -1]
    assert store.events(5).other.tolist() == [-1, -1]
    assert store.gauges(5)["matter"]["particles"]["count"] == 3


def test_states_of_version_2_are_of_particles():
    old = document() | {"version": 2}
    assert [s.of for s in load(old).states] == ["particles"]
    assert load(old).version == 4
