"""A cutting loses nothing, fits together, and lies where its manner says."""

import itertools

import numpy as np
import pytest
import trimesh

from hotgravel.core.shape.cells import NotCut, Rough, cells_of
from hotgravel.core.shape.cutting import cut, finished, inner_corners, parted, whole_of
from hotgravel.core.shape.distance import MESH
from hotgravel.core.shape.dividing import Surroundings, cutting_of
from hotgravel.core.shape.kinds import Shaped, shaped
from hotgravel.core.shape.mesh import mesh_from
from hotgravel.core.shape.seeds import Room, crowded
from hotgravel.core.shot.cut import Cut
from hotgravel.core.shot.props import Box, Prop

RING = trimesh.creation.annulus(0.6, 1.0, 0.4)
BALL = trimesh.creation.icosphere(subdivisions=3)
NUMBERS = itertools.count()
PLATE = Prop(id="plate", name="plate", shape=Box(width=4.0, height=2.0, depth=0.1))


def some(mesh, count, seed=1):
    low, high = mesh.bounds
    return np.random.default_rng(seed).uniform(low, high, (count, 3))


def of(mesh, seeds, **more):
    return cut(np.asarray(mesh.vertices), np.asarray(mesh.faces), seeds, **more)


@pytest.mark.parametrize("mesh", [RING, BALL], ids=["ring", "ball"])
def test_pieces_make_up_the_whole_and_share_their_faces(mesh):
    seeds = some(mesh, 40)
    made = of(mesh, seeds)
    assert made.missing < 1e-6
    assert sum(p.volume for p in made.pieces) == pytest.approx(mesh.volume, rel=1e-9)
    inner = []
    skin, shared = 0.0, np.bincount(made.shared.pairs.ravel(), np.repeat(made.shared.areas, 2), len(made.pieces))
    for piece in made.pieces:
        solid = trimesh.Trimesh(piece.vertices, piece.faces)
        assert solid.is_watertight
        assert (solid.volume, *solid.center_mass) == pytest.approx((piece.volume, *piece.centre), abs=1e-9)
        away = np.linalg.norm(piece.vertices[:, None] - seeds[None], axis=2)
        assert (away <= away.min(axis=1)[:, None] + 1e-9).all(axis=0).any()  # Voronoi: nearest to a seed of its own
        inner.append(area_of(inner_corners(piece)))
        skin += solid.area - inner[-1]
    assert shared == pytest.approx(np.array(inner), rel=1e-9)  # what one side shares, the others do
    assert skin == pytest.approx(mesh.area, rel=1e-9)


def test_what_cannot_be_cut_is_told():
    sheet = trimesh.Trimesh(BALL.vertices, BALL.faces[1:], process=False)
    with pytest.raises(NotCut, match="open"):
        of(sheet, some(BALL, 5))
    with pytest.raises(NotCut, match="two pieces or more"):
        of(BALL, some(BALL, 1))


@pytest.mark.parametrize(("missing", "said"), [(1, "closed, by 1 more"), (9, "still be open")])
def test_an_open_mesh_is_told_with_what_mending_would_do(missing, said):
    vertices, faces = np.asarray(BALL.vertices), np.asarray(BALL.faces)
    middle = np.argsort(np.linalg.norm(vertices[faces].mean(axis=1) - vertices[0], axis=1))
    faces = np.delete(faces, middle[:missing], axis=0)
    sheet = Shaped(MESH, np.array([0.0, 0.0, 0.0]), vertices=vertices, faces=faces)
    with pytest.raises(NotCut, match=said):
        cutting_of([row(kind="evenly")], PLATE, sheet, Surroundings(right, None, None, f"open {missing}".encode()))


def test_a_mesh_that_crosses_itself_or_has_no_thickness_is_told_and_its_parts_can_be_one():
    cubes = [trimesh.creation.box((1, 1, 1)), trimesh.creation.box((1, 1, 1)).apply_translation((0.5, 0.3, 0.2))]
    two = trimesh.util.concatenate(cubes)
    with pytest.raises(NotCut, match=r"crosses itself at \d+ edges. Mended on import, its parts would be one"):
        of(two, some(two, 5))
    one = mesh_from("two", np.asarray(two.vertices), np.asarray(two.faces), mend=True)
    assert one.closed
    seeds = some(two, 8)
    assert cut(one.vertices, one.faces, seeds).whole == pytest.approx(2 - 0.5 * 0.7 * 0.8, rel=1e-9)
    spiked = BALL.copy()
    spiked.vertices[0] *= -1.5
    with pytest.raises(NotCut, match="it would still do so"):
        of(spiked, some(BALL, 5))
    with pytest.raises(NotCut, match="1e-09 m thick"):
        of(trimesh.creation.box((1, 1, 1e-9)), some(BALL, 5))


def test_tiny_pieces_are_left_out_and_counted():
    tiny = {"least": 0.6, "tiny": "left out"}
    plain, few = (plate(row(kind="random", pieces=60, more=more)) for more in (None, tiny))
    assert len(few.pieces) == len(plain.pieces) - few.tiny.left_out < len(plain.pieces)
    assert few.tiny.volume == pytest.approx(plain.whole - sum(p.volume for p in few.pieces), rel=1e-9)
    assert few.missing < 1e-9
    assert f"left out: {few.tiny.left_out}," in few.report()


def test_cracks_follow_strokes():
    line = np.stack([np.linspace(-1.5, 1.5, 31), np.zeros(31), np.full(31, 0.05)], axis=1)
    along = {"kind": "along_strokes", "zone": "ink", "length": 0.25}
    made = plate(row(**along, jitter=0.0), drawn=lambda zone: (line, 0.3))
    *pieces, rest = sorted(made.pieces, key=lambda p: p.volume)
    assert len(pieces) == 24  # 3 m of them on either side
    for piece in pieces:
        y = piece.vertices[:, 1] * np.sign(piece.centre[1])
        assert (y.min(), y.max()) == pytest.approx((0.0, 0.3), abs=1e-9)
        assert np.ptp(piece.vertices[:, 0]) == pytest.approx(0.25, abs=1e-9)
    assert rest.volume == pytest.approx(0.1 * (4 * 2 - 3 * 0.6), rel=1e-9)
    ragged = plate(row(**along, jitter=0.5), drawn=lambda zone: (line, 0.3))
    assert np.std([p.volume for p in sorted(ragged.pieces, key=lambda p: p.volume)[:-1]]) > 0.05 * pieces[0].volume
    assert all(
        (p.vertices[:, 1] * np.sign(p.centre[1])).min() > -1e-9 for p in ragged.pieces if p.volume < rest.volume / 2
    )
    with pytest.raises(NotCut, match="No stroke lies on it"):
        plate(row(**along), drawn=lambda zone: (line + np.array([0, 0, 1.0]), 0.3))


def test_tiny_pieces_are_joined_to_a_neighbour():
    seeds = some(BALL, 60)
    plain, joined = of(BALL, seeds), of(BALL, seeds, least=0.5)
    assert joined.tiny.joined > 0
    assert len(joined.pieces) == len(plain.pieces) - joined.tiny.joined
    assert min(p.volume for p in joined.pieces) > min(p.volume for p in plain.pieces)
    assert joined.missing < 1e-9


def area_of(corners):
    a, b, c = corners.transpose(1, 0, 2)
    return 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()


def test_rough_pieces_fit_and_keep_the_skin():
    vertices, faces = np.asarray(BALL.vertices), np.asarray(BALL.faces)
    whole = whole_of(vertices, faces)
    cells = cells_of(some(BALL, 12), -np.ones(3), np.ones(3), Rough(0.04, 0.3, 1))
    made = finished(parted(whole, cells, whole.solid.original_id(), 0), whole)
    flat = of(BALL, some(BALL, 12))
    assert made.missing < 1e-6
    solids = [trimesh.Trimesh(p.vertices, p.faces) for p in made.pieces]
    assert all(solid.is_watertight for solid in solids)
    inner = [area_of(inner_corners(p)) for p in made.pieces]
    assert sum(s.area for s in solids) - sum(inner) == pytest.approx(BALL.area, rel=1e-6)
    # A break as wavy has more face than a flat one; neighbours have its vertices in common, so no gap is between them.
    assert sum(inner) > 1.01 * sum(area_of(inner_corners(p)) for p in flat.pieces)
    one, other = made.shared.pairs[np.argmax(made.shared.areas)]
    deep = [np.unique(np.round(inner_corners(made.pieces[n]).reshape(-1, 3), 7), axis=0) for n in (one, other)]
    deep = [points[np.linalg.norm(points, axis=1) < 0.9] for points in deep]
    middle, normal = (
        made.shared.middles[np.argmax(made.shared.areas)],
        made.shared.normals[np.argmax(made.shared.areas)],
    )
    near = deep[0][np.linalg.norm(deep[0] - middle, axis=1) < 0.15]
    assert len(near) > 5
    assert np.abs((near - middle) @ normal).max() > 0.01  # it is rough there
    gap = np.linalg.norm(near[:, None] - deep[1][None], axis=2).min(axis=1)
    assert gap.max() < 1e-6


def row(number="cut", only=None, more=None, **manner):
    return Cut(id=number, prop="plate", manner=manner, zone=only, **more or {})


def right(zone, points):
    return (points[:, 0] > 1.0) * 1.0


def plate(*rows, weigh=right, other=None, drawn=None):
    told = f"{rows} {next(NUMBERS)}".encode()
    return cutting_of(rows, PLATE, shaped(PLATE.shape), Surroundings(weigh, other, drawn, told))


def test_layers_are_slabs_across_their_axis():
    made = plate(row(kind="layers", axis=(1, 0, 0), layers=5, uneven=0.5))
    ends = sorted((p.vertices[:, 0].min(), p.vertices[:, 0].max()) for p in made.pieces)
    assert len(ends) == 5
    assert [a for a, _ in ends[1:]] == pytest.approx([b for _, b in ends[:-1]])
    assert np.ptp([b - a for a, b in ends]) > 0.1
    assert made.shared.areas == pytest.approx(2.0 * 0.1)


def test_a_blow_makes_its_smallest_pieces_in_the_middle():
    made = plate(row(kind="strike", at=(0.5, 0, 0), axis=(0, 0, 1), reach=2.0))
    off = np.array([np.linalg.norm(p.centre - (0.5, 0, 0)) for p in made.pieces])
    size = np.array([p.volume for p in made.pieces])
    assert size[off < 0.5].mean() < 0.2 * size[off > 1.0].mean()


def test_even_pieces_are_more_alike_than_those_of_chance():
    even, chance = (
        np.array([p.volume for p in plate(row(kind=kind, pieces=40)).pieces]) for kind in ("evenly", "random")
    )
    assert even.std() / even.mean() < 0.6 * chance.std() / chance.mean()


def test_a_crowd_lies_in_its_zone():
    crowd = row(kind="crowded", pieces=50, share=0.8, zone="right")
    seeds, _ = crowded(crowd, crowd.manner, Room([shaped(PLATE.shape)], np.ones(1)), right)
    assert (seeds[:, 0] > 1.0).sum() == 40
    assert len(seeds) == len(plate(crowd).pieces) == 50
    with pytest.raises(NotCut, match="zone holds too little"):
        plate(row(kind="crowded", zone="left"), weigh=lambda zone, points: np.zeros(len(points)))


def test_a_row_cuts_only_in_its_zone_and_a_second_one_cuts_on():
    made = plate(row(kind="random", pieces=30, only="right"))
    small = [p for p in made.pieces if p.centre[0] > 1.0]
    assert len(small) >= 25
    assert len(made.pieces) - len(small) == 1  # the rest of the plate, in one
    assert made.missing < 1e-9
    halves = row(kind="layers", axis=(1, 0, 0), layers=2, uneven=0.0)
    both = plate(halves, row("finer", kind="evenly", pieces=20, only="right"))
    assert min(p.volume for p in both.pieces if p.centre[0] < 0.0) == pytest.approx(0.4)  # the left half is whole
    assert sum(p.centre[0] > 1.0 for p in both.pieces) >= 18
    left = next(n for n, p in enumerate(both.pieces) if p.centre[0] < 0.0)
    across = both.shared.pairs[:, 0] == left, both.shared.pairs[:, 1] == left
    assert both.shared.areas[across[0] | across[1]].sum() == pytest.approx(2.0 * 0.1)  # its face, now of many


def test_only_long_pieces_are_cut_finer_and_their_faces_are_shared_by_the_finer_ones():
    slabs = row(kind="layers", axis=(1, 0, 0), layers=4, uneven=0.6)
    plain = plate(slabs)
    length = sorted(p.extent for p in plain.pieces)
    assert length[-1] == 2.0  # no slab is longer than the plate is high
    made = plate(slabs, row("finer", kind="random", pieces=40, more={"longer": 1.5}))
    assert len(made.pieces) == 40
    inner = sum(area_of(inner_corners(p)) for p in made.pieces)
    assert 2.0 * made.shared.areas.sum() == pytest.approx(inner, rel=1e-9)
    with pytest.raises(NotCut, match="the longest has 2 m"):
        plate(slabs, row("finer", kind="random", more={"longer": 2.5}))


def test_an_outline_comes_off_what_is_around_it():
    disc = trimesh.creation.cylinder(0.5, 1.0, sections=96)
    mesh = np.asarray(disc.vertices), np.asarray(disc.faces)
    made = plate(row(kind="along", prop="ring"), other=lambda prop: mesh)
    inside = disc.volume * 0.1  # of the plate's thickness
    assert sorted(p.volume for p in made.pieces) == pytest.approx([inside, 0.8 - inside])
    rough = plate(
        row(kind="along", prop="ring", more={"sides": {"kind": "rough", "by": 0.03, "lumps": 0.2}}),
        other=lambda prop: mesh,
    )
    assert rough.missing < 1e-6
    assert area_of(inner_corners(rough.pieces[0])) > 1.01 * area_of(inner_corners(made.pieces[0]))
    with pytest.raises(NotCut, match="cuts nothing off"):
        plate(row(kind="along", prop="ring"), other=lambda prop: (mesh[0] + 9.0, mesh[1]))


def test_the_same_cutting_comes_of_the_same_row_and_another_of_another_seed():
    about = (Surroundings(right, None, None, told) for told in (b"once", b"again"))
    first, again = (cutting_of([row(kind="evenly")], PLATE, shaped(PLATE.shape), one) for one in about)
    other = plate(row(kind="evenly").model_copy(update={"seed": 2}))
    assert all((a.vertices == b.vertices).all() for a, b in zip(first.pieces, again.pieces, strict=True))
    assert not np.isclose([p.volume for p in first.pieces], [p.volume for p in other.pieces]).any()
