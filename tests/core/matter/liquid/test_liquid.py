"""Liquid, against closed forms and what has been measured in tanks."""

from pathlib import Path

import numpy as np
import pytest

from hotgravel.core.matter.fluid.solids import Box, Solids
from hotgravel.core.matter.liquid.viscosity import thickened
from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.execute import threads
from hotgravel.core.run.frame import first_frame, next_frame
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from tests.conftest import LOOSE, source
from tests.core.matter.liquid.scenes import body_of, fill, flow, wet
from tests.core.matter.rigid.scenes import DOWN, GRAVITY, body, prop

G = GRAVITY["strength"]


def still():
    return 0.0


def test_still_water_stays_still_and_presses_by_its_depth(tmp_path):
    deep = 0.8
    world = build(load(wet([body_of(1.6, deep)], 49)), beside(tmp_path), "rough")
    now, _ = first_frame(world, still)
    level = np.sort(now.crowds["liquid"].position[:, 1])[-200:].mean()
    count = len(now.crowds["liquid"])
    while now.frame < 49:
        happened = next_frame(world, now, still)
    p, state = now.crowds["liquid"], now.states["liquid"]
    assert len(p) == count
    assert p.speed.mean() < 0.02
    assert np.sort(p.position[:, 1])[-200:].mean() == pytest.approx(level, abs=0.02)
    # p = rho g h; the solver's is seconds over density and a cell of that.
    dt, cell = 1.0 / 24.0 / happened.steps, 0.1
    column = state.arrays["pressure"][1:-1, 1:-1, 1:-1]
    middle = column[tuple(n // 2 for n in (column.shape[0],))][:, column.shape[2] // 2]
    wetted = middle[middle > 0.0]
    depths = np.diff(wetted) * 1000.0 * cell / dt  # from one middle to the next
    assert depths[:5] == pytest.approx(-1000.0 * G * cell, rel=0.05)
    floor = column[:, np.flatnonzero((column > 0.0).any(axis=(0, 2)))[0]]
    assert floor[floor > 0.0].min() > 0.95 * floor.max()  # no wall lets any off


def test_a_column_of_water_runs_out_as_it_did_in_a_tank():
    # Martin and Moyce 1952, the front of a square column; T = t sqrt(2 g / a), Z = x / a. Values from memory.
    told = {1.19: 1.44, 1.83: 2.11, 2.51: 3.00, 2.98: 3.67}
    a = 0.8
    film = flow(wet([body_of(a, a, at=(-1.2, None, 0))], 20, size=[4.0, 1.6, 0.8], cell=0.08), "fair")
    times = np.array([(frame - 1) / 24.0 for frame in film.frames]) * np.sqrt(2.0 * G / a)
    fronts = np.array([np.quantile(p.position[:, 0], 0.995) for p in film.frames.values()])
    for t, z in told.items():
        assert np.interp(t, times, (fronts + 1.6) / a) == pytest.approx(z, rel=0.12)


def test_a_column_of_thick_liquid_that_has_run_out_keeps_its_volume_for_ten_seconds():
    film = flow(wet([body_of(0.6, 1.0, 0.4, at=(-0.3, None, 0))], 241, size=[1.2, 1.6, 0.4], viscosity=30.0))
    # Of even depth, it is twice as high as its middle.
    assert 2.0 * film.last.position[:, 1].mean() == pytest.approx(0.6 * 1.0 / 1.2, rel=0.01)


def test_a_drop_falls_as_all_else_does():
    ball = prop("water", {"kind": "sphere", "radius": 0.25}, (0, 1.8, 0), seen="unseen")
    film = flow(wet([ball], 9, size=[1.6, 3.2, 1.6], at=[0, 1.6, 0]))
    fallen = film.frames[1].position[:, 1].mean() - film.last.position[:, 1].mean()
    assert fallen == pytest.approx(0.5 * G * (8 / 24) ** 2, rel=0.02)
    assert np.ptp(film.last.position[:, 1]) < 0.55  # it holds together


def test_between_plates_thick_liquid_flows_as_poiseuille_found():
    # u = G y (H - y) / 2 nu between plates H apart (Poiseuille flow; Batchelor, An Introduction to Fluid Dynamics, 4.2).
    box, h, nu, push, dt = Box((0.0, 0.0, 0.0), 0.1, (3, 14, 3)), 1.0, 0.5, 2.0, 0.2
    open_, solid = box.faces(), box.faces()
    for face in open_:
        face[:] = 1.0
    for axis in (0, 2):
        open_[axis][:, :2], open_[axis][:, -2:] = 0.0, 0.0
    open_[1][:, :3], open_[1][:, -3:] = 0.0, 0.0
    known = tuple(np.ones(face.shape, bool) for face in open_)
    thick = tuple(np.full_like(face, nu * dt / box.cell**2) for face in open_)
    speed = box.faces()
    for _ in range(60):
        speed[0][:, 2:-2] += push * dt
        speed, _ = thickened(speed, Solids(open_, solid, np.ones(box.shape, np.float32)), known, thick, True)
    y = (np.arange(10) + 0.5) * box.cell
    assert speed[0][1, 2:-2, 1] == pytest.approx(push * y * (h - y) / (2.0 * nu), abs=0.025 * push * h * h / (8.0 * nu))
    slides, _ = thickened(speed, Solids(open_, solid, np.ones(box.shape, np.float32)), known, thick, False)
    assert slides[0][1, 2:-2, 1].mean() == pytest.approx(speed[0][1, 2:-2, 1].mean(), rel=1e-4)  # nothing holds it


def test_a_drop_swings_as_rayleigh_found():
    # w^2 = 8 sigma / (rho r^3) for a drop's first way of swinging (Rayleigh 1879).
    r, tension, rho = 0.5, 20.0, 1000.0
    ball = prop("water", {"kind": "sphere", "radius": r}, (0, 0.8, 0), seen="unseen")
    shot = wet([ball], 85, forces=(), size=[1.6, 1.6, 1.6], cell=0.08, tension=tension, viscosity=0.0, lively=0.95)
    world = build(load(shot), beside("."), "fair")
    now, _ = first_frame(world, still)
    p = now.crowds["liquid"]
    p.position[:] = np.array([0, 0.8, 0]) + (p.position - [0, 0.8, 0]) * [0.96, 1.085, 0.96]
    long = []
    while now.frame < 85:
        next_frame(world, now, still)
        spread = now.crowds["liquid"].position.std(axis=0)
        long.append(spread[1] - 0.5 * (spread[0] + spread[2]))
    period = 2.0 * np.pi / np.sqrt(8.0 * tension / (rho * r**3))
    lowest = (np.argmin(long) + 1) / 24.0
    assert lowest == pytest.approx(0.5 * period, rel=0.15)


def test_all_that_comes_is_there_or_gone_and_nothing_leaves_a_closed_vessel():
    keys = {
        "kind": "keys",
        "keys": [{"frame": 1, "value": -0.3}, {"frame": 4, "value": 0.3}, {"frame": 7, "value": -0.3}],
    }
    vessel = prop("vessel", {"kind": "sphere", "radius": 0.4}, (keys, 0.8, 0))
    water = prop("water", {"kind": "sphere", "radius": 0.3}, (-0.3, 0.7, 0), seen="unseen")
    inside = {"kind": "collision", "id": "holds", "props": ["vessel"], "side": "inside"}
    film = flow(wet([vessel, water], 13, rows=[inside], size=[1.6, 1.6, 1.6]))
    for frame, p in film.frames.items():
        middle = film.world.poses(frame)["vessel"].position
        assert np.linalg.norm(p.position - middle, axis=1).max() < 0.41
        assert len(p) == len(film.frames[1])


def bubble(last, **more):
    """Frame by frame, the volume of gas, how high it is, m, and how high liquid stands, in a pool into which 15 l of it
    come within a quarter of a second; and the last drops and marks."""
    vent = prop("vent", {"kind": "sphere", "radius": 0.12}, (0, 0.2, 0), seen="unseen")
    gas = {"kind": "gas", "id": "gas", "prop": "vent", "rate": 0.06, "start": 3, "end": 8}
    shot = wet([body_of(1.0, 1.0), vent], last, supply=[fill(), gas], at=[0, 0.7, 0], size=[1.0, 1.4, 0.8], **more)
    world = build(load(shot), beside(Path()), "rough")
    now, _ = first_frame(world, still)
    told = []
    while now.frame < last:
        next_frame(world, now, still)
        state = now.states["liquid"]
        made = world.solvers["liquid"].measure(state, 0, 0)
        told.append((made["gas"], state.arrays["gas"][:, 1].mean() if made["gas"] else np.nan, made["level"]))
    return np.array(told), state.elements.position.tobytes() + state.arrays["gas"].tobytes()


def test_a_bubble_lifts_the_level_rises_and_is_gone():
    told, _ = bubble(44, cell=0.05)
    volume, high, level = told.T
    assert volume.max() == pytest.approx(0.015, rel=0.02)  # what the source gives in six frames
    assert level[7] - level[0] == pytest.approx(0.015 / 0.8, abs=0.01)
    # U = 0.707 sqrt(g d) (Davies and Taylor 1950), by walls 1.13 exp(-d / D) of it (Wallis 1969; both from memory).
    d, wide = np.cbrt(6.0 * 0.015 / np.pi), 2.0 * np.sqrt(0.8 / np.pi)
    known = 0.707 * np.sqrt(9.81 * d) * 1.13 * np.exp(-d / wide)
    coarse, thick = (bubble(24, cell=cell, viscosity=mu)[0][:, 1] for cell, mu in ((0.07, 0.001), (0.07, 100.0)))
    fine, rough, slow = (24.0 * np.diff(of[10:22]).mean() for of in (high, coarse, thick))
    assert (fine, rough) == pytest.approx((known, known), rel=0.22)
    assert slow < 0.75 * rough
    assert volume[-1] < 0.002  # it has burst
    assert level[-1] == pytest.approx(level[0], abs=0.02)


def test_gas_gives_the_same_bytes_on_one_thread_and_two_and_too_much_is_told():
    made = []
    for count in (1, 2):
        threads(count)
        made.append(bubble(12, cell=0.1)[1])
    assert made[0] == made[1]
    vent = prop("vent", {"kind": "sphere", "radius": 0.12}, (0, 0.2, 0))
    shot = wet([body_of(1.6, 1.0), vent], 9, supply=[fill(), {"kind": "gas", "id": "gas", "prop": "vent", "rate": 1e6}])
    with pytest.raises(ShotFault, match=r"thousand cells of gas. Accepted: less"):
        flow(shot)


def test_one_thread_and_two_give_the_same_bytes():
    shot = wet([body_of(0.6, 0.8, at=(-0.5, None, 0))], 9, viscosity=2.0)
    threads(1)
    one = flow(shot).last
    threads(2)
    two = flow(shot).last
    assert one.position.tobytes() == two.position.tobytes()
    assert one.affine.tobytes() == two.affine.tobytes()


def test_what_cannot_be_is_told(tmp_path):
    with pytest.raises(ShotFault, match="million cells"):
        build(load(wet([body_of(0.6, 0.8)], 9, cell=0.002)), beside(tmp_path))
    with pytest.raises(ShotFault, match="another box"):
        shot = wet([body_of(0.6, 0.8)], 9)
        shot["matter"].append(shot["matter"][0] | {"id": "more"})
        build(load(shot), beside(tmp_path))
    sheet = prop("water", {"kind": "plane", "width": 1, "depth": 1}, (0, 0.5, 0))
    with pytest.raises(ShotFault, match=r"no inside|closed shape|volume"):
        build(load(wet([sheet], 9)), beside(tmp_path))


@pytest.mark.parametrize(("change", "said"), [
    ({"supply": []}, "no liquid"), ({"at": (9, None, 0)}, "outside the box"), ({"width": 0.05}, "thin source"),
    ({"met": True}, "met as solid"),
])  # fmt: skip
def test_what_will_go_wrong_is_told_before(change, said, tmp_path):
    water = body_of(change.get("width", 0.6), 0.8, at=change.get("at", (0, None, 0)))
    rows = [{"kind": "collision", "id": "tank", "props": ["water"]}] if "met" in change else []
    world = build(load(wet([water], 9, supply=change.get("supply", [fill()]), rows=rows)), beside(tmp_path))
    assert said in {finding.check for finding in findings(world.shot, world)}


def test_what_runs_off_is_told_after(tmp_path):
    film = flow(wet([body_of(0.6, 0.8)], 25, sides="open", forces=(DOWN | {"direction": [1, -1, 0]},)))
    solver = film.world.solvers["liquid"]
    assert len(film.last) < len(film.frames[1])
    told = {
        25: {"came": solver.drop * len(film.frames[1]), "left": solver.drop * (len(film.frames[1]) - len(film.last))}
    }
    assert [f.check for f in film.world.matters[0].after(film.world.shot, told)] == ["runs off"]


def test_a_block_floats_as_deep_as_archimedes_said(tmp_path):
    side, cell, density = 0.4, 0.08, 600.0
    block = prop("block", {"kind": "box", "width": side, "height": side, "depth": side}, (0, 0.95, 0))
    meets = {"kind": "collision", "id": "floats", "props": ["block"]}
    calm = {"kind": "linear_drag", "id": "drag", "rate": 1.0}
    shot = wet(
        [body_of(1.6, 0.8, 1.6), block], 97, rows=[body("block", density=density), meets], forces=(DOWN, calm),
        size=[1.6, 1.6, 1.6], cell=cell, lively=0.5,
    )  # fmt: skip
    world = build(load(shot), beside(tmp_path), "rough")
    now, _ = first_frame(world, still)
    sunk = []
    while now.frame < 97:
        next_frame(world, now, still)
        level = np.quantile(now.crowds["liquid"].position[:, 1], 0.99) + 0.25 * cell
        sunk.append(level - now.crowds["rigid"].position[0, 1] + 0.5 * side)
    assert np.mean(sunk[-24:]) / side == pytest.approx(density / 1000.0, abs=0.1)  # half a cell


def test_balls_that_melt_give_as_much_liquid_as_they_were():
    # Balls of 4/3 pi r^3, too small for a drop each: in all they come to their volume.
    balls = source(
        prop="water", radius=0.02, speed=0.0, emit={"kind": "burst", "count": 6000, "frame": 1}, part="volume"
    )
    cue = {
        "kind": "cue", "id": "melts", "when": {"kind": "older", "age": 0.1},
        "then": {"kind": "shed", "offshoot": "drip"}, "second": {"kind": "remove"},
    }  # fmt: skip
    shot = wet([body_of(0.6, 0.8, 0.6)], 6, supply=[{"kind": "drip", "id": "drip"}, balls], rows=[LOOSE]) | {
        "cues": [cue]
    }
    made = flow(shot)
    known = 6000 * 4.0 / 3.0 * np.pi * 0.02**3
    assert len(made.last) * 0.1**3 / 8.0 == pytest.approx(known, rel=0.06)
    assert (made.last.parent >= 0).all()


def test_shards_stand_clean_in_liquid_that_is_cut_by_them():
    # A pane's pieces, thinner than a cell, that a blow drives into a pool: none of its surface lies in any of them.
    pane = prop("pane", {"kind": "box", "width": 0.6, "height": 0.6, "depth": 0.06}, (0, 0.5, 0))
    cut = {"kind": "cut", "id": "shards", "prop": "pane", "manner": {"kind": "random", "pieces": 6}}
    rows = [
        body("pane", copies={"kind": "pieces"}, density=2500),
        {"kind": "collision", "id": "met", "props": ["pane"]},
    ]
    inside = []
    for around in ("through", "clean"):
        made = flow(wet([body_of(1.6, 0.3, at=(0, 0.15, 0)), pane, cut], 11, rows=rows, around=around))
        solver = made.world.solvers["liquid"]
        skin = solver.surfaces(made.state, made.world.scene(11))["liquid"]["vertices"]
        shapes = list(solver.room.shapes(made.state.arrays["stood"]))
        assert len(shapes) == 6
        inside.append(sum(int((shape.gap(skin, pose) < -1e-3).sum()) for shape, pose in shapes))
    assert inside[0] > 10
    assert inside[1] == 0


def test_a_very_light_ball_in_thick_mud_rises_and_is_not_thrown():
    # Cells that lie in the ball have no pressure, so nothing that is shut in there pushes it.
    ball = prop("ball", {"kind": "sphere", "radius": 0.16}, (0, 0.17, 0))
    rows = [body("ball", density=50), {"kind": "collision", "id": "met", "props": ["ball", "ground"]}]
    shot = wet([body_of(1.6, 0.8), ball], 13, rows=rows, density=1600, viscosity=18, lively=0.1)
    world = build(load(shot), beside(Path()), "rough")
    now, _ = first_frame(world, still)
    pressed, heights = [], []
    for _ in range(12):
        next_frame(world, now, still)
        pressed.append(float(np.abs(now.states["liquid"].arrays["pressure"]).max()))
        heights.append(float(now.crowds["rigid"].position[0, 1]))
    # The water column stands for g h dt / dx in its unit, 8 for all of its depth; what the ball does adds to it.
    assert max(pressed) < 50.0
    assert heights[-1] > 0.5
    assert now.crowds["liquid"].speed.max() < 6.0
