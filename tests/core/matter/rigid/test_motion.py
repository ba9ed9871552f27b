"""Bodies against the laws of motion: closed forms of mechanics, and SciPy's integrator."""

import numpy as np
import pytest
import trimesh
from scipy.integrate import solve_ivp
from scipy.spatial.transform import Rotation

from benchmarks.rigid import SIZE, second_of_ours
from hotgravel.core.matter.contract import elements_of
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.conftest import play, source
from tests.core.matter.rigid.scenes import UNIT_BALL, UNIT_BOX, body, energy, film, paths, prop, scene, stacked

QUALITIES = ["rough", "fair", "fine"]
T = np.arange(49) / 24.0


def test_a_body_falls_as_galileo_has_it():
    height = paths(film(scene([prop("ball", UNIT_BALL, (0, 30, 0))], [body("ball")])))[:, 0, 1]
    assert height == pytest.approx(30 - 0.5 * 9.81 * T**2, abs=1e-9)


@pytest.mark.parametrize("shape", [UNIT_BALL, UNIT_BOX], ids=lambda shape: shape["kind"])
@pytest.mark.parametrize("quality", QUALITIES)
def test_bounce_height_falls_with_restitution_squared(quality, shape):
    made = film(scene([prop("toy", shape, (0, 5, 0))], [body("toy", bounce=0.8)], 73), quality)
    height = paths(made)[:, 0, 1] - 0.5
    first = int(np.argmin(height[:36]))
    # Frames lie up to 1/48 s from the top of a bounce, which then looks 2 mm lower than it is.
    assert height[first : first + 36].max() == pytest.approx(0.64 * 4.5, abs=0.02)


@pytest.mark.parametrize(("friction", "slides"), [(0.61, False), (0.55, True)])
def test_a_block_slides_if_and_only_if_the_slope_is_steeper_than_friction_holds(friction, slides):
    angle = np.radians(30.0)  # tan 30 degrees = 0.577
    block = prop(
        "block", UNIT_BOX | {"height": 0.4}, (-np.sin(angle) * 0.2, np.cos(angle) * 0.2, 0), rotation=[0, 0, 30]
    )
    made = film(scene(
        [block], [body("block", friction=friction)], 25, ground={"rotation": [0, 0, 30]}, landing={"friction": friction},
    ))  # fmt: skip
    place = paths(made)[:, 0]
    gone = np.linalg.norm(place - place[0], axis=1)
    if not slides:
        assert gone[-1] < 2e-3
        return
    pace = 9.81 * (np.sin(angle) - friction * np.cos(angle))
    # It is set down a tenth of a millimetre above the slope, and takes the first frames to be held.
    assert gone[-1] == pytest.approx(0.5 * pace * T[24] ** 2, rel=0.03)


def test_a_ball_rolls_down_at_five_sevenths():
    angle = np.radians(20.0)
    at = 0.5001 * np.array([-np.sin(angle), np.cos(angle), 0])
    made = film(scene([prop("ball", UNIT_BALL, at)], [body("ball")], 49, ground={"rotation": [0, 0, 20]}))
    gone = np.linalg.norm(paths(made)[:, 0] - at, axis=1)
    assert gone[-1] == pytest.approx(0.5 * 5 / 7 * 9.81 * np.sin(angle) * T[-1] ** 2, rel=0.01)


def test_torque_free_spin_follows_euler():
    sides, spin = np.array([1.0, 0.4, 0.7]), np.array([0.05, 3.0, 0.05])
    shape = {"kind": "box", "width": sides[0], "height": sides[1], "depth": sides[2]}
    moments = 2900 * sides.prod() * (np.sum(sides**2) - sides**2) / 12.0
    # The middle moment's axis is that of `depth`; a spin about it turns over (Dzhanibekov's effect).
    cues = [
        {"kind": "cue", "id": f"spin-{axis}", "when": {"kind": "at_frame", "frame": 1},
         "then": {"kind": "spin", "rate": float(np.degrees(s)), "axis": np.eye(3)[axis].tolist()}}
        for axis, s in enumerate(spin[[0, 2, 1]])
    ]  # fmt: skip
    made = film(scene([prop("box", shape, (0, 9, 0))], [body("box")], 97, forces=[], cues=cues), "fine")

    def euler(_t, y):
        w = y[:3]
        return [*(np.cross(moments * w, w) / moments), *_quaternion_rate(y[3:], w)]

    begun = [*spin[[0, 2, 1]], 0, 0, 0, 1]
    exact = solve_ivp(euler, (0, 4), begun, t_eval=[1, 2, 3, 4], rtol=1e-10, atol=1e-12)
    for second in (1, 2, 3, 4):
        ours = Rotation.from_quat(made.frames[1 + 24 * second].turn[0])
        theirs = Rotation.from_quat(exact.y[3:, second - 1])
        assert np.degrees((ours * theirs.inv()).magnitude()) < 1.0  # of the turns that it has made by then
    held = [energy(bodies, made, 0.0) for bodies in made.frames.values()]
    assert max(held[1:]) <= held[1] * (1 + 1e-4)


def _quaternion_rate(q, w):
    """Of a quaternion x, y, z, w under a spin in the body's own frame."""
    x, y, z, s = q
    return 0.5 * np.array([
        s * w[0] + y * w[2] - z * w[1], s * w[1] + z * w[0] - x * w[2], s * w[2] + x * w[1] - y * w[0],
        -x * w[0] - y * w[1] - z * w[2],
    ])  # fmt: skip


def test_a_spinning_top_precesses():
    """A fast top: precession at m g l / (I3 w3) (Goldstein, Classical Mechanics, section 5.7)."""
    cone, rate = {"kind": "cone", "radius": 0.5, "height": 1.0}, 200.0
    lean = 20.0  # degrees; the cone stands on its tip
    to_tip = 0.5  # from the prop's middle
    up = np.array([-np.sin(np.radians(lean)), np.cos(np.radians(lean)), 0])
    top = prop("top", cone, up * to_tip, rotation=[0, 0, 180.0 + lean])
    cues = [{"kind": "cue", "id": "spin", "when": {"kind": "at_frame", "frame": 1},
             "then": {"kind": "spin", "rate": float(np.degrees(rate)), "axis": up.tolist()}}]  # fmt: skip
    made = film(scene(
        [top], [body("top", friction=5.0)], 49, landing={"friction": 5.0, "thickness": 1e-4}, cues=cues,
    ), "fine")  # fmt: skip
    place = paths(made)[:, 0]
    turned = np.unwrap(np.arctan2(place[:, 2], place[:, 0]))
    measured = abs(turned[48] - turned[4]) / (44 / 24)
    # A cone's centre lies three quarters of its height from the tip, its axial moment is 0.3 m r^2.
    expected = 9.81 * 0.75 / (0.3 * 0.25 * rate)
    assert measured == pytest.approx(expected, rel=0.05)


def test_five_balls_pass_a_hit_on():
    """Newton's cradle: one comes in, the last goes on with all of its velocity."""
    balls = [prop(f"ball{n}", UNIT_BALL, (1.001 * n, 5, 0)) for n in range(5)]
    first = prop("hitter", UNIT_BALL, (-2, 5, 0))
    rows = [body(b["id"], bounce=1.0, friction=0.0) for b in [first, *balls[1:]]]
    kick = {"kind": "cue", "id": "kick", "when": {"kind": "at_frame", "frame": 1}, "source": "hitter-body",
            "then": {"kind": "kick", "speed": 3.0, "aim": {"kind": "toward", "direction": [1, 0, 0], "cone": 0}}}  # fmt: skip
    made = film(scene([first, *balls[1:]], rows, 40, forces=[], cues=[kick]))
    assert made.last.velocity[:, 0] == pytest.approx([0, 0, 0, 0, 3], abs=1e-6)


@pytest.mark.parametrize(("heavy", "bounce"), [(1.0, 1.0), (1.0, 0.5), (5.0, 0.0), (20.0, 0.7)])
def test_a_head_on_collision_keeps_momentum_and_restitution(heavy, bounce):
    props = [prop("one", UNIT_BALL, (-2, 5, 0)), prop("two", UNIT_BALL, (2, 5, 0))]
    rows = [body("one", bounce=bounce, density=1000.0 * heavy), body("two", bounce=bounce, density=1000.0)]
    cues = [
        {"kind": "cue", "id": f"kick-{n}", "when": {"kind": "at_frame", "frame": 1}, "source": f"{n}-body",
         "then": {"kind": "kick", "speed": v, "aim": {"kind": "toward", "direction": [way, 0, 0], "cone": 0}}}
        for n, v, way in (("one", 4.0, 1), ("two", 2.0, -1))
    ]  # fmt: skip
    made = film(scene(props, rows, 25, forces=[], cues=cues))
    v = made.last.velocity[:, 0]
    assert v[1] - v[0] == pytest.approx(bounce * 6.0, abs=1e-6)
    assert heavy * v[0] + v[1] == pytest.approx(heavy * 4.0 - 2.0, rel=1e-9)


@pytest.mark.parametrize("share", [1.0, 0.4])
def test_particles_give_a_body_the_stated_share_of_what_they_lose(share, tmp_path):
    """Momentum, and where it feels all of it angular momentum too, are as much afterwards as before."""
    jet = source(
        prop="nozzle", state="grit", mass=2.0, speed=8, speed_spread=0.5, emit={"kind": "burst", "count": 60, "frame": 1},
        aim={"kind": "toward", "direction": [1, 0, 0], "cone": 15}, life=99,
    )  # fmt: skip
    props = [prop("box", UNIT_BOX, (3, 5, 0.3)), prop("nozzle", {"kind": "sphere", "radius": 0.2}, (0, 5.2, 0))]
    rows = [body("box", pushed=share), {"kind": "state", "id": "grit", "name": "grit"}]
    meets = {"props": ["box"], "bounce": 0.3, "friction": 0.5, "whom": "grit"}
    world = build(load(scene(props, rows, 40, forces=[], supply=[jet], landing=meets)), beside(tmp_path))
    execute(world, tmp_path)
    store = FrameStore(tmp_path)
    first, last = (store.particles(f) for f in (1, 40))
    box = elements_of(MATTERS["rigid"], store.elements(40, "rigid"))

    def lost(of):
        return sum(sign * (p["mass"][:, None] * of(p)).sum(axis=0) for sign, p in ((1, first), (-1, last)))

    assert np.linalg.norm(lost(lambda p: p["velocity"])) > 100
    assert box.mass[0] * box.velocity[0] == pytest.approx(share * lost(lambda p: p["velocity"]), abs=0.01)
    if share == 1.0:
        turn = Rotation.from_quat(box.turn[0])
        own = turn.apply(world.solvers["rigid"].inertia(box)[0] * turn.inv().apply(box.spin[0]))
        turned = own + box.mass[0] * np.cross(box.position[0], box.velocity[0])
        assert turned == pytest.approx(lost(lambda p: np.cross(p["position"], p["velocity"])), abs=2.0)


@pytest.mark.parametrize("quality", QUALITIES)
def test_a_tower_of_ten_stands_ten_seconds(quality):
    made = film(scene([prop("box", UNIT_BOX, (0, 0.5001, 0))], [body("box", copies=stacked(up=10))], 241), quality)
    place = paths(made)
    assert np.abs(place[:, :, [0, 2]]).max() < 0.01  # it neither leans nor creeps
    gaps = np.diff(np.concatenate([np.zeros((241, 1)) + -0.5, place[:, :, 1]], axis=1), axis=1) - 1.0
    assert gaps.min() > -0.01  # no block sinks into another by a hundredth of its size
    assert made.last.asleep.all()


def test_a_heavy_block_stands_on_light_ones():
    props = [prop("light", UNIT_BOX, (0, 0.5001, 0)), prop("heavy", UNIT_BOX, (0, 2.5005, 0))]
    rows = [body("light", copies=stacked(up=2), density=100.0), body("heavy", density=10_000.0)]
    place = paths(film(scene(props, rows, 121)))
    assert place[-1, :, 1] == pytest.approx([0.5, 1.5, 2.5], abs=0.03)
    assert np.abs(place[:, :, [0, 2]]).max() < 0.01


@pytest.mark.parametrize("quality", QUALITIES)
def test_logs_lie_still_upon_one_another_and_bear_what_statics_has(quality):
    log, lie, r = {"kind": "cylinder", "radius": 0.2, "height": 1.2}, [90, 0, 0], 0.2001
    places = {"left": (-r, r, 0), "right": (r, r, 0), "top": (0, r + r * 3**0.5, 0)}
    props = [prop(name, log, place, rotation=lie) for name, place in places.items()]
    made = film(scene(props, [body(name, friction=0.8) for name in places], 73, landing={"friction": 0.8}), quality)
    assert np.abs(np.diff(paths(made), axis=0)[12:]).max() < 1e-5
    assert made.last.asleep.all()
    contacts, dt = made.state.arrays, made.state.facts["dt"]
    for low in (0, 1):  # both ends bear alike; with friction's share along the logs' sides this is half the weight
        mine = (contacts["ids"] == [low, 2]).all(axis=1)
        assert contacts["total"][mine].sum() / dt == pytest.approx(made.last.mass[2] * 9.81 / 2, rel=0.01)
        assert sorted(contacts["place"][mine, 2]) == pytest.approx([-0.6, 0.6], abs=0.001)


@pytest.mark.parametrize("quality", QUALITIES)
def test_a_ball_at_a_hundred_metres_a_second_does_not_pass_a_thin_plate(quality):
    plate = prop("plate", {"kind": "box", "width": 4, "height": 4, "depth": 0.05}, (0, 2, 0))
    ball = prop("ball", {"kind": "sphere", "radius": 0.1}, (0, 2, -30))
    kick = {"kind": "cue", "id": "kick", "when": {"kind": "at_frame", "frame": 1},
            "then": {"kind": "kick", "speed": 100.0, "aim": {"kind": "toward", "direction": [0, 0, 1], "cone": 0}}}  # fmt: skip
    shot = scene([plate, ball], [body("ball")], 20, forces=[], cues=[kick], landing={"props": ["ground", "plate"]})
    assert paths(film(shot, quality))[:, 0, 2].max() < 0.0


def test_a_closed_box_keeps_five_hundred_bodies_that_are_shaken_hard():
    shake = {"kind": "wave", "low": -0.5, "high": 0.5, "period": 0.2}
    crate = prop("crate", {"kind": "box", "width": 4, "height": 4, "depth": 4}, (shake, 2.5, 0))
    grit = prop("grit", {"kind": "box", "width": 0.3, "height": 0.3, "depth": 0.3}, (0, 1.2, 0))
    shot = scene(
        [crate, grit], [body("grit", copies=stacked(8, 8, 8, gap=0.1))], 49,
        landing={"props": ["crate"], "side": "inside"},
    )  # fmt: skip
    made = film(shot, "rough")
    for frame, bodies in made.frames.items():
        middle = np.array([made.world.poses(frame)["crate"].position])
        assert (np.abs(bodies.position - middle) < 2.0).all()
    assert len(made.last) == 512


@pytest.mark.parametrize("bounce", [0.0, 0.6, 1.0])
def test_energy_never_grows(bounce):
    box = prop("box", UNIT_BOX | {"height": 0.6}, (0, 2, 0), rotation=[20, 0, 30])
    copies = stacked(2, 2, 2, gap=0.3, turn="any", seed=3)
    made = film(scene([box], [body("box", copies=copies, bounce=bounce)], 73))
    held = np.array([energy(bodies, made) for bodies in made.frames.values()])
    # Half an overlap's push, and a substep's fall, are all that a touch can be wrong by: a thousandth of what there was.
    assert np.diff(held).max() < 1e-3 * held[0]
    assert held[-1] < held[0]


def test_bodies_lie_on_an_imported_hillside_of_fifty_thousand_triangles(tmp_path):
    """Nearly all lie after four seconds, and none of their corners is deeper in the hills than the tolerance of a
    contact."""

    def height(x, z):
        return 0.4 * np.sin(1.3 * x) * np.cos(1.1 * z)

    n = 160
    x, z = np.meshgrid(np.linspace(-6, 6, n + 1), np.linspace(-6, 6, n + 1), indexing="ij")
    corners = np.stack([x, height(x, z), z], axis=-1).reshape(-1, 3)
    a = (np.arange(n)[:, None] * (n + 1) + np.arange(n)).ravel()
    faces = np.concatenate([np.stack([a, a + 1, a + n + 1], 1), np.stack([a + 1, a + n + 2, a + n + 1], 1)])
    trimesh.Trimesh(corners, faces, process=False).export(tmp_path / "hills.obj")
    hills = prop("hills", {"kind": "mesh", "file": "hills.obj"})
    box = prop("box", {"kind": "box", "width": 0.5, "height": 0.4, "depth": 0.6}, (0, 1.5, 0))
    rows = [body("box", copies=stacked(4, 2, 4, gap=0.6, turn="any"), rolling=0.05)]
    made = play(scene([hills, box], rows, 97, landing={"props": ["hills"]}), "rough", tmp_path, "rigid")
    last, mesh = made.last, made.world.solvers["rigid"].meshes()[0]["vertices"]
    assert len(last) == 32
    assert (last.speed < 0.1).mean() > 0.9
    assert last.speed.max() < 1.0
    for place, turn in zip(last.position, last.turn, strict=True):
        at = Rotation.from_quat(turn).apply(mesh) + place
        assert (at[:, 1] - height(at[:, 0], at[:, 2])).min() > -0.02


def test_poured_boxes_lie_little_in_one_another():
    """By separating axes, in the second in which most of them come to rest."""
    _, deepest = second_of_ours(800)
    assert deepest < 0.0125 * SIZE
