"""Smoke as a whole: it rises, falls, fades and stays out of what is solid, and none of it is lost."""

from pathlib import Path

import numpy as np
import pytest

from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.execute import execute, still, threads
from hotgravel.core.run.frame import first_frame, next_frame
from hotgravel.core.run.gauges import measure
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from tests.core.matter.smoke.scenes import BOX, DOWN, fume, smoky
from tests.core.run.test_execute import bytes_of


def gone_on(shot, quality="rough"):
    """The state of the smoke at each frame, and its gauges."""
    world = build(load(shot), beside(Path()), quality)
    now, happened = first_frame(world, still)
    told = []
    while now.frame < world.shot.finish.last:
        happened = next_frame(world, now, still)
        told.append(measure(world, now, happened)["matter"]["smoke"])
    return world, now.states["smoke"], told


def height(state):
    density = state.arrays["density"]
    return float((density.sum(axis=(0, 2)) * (np.arange(density.shape[1]) + 0.5)).sum() / density.sum())


def test_what_came_is_there_has_faded_or_has_left():
    _, _, told = gone_on(smoky({"fade": 0.15, "size": [1.6, 1.6, 1.6], "at": [0, 0.8, 0]}, last=49))
    last = told[-1]
    assert last["came"] == pytest.approx(last["mass"] + last["faded"] + last["left"], rel=1e-3)
    assert min(last["faded"], last["left"]) > 0.02 * last["came"]
    assert max(t["apart"] for t in told) < 1e-3


def test_it_fades_along_a_straight_line_and_cools_along_an_exponential():
    once = [fume(end=1, rate=24)]
    _, state, _ = gone_on(smoky({"fade": 0.25, "cooling": 2.0, "sides": "closed"}, once, forces=(), last=2))
    thick, hot = state.arrays["density"].max(), state.arrays["heat"].max()
    for last in (13, 25):
        _, state, _ = gone_on(smoky({"fade": 0.25, "cooling": 2.0, "sides": "closed"}, once, forces=(), last=last))
        past = (last - 2) / 24
        assert state.arrays["density"].max() == pytest.approx(thick - 0.25 * past, abs=0.01)
        assert state.arrays["heat"].max() == pytest.approx(hot * np.exp(-2.0 * past), rel=0.02)


def test_hot_smoke_rises_cold_sinks_and_either_turns_about_without_other_heat():
    up = height(gone_on(smoky())[1])
    level = height(gone_on(smoky({"lift": 0.0}))[1])
    reversed_ = height(gone_on(smoky({"lift": -1.0}))[1])
    cold = height(gone_on(smoky(supply=[fume(temperature=-40)]))[1])
    heavy = height(gone_on(smoky({"weight": 0.6}, [fume(temperature=20)]))[1])
    assert up > level + 1.0 > level > reversed_
    assert max(cold, heavy) < level
    assert height(gone_on(smoky(forces=()))[1]) == pytest.approx(level, abs=0.01)  # without gravity nothing lifts


@pytest.mark.parametrize("turned", [0, 30])
def test_none_leaves_a_box_of_thin_walls(turned):
    # Six boards 2 cm thick, a fifth of a cell, around the vent.
    turn = np.radians(turned)
    walls = []
    for axis in range(3):
        for way in (-1, 1):
            size, off = [1.2, 1.2, 1.2], [0.0, 0.0, 0.0]
            size[axis], off[axis] = 0.02, 0.55 * way
            x, z = np.cos(turn) * off[0] + np.sin(turn) * off[2], -np.sin(turn) * off[0] + np.cos(turn) * off[2]
            walls.append({
                "kind": "prop", "id": f"wall-{axis}-{way + 1}", "name": f"wall {axis} {way}", "position": [x, 0.9 + off[1], z],
                "rotation": [0, turned, 0], "shape": dict(zip(("kind", "width", "height", "depth"), ("box", *size), strict=True)),
            })  # fmt: skip
    met = {"kind": "collision", "id": "met", "props": [wall["id"] for wall in walls]}
    still_vent = {
        "kind": "prop",
        "id": "vent",
        "name": "vent",
        "shape": {"kind": "sphere", "radius": 0.25},
        "position": [0, 0.9, 0],
    }
    shot = smoky(matter=[met], last=37) | {"set": [still_vent, *walls]}
    world, state, _ = gone_on(shot)
    places = world.solvers["smoke"].box.points((0.5, 0.5, 0.5)) - [0, 0.9, 0]
    x, z = (
        np.cos(turn) * places[:, 0] - np.sin(turn) * places[:, 2],
        np.sin(turn) * places[:, 0] + np.cos(turn) * places[:, 2],
    )
    outside = np.abs(np.stack([x, places[:, 1], z])).max(axis=0) > 0.65
    density = state.arrays["density"].ravel()
    assert density.sum() > 50
    assert density[outside].max() < 1e-4


def test_a_finer_grid_rises_as_high():
    heights = [height(gone_on(smoky(last=19), q)[1]) * cell for q, cell in (("rough", 0.1), ("fine", 0.05))]
    assert heights[1] == pytest.approx(heights[0], rel=0.1)


def test_wind_blows_it_and_a_zone_masks_where_it_comes():
    wind = {"kind": "wind", "id": "wind", "speed": 3, "direction": [1, 0, 0], "grip": 3}
    _, state, _ = gone_on(smoky(forces=(DOWN, wind)))
    x = (state.arrays["density"].sum(axis=(1, 2)) * np.arange(16)).sum() / state.arrays["density"].sum()
    assert x > 9.5
    right = {
        "kind": "zone",
        "id": "right",
        "name": "right",
        "shape": {"kind": "block", "at": [1, 0.5, 0], "size": [2, 2, 2]},
        "edge": 0,
    }
    _, state, _ = gone_on(smoky(supply=[fume(through="right")], props=[right], forces=(), last=3))
    assert state.arrays["density"][:8].max() == 0.0 < state.arrays["density"][8:].max()


def test_one_thread_and_two_give_the_same_bytes(tmp_path):
    shot = smoky({"swirl": 2.0}, last=6)
    for n in (1, 2):
        threads(n)
        execute(build(load(shot), beside(Path()), "rough"), tmp_path / str(n))
    threads()
    assert bytes_of(tmp_path / "1") == bytes_of(tmp_path / "2")


def test_what_cannot_be_is_told():
    with pytest.raises(ShotFault, match=r"million cells. Accepted: 6 million, as cells of"):
        gone_on(smoky({"cell": 0.005}))
    with pytest.raises(ShotFault, match="another box too"):
        gone_on(smoky(matter=[BOX | {"id": "more"}]))


@pytest.mark.parametrize(
    ("height", "said"), [(0.5, []), (9.0, ["far lies outside the box of the smoke, so nothing comes."])]
)
def test_a_source_outside_the_box_is_told(height, said):
    far = {"kind": "prop", "id": "far", "name": "far", "shape": {"kind": "box"}, "position": [0, height, 0]}
    world = build(load(smoky(supply=[fume(prop="far")], props=[far])), beside(Path()))
    assert [f.message for f in findings(world.shot, world) if f.check == "outside the box"] == said
