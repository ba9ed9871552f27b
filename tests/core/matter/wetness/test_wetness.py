"""Wet surfaces: where liquid was, and how they dry."""

from pathlib import Path

import numpy as np
import pytest

from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from tests.conftest import document, landing, play, source
from tests.core.matter.liquid.scenes import body_of, wet
from tests.core.matter.rigid.scenes import body, prop, stacked
from tests.core.matter.wetness.scenes import LAKE, POST, dipped

RAIN = {"kind": "state", "id": "rain", "name": "rain"}


def test_what_was_under_water_is_wet_and_dries_exponentially():
    film = play(dipped(reach=0.1, dries=0.25), "rough", matter="wetness")
    under = film.frames[3].rest[:, 1] <= 0.1 + 1e-9
    assert 0.4 < under.mean() < 0.7
    np.testing.assert_allclose(film.frames[3].wet, under)
    dried = film.frames[13].wet[under] / film.frames[8].wet[under]
    np.testing.assert_allclose(dried, np.exp(-5.0 / 24.0 / 0.25))  # five frames of 1/24 s
    assert not film.frames[13].wet[~under].any()


def test_its_film_lies_on_the_prop_where_it_is_wet_and_hides_as_much_as_is_left():
    film = play(dipped(4, dark=0.5), "rough", matter="wetness")
    made = film.world.solvers["wetness"].surfaces(film.state, film.world.scene(4))["wetness"]
    places = made["vertices"] - [0.0, 1.0, 0.0]  # as high as the post has come
    assert np.abs((np.abs(places) - [0.25, 0.5, 0.25]).max(axis=1)).max() < 2e-3  # on the skin of the box
    assert places[:, 1].max() < 0.1
    assert made["thin"].min() == pytest.approx(1.0 - 0.5 * film.last.wet.max())
    before, after = (film.world.setting.all_poses(frame)["post"].position[1] for frame in (3.5, 4.0))
    assert made["velocity"][:, 1] == pytest.approx(48.0 * (after - before))


def test_drops_wet_what_they_meet_though_they_bounce_off():
    drop = source(prop="vent", state="rain", aim={"kind": "toward", "direction": [0, -1, 0], "cone": 0}, radius=0.05)
    post = prop("post", POST | {"width": 2.0, "depth": 2.0}, (0, 0, 0))
    row = {"kind": "wetness", "id": "wetness", "props": ["post"], "segments": 40, "reach": 0.1, "drops": "rain"}
    above = {"kind": "prop", "id": "vent", "name": "vent", "shape": {"kind": "sphere", "radius": 1e-6}, "position": [0.2, 1.5, 0.1]}  # fmt: skip
    bounces = landing(props=["post"], bounce=1.0)
    film = play(
        document(set=[post, above], matter=[RAIN, row, bounces], supply=[drop], finish={"last": 9}), matter="wetness"
    )
    off = np.linalg.norm(film.last.rest - [0.2, 0.5, 0.1], axis=1)
    wet_now = film.last.wet > 0.5
    assert off[wet_now].max() < 0.15 + 0.05  # its radius and its reach, about the nearest point
    assert wet_now[off < 0.15 - 0.05].all()


def test_liquid_wets_a_stone_that_it_runs_against():
    rock = prop("rock", {"kind": "sphere", "radius": 0.2}, (0.4, 0.2, 0))
    rows = [landing(id="meets", props=["rock"]), {"kind": "wetness", "id": "wetness", "props": ["rock"], "segments": 8}]
    film = play(wet([body_of(0.5, 0.8, at=(-0.5, None, 0)), rock], 25, rows=rows), "rough", matter="wetness")
    x, y, _ = film.last.rest.T
    soon = next(p.wet > 0.0 for p in film.frames.values() if p.wet.any())
    assert not film.frames[1].wet.any()
    assert x[soon].max() < 0.0  # what faces it is wet first
    assert y[soon].max() < 0.0
    assert film.last.wet[(x < 0.0) & (np.abs(y) < 0.1)].mean() > 0.95


def test_each_copy_of_a_body_carries_its_own_film():
    floats = [body("post", copies=stacked(2, gap=1.0), begins="held"), landing(id="meets", props=["post"])]
    shot = dipped(5, prop("post", POST, (0, 0.2, 0)), floats, props=["ground", "post"])
    film = play(shot, "rough", matter="wetness")
    bodies, one = [n for n in sorted(set(film.last.bearer.tolist())) if n >= 0], film.last
    assert len(bodies) == 2
    made = film.world.solvers["wetness"].surfaces(film.state, film.world.scene(5))["wetness"]
    assert np.ptp(made["vertices"][:, 0]) > 4.0  # the ground is wet too, as far as the lake reaches
    for number in bodies:
        mine = one.wet[one.bearer == number]
        assert 0.2 < (mine > 0.5).mean() < 0.5


@pytest.mark.parametrize(("row", "rows", "said"), [({}, [], "There is no liquid"), ({}, [LAKE, {"kind": "cloth", "id": "cloth", "prop": "post"}], "is soft")])  # fmt: skip
def test_what_stays_dry_is_told(row, rows, said):
    shot = dipped(2, prop("post", POST, (0, 1, 0))) | {"matter": [dipped()["matter"][0] | row, *rows]}
    assert any(said in f.message for f in findings(load(shot), build(load(shot), beside(Path()))))


def test_too_many_points_are_refused():
    with pytest.raises(ShotFault, match="Accepted: 100000"):
        build(load(dipped(segments=900)), beside(Path()), "rough")
