"""Distances against brute force: the nearest of many points on the surface, and finite differences."""

import numpy as np
import pytest
import trimesh
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from hotgravel.core.shape import distance as of
from hotgravel.core.shape.distance import HEMISPHERE, MESH, distances, gaps
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.mesh import mesh_from
from hotgravel.core.shape.sample import on_surface

SHAPES = {
    "sphere": (of.SPHERE, (0.8, 0, 0)), "dome": (HEMISPHERE, (0.9, 0, 0)), "box": (of.BOX, (1.0, 0.5, 1.6)),
    "plane": (of.PLANE, (1.2, 0.7, 0)), "disc": (of.DISC, (0.8, 0, 0)), "cylinder": (of.CYLINDER, (0.5, 1.2, 0)),
    "cone": (of.CONE, (0.6, 1.4, 0)), "ring": (of.TORUS, (0.8, 0.25, 0)),
}  # fmt: skip


def primitive(name: str) -> Shaped:
    kind, sizes = SHAPES[name]
    return Shaped(kind, np.array(sizes, float))


def surface_points(shape: Shaped, n: int = 400_000) -> np.ndarray:
    points, _ = on_surface(shape, np.random.default_rng(1).random((n, 4)))
    if shape.kind == HEMISPHERE:  # its surface for sampling leaves out the flat side, the solid has it
        base, _ = on_surface(Shaped(of.DISC, shape.sizes), np.random.default_rng(2).random((n // 2, 4)))
        points = np.concatenate([points, base])
    return points


@pytest.mark.parametrize("name", SHAPES)
def test_distance_is_to_the_nearest_point_of_the_surface(name):
    shape = primitive(name)
    asked = np.random.default_rng(3).uniform(-2, 2, (3000, 3))
    nearest, _ = cKDTree(surface_points(shape)).query(asked)
    ours = np.abs(distances(shape.kind, shape.sizes, shape.tree, asked)[:, 0])
    # The points lie about 5 mm apart on these surfaces of 1 to 7 square metres; at distance d the
    # nearest of them is too far by 0.005^2 / 2d, and right at the surface by up to their spacing.
    assert np.abs(ours - nearest).max() < 0.012
    assert np.median(np.abs(ours - nearest)) < 2e-4


@pytest.mark.parametrize("name", SHAPES)
def test_gradient_is_the_slope_of_the_distance(name):
    shape = primitive(name)
    asked = np.random.default_rng(4).uniform(-1.5, 1.5, (2000, 3))
    field = distances(shape.kind, shape.sizes, shape.tree, asked)
    e = 1e-6
    slope = np.stack(
        [
            (distances(shape.kind, shape.sizes, shape.tree, asked + e * axis)[:, 0]
             - distances(shape.kind, shape.sizes, shape.tree, asked - e * axis)[:, 0]) / (2 * e)
            for axis in np.eye(3)
        ],
        axis=1,
    )  # fmt: skip
    off = np.abs(slope - field[:, 1:]).max(axis=1)
    assert np.quantile(off, 0.995) < 1e-6  # all but a few that lie on a ridge, where there is no slope
    assert np.linalg.norm(field[:, 1:], axis=1) == pytest.approx(1.0, abs=1e-9)


@pytest.mark.parametrize("name", SHAPES)
def test_the_gap_to_a_prop_that_stands_turned_and_scaled_is_the_distance_there(name):
    shape, turned, place, scale = primitive(name), Rotation.from_euler("xyz", [0.4, -1.1, 2.0]), [1.0, -2.0, 0.5], 1.7
    local = np.random.default_rng(7).uniform(-2, 2, (3000, 3))
    world = scale * turned.apply(local) + place
    ours = gaps(shape.kind, shape.sizes, shape.tree, world, turned.as_matrix(), np.array(place), scale)
    assert ours == pytest.approx(scale * distances(shape.kind, shape.sizes, shape.tree, local)[:, 0], abs=1e-12)


@pytest.mark.parametrize(("name", "inside", "depth"), [
    ("sphere", (0.1, 0, 0), 0.7), ("box", (0, 0.2, 0), 0.05), ("cylinder", (0.3, 0, 0), 0.2), ("dome", (0, 0.1, 0), 0.1),
    ("ring", (0.8, 0, 0), 0.25), ("cone", (0, -0.6, 0), 0.1),
])  # fmt: skip
def test_inside_is_negative_by_the_depth(name, inside, depth):
    shape = primitive(name)
    assert distances(shape.kind, shape.sizes, shape.tree, np.array([inside], float))[0, 0] == pytest.approx(-depth)


def test_a_closed_meshs_distance_has_the_sign_of_its_inside():
    ball = trimesh.creation.icosphere(subdivisions=4, radius=1.3)
    mesh = mesh_from("ball", ball.vertices, ball.faces)
    asked = np.random.default_rng(5).normal(size=(4000, 3))
    ours = distances(MESH, np.array([0.0, 1.0, 0.0]), mesh.tree, asked)
    exact = np.linalg.norm(asked, axis=1) - 1.3
    assert np.abs(ours[:, 0] - exact).max() < 0.0025  # the chord height of triangles 0.09 m wide
    assert (np.sign(ours[:, 0]) == np.sign(exact))[np.abs(exact) > 0.0025].all()


def test_a_meshs_box_agrees_with_the_exact_box():
    made = trimesh.creation.box(extents=[1.0, 0.5, 1.6])
    mesh = mesh_from("box", made.vertices, made.faces)
    exact = primitive("box")
    asked = np.random.default_rng(6).uniform(-1.5, 1.5, (4000, 3))
    ours = distances(MESH, np.array([0.0, 1.0, 0.0]), mesh.tree, asked)[:, 0]
    assert ours == pytest.approx(distances(of.BOX, exact.sizes, exact.tree, asked)[:, 0], abs=1e-12)
