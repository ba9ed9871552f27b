"""Liquid in vessels, against closed forms, and other libraries' geometry."""

from pathlib import Path

import numpy as np
import pytest
import trimesh
from scipy.integrate import solve_ivp
from scipy.spatial import ConvexHull, HalfspaceIntersection
from scipy.special import ellipk, jnp_zeros

from hotgravel.core.matter.slosh.content import Content
from hotgravel.core.matter.slosh.surface import bodies_of
from hotgravel.core.matter.slosh.swing import swung as swing
from hotgravel.core.matter.slosh.vessel import HEIGHT, Vessel
from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.world import beside, build
from hotgravel.core.shape.cells import solid
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from hotgravel.core.shot.slosh import Slosh
from tests.core.matter.rigid.scenes import body, prop, scene, stacked
from tests.core.matter.slosh.scenes import JAR, TANK, holding, keys, swung

G = 9.81
UP = Pose(np.zeros(3), np.array([0.0, 0.0, 0.0, 1.0]), 1.0)


def of(mesh: trimesh.Trimesh) -> Vessel:
    made = Vessel.inside(np.asarray(mesh.vertices), np.asarray(mesh.faces), 0.0)
    assert made is not None
    return made


def upright(radius: float, height: float) -> trimesh.Trimesh:
    turned = trimesh.transformations.rotation_matrix(np.pi / 2, [1, 0, 0])
    return trimesh.creation.cylinder(radius, height, sections=96, transform=turned)


def content(mesh: trimesh.Trimesh, level: float) -> Content:
    return Content.of(Slosh(id="slosh", prop="vessel"), 0, of(mesh), UP, level)


def frames_at(normals: np.ndarray) -> np.ndarray:
    side = np.cross(normals, [0.3, 0.5, 0.8])
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    return np.stack([side, np.cross(normals, side)], axis=1)


def tilts(many: int) -> np.ndarray:
    made = np.random.default_rng(5).standard_normal((many, 3))
    return made / np.linalg.norm(made, axis=1, keepdims=True)


@pytest.mark.parametrize(
    "mesh", [trimesh.creation.box((1, 0.6, 0.4)), upright(0.3, 1.0), trimesh.creation.cone(0.4, 1.0)]
)
def test_a_tilted_vessel_holds_its_volume_by_qhull(mesh):
    vessel, normals = of(mesh), tilts(12)
    volumes = np.linspace(0.02, 0.98, 12) * vessel.room
    levels = vessel.levels(normals, frames_at(normals), volumes)
    for normal, level, volume in zip(normals, levels, volumes, strict=True):
        under = np.vstack([ConvexHull(mesh.vertices).equations, [*normal, -level[HEIGHT]]])
        inside = mesh.vertices[np.argmin(mesh.vertices @ normal)] * (1.0 - 1e-4) + 1e-4 * mesh.vertices.mean(axis=0)
        found = ConvexHull(HalfspaceIntersection(under, inside).intersections).volume
        assert found == pytest.approx(volume, abs=1e-9)


@pytest.mark.parametrize("mesh", [trimesh.creation.torus(1.0, 0.3), trimesh.creation.annulus(0.3, 1.0, 0.7)])
def test_a_vessel_that_is_not_convex_holds_its_volume_by_another_library(mesh):
    vessel, normals = of(mesh), tilts(8)
    volumes = np.linspace(0.05, 0.95, 8) * vessel.room
    levels = vessel.levels(normals, frames_at(normals), volumes)
    for normal, level, volume in zip(normals, levels, volumes, strict=True):
        cut = solid(vessel.vertices, vessel.faces).trim_by_plane((-normal).tolist(), -float(level[HEIGHT]))
        assert cut.volume() == pytest.approx(volume, rel=1e-6)


def test_a_box_swings_as_abramson_has_it():
    # w_n^2 = g n pi / L tanh(n pi h / L) (Abramson 1966, chapter 2).
    for level in (0.2, 0.5, 0.9):
        made = content(trimesh.creation.box((1.0, 0.6, 0.4)), level)
        down = np.array([[0.0, -1.0, 0.0]])
        laid = made.laid(down, np.array([[0.0, 0, 0, 0, 0, 0, 1, 1]]), level)
        bend, _, stiff, _ = made.swing_by(laid, level)
        depth = 0.6 * level
        known = np.pi * np.arange(1, 4) * np.tanh(np.pi * np.arange(1, 4) * depth)
        assert [min(stiff[0], key=lambda s: abs(s - k)) for k in known] == pytest.approx(known, rel=0.01)
        ways = np.linalg.eigvalsh(bend[0])  # along both of its sides
        assert ways == pytest.approx(
            [np.pi * np.tanh(np.pi * depth), np.pi / 0.4 * np.tanh(np.pi / 0.4 * depth)], rel=0.005
        )


def test_an_upright_cylinder_swings_as_abramson_has_it():
    # w_n^2 = g x_n / R tanh(x_n h / R), x_n the zeros of J_1' (1.841, 5.331), and those of other orders.
    radius, level = 0.3, 0.5
    made = content(upright(radius, 1.0), level)
    laid = made.laid(np.array([[0.0, -1.0, 0.0]]), np.array([[0.0, 0, 0, 0, 0, 0, 1, 1]]), level)
    bend, part, _, number = made.swing_by(laid, level)
    known = sorted([*np.repeat(jnp_zeros(1, 2), 2), *np.repeat(jnp_zeros(2, 1), 2), *jnp_zeros(0, 1)])[:6]
    assert number[0, :5] * radius == pytest.approx(known[:5], rel=0.01)
    assert jnp_zeros(1, 1)[0] == pytest.approx(1.841, abs=5e-4)  # as printed there
    first = known[0] / radius * np.tanh(known[0] / radius * 0.5)
    assert np.linalg.eigvalsh(bend[0]) == pytest.approx([first, first], rel=0.005)
    # What moves of it as a pendulum: 2 R tanh(x h / R) / (x (x^2 - 1) h) of the mass (the same, chapter 6).
    x = known[0]
    mass = 2.0 * radius * np.tanh(x * 0.5 / radius) / (x * (x**2 - 1.0) * 0.5)
    share = (part[0, :2, 0] ** 2).sum() * first / 0.5
    assert share == pytest.approx(mass, rel=0.02)


@pytest.mark.parametrize("angle", [5.0, 90.0, 150.0])
def test_a_pendulum_swings_widely_as_long_as_the_elliptic_integral_says(angle):
    # T = 4 sqrt(l / g) K(sin^2(a / 2)) (scipy.special.ellipk takes the square of the modulus).
    length, dt = 0.25, 1.0 / 240.0
    start = np.radians(angle)
    down, rate = np.array([[np.sin(start), -np.cos(start), 0.0]]), np.zeros((1, 3))
    axes = np.array([[[np.cos(start), np.sin(start), 0.0], [0.0, 0.0, -1.0]]])
    still = np.zeros((1, 1))
    known = 4.0 * np.sqrt(length / G) * ellipk(np.sin(start / 2.0) ** 2)
    side, times = [], []
    for n in range(int(1.6 * known / dt)):
        axes[0, 0] = [-down[0, 1], down[0, 0], 0.0]
        swing(
            down, rate, still.copy(), still.copy(), np.array([[0.0, -G, 0.0]]), axes, np.eye(2)[None] / length,
            np.zeros((1, 1, 2)), still, still + 1.0, 0.0, dt, np.zeros(1),
        )  # fmt: skip
        side.append(down[0, 0])
        times.append((n + 1) * dt)
    cross = [t - dt * b / (b - a) for t, a, b in zip(times[1:], side, side[1:], strict=False) if a * b < 0.0]
    assert 2.0 * (cross[1] - cross[0]) == pytest.approx(known, rel=2e-3)
    assert np.abs(down[:, 2]).max() < 1e-12


def test_a_tank_that_is_shaken_swings_as_linear_theory_has_it():
    # Every mode by itself: x_n'' + g k_n tanh(k_n h) x_n = -c_n k_n tanh(k_n h) a, summed up (Abramson 1966, chapter 2).
    path = keys(*((f, 0.05 * np.sin(0.15 * (f - 1))) for f in range(1, 50)))
    film = swung(holding(TANK, 49, at=(path, 1, 0), row={"calms": 0.0, "level": 0.5}), "fine")
    numbers = np.pi * np.arange(1, 16, 2)
    stiff = numbers * np.tanh(numbers * 0.4)
    fine = np.arange(1.0, 49.0, 0.125)
    where = np.array([film.world.poses(f)["vessel"].position[0] for f in fine])
    force = np.gradient(np.gradient(where, 0.125 / 24.0), 0.125 / 24.0)

    def jolted(t: float, x: np.ndarray) -> np.ndarray:
        a = np.interp(1.0 + 24.0 * t, fine, force)
        return np.concatenate([x[8:], 4.0 / numbers**2 * stiff * a - G * stiff * x[:8]])

    known = solve_ivp(jolted, (0.0, 2.0), np.zeros(16), t_eval=np.arange(48) / 24.0, rtol=1e-6, max_step=0.01).y
    assert np.abs(known[0]).max() > 0.03
    for frame in (10, 20, 30, 40, 48):
        p = film.frames[frame]
        x = p.position[:, 0] - film.world.poses(frame)["vessel"].position[0]
        wave = known[:8, frame - 1] @ np.cos(np.outer(numbers, x + 0.5))
        assert p.position[:, 1] - 1.0 == pytest.approx(wave, abs=0.1 * np.abs(known[0]).max())


def test_liquid_stays_level_in_a_vessel_that_is_turned_slowly_and_keeps_its_volume():
    turn = (0, 0, keys((1, 0), (60, -70)))
    made = swung(holding(JAR, 61, rotation=turn, row={"calms": 3.0, "wall": 0.01, "wet": 0.0}))
    assert made.last.steep.max() < 4.0
    mesh = made.world.solvers["slosh"].surfaces(made.state, made.world.scene(61))["slosh"]
    closed = trimesh.Trimesh(mesh["vertices"], mesh["faces"])
    closed.merge_vertices(digits_vertex=9)
    room = Vessel.inside(*made.world.setting.mesh("vessel"), 0.01).room
    assert closed.is_watertight
    assert closed.volume == pytest.approx(0.5 * room, rel=1e-6)
    assert room == pytest.approx(np.pi * 0.19**2 * 0.78, rel=0.01)


@pytest.mark.parametrize(("down", "high"), [((0.2, -0.9, 0.1), 0.02), ((0.0, -1.0, 0.0), 0.0)])
def test_waves_keep_the_volume_of_the_mesh_and_no_face_is_without_area(down, high):
    made = content(upright(0.3, 1.0), 0.5)
    laid = made.laid(np.array([down]) / np.linalg.norm(down), np.array([[0, 0, 0, 0, 0, 0, 1, 1.0]]), 0.5)
    lie = made.lie(laid, high * np.cos(np.arange(len(made.modes.number)))[None])
    mesh = bodies_of(made.vessel, lie, 0.5 * made.vessel.room, (9, 96), np.zeros((1, 0)))
    closed = trimesh.Trimesh(mesh.vertices, mesh.faces)
    closed.merge_vertices(digits_vertex=9)
    assert closed.is_watertight
    assert closed.volume == pytest.approx(0.5 * made.vessel.room, rel=1e-6)
    assert closed.area_faces.min() > 1e-12


def test_a_jolt_swings_it_and_it_calms_down():
    made = swung(holding(JAR, 73, at=(keys((1, 0), (9, 0), (12, 0.3), (15, 0.3)), 1, 0), row={"calms": 1.5}))
    leaning = [p.steep.max() for p in made.frames.values()]
    assert max(leaning[:8]) == 0.0
    assert max(leaning[10:20]) > 20.0
    assert max(leaning[60:]) < 0.25 * max(leaning[10:20])


def test_each_copy_of_a_body_holds_its_own():
    jars = scene(
        [prop("vessel", JAR, (0, 0.401, 0))],
        [body("vessel", copies=stacked(2, 1, gap=0.3)), {"kind": "slosh", "id": "slosh", "prop": "vessel"}],
        5,
    )
    made = swung(jars)
    assert len(made.last) == 48
    assert len(set(made.last.vessel.tolist()) - {-1}) == 2
    assert np.ptp(made.last.position[:, 0]) > 0.5


def test_liquid_goes_with_a_vessel_that_a_cue_removes():
    gone = {
        "kind": "cue",
        "id": "gone",
        "source": "vessel-body",
        "when": {"kind": "older", "age": 0.1},
        "then": {"kind": "remove"},
    }
    rows = [body("vessel", copies=stacked(2, 1, gap=0.3)), {"kind": "slosh", "id": "slosh", "prop": "vessel"}]
    made = swung(scene([prop("vessel", JAR, (0, 0.401, 0))], rows, 7, cues=[gone]))
    assert len(made.frames[2]) == 48
    assert len(made.last) == 0
    assert len(made.world.solvers["slosh"].surfaces(made.state, made.world.scene(7))["slosh"]["faces"]) == 0


def test_what_leans_steeply_splashes_by_a_cue():
    splash = {
        "kind": "cue",
        "id": "splash",
        "when": {"kind": "steep", "steep": 20},
        "then": {"kind": "kick", "speed": 0.5},
    }
    move = (keys((1, 0), (9, 0), (12, 0.3), (15, 0.3)), 1, 0)
    made, quiet = (swung(holding(JAR, 25, at=move, cues=cues)) for cues in ([splash], []))
    assert len(made.events.frame) > 0
    assert made.events.frame.min() >= 9
    stirred, calm = (np.abs(f.state.arrays["wave slosh"][0, [2, 3, 4]]).max() for f in (made, quiet))
    assert stirred > 10.0 * calm  # waves that no sideways jolt makes


@pytest.mark.parametrize(("shape", "row", "path", "said"), [
    ({"kind": "disc", "radius": 1.0}, {}, "prop", "closed"),
    (JAR, {"wall": 0.3}, "wall", "leave no room"),
    (JAR, {"level": 1.5}, "level", "100"),
])  # fmt: skip
def test_bad_input_is_told(shape, row, path, said):
    with pytest.raises(ShotFault) as fault:
        build(load(holding(shape, row=row)), beside(Path()), "rough")
    assert fault.value.faults[0].row == "slosh"
    assert fault.value.faults[0].field == path
    assert said in str(fault.value.faults[0])


def test_a_vessel_that_hides_its_liquid_and_one_that_is_empty_are_told_of():
    told = {f.check for f in _found(holding(JAR, row={"level": 0.0}))}
    assert {"hidden liquid", "no surface"} <= told
    assert not {"hidden liquid", "no surface"} & {f.check for f in _found(holding(JAR, shine="clear"))}


def _found(shot):
    world = build(load(shot), beside(Path()), "rough")
    return list(findings(world.shot, world))
