"""What bodies are made of: masses against trimesh, distances against a quadratic program, parts that hold their mesh."""

import numpy as np
import pytest
import trimesh
from scipy.optimize import brentq, nnls
from scipy.spatial import ConvexHull
from scipy.spatial.transform import Rotation

from hotgravel.core.matter.rigid.constraint import CONTACT_WIDTH, LEADS, NOW, update_gap
from hotgravel.core.matter.rigid.detect import room_for, touch_bodies
from hotgravel.core.matter.rigid.gjk import SIMPLEX, closest
from hotgravel.core.matter.rigid.leads import BY_NOTHING, OUT_WIDTH
from hotgravel.core.matter.rigid.model import NotSolid, convex_parts, hull_of, model_of
from hotgravel.core.matter.rigid.patch import MOST_POINTS, ROOM, patch
from hotgravel.core.matter.rigid.support import CORNERS, HULL, KIND, MOST_CORNERS, PART_WIDTH, support
from hotgravel.core.matter.rigid.table import tabled
from hotgravel.core.shape.mesh import mesh_of, solid
from hotgravel.core.shot import props

SHAPES = [
    props.Sphere(radius=0.7), props.Box(width=1, height=0.3, depth=2), props.Cylinder(radius=0.4, height=1.3),
    props.Cone(radius=0.5, height=1.1), props.Hemisphere(radius=0.6), props.Torus(radius=0.7, tube=0.2),
    props.Stone(width=0.9, height=0.5, depth=0.7, roughness=0.8, seed=3),
]  # fmt: skip


def mesh(shape):
    if isinstance(shape, props.Stone):
        made = solid(shape, lambda name: name)
        return made.vertices, made.faces
    return mesh_of(shape)[:2]


@pytest.mark.parametrize("shape", SHAPES, ids=lambda s: s.kind)
def test_mass_centre_and_inertia_are_trimeshs(shape):
    model, true = model_of(shape, *mesh(shape)), trimesh.Trimesh(*mesh(shape))
    if isinstance(shape, props.Hemisphere):  # whose mesh leaves the floor out
        true = true.convex_hull
    # What is exact is compared with a mesh of facets, which is smaller by about (pi / 48)^2 / 3 twice over.
    near = 0.01 if isinstance(shape, props.Sphere | props.Cylinder) else 1e-9
    assert model.volume == pytest.approx(true.volume, rel=near)
    assert model.centre == pytest.approx(true.center_mass, abs=1e-6)
    tensor = model.axes @ np.diag(model.inertia) @ model.axes.T
    assert tensor == pytest.approx(true.moment_inertia, rel=2 * near, abs=2 * near * model.inertia.max())
    assert model.axes @ model.axes.T == pytest.approx(np.eye(3), abs=1e-9)


def distance_by_program(a, b):
    """Between the hulls of points (n, 3) and (m, 3): least squares over shares that are not negative and sum to 1,
    which a heavy weight sees to (Lawson and Hanson 1974)."""
    weight = 1e5
    rows = np.concatenate([a, -b]).T
    sums = weight * np.stack([np.repeat([1.0, 0.0], [len(a), len(b)]), np.repeat([0.0, 1.0], [len(a), len(b)])])
    shares, _ = nnls(np.concatenate([rows, sums]), np.array([0, 0, 0, weight, weight]))
    return float(np.linalg.norm(rows @ shares))


def test_distances_of_a_thousand_pairs_of_hulls_are_the_programs():
    dice, room, part = np.random.default_rng(5), np.zeros((SIMPLEX, 4)), np.zeros((2, PART_WIDTH))
    part[:, KIND] = HULL
    for pair in range(1000):
        a, b = (dice.normal(size=(dice.integers(4, 24), 3)) for _ in range(2))
        part[:, CORNERS] = len(a), len(b)
        turn, place = Rotation.random(random_state=pair).as_matrix(), 3.0 * dice.normal(size=3)
        told, nx, ny, nz, *_ = closest(part[0], a, part[1], b, False, turn, *place, *place, room)
        there = b @ turn.T + place
        assert told == pytest.approx(distance_by_program(a, there), rel=1e-6, abs=2e-6)
        if told > 0.0:  # the direction parts them by as much
            assert (there @ [nx, ny, nz]).min() - (a @ [nx, ny, nz]).max() == pytest.approx(told, abs=1e-6)


def test_a_cube_that_lies_almost_flat_over_a_wide_plate_is_as_far_off_as_its_lowest_corner():
    dice, room, part = np.random.default_rng(7), np.zeros((SIMPLEX, 4)), np.zeros((2, PART_WIDTH))
    part[:, KIND], part[:, CORNERS] = HULL, [4, 8]
    plate = 30.0 * np.array([[-1.0, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]])
    cube = 0.1 * np.array(np.meshgrid(*[[-1.0, 1.0]] * 3)).reshape(3, -1).T
    for _ in range(4000):
        turn = Rotation.from_euler("y", dice.uniform(0.0, 6.0))
        turn *= Rotation.from_rotvec(10.0 ** dice.uniform(-16.0, -2.0) * dice.normal(size=3))
        high = dice.uniform(1e-4, 0.01)
        x, z = dice.uniform(-3.0, 3.0, 2)
        place = x, high - turn.apply(cube)[:, 1].min(), z
        told, _, up, *_ = closest(part[0], plate, part[1], cube, False, turn.as_matrix(), *place, *place, room)
        assert (told, up) == pytest.approx((high, 1.0), abs=1e-8)


def test_cubes_touch_where_they_are_not_where_their_cores_round_them():
    cube = props.Box(width=2, height=2, depth=2)
    sides = np.array(np.meshgrid(*[[-1.0, 1.0]] * 3)).reshape(3, -1).T
    part, room, points = model_of(cube, *mesh(cube)).parts[0], np.zeros((ROOM, 4)), np.zeros((MOST_POINTS, OUT_WIDTH))
    off, nothing, no_face = [], np.zeros((0, 3)), np.zeros((0, MOST_CORNERS), np.int64)
    for pair in range(200):
        turn = Rotation.random(random_state=pair)
        way = Rotation.random(random_state=1000 + pair).as_matrix()[0]
        there = turn.apply(sides)
        far = brentq(lambda x: distance_by_program(sides, there + x * way) - 0.02, 1.0, 4.0)  # noqa: B023
        own = nothing, nothing, no_face, nothing
        many, *_ = patch(part, *own, part, *own, turn.as_matrix(), *far * way, 0.5, 0.0, points, room)
        off.append(abs(points[:many, 3].min() - 0.02))
    assert np.percentile(off, 90) < 0.002  # of half a side
    assert max(off) < 0.05


def test_drums_that_run_along_one_another_touch_at_both_ends_and_where_they_come_nearest():
    drum = props.Cylinder(radius=0.4, height=2.0)
    part, room, points = model_of(drum, *mesh(drum)).parts[0], np.zeros((ROOM, 4)), np.zeros((MOST_POINTS, OUT_WIDTH))
    own, ends = (np.zeros((0, 3)), np.zeros((0, 3)), np.zeros((0, MOST_CORNERS), np.int64), np.zeros((0, 3))), []
    for pair in range(200):
        dice = np.random.default_rng(pair)
        turn = Rotation.from_euler("yxy", [dice.uniform(0, 6), dice.uniform(0.0, 0.09), dice.uniform(0, 6)])
        axis, along = turn.apply([0.0, 1.0, 0.0]), dice.uniform(-0.5, 0.5)
        way = np.cross([0.0, 1.0, 0.0], axis)  # both axes come nearest where this joins them
        place = (0.8 + 0.001) * way / np.linalg.norm(way) + [0.0, along, 0.0]
        many, *normal = patch(part, *own, part, *own, turn.as_matrix(), *place, 0.1, 0.0, points, room)
        told = points[:many]
        assert told[:, 3].min() == pytest.approx(0.001, abs=1e-5)
        assert normal == pytest.approx(way / np.linalg.norm(way), abs=1e-3)
        for point in told:  # as far as one axis is from the other there, less both radii
            off = [0.0, point[1], 0.0] - place
            assert np.linalg.norm(off - (off @ axis) * axis) - 0.8 == pytest.approx(point[3], abs=1e-4)
        ends.append(np.ptp(told[:, 1]))
    assert min(ends) > 1.3  # all of what they share of their length


def told_after(table, place, turn):
    """The least gap of the contacts of two bodies, as they are known where these have gone since."""
    for k in range(len(table)):
        update_gap(place, turn, table, k, 0, 1, 0.01)
    return table[:, NOW].min()


def test_gaps_are_known_as_cubes_slide_and_turn_over_one_anothers_edges():
    cube = props.Box(width=2, height=2, depth=2)
    sides = np.array(np.meshgrid(*[[-1.0, 1.0]] * 3)).reshape(3, -1).T
    part, nothing, no_face = model_of(cube, *mesh(cube)).parts, np.zeros((0, 3)), np.zeros((0, MOST_CORNERS), np.int64)
    off, off_by_the_first_normal = [], []
    for pair in range(200):
        dice = np.random.default_rng(pair)
        turn, way = Rotation.random(random_state=pair), Rotation.random(random_state=1000 + pair).as_matrix()[0]
        far = brentq(lambda x: distance_by_program(sides, turn.apply(sides) + x * way) - 0.02, 1.0, 4.0)  # noqa: B023
        place, turns = np.stack([np.zeros(3), far * way]), np.stack([np.eye(3), turn.as_matrix()])
        touches, first = room_for(np.array([[0, 1]])), np.zeros(2, np.int64)
        own = part, nothing, nothing, no_face, nothing
        touch_bodies(*touches[:1], place, turns, first, first + 1, *own, np.full(1, 0.5), *touches[1:])
        many, even = touches.counts[0], np.ones(2)
        table, own_place, where = np.zeros((many, CONTACT_WIDTH)), np.zeros((many, 3)), np.zeros((many, 3))
        ends, poses = np.zeros((2, many), np.int64), (place, turns, place, turns)
        tabled(touches, 0, *poses, 0 * even, even, even, even, even, table, *ends, own_place, where)
        gone = Rotation.from_rotvec(dice.normal(scale=0.03, size=3)) * turn
        place[1] += dice.normal(scale=0.03, size=3)
        true = distance_by_program(sides, gone.apply(sides) + place[1])
        if true > 1e-6:
            turns[1] = gone.as_matrix()
            off.append(abs(told_after(table, place, turns) - true))
            table[:, LEADS] = BY_NOTHING
            off_by_the_first_normal.append(abs(told_after(table, place, turns) - true))
    assert len(off) > 50
    for share, less in ((50, 0.1), (90, 0.3)):
        assert np.percentile(off, share) < less * np.percentile(off_by_the_first_normal, share)


def test_a_core_lies_the_margin_within():
    points = np.random.default_rng(2).normal(size=(40, 3))
    corners, cores, faces, normals, margin = hull_of(points)
    for face, normal in zip(faces, normals, strict=True):
        plane = corners[face[0]] @ normal
        assert (cores @ normal).max() == pytest.approx(plane - margin, abs=1e-6)
        assert (corners @ normal).max() == pytest.approx(plane, abs=1e-5)


@pytest.mark.parametrize("shape", SHAPES[:3], ids=lambda s: s.kind)
def test_an_exact_shape_reaches_as_far_as_it_is(shape):
    model, vertices = model_of(shape, *mesh(shape)), mesh(shape)[0]
    for way in Rotation.random(20, random_state=1).as_matrix()[:, 0]:
        reach = np.dot(support(model.parts[0], model.corners, False, *way), way)
        assert (vertices @ way).max() - 1e-12 <= reach < (vertices @ way).max() + 0.01  # facets lie within


def test_parts_of_a_ring_leave_its_hole_open():
    vertices, faces = mesh(SHAPES[5])
    parts = convex_parts(vertices, faces.astype(np.int64), 8)
    whole = trimesh.Trimesh(vertices, faces)
    assert len(parts) == 8
    assert sum(ConvexHull(p).volume for p in parts) < 1.5 * whole.volume < whole.convex_hull.volume
    assert all((ConvexHull(p).equations[:, 3] > 0.0).any() for p in parts)  # the middle lies in none


@pytest.mark.parametrize(("broken", "said"), [("open", "is open"), ("flat", "flat")])
def test_what_has_no_mass_is_told(broken, said):
    box = trimesh.creation.box(extents=[1, 1, 1])
    vertices = np.array(box.vertices) * ([1, 1, 1] if broken == "open" else [1, 0, 1])
    with pytest.raises(NotSolid, match=said):
        model_of(props.Mesh(file="it.obj"), vertices, np.array(box.faces)[: -1 if broken == "open" else None])
