"""Velocities on a grid: linear ones are met exactly; what cannot be used is told."""

import io

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import RegularGridInterpolator

from hotgravel.core.run.world import beside, build
from hotgravel.core.shape.grid import GridFault, VelocityGrid, grid_from, sampled
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from tests.conftest import VENT, document, play, source

ORIGIN, CELL = np.array([-3.0, 0.0, -3.0]), 0.5


def packed(**arrays):
    out = io.BytesIO()
    np.savez(out, **{"velocity": np.zeros((3, 4, 5, 3)), "origin": ORIGIN, "cell": CELL} | arrays)
    return out.getvalue()


def test_between_grid_points_it_is_scipys_linear_interpolation():
    rng = np.random.default_rng(3)
    air = rng.normal(size=(5, 6, 7, 3)).astype(np.float32)
    axes = [o + CELL * np.arange(n) for o, n in zip(ORIGIN, air.shape, strict=False)]
    points = np.stack([rng.uniform(a[0], a[-1], 500) for a in axes], axis=1)
    told, hold = sampled(VelocityGrid(air[None], ORIGIN, CELL), points, 0.0, 0.0)
    assert told == pytest.approx(RegularGridInterpolator(axes, air)(points), abs=1e-6)
    assert (hold == 1.0).all()


@given(st.floats(-1, 3))
def test_between_frames_it_is_blended_and_held_before_and_after(seconds):
    air = np.stack([np.full((2, 2, 2, 3), speed, np.float32) for speed in (1.0, 5.0, 2.0)])
    told, _ = sampled(VelocityGrid(air, np.zeros(3), 1.0, rate=2.0), np.full((1, 3), 0.4), seconds, 0.0)
    assert told[0, 0] == pytest.approx(np.interp(seconds, [0, 0.5, 1], [1, 5, 2]))


def test_the_hold_falls_to_nothing_over_the_edge():
    grid = VelocityGrid(np.ones((1, 5, 5, 5, 3), np.float32), np.zeros(3), 1.0)
    points = np.array([[2.0, 2, 2], [0.25, 2, 2], [2, 4, 2], [2, 2, 4.01], [-1, 2, 2], [np.nan, 2, 2]])
    assert sampled(grid, points, 0.0, 0.5)[1] == pytest.approx([1, 0.5, 0, 0, 0, 0])


@pytest.mark.parametrize("shape", [
    {"kind": "swift", "speed": 3.0}, {"kind": "dense", "density": 0.75}, {"kind": "hot", "temperature": 75},
])  # fmt: skip
def test_a_zone_is_where_a_field_is_over_a_threshold(tmp_path, shape):
    """Each quantity grows in proportion to the distance from a plane, so the distance of first order is exact: the soft
    edge has its half where x = 1.5 in the file, which is 6 in a box twice as large that grows from its corner at -3."""
    axis = np.linspace(-3, 3, 13)
    x = np.meshgrid(axis, axis, axis, indexing="ij")[0]
    np.savez(
        tmp_path / "air.npz", velocity=np.stack([x, 0 * x, 0 * x], -1), origin=[-3, -3, -3], cell=0.5,
        density=np.maximum(x, 0) / 2, temperature=50 * x,
    )  # fmt: skip
    zone = {"kind": "zone", "id": "it", "name": "it", "edge": 0.8, "falloff": "straight"}
    zone["shape"] = shape | {"field": "air"}
    field = {"kind": "field", "id": "air", "name": "air", "file": "air.npz", "position": [0, 20, 0]}
    field |= {"scale": 2.0, "speed": -2}
    scene = build(load(document(set=[VENT, field, zone])), beside(tmp_path)).scene(1.0)
    points = np.array([[6 + d, 23.2, 3.3] for d in (-3, -0.5, -0.2, 0, 0.2, 99)])
    assert scene.weight_in("it", points) == pytest.approx([0, 0, 0.25, 0.5, 0.75, 0], abs=1e-5)


def test_a_zone_by_what_its_field_does_not_tell_is_a_fault(tmp_path):
    (tmp_path / "air.npz").write_bytes(packed(density=np.zeros((3, 4, 5))))
    zone = {"kind": "zone", "id": "it", "name": "it", "shape": {"kind": "hot", "field": "air"}}
    field = {"kind": "field", "id": "air", "name": "air", "file": "air.npz"}
    with pytest.raises(ShotFault, match=r"tells speed and density only\. Accepted: a field that tells temperature"):
        build(load(document(set=[VENT, field, zone])), beside(tmp_path))


def test_what_follows_a_turning_field_goes_in_circles(tmp_path):
    """A rigid turn is linear in space, so the grid has it exactly; a tight grip drifts outward by the square
    of the turning rate over the grip, here 1.6 % in a turn."""
    axis = np.linspace(-3, 3, 13)
    x, _, z = np.meshgrid(axis, axis, axis, indexing="ij")
    rate = 2 * np.pi  # a turn a second
    np.savez(tmp_path / "turn.npz", velocity=np.stack([-rate * z, 0 * x, rate * x], -1), origin=[-3, -3, -3], cell=0.5)
    field = {"kind": "field", "id": "turn", "name": "turn", "file": "turn.npz", "position": [0, 20, 0]}
    spot = VENT | {"shape": {"kind": "sphere", "radius": 0.01}, "position": [1, 20, 0]}
    film = play(document(
        set=[spot, field], supply=[source(speed=0, emit={"kind": "burst", "count": 1, "frame": 1})],
        forces=[{"kind": "follow", "id": "it", "field": "turn", "grip": 2500}], finish={"last": 25},
    ), "fine", tmp_path)  # fmt: skip
    path = film.path() - [0, 20, 0]
    assert np.hypot(path[:, 0], path[:, 2]) == pytest.approx(np.hypot(path[0, 0], path[0, 2]), rel=0.03)
    angle = np.unwrap(np.arctan2(path[:, 2], path[:, 0]))
    assert angle[-1] - angle[0] == pytest.approx(2 * np.pi, abs=0.05)


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "cannot be read as NPZ"),
        (b"PK\x03\x04 and no more", "cannot be read as NPZ"),
        (packed()[:-90], "cannot be read as NPZ"),
        (packed(velocity=np.array([{}], object)), "cannot be read as NPZ"),
        (packed(velocity=np.zeros((3, 4, 5))), "velocity is of shape (3, 4, 5)"),
        (packed(velocity=np.zeros((1, 4, 5, 3))), "each n at least 2"),
        (packed(velocity=np.zeros((0, 4, 4, 5, 3)), rate=24), "each n at least 2"),
        (packed(velocity=np.zeros((2, 4, 4, 5, 3))), "no rate"),
        (packed(velocity=np.full((3, 4, 5, 3), np.inf)), "not finite"),
        (packed(velocity=np.full((3, 4, 5, 3), "a")), "something other than numbers"),
        (packed(density=np.zeros((3, 4))), "density is of shape (3, 4). Accepted: (3, 4, 5)"),
        (packed(cell=0.0), "cell one above 0"),
        (packed(origin=[1, 2]), "origin takes three numbers"),
    ],
)
def test_what_cannot_be_used_is_told(data, said):
    with pytest.raises(GridFault, match="air") as fault:
        grid_from("air.npz", data)
    assert said in str(fault.value)


def test_what_a_file_lacks_is_named():
    out = io.BytesIO()
    np.savez(out, speed=np.zeros(3))
    with pytest.raises(GridFault, match="has no velocity and no origin and no cell"):
        grid_from("air.npz", out.getvalue())
