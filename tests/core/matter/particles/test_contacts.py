"""Bounces, slides and walls."""

import numpy as np
import pytest
import trimesh

from hotgravel.core.run import execute
from tests.conftest import GRAVITY, GROUND, LOOSE, VENT, at, document, landing, play, source

SKIN = 0.01 + 0.002  # the particle's radius and the collision's thickness
DOWN = {"kind": "toward", "direction": [0, -1, 0], "cone": 0}
BOX = {"kind": "prop", "id": "crate", "name": "crate", "shape": {"kind": "box", "width": 2, "height": 2, "depth": 2}}
ALL_WAYS = {"kind": "anywhere"}


def dropped(bounce: float, quality: str = "fine", frames: int = 120):
    supply = [source(speed=0, aim=DOWN)]
    return play(document(
        set=at(2.0 + SKIN), matter=[LOOSE, landing(bounce=bounce)], forces=[GRAVITY], supply=supply,
        finish={"last": frames, "rate": 240, "time_scale": 1},
    ), quality)  # fmt: skip


@pytest.mark.parametrize(("bounce", "frames"), [(0.4, 400), (0.6, 520), (0.8, 720)])
def test_bounce_height_falls_with_restitution_squared(bounce, frames):
    heights = dropped(bounce, frames=frames).path()[:, 1] - SKIN
    tops = [h for before, h, after in zip(heights, heights[1:], heights[2:], strict=False) if before < h >= after]
    # Frames at 240 a second miss a top by up to g t^2 / 2 with t half a frame: 0.02 mm; each
    # contact is placed within a step's sagitta, g h^2 / 8 with h = 1/1920 s: 0.0003 mm.
    wanted = 2.0 * bounce ** (2 * np.arange(1, 4))
    assert tops[:3] == pytest.approx(wanted, rel=2e-3, abs=1e-4)


def test_it_comes_to_rest_on_the_surface_and_stays():
    film = dropped(0.3, "rough", 900)
    assert film.last.position[0, 1] == pytest.approx(SKIN, abs=2e-6)
    assert film.last.speed[0] == 0.0
    assert film.touches[max(film.frames)] == 0


@pytest.mark.parametrize("friction", [0.2, 0.5])
@pytest.mark.parametrize("off", [-2.0, 2.0, 20.0])
def test_on_a_slope_it_slides_only_if_the_tangent_is_above_friction(friction, off):
    angle = np.degrees(np.arctan(friction)) + off
    slope = GROUND | {"rotation": [0, 0, -angle]}
    a = np.radians(angle)
    normal = np.array([np.sin(a), np.cos(a), 0])
    shot = document(
        set=[slope, VENT | {"position": (normal * (SKIN + 1e-7)).tolist()}],
        matter=[LOOSE, landing(friction=friction)], forces=[GRAVITY], supply=[source(speed=0)], finish={"last": 49},
    )  # fmt: skip
    path = play(shot).path()
    gone = np.linalg.norm(path - path[0], axis=1)
    pull = 9.81 * (np.sin(a) - friction * np.cos(a))
    t = np.arange(49) / 24.0
    if off < 0:
        assert gone.max() < 1e-5
    else:
        assert gone == pytest.approx(0.5 * pull * t**2, rel=2e-3, abs=2e-3)
    assert np.abs(path @ normal - SKIN).max() < 1e-5  # and never leaves the slope


def test_friction_stops_a_slide_after_its_distance():
    # v^2 / 2 mu g = 16 / (2 * 0.5 * 9.81)
    shot = document(
        set=at(SKIN), matter=[LOOSE, landing(friction=0.5)], forces=[GRAVITY], supply=[source(speed=4)],
        finish={"last": 60},
    )  # fmt: skip
    film = play(shot, "fine")
    assert film.path()[-1, 0] == pytest.approx(16 / (2 * 0.5 * 9.81), rel=2e-3)
    assert film.last.speed[0] == 0


def crowd(count: int, speed: float, frames: int, bounce: float = 1.0, **more):
    return document(
        set=[BOX, VENT],
        matter=[LOOSE, landing(props=["crate"], bounce=bounce, side="inside")],
        supply=[source(emit={"kind": "burst", "count": count, "frame": 1}, aim=ALL_WAYS, speed=speed, speed_spread=0.9)],
        finish={"last": frames}, **more,
    )  # fmt: skip


def test_a_closed_box_holds_three_thousand_fast_particles_for_ten_seconds():
    film = play(crowd(3_000, 80.0, 241), "rough")
    assert len(film.last) == 3_000
    worst = max(np.abs(p.position).max() for p in film.frames.values())
    assert worst <= 1.0 - SKIN + 1e-5
    assert film.last.speed == pytest.approx(film.frames[1].speed, rel=1e-9)  # elastic walls take nothing


def test_a_box_of_six_thin_plates_holds_them_too():
    plates = []
    for number, (axis, sign) in enumerate((a, s) for a in range(3) for s in (-1, 1)):
        position = [0.0, 0.0, 0.0]
        position[axis] = sign * 1.0
        rotation = [[0, 0, 90], [0, 0, 0], [90, 0, 0]][axis]
        plates.append({
            "kind": "prop", "id": f"plate-{number}", "name": f"plate {number}", "position": position,
            "rotation": rotation, "shape": {"kind": "plane", "width": 2.2, "depth": 2.2},
        })  # fmt: skip
    shot = crowd(4000, 60.0, 73, bounce=0.9, forces=[GRAVITY])
    shot["set"] = [*plates, VENT]
    shot["matter"][1] |= {"props": [p["id"] for p in plates], "side": "outside"}
    film = play(shot, "rough")
    assert max(np.abs(p.position).max() for p in film.frames.values()) <= 1.0


@pytest.mark.parametrize("speed", [50.0, 5000.0, 90_000.0])
def test_nothing_passes_a_thin_sheet_however_fast(speed):
    downward = {"kind": "toward", "direction": [0, -1, 0], "cone": 60}
    shot = document(
        set=at(0.5), matter=[LOOSE, landing(bounce=0.5, thickness=0.0001)],
        supply=[source(speed=speed, aim=downward, radius=0, emit={"kind": "burst", "count": 2000, "frame": 1})],
        finish={"last": 4},
    )  # fmt: skip
    film = play(shot, "rough")
    assert (film.last.position[:, 1] > 0).all()
    assert film.touches[2] == 2000


@pytest.mark.parametrize("bounce", [0.0, 0.5, 1.0])
@pytest.mark.parametrize("friction", [0.0, 0.6])
def test_energy_never_grows_without_a_force_that_feeds_it(bounce, friction):
    scene = [
        GROUND, VENT | {"position": [0, 1.8, 0]},
        {"kind": "prop", "id": "ball", "name": "ball", "shape": {"kind": "sphere", "radius": 0.8}, "position": [0.3, 0.5, 0]},
        {"kind": "prop", "id": "cone", "name": "cone", "shape": {"kind": "cone", "radius": 1, "height": 1.5}, "position": [-1.2, 0.7, 0]},
        {"kind": "prop", "id": "ring", "name": "ring", "shape": {"kind": "torus", "radius": 1.4, "tube": 0.3}, "position": [0, 0.2, 1]},
    ]  # fmt: skip
    shot = document(
        set=scene, matter=[LOOSE, landing(props=["ground", "ball", "cone", "ring"], bounce=bounce, friction=friction)],
        forces=[GRAVITY], finish={"last": 72},
        supply=[source(speed=5, aim=ALL_WAYS, emit={"kind": "burst", "count": 1500, "frame": 1})],
    )  # fmt: skip
    film = play(shot)
    energy = np.array([0.5 * p.speed**2 + 9.81 * p.position[:, 1] for p in film.frames.values()])
    growth = np.diff(energy, axis=0)
    # Rounding, and what being held a micrometre off a surface may lift: 9.81 * 1e-6 a contact.
    assert growth.max() < 5e-4
    assert energy[-1].mean() < energy[0].mean() + 1e-6


def test_a_hemisphere_is_hit_from_above_and_below():
    dome = {"kind": "prop", "id": "dome", "name": "dome", "shape": {"kind": "hemisphere", "radius": 1}}
    for height, aim in ((2.0, [0, -1, 0]), (-1.0, [0, 1, 0])):
        shot = document(
            set=[dome, VENT | {"position": [0, height, 0]}], matter=[LOOSE, landing(props=["dome"], bounce=1.0)],
            supply=[source(aim={"kind": "toward", "direction": aim, "cone": 0}, speed=8)], finish={"last": 8},
        )  # fmt: skip
        film = play(shot)
        assert np.sign(film.last.position[0, 1]) == np.sign(height)
        assert film.last.velocity[0, 1] == pytest.approx(-8 * aim[1])


def test_a_falling_lid_strikes_and_a_lift_carries():
    keys = {"kind": "keys", "keys": [{"frame": 1, "value": 0, "ease": "linear"}, {"frame": 25, "value": 2}]}
    lift = {
        "kind": "prop", "id": "ground", "name": "lift", "shape": {"kind": "plane", "width": 4, "depth": 4},
        "position": [0, keys, 0],
    }  # fmt: skip
    shot = document(
        set=[lift, VENT | {"position": [0, SKIN + 1e-6, 0]}], matter=[LOOSE, landing(friction=1)], forces=[GRAVITY],
        supply=[source(speed=0)],
    )  # fmt: skip
    film = play(shot)
    assert film.last.position[0, 1] == pytest.approx(2 + SKIN, abs=1e-5)
    assert film.last.velocity[0, 1] == pytest.approx(2.0, abs=1e-3)


def test_a_fast_thin_plate_sweeps_resting_particles_before_it():
    keys = {"kind": "keys", "keys": [{"frame": 1, "value": -3, "ease": "linear"}, {"frame": 4, "value": 9}]}
    plate = {
        "kind": "prop", "id": "ground", "name": "plate", "shape": {"kind": "disc", "radius": 6},
        "position": [0, keys, 0], "rotation": [10, 0, 15],
    }  # fmt: skip
    cloud = {
        "kind": "prop",
        "id": "vent",
        "name": "cloud",
        "shape": {"kind": "box", "width": 3, "height": 0.2, "depth": 3},
    }
    shot = document(
        set=[plate, cloud], matter=[LOOSE, landing(thickness=0.0001)], finish={"last": 8},
        supply=[source(part="volume", speed=0, radius=0.001, emit={"kind": "burst", "count": 3000, "frame": 1})],
    )  # fmt: skip
    film = play(shot, "rough")
    pose = film.world.poses(8)["ground"]
    above = (film.last.position - pose.position) @ pose.matrix[:, 1]
    assert above.min() > 0


def test_a_swelling_ball_gives_the_speed_of_its_surface_and_leaves_none_inside():
    keys = {"kind": "keys", "keys": [{"frame": 1, "value": 0.1, "ease": "linear"}, {"frame": 25, "value": 3.1}]}
    ball = {"kind": "prop", "id": "ground", "name": "ball", "shape": {"kind": "sphere", "radius": 1}, "scale": keys}
    cloud = {"kind": "prop", "id": "vent", "name": "cloud", "shape": {"kind": "sphere", "radius": 2}}
    shot = document(
        set=[ball, cloud], matter=[LOOSE, landing()], finish={"last": 25},
        supply=[source(part="surface", speed=0, emit={"kind": "burst", "count": 2000, "frame": 1})],
    )  # fmt: skip
    film = play(shot)
    assert np.linalg.norm(film.last.position, axis=1).min() > 3.1
    assert film.last.speed == pytest.approx(3.0, abs=0.01)  # 3 metres in 24 frames of 1/24 s


def test_an_imported_mesh_collides_like_the_shape_it_is(tmp_path):
    trimesh.creation.box(extents=[4, 1, 4]).export(tmp_path / "block.ply")
    finish = {"last": 30}
    supply = [source(speed=3, aim=ALL_WAYS, emit={"kind": "burst", "count": 300, "frame": 1})]
    films = []
    for shape in ({"kind": "mesh", "file": "block.ply"}, {"kind": "box", "width": 4, "height": 1, "depth": 4}):
        block = {
            "kind": "prop", "id": "ground", "name": "block", "shape": shape, "position": [0, 0.5, 0],
            "rotation": [0, 20, 8],
        }  # fmt: skip
        shot = document(
            set=[block, VENT | {"position": [0, 2, 0]}], matter=[LOOSE, landing(bounce=0.4, friction=0.3)],
            forces=[GRAVITY], supply=supply, finish=finish,
        )  # fmt: skip
        films.append(play(shot, "fair", tmp_path))
    # Both are exact; they part by rounding, which corners amplify, so the middle of the crowd is compared.
    off = np.linalg.norm(films[0].last.position - films[1].last.position, axis=1)
    assert np.median(off) < 1e-4
    assert films[0].touches == pytest.approx(films[1].touches, abs=3)


def test_an_open_mesh_is_a_sheet_that_nothing_passes(tmp_path):
    ball = trimesh.creation.icosphere(subdivisions=2, radius=1.5)
    shell = trimesh.Trimesh(ball.vertices, ball.faces[:-1], process=False)
    shell.export(tmp_path / "shell.obj")
    prop = {"kind": "prop", "id": "ground", "name": "shell", "shape": {"kind": "mesh", "file": "shell.obj"}}
    shot = document(
        set=[prop, VENT], matter=[LOOSE, landing(bounce=0.9)], finish={"last": 24},
        supply=[source(speed=60, aim=ALL_WAYS, radius=0.06, emit={"kind": "burst", "count": 600, "frame": 1})],
    )  # fmt: skip
    film = play(shot, "rough", tmp_path)
    assert "open at 3 edges" in film.world.setting.notes[0]
    hole = ball.vertices[ball.faces[-1]].mean(axis=0)
    escaped = np.linalg.norm(film.last.position, axis=1) > 1.5
    assert escaped.mean() < 0.4
    if escaped.any():  # only through the hole
        first_out = [film.path(int(i)) for i in film.last.id[escaped]][:20]
        for path in first_out:
            out = path[np.argmax(np.linalg.norm(path, axis=1) > 1.5)]
            assert out @ hole > 0


def test_one_and_two_threads_give_the_same_bytes():
    def final(count: int) -> bytes:
        execute.threads(count)
        film = play(crowd(3000, 30.0, 25, bounce=0.7, forces=[GRAVITY]), "fair")
        return film.last.position.tobytes() + film.last.velocity.tobytes()

    assert execute.threads(1) == 1
    one = final(1)
    assert execute.threads(2) == 2
    assert final(2) == one
