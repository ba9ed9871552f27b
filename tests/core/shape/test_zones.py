"""Zones: weights in closed form, and the algebra of combining them."""

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from tests.conftest import GROUND, VENT, document

BALL = {"kind": "prop", "id": "ball", "name": "ball", "shape": {"kind": "sphere", "radius": 2.0}, "position": [1, 0, 0]}


def zone(name, shape, **fields):
    return {"kind": "zone", "id": name, "name": name, "shape": shape, "edge": 0.0, "falloff": "straight"} | fields


def scene(*zones, frame=1.0, props=(BALL,)):
    world = build(load(document(set=[GROUND, VENT, *props, *zones])), beside("."))
    return world.scene(frame, 0.25)


def weights(shape, points, frame=1.0, **fields):
    return scene(zone("it", shape, **fields), frame=frame).weight_in("it", np.array(points, float))


@pytest.mark.parametrize(("shape", "inside", "outside"), [
    ({"kind": "ball", "at": [1, 2, 3], "radius": 1.5}, [[1, 3.4, 3], [2, 2, 4]], [[1, 3.6, 3], [3, 3, 3]]),
    ({"kind": "block", "at": [0, 1, 0], "size": [2, 4, 6]}, [[0.9, 2.9, -2.9]], [[1.1, 1, 0], [0, 3.1, 0], [0, 1, 3.1]]),
    ({"kind": "capsule", "at": [0, 0, 0], "to": [0, 4, 0], "radius": 1}, [[0.9, 2, 0], [0, 4.9, 0]], [[1.1, 2, 0], [0.8, 4.8, 0]]),
    ({"kind": "front", "at": [0, 0, 0], "direction": [0, 0, 2], "come": 1.0}, [[5, 5, 0.9], [0, 0, -99]], [[0, 0, 1.1]]),
    ({"kind": "front", "direction": [1, 0, 0], "come": 1.0, "width": 0.5}, [[0.6, 0, 0], [0.9, 3, 0]], [[0.4, 0, 0], [1.1, 0, 0]]),
    ({"kind": "heights", "low": 1, "high": 2}, [[9, 1.1, 9], [0, 1.9, 0]], [[0, 0.9, 0], [0, 2.1, 0]]),
    ({"kind": "near", "prop": "ball", "side": "near", "reach": 0.5}, [[3.4, 0, 0], [2.6, 0, 0]], [[3.6, 0, 0], [1, 0, 0]]),
    ({"kind": "near", "prop": "ball", "side": "inside", "reach": 0.5}, [[2.6, 0, 0]], [[3.1, 0, 0], [2.4, 0, 0]]),
    ({"kind": "near", "prop": "ball", "side": "outside", "reach": 0.5}, [[3.4, 0, 0]], [[2.9, 0, 0], [3.6, 0, 0]]),
    ({"kind": "strokes", "points": [[0, 0, 0], [1, 0, 0]], "radius": 0.3}, [[1.2, 0, 0.1]], [[0.5, 0, 0]]),
])  # fmt: skip
def test_each_shape_weighs_one_inside_and_nothing_outside(shape, inside, outside):
    assert weights(shape, inside).tolist() == [1.0] * len(inside)
    assert weights(shape, outside).tolist() == [0.0] * len(outside)


@pytest.mark.parametrize(("falloff", "curve"), [
    ("straight", lambda u: u), ("smooth", lambda u: u * u * (3 - 2 * u)), ("late", lambda u: u**2), ("early", lambda u: 1 - (1 - u) ** 2),
])  # fmt: skip
def test_the_edge_passes_over_half_its_width_on_either_side(falloff, curve):
    away = np.linspace(0.4, 1.6, 50)
    points = np.stack([away, 0 * away, 0 * away], axis=1)
    told = weights({"kind": "ball", "radius": 1.0}, points, edge=0.8, falloff=falloff)
    assert told == pytest.approx(curve(np.clip(0.5 + (1 - away) / 0.8, 0, 1)))


def test_patches_cover_about_the_share_they_state():
    points = np.random.default_rng(1).uniform(-60, 60, (20_000, 3))
    for share in (0.0, 0.2, 0.5, 0.8, 1.0):
        told = weights({"kind": "patches", "share": share, "contrast": 20}, points)
        assert (told > 0.5).mean() == pytest.approx(share, abs=0.04)
    soft = weights({"kind": "patches", "contrast": 1}, points)
    hard = weights({"kind": "patches", "contrast": 20}, points)
    assert ((soft > 0.05) & (soft < 0.95)).mean() > 2 * ((hard > 0.05) & (hard < 0.95)).mean()


def test_patches_drift_and_change():
    points = np.random.default_rng(1).uniform(-9, 9, (500, 3))
    drifting = {"kind": "patches", "drift": [2, 0, 0], "contrast": 2}
    assert weights(drifting, points + np.array([2.0, 0, 0]), frame=25) == pytest.approx(
        weights(drifting, points, frame=1)
    )
    changing = {"kind": "patches", "change": 1.0, "contrast": 2}
    assert np.abs(weights(changing, points, frame=49) - weights(changing, points)).mean() > 0.2


def test_a_zone_moves_by_keys_and_with_a_prop():
    keys = {"kind": "keys", "keys": [{"frame": 1, "value": 0, "ease": "linear"}, {"frame": 11, "value": 10}]}
    assert weights({"kind": "ball", "at": [keys, 0, 0], "radius": 1}, [[5, 0, 0]], frame=6).tolist() == [1.0]
    rider = BALL | {"position": [keys, 0, 0], "rotation": [0, 0, 0]}
    made = scene(zone("it", {"kind": "ball", "at": [0, 3, 0], "radius": 1}, follow="ball"), frame=6, props=(rider,))
    assert made.weight_in("it", np.array([[5.0, 3, 0], [0, 3, 0]])).tolist() == [1.0, 0.0]


WEIGHT = st.floats(0, 1)


@given(
    st.lists(st.tuples(st.floats(-3, 3), st.floats(-3, 3), st.floats(-3, 3)), min_size=1, max_size=20),
    st.just(0.0) | st.floats(1e-6, 2),
    st.just(0.0) | st.floats(1e-6, 2),
)
def test_the_algebra_of_zones(points, edge, other):
    points = np.array(points, float)
    zones = [
        zone("a", {"kind": "ball", "radius": 1.5}, edge=edge),
        zone("b", {"kind": "heights", "low": 0, "high": 1}, edge=other),
    ]
    both = {
        how: zone(how.replace(" ", "-"), {"kind": "both", "first": "a", "how": how, "second": "b"})
        for how in ("times", "plus", "minus", "most", "least")
    }
    back = zone("back", {"kind": "both", "first": "b", "how": "times", "second": "a"})
    made = ALGEBRA(zones, both, back)
    a, b = made.weight_in("a", points), made.weight_in("b", points)
    told = {how: made.weight_in(how, points) for how in both}
    for weight in (a, b, *told.values()):
        assert ((weight >= 0) & (weight <= 1)).all()
    assert told["times"] == pytest.approx(a * b)
    assert made.weight_in("back", points) == pytest.approx(told["times"])
    assert told["plus"] == pytest.approx(np.minimum(a + b, 1))
    assert told["minus"] == pytest.approx(np.maximum(a - b, 0))
    assert (told["most"] == np.maximum(a, b)).all()
    assert (told["least"] == np.minimum(a, b)).all()


def ALGEBRA(zones, both, back):  # noqa: N802
    return scene(*zones, *both.values(), back)


def test_a_front_broken_up_is_ragged_and_no_further_off_than_stated():
    front = zone("front", {"kind": "front", "come": 0.0})
    noise = zone("noise", {"kind": "patches", "size": 0.5, "contrast": 1.5})
    ragged = zone("ragged", {"kind": "both", "first": "front", "how": "broken up by", "second": "noise", "by": 0.6})
    made = scene(front, noise, ragged)
    z = np.linspace(0, 30, 400)
    edge = []
    for at in z:
        line = np.stack([np.linspace(-1, 1, 401), np.zeros(401), np.full(401, at)], axis=1)
        inside = made.weight_in("ragged", line) > 0.5
        edge.append(line[inside, 0].max())
    assert np.abs(edge).max() <= 0.605
    assert np.std(edge) > 0.15
    assert np.sum(np.diff(np.sign(edge)) != 0) > 20


def test_a_zone_that_is_off_weighs_nothing():
    assert weights({"kind": "ball", "radius": 9}, [[0, 0, 0]], on=False).tolist() == [0.0]


def test_zones_that_are_made_of_themselves_are_refused():
    a = zone("a", {"kind": "both", "first": "b", "second": "c"})
    b = zone("b", {"kind": "both", "first": "c", "second": "a"})
    c = zone("c", {"kind": "ball"})
    with pytest.raises(ShotFault, match="made of itself"):
        load(document(set=[GROUND, VENT, a, b, c]))
    with pytest.raises(ShotFault, match="made of itself"):
        load(document(set=[GROUND, VENT, c, zone("d", {"kind": "both", "first": "d", "second": "c"})]))


def test_each_of_several_meshes_is_measured_by_itself():
    shape = {"kind": "lettering", "height": 1.0, "depth": 0.4, "bevel": 0.0}
    props = [
        {
            "kind": "prop",
            "id": word.lower(),
            "name": word,
            "shape": shape | {"words": word},
            "position": [3.0 * n, 0, 0],
        }
        for n, word in enumerate(("I", "L", "T"))
    ]
    there = scene(props=props)
    for prop in ("i", "l", "t"):
        shape, points = there.shapes[prop], np.random.default_rng(1).uniform(-0.6, 0.6, (200, 3))
        np.testing.assert_allclose(shape.tree[int(shape.sizes[0]), :6], np.concatenate(shape.box), atol=1e-9)
        solid = trimesh.Trimesh(shape.vertices, shape.faces)
        gap = there.distance_to(prop, points + there.poses[prop].position)
        near = cKDTree(trimesh.sample.sample_surface(solid, 20_000, seed=1)[0]).query(points)[0]
        np.testing.assert_allclose(np.abs(gap), near, atol=0.03)
