"""Points on and in shapes are even: chi-squared over parts of known area or volume."""

import numpy as np
import pytest
import trimesh
from scipy import stats

from hotgravel.core.chance import uniforms
from hotgravel.core.shape.distance import BOX, MESH, distances
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.mesh import mesh_from
from hotgravel.core.shape.sample import NoVolume, at_vertices, in_volume, on_surface
from tests.core.shape.test_distance import primitive

N = 60_000
RARE = 1e-4  # the seed is fixed: a sampler that is even passes, now and always


def numbers(columns: int = 4) -> np.ndarray:
    return uniforms(np.arange(N, dtype=np.uint64), columns, seed=11, who="test")


def even(values: np.ndarray, cdf, bins: int = 40) -> None:
    """The values follow this distribution function: equal counts between its quantiles."""
    share = cdf(values)
    assert share.min() > -1e-9
    assert share.max() < 1 + 1e-9
    counts = np.histogram(share, bins=bins, range=(0, 1))[0]
    assert counts.sum() == N
    assert stats.chisquare(counts).pvalue > RARE


def turns(points: np.ndarray) -> np.ndarray:
    return np.arctan2(points[:, 2], points[:, 0]) / (2 * np.pi) + 0.5


@pytest.mark.parametrize("name", ["sphere", "dome", "disc", "cylinder", "cone", "ring"])
def test_round_surfaces_are_even_around_their_axis(name):
    points, _ = on_surface(primitive(name), numbers())
    even(turns(points), lambda t: t)


@pytest.mark.parametrize(("name", "low", "high"), [("sphere", -0.8, 0.8), ("dome", 0, 0.9)])
def test_heights_on_a_ball_are_even(name, low, high):  # Archimedes: a zone's area is that of the cylinder
    points, normals = on_surface(primitive(name), numbers())
    even(points[:, 1], lambda y: (y - low) / (high - low))
    assert np.linalg.norm(points, axis=1) == pytest.approx(high)
    assert (points * normals).sum(axis=1) == pytest.approx(high)


def test_a_cylinder_shares_its_points_between_side_and_caps_by_area():
    shape = primitive("cylinder")  # side 2 pi r h, caps 2 pi r^2
    points, normals = on_surface(shape, numbers())
    side = np.abs(normals[:, 1]) < 0.5
    assert stats.binomtest(int(side.sum()), N, 1.2 / 1.7).pvalue > RARE
    rho = np.hypot(points[:, 0], points[:, 2])
    caps = np.histogram((rho[~side] / 0.5) ** 2, bins=20, range=(0, 1))[0]
    assert stats.chisquare(caps).pvalue > RARE


def test_a_cone_shares_its_points_between_side_and_base_by_area():
    points, normals = on_surface(primitive("cone"), numbers())
    side = normals[:, 1] > 0
    slant = np.hypot(0.6, 1.4)
    assert stats.binomtest(int(side.sum()), N, slant / (slant + 0.6)).pvalue > RARE
    left = (0.7 - points[side, 1]) / 1.4  # fraction of the height below the tip; area goes as its square
    assert stats.chisquare(np.histogram(left**2, bins=30, range=(0, 1))[0]).pvalue > RARE


def test_a_rings_surface_is_even_around_the_tube():
    points, _ = on_surface(primitive("ring"), numbers())
    out = np.hypot(points[:, 0], points[:, 2]) - 0.8
    angle = np.mod(np.arctan2(points[:, 1], out), 2 * np.pi)
    # Area element: (R + r cos a) da, so the share up to a is (a + (r / R) sin a) / 2 pi.
    even(angle, lambda a: (a + (0.25 / 0.8) * np.sin(a)) / (2 * np.pi))


def test_a_boxs_faces_get_points_by_area():
    _, normals = on_surface(primitive("box"), numbers())
    counts = [(normals == face).all(axis=1).sum() for axis in np.eye(3) for face in (axis, -axis)]
    areas = np.repeat([0.5 * 1.6, 1.0 * 1.6, 1.0 * 0.5], 2)
    assert stats.chisquare(counts, N * areas / areas.sum()).pvalue > RARE


def test_a_meshs_triangles_get_points_by_area():
    made = trimesh.creation.box(extents=[1.0, 0.5, 1.6])
    mesh = mesh_from("box", made.vertices, made.faces)
    shape = Shaped(MESH, np.array([0.0, 1.0, 0.0]), mesh.tree, mesh.vertices, mesh.faces)
    points, normals = on_surface(shape, numbers())
    exact = primitive("box")
    assert np.abs(distances(BOX, exact.sizes, exact.tree, points)[:, 0]).max() < 1e-12
    counts = [(np.abs(normals - face).max(axis=1) < 1e-9).sum() for axis in np.eye(3) for face in (axis, -axis)]
    areas = np.repeat([0.5 * 1.6, 1.0 * 1.6, 1.0 * 0.5], 2)
    assert stats.chisquare(counts, N * areas / areas.sum()).pvalue > RARE


def again(which, attempt):
    return uniforms(which.astype(np.uint64), 4, seed=11, who="test", purpose=1 + attempt)


@pytest.mark.parametrize(("name", "cdf"), [
    ("sphere", lambda p: (np.linalg.norm(p, axis=1) / 0.8) ** 3),
    ("dome", lambda p: (np.linalg.norm(p, axis=1) / 0.9) ** 3),
    ("box", lambda p: p[:, 1] / 0.5 + 0.5),
    ("cylinder", lambda p: (np.hypot(p[:, 0], p[:, 2]) / 0.5) ** 2),
    ("cone", lambda p: ((0.7 - p[:, 1]) / 1.4) ** 3),
    ("ring", lambda p: np.hypot(np.hypot(p[:, 0], p[:, 2]) - 0.8, p[:, 1]) ** 2 / 0.25**2),
])  # fmt: skip
def test_volumes_are_filled_evenly(name, cdf):
    shape = primitive(name)
    points, _ = in_volume(shape, numbers(), again)
    assert distances(shape.kind, shape.sizes, shape.tree, points)[:, 0].max() <= 1e-12
    even(points, cdf)
    even(points, lambda p: turns(p) if name != "box" else p[:, 0] + 0.5)


def test_a_closed_meshs_volume_is_filled_evenly_and_an_open_one_has_none():
    ball = trimesh.creation.icosphere(subdivisions=3, radius=1.0)
    mesh = mesh_from("ball", ball.vertices, ball.faces)
    shape = Shaped(MESH, np.array([0.0, 1.0, 0.0]), mesh.tree, mesh.vertices, mesh.faces)
    points, _ = in_volume(shape, numbers()[:8000], again)
    counts = np.histogram(np.linalg.norm(points, axis=1) ** 3, bins=8, range=(0, 0.96))[0]  # its inner balls
    assert stats.chisquare(counts).pvalue > RARE
    with pytest.raises(NoVolume):
        in_volume(Shaped(MESH, np.zeros(3), mesh.tree, mesh.vertices, mesh.faces), numbers()[:4], again)


def test_vertices_come_in_turn():
    corners = np.arange(12.0).reshape(4, 3)
    points, _ = at_vertices(corners, corners, np.array([0, 3, 4, 9]))
    assert points.tolist() == corners[[0, 3, 0, 1]].tolist()
