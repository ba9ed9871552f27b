"""Scatter, the surface's motion taken along, spreading on it, and sheets met from one side."""

import numpy as np
import pytest

from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from tests.conftest import GROUND, LOOSE, VENT, at, document, landing, play, source

DOWN = {"kind": "toward", "direction": [0, -1, 0], "cone": 0}
CROWD = {"kind": "burst", "count": 1500, "frame": 1}


def fallen(sets=None, supply=None, **row):
    """Shot straight down at 10 m/s from 2 m, without gravity; as it is after a second."""
    supply = supply or {}
    return play(document(
        set=sets or at(2.0), matter=[LOOSE, landing(**row)], supply=[source(**({"aim": DOWN, "emit": CROWD} | supply))],
    )).last  # fmt: skip


def test_scatter_turns_each_bounce_evenly_within_its_angle_and_keeps_the_speed():
    after = fallen(bounce=1.0, scatter=30)
    assert after.speed == pytest.approx(np.full(1500, 10.0))
    up = after.velocity[:, 1] / after.speed
    assert up.min() > np.cos(np.radians(30)) - 1e-9
    # even over the cap: the cosine is uniform (Archimedes)
    assert up.mean() == pytest.approx(0.5 * (1 + np.cos(np.radians(30))), abs=0.003)
    assert fallen(bounce=1.0, scatter=0).velocity[:, 1] == pytest.approx(np.full(1500, 10.0))


def test_scatter_never_throws_into_the_surface():
    flat = {"kind": "toward", "direction": [1, -0.1, 0], "cone": 0}
    after = fallen(at(0.3), bounce=0.9, scatter=80, supply={"aim": flat})
    assert after.velocity[:, 1].min() > 0
    assert after.position[:, 1].min() > 0


@pytest.mark.parametrize("share", [0.0, 0.5, 1.0])
def test_what_lands_on_a_moving_surface_takes_up_a_share_of_its_motion(share):
    rolling = {"kind": "keys", "keys": [{"frame": 1, "value": 0, "ease": "linear"}, {"frame": 25, "value": 3}]}
    after = fallen([GROUND | {"position": [rolling, 0, 0]}, VENT | {"position": [0, 2, 0]}], friction=10, carry=share)
    assert after.velocity[:, 0] == pytest.approx(np.full(1500, 3.0 * share), abs=1e-6)


@pytest.mark.parametrize("share", [0.3, 0.8])
def test_what_falls_on_a_disc_flows_on_outward_with_a_share_of_its_speed(share):
    disc = {"kind": "prop", "id": "ground", "name": "shelf", "shape": {"kind": "disc", "radius": 30}}
    high = VENT | {"position": [0, 2, 0], "shape": {"kind": "disc", "radius": 0.5}}
    after = fallen([disc, high], spread=share)
    out = after.position[:, [0, 2]] / np.linalg.norm(after.position[:, [0, 2]], axis=1, keepdims=True)
    assert np.einsum("ij,ij->i", after.velocity[:, [0, 2]], out) == pytest.approx(np.full(1500, 10 * share), rel=1e-6)
    assert np.abs(after.velocity[:, 1]).max() < 1e-6
    assert np.ptp(after.position[:, 1]) < 1e-6  # it stays on the shelf


def test_a_sheet_met_from_its_front_lets_through_what_comes_from_behind():
    sheet = [GROUND, VENT | {"position": [0, -2, 0]}]
    up = {"aim": {"kind": "toward", "direction": [0, 1, 0], "cone": 0}}
    assert fallen(sheet, up, side="front").position[:, 1] == pytest.approx(np.full(1500, 8.0))
    assert fallen(sheet, up).position[:, 1].max() < 0
    assert fallen(side="front").position[:, 1].min() > 0  # from above it holds


def test_a_solid_has_no_front():
    ball = GROUND | {"shape": {"kind": "sphere"}}
    with pytest.raises(ShotFault, match="has no front"):
        build(load(document(set=[ball, VENT], matter=[LOOSE, landing(side="front")])), beside(None))


def test_a_prop_that_grows_from_nothing_sweeps_and_one_that_vanishes_lets_go():
    keys = [
        {"frame": 1, "value": 0, "ease": "linear"},
        {"frame": 9, "value": 2, "ease": "step"},
        {"frame": 13, "value": 0},
    ]
    ball = GROUND | {"shape": {"kind": "sphere", "radius": 1.0}, "scale": {"kind": "keys", "keys": keys}}
    cloud = VENT | {"shape": {"kind": "sphere", "radius": 1.0}}
    still = source(part="volume", speed=0, emit=CROWD)
    film = play(document(set=[ball, cloud], matter=[LOOSE, landing()], supply=[still], finish={"last": 20}))
    away = {f: np.linalg.norm(p.position, axis=1) for f, p in film.frames.items()}
    assert away[9].min() > 2.0
    assert film.world.poses(1).keys() == {"vent"}
    assert film.world.poses(20).keys() == {"vent"}
    speed = np.linalg.norm(film.frames[9].velocity, axis=1)
    assert np.quantile(np.abs(speed - 6.0), 0.99) < 0.02  # those born at its very middle are thrown a little faster
    assert away[20] == pytest.approx(away[9] + speed * 11 / 24, abs=0.03)


def test_what_is_wedged_between_a_press_and_the_ground_is_not_pushed_through_it():
    down = {"kind": "keys", "keys": [{"frame": 1, "value": 3, "ease": "linear"}, {"frame": 13, "value": 0.6}]}
    press = {
        "kind": "prop", "id": "press", "name": "press", "shape": {"kind": "sphere", "radius": 1.0},
        "position": [0, down, 0],
    }  # fmt: skip
    flat = VENT | {"position": [0, 0.03, 0], "shape": {"kind": "disc", "radius": 0.8}}
    crowd = source(speed=0, radius=0.02, emit=CROWD | {"count": 4000})
    film = play(
        document(set=[GROUND, flat, press], matter=[LOOSE, landing(props=["ground", "press"])], supply=[crowd]), "rough"
    )
    assert film.last.position[:, 1].min() > 0
