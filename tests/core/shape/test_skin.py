"""Skins against spheres in closed form."""

import numpy as np
import pytest
import trimesh

from hotgravel.core.shape.skin import TooFine, carried, skin


def mesh_of(*points, radius=0.3, **how):
    points = np.array(points, float)
    radii = np.broadcast_to(radius, len(points)).astype(float)
    return trimesh.Trimesh(*skin(points, radii, **{"blend": 0.05, "cell": 0.02, **how}), process=False)


@pytest.mark.parametrize(("radius", "cell"), [(0.3, 0.03), (0.05, 0.008), (2.0, 0.15)])
def test_a_skin_around_one_particle_has_its_spheres_volume(radius, cell):
    made = mesh_of([1.0, -2, 3], radius=radius, cell=cell, blend=0.1 * radius)
    assert made.is_volume
    assert made.volume == pytest.approx(4 / 3 * np.pi * radius**3, rel=0.03)
    assert np.linalg.norm(made.vertices - [1, -2, 3], axis=1) == pytest.approx(radius, rel=0.02)


def test_two_far_apart_are_two_and_two_near_one_another_blend():
    apart = mesh_of([0, 0, 0], [1, 0, 0])
    assert len(apart.split()) == 2
    assert apart.volume == pytest.approx(2 * 4 / 3 * np.pi * 0.3**3, rel=0.03)
    joined = [mesh_of([0, 0, 0], [0.66, 0, 0], blend=blend) for blend in (0.02, 0.3)]
    assert [len(j.split()) for j in joined] == [2, 1]
    assert joined[1].volume > joined[0].volume


def test_smoothing_rounds_it_off_and_nobody_has_no_skin():
    rough, smooth = (mesh_of([0, 0, 0], [0.5, 0, 0], blend=0.02, smoothing=s) for s in (0, 3))
    assert smooth.area < rough.area
    assert len(skin(np.zeros((0, 3)), np.zeros(0), blend=0.1, cell=0.1)[0]) == 0
    assert len(skin(np.zeros((1, 3)), np.zeros(1), blend=0.1, cell=0.1)[0]) == 0


def test_a_grid_too_fine_names_the_cell_that_would_do():
    with pytest.raises(TooFine) as fault:
        skin(np.array([[0.0, 0, 0], [100, 100, 100]]), np.full(2, 0.1), blend=0.1, cell=0.05)
    assert fault.value.least == pytest.approx(100.9 / 40_000_000 ** (1 / 3), rel=0.02)


def test_colour_and_velocity_are_carried_over_from_the_nearest():
    points = np.array([[0.0, 0, 0], [1, 0, 0]])
    vertices, _ = skin(points, np.full(2, 0.3), blend=0.05, cell=0.03)
    heat, going = carried(vertices, points, np.array([10.0, 20.0]), np.array([[1.0, 0, 0], [0, 2, 0]]))
    left = vertices[:, 0] < 0.5
    assert heat[left].mean() == pytest.approx(12.5, abs=1.5)
    assert heat[~left].mean() == pytest.approx(17.5, abs=1.5)
    assert (going[:, 0] + 0.5 * going[:, 1]) == pytest.approx(np.ones(len(vertices)))
