"""Forces that differ from place to place and from particle to particle, against closed forms."""

import numpy as np
import pytest

from hotgravel.core.noise import curl_at
from tests.conftest import GRAVITY, GROUND, LOOSE, VENT, at, document, play, source

CROWD = {"kind": "burst", "count": 3000, "frame": 1}
CLOUD = [GROUND, VENT | {"shape": {"kind": "sphere", "radius": 3.0}, "position": [0, 20, 0]}]
STILL = {"speed": 0, "aim": {"kind": "anywhere"}, "emit": CROWD, "part": "volume"}


def shot(*forces, **sections):
    plain = {"set": CLOUD, "supply": [source(**STILL)], "finish": {"last": 25}, "forces": list(forces)}
    return document(**plain | sections)


def one(height=20.0, **fields):
    return {"set": at(height), "supply": [source(**fields)]}


def test_a_tight_grip_carries_particles_as_the_curls_go():
    turbulence = {"kind": "turbulence", "id": "t", "speed": 2.0, "size": 3.0, "grip": 4000, "octaves": 2, "change": 0.0}
    film = play(shot(turbulence), "fine")
    p = film.frames[2]
    air = 2.0 * curl_at(film.frames[1].position, size=3.0, time=0.5, octaves=2, seed=1)
    assert np.abs(p.velocity - air).mean() < 0.15  # it moved on by a frame meanwhile


def test_turbulence_moves_but_does_not_gather():
    film = play(shot({"kind": "turbulence", "id": "t", "speed": 3.0, "size": 2.0, "grip": 50}), "fair")

    def crowding(p):
        from scipy.spatial import cKDTree

        return np.median(cKDTree(p.position).query(p.position, k=8)[0][:, -1])

    assert film.last.travelled.mean() > 1.5
    assert crowding(film.last) == pytest.approx(crowding(film.frames[1]), rel=0.35)


def test_a_vortex_gives_circles():
    vortex = {"kind": "vortex", "id": "v", "speed": 4.0, "axis": [0, 1, 0], "at": [-2, 0, 0], "grip": 5}
    circle = one(speed=4.0, aim={"kind": "toward", "direction": [0, 0, -1], "cone": 0})
    path = play(shot(vortex, **circle, finish={"last": 100}), "fine").path()
    radius = np.hypot(path[:, 0] + 2, path[:, 2])
    assert radius == pytest.approx(2.0, abs=0.03)
    assert np.ptp(path[:, 0]) == pytest.approx(4.0, abs=0.05)  # all the way round
    assert path[:, 1] == pytest.approx(20.0)


def test_a_constant_attraction_falls_as_under_gravity_and_pushes_when_negative():
    drawn = {"kind": "attraction", "id": "a", "strength": 3.0, "to": {"kind": "point", "at": [10, 20, 0]}}
    path = play(shot(drawn, **one(speed=0)), "fair").path()
    t = np.arange(25) / 24
    assert path[:, 0] == pytest.approx(1.5 * t**2, abs=1e-3)
    pushed = play(shot(drawn | {"strength": -3.0}, **one(speed=0)), "fair").path()
    assert pushed[:, 0] == pytest.approx(-1.5 * t**2, abs=1e-3)


def test_attraction_to_a_line_goes_straight_to_it_and_fades_at_its_reach():
    line = {"kind": "line", "at": [5, 0, 0], "to": [5, 40, 0]}
    drawn = {"kind": "attraction", "id": "a", "strength": 3.0, "to": line}
    path = play(shot(drawn, **one(speed=0)), "fair").path()
    assert path[:, 1] == pytest.approx(20.0)
    assert path[-1, 0] == pytest.approx(1.5, abs=0.01)
    assert play(shot(drawn | {"reach": 4.0}, **one(speed=0)), "fair").path()[-1, 0] == pytest.approx(0.0, abs=1e-5)


@pytest.mark.parametrize(("side", "drawn"), [("outside", (1, 0)), ("inside", (0, 1)), ("both", (1, 1))])
def test_a_surface_draws_those_on_its_side(side, drawn):
    shell = {
        "kind": "prop", "id": "shell", "name": "shell", "shape": {"kind": "sphere", "radius": 5.0},
        "position": [0, 20, 0],
    }  # fmt: skip
    pull = {"kind": "attraction", "id": "a", "strength": 1.0, "to": {"kind": "surface", "prop": "shell", "side": side}}
    moved = []
    for x in (7.0, 3.0):
        vent = VENT | {"position": [x, 20, 0]}
        path = play(shot(pull, set=[GROUND, vent, shell], supply=[source(speed=0)], finish={"last": 13}), "fair").path()
        moved.append(path[-1, 0] - x)
    assert moved[0] == pytest.approx(-0.125 * drawn[0], abs=1e-3)
    assert moved[1] == pytest.approx(0.125 * drawn[1], abs=1e-3)


def test_jitter_is_a_random_walk_in_speed():
    film = play(shot({"kind": "jitter", "id": "j", "strength": 0.8}), "fair")
    for frame in (7, 25):
        v = film.frames[frame].velocity
        assert np.sqrt((v**2).sum(axis=1).mean()) == pytest.approx(0.8 * np.sqrt((frame - 1) / 24), rel=0.05)
        assert np.abs(v.mean(axis=0)).max() < 0.03


def test_what_is_held_goes_with_its_prop():
    keys = {"kind": "keys", "keys": [{"frame": 1, "value": 0, "ease": "linear"}, {"frame": 25, "value": 6}]}
    carried = [
        GROUND,
        VENT | {"shape": {"kind": "sphere", "radius": 3.0}, "position": [keys, 20, 0], "rotation": [0, keys, 0]},
    ]
    film = play(shot({"kind": "hold", "id": "h", "rate": 40, "grip": 400}, GRAVITY, set=carried), "fine")
    pose = film.world.poses(25)["vent"]
    assert np.abs(film.last.position - pose.to_world(film.last.rest)).max() < 0.06
    loose = play(shot({"kind": "hold", "id": "h", "rate": 2, "grip": 1}, GRAVITY, set=carried), "fine")
    assert np.abs(loose.last.position - pose.to_world(loose.last.rest)).mean() > 1.0


def test_a_force_acts_only_in_its_zone_and_its_frames():
    low = {"kind": "zone", "id": "low", "name": "low", "shape": {"kind": "heights", "low": -9, "high": 20}, "edge": 0}
    p = play(shot(GRAVITY | {"zone": "low"}, set=[*CLOUD, low], finish={"last": 5}), "fair")
    started, ended = p.frames[1].position[:, 1], p.last.position[:, 1]
    assert (ended[started > 20] == started[started > 20]).all()
    assert (ended[started < 20] < started[started < 20]).all()
    path = play(shot(GRAVITY | {"start": 5, "end": 9}, **one(speed=0)), "fair").path()
    assert path[:5, 1] == pytest.approx(20.0)
    assert path[-1, 1] - path[-2, 1] == pytest.approx(-9.81 * (4 / 24) / 24, rel=1e-6)  # four frames' worth of speed


def test_a_response_scales_a_force_for_each_particle():
    falls = {"kind": "response", "attribute": "random", "begin": 0, "end": 1, "low": 0.0, "high": 8.0}
    film = play(shot(GRAVITY | {"strength": falls}), "fair")
    fallen = film.frames[1].position[:, 1] - film.last.position[:, 1]
    from hotgravel.core.chance import uniforms

    chance = uniforms(film.last.id.astype(np.uint64), 1, seed=0, who="crowd")[:, 0]
    assert fallen == pytest.approx(0.5 * 8.0 * chance, abs=0.02)


def test_a_response_over_density_tells_a_crowd_from_one_alone():
    alone = VENT | {"id": "alone", "name": "alone", "shape": {"kind": "sphere", "radius": 0.1}, "position": [0, 20, 9]}
    many = VENT | {"shape": {"kind": "sphere", "radius": 0.1}, "position": [0, 20, 0]}
    by_density = {"kind": "response", "attribute": "density", "begin": 1000, "end": 2000, "low": 0, "high": 5}
    gust = {"kind": "wind", "id": "w", "direction": [1, 0, 0], "grip": 50, "speed": by_density}
    sources = [source(**STILL | {"emit": CROWD | {"count": n}, "prop": prop}, id=f"of-{prop}", mass=1.0, radius=0.02)
               for n, prop in ((200, "vent"), (1, "alone"))]  # fmt: skip
    film = play(shot(gust, set=[many, alone], supply=sources, finish={"last": 3}), "fair")
    gone = film.last.position[:, 0] - film.frames[1].position[:, 0]
    in_crowd = film.last.source == 0
    # One of 1 kg in a ball of 0.2 m is 30 kg/m³; most of the crowd's two hundred lie within such a ball.
    assert gone[~in_crowd] == pytest.approx(0.0, abs=1e-9)
    assert np.median(gone[in_crowd]) > 0.3


def test_a_signal_that_leaves_the_bounds_is_held_at_them():
    wave = {"kind": "noise", "middle": 0.1, "amplitude": 30.0, "period": 0.2}
    film = play(shot({"kind": "linear_drag", "id": "d", "rate": wave}, **one(speed=5)), "fair")
    speeds = [p.speed[0] for p in film.frames.values()]
    assert (np.diff(speeds) <= 1e-12).all()  # a drag below zero would speed it up


def test_growth_shrinks_by_the_way_gone_and_removes_what_is_gone():
    less = {
        "kind": "response", "attribute": "travelled", "begin": 0, "end": 5, "low": 0, "high": 1,
        "points": [[0, 1], [1, 0]],
    }  # fmt: skip
    grown = {"kind": "growth", "id": "g", "share": less}
    film = play(shot(matter=[LOOSE, grown], **one(speed=10, radius=0.2), finish={"last": 14}), "fair")
    for frame in (1, 4, 9):
        p = film.frames[frame]
        assert p.radius[0] == pytest.approx(0.2 * (1 - 10 * (frame - 1) / 24 / 5), abs=0.002)
        assert p.size[0] == 0.2
    assert len(film.frames[12]) == 1
    assert len(film.frames[14]) == 0


def test_tints_pick_by_weight_or_blend_in_order():
    chance = {"kind": "response", "attribute": "random", "begin": 0, "end": 1, "low": 0, "high": 1}
    tint = {"kind": "tint", "id": "t", "palette": [["#ff0000", 3], ["#00ff00", 1]], "place": chance}
    film = play(shot(matter=[LOOSE, tint], finish={"last": 1}), "rough")
    colours, counts = np.unique(film.last.colour, return_counts=True)
    assert colours.tolist() == [(1 << 24) + 0x00FF00, (1 << 24) + 0xFF0000]
    assert counts[1] / counts.sum() == pytest.approx(0.75, abs=0.03)
    half = play(
        shot(
            matter=[LOOSE, tint | {"palette": [["#000000", 1], ["#ffffff", 1]], "manner": "blended", "place": 0.5}],
            finish={"last": 1},
        ),
        "rough",
    )
    assert set(half.last.colour.tolist()) == {(1 << 24) + 0x808080}


def test_particles_are_born_by_response_and_take_their_props_motion():
    keys = {"kind": "keys", "keys": [{"frame": 1, "value": 0, "ease": "linear"}, {"frame": 25, "value": 24}]}
    by_height = {"kind": "response", "attribute": "height", "begin": 17, "end": 23, "low": 0.1, "high": 0.4}
    moving = [GROUND, VENT | {"shape": {"kind": "sphere", "radius": 3.0}, "position": [keys, 20, 0]}]
    film = play(shot(set=moving, supply=[source(**STILL, radius=by_height, inherit=0.5)]), "fair")
    p = film.frames[1]
    assert p.radius == pytest.approx(0.1 + 0.3 * (p.position[:, 1] - 17) / 6, abs=1e-3)
    assert p.velocity[:, 0] == pytest.approx(0.5 * 24.0, rel=1e-6)
