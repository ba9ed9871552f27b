"""A cutting loses nothing, fits together, and lies where its manner says."""

import numpy as np
import pytest
import trimesh

from hotgravel.core.shape.cutting import NotCut, cut, inner_faces
from hotgravel.core.shape.kinds import shaped
from hotgravel.core.shape.seeds import cutting_of, seeds_of
from hotgravel.core.shot.cut import Cut
from hotgravel.core.shot.props import Box, Prop

RING = trimesh.creation.annulus(0.6, 1.0, 0.4)
BALL = trimesh.creation.icosphere(subdivisions=3)
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
    assert made.shared.areas[:, 0] == pytest.approx(made.shared.areas[:, 1], rel=1e-9, abs=1e-12)
    skin = 0.0
    for piece in made.pieces:
        solid = trimesh.Trimesh(piece.vertices, piece.faces)
        assert solid.is_watertight
        assert (solid.volume, *solid.center_mass) == pytest.approx((piece.volume, *piece.centre), abs=1e-9)
        away = np.linalg.norm(piece.vertices[:, None] - seeds[None], axis=2)
        assert (away[:, piece.seed] <= away.min(axis=1) + 1e-9).all()  # Voronoi: nearest to its own seed
        skin += solid.area - inner_faces(piece)[2].sum()
    assert skin == pytest.approx(mesh.area, rel=1e-9)


def test_what_cannot_be_cut_is_told():
    sheet = trimesh.Trimesh(BALL.vertices, BALL.faces[1:], process=False)
    with pytest.raises(NotCut, match="open"):
        of(sheet, some(BALL, 5))
    with pytest.raises(NotCut, match="two pieces or more"):
        of(BALL, some(BALL, 1))


def test_tiny_pieces_are_joined_to_a_neighbour():
    seeds = some(BALL, 60)
    plain, joined = of(BALL, seeds), of(BALL, seeds, least=0.5)
    assert joined.merged > 0
    assert len(joined.pieces) == len(plain.pieces) - joined.merged
    assert min(p.volume for p in joined.pieces) > min(p.volume for p in plain.pieces)
    assert joined.missing < 1e-9


def row(**manner):
    return Cut(id="cut", prop="plate", manner=manner)


def nowhere(zone, points):
    return np.zeros(len(points))


def test_layers_are_slabs_across_their_axis():
    made = cutting_of(row(kind="layers", axis=(1, 0, 0), layers=5, uneven=0.5), PLATE, shaped(PLATE.shape), nowhere)
    ends = sorted((p.vertices[:, 0].min(), p.vertices[:, 0].max()) for p in made.pieces)
    assert len(ends) == 5
    assert [a for a, _ in ends[1:]] == pytest.approx([b for _, b in ends[:-1]])
    assert np.ptp([b - a for a, b in ends]) > 0.1
    assert made.shared.areas[:, 0] == pytest.approx(2.0 * 0.1)


def test_a_blow_makes_its_smallest_pieces_in_the_middle():
    made = cutting_of(
        row(kind="strike", at=(0.5, 0, 0), axis=(0, 0, 1), reach=2.0), PLATE, shaped(PLATE.shape), nowhere
    )
    off = np.array([np.linalg.norm(p.centre - (0.5, 0, 0)) for p in made.pieces])
    size = np.array([p.volume for p in made.pieces])
    assert size[off < 0.5].mean() < 0.2 * size[off > 1.0].mean()


def test_even_pieces_are_more_alike_than_those_of_chance():
    even, chance = (
        np.array([p.volume for p in cutting_of(row(kind=kind, pieces=40), PLATE, shaped(PLATE.shape), nowhere).pieces])
        for kind in ("evenly", "random")
    )
    assert even.std() / even.mean() < 0.6 * chance.std() / chance.mean()


def test_a_crowd_lies_in_its_zone():
    right = lambda zone, points: (points[:, 0] > 1.0) * 1.0  # noqa: E731
    seeds = seeds_of(row(kind="crowded", pieces=50, share=0.8, zone="right"), shaped(PLATE.shape), right)
    assert (seeds[:, 0] > 1.0).sum() == 40
    assert len(seeds) == 50
    with pytest.raises(NotCut, match="zone holds too little"):
        seeds_of(row(kind="crowded", zone="right"), shaped(PLATE.shape), nowhere)


def test_the_same_cutting_comes_of_the_same_row_and_another_of_another_seed():
    first, again = (seeds_of(row(kind="evenly"), shaped(PLATE.shape), nowhere) for _ in range(2))
    other = seeds_of(row(kind="evenly").model_copy(update={"seed": 2}), shaped(PLATE.shape), nowhere)
    assert (first == again).all()
    assert not np.isclose(first, other).any()
