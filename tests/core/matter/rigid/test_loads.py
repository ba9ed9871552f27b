"""What bonds bear, against the theory of beams and bars."""

import numpy as np
import pytest
import trimesh

from hotgravel.core.matter.rigid.bonds import BondTable
from hotgravel.core.matter.rigid.factors import Factors
from hotgravel.core.matter.rigid.loads import Bearing, borne, shared_out, stress_in
from hotgravel.core.shape.cutting import Cutting, cut
from hotgravel.core.shot.bonds import CLASSES, Bonds, Concrete

YOUNG, DENSITY, G = 30e9, 2400.0, 9.81
LENGTH, DEPTH = 6.0, 0.6


def beam(across=60, deep=6, seed=None) -> Cutting:
    """A beam along x, 0.2 m wide, cut into bricks; with a seed, about points astray by chance."""
    mesh = trimesh.creation.box((LENGTH, DEPTH, 0.2))
    x = (np.arange(across) + 0.5) / across * LENGTH - LENGTH / 2
    y = (np.arange(deep) + 0.5) / deep * DEPTH - DEPTH / 2
    seeds = np.stack(np.meshgrid(x, y, [0.0], indexing="ij"), axis=-1).reshape(-1, 3)
    if seed is not None:
        seeds[:, :2] += 0.04 * np.random.default_rng(seed).uniform(-1.0, 1.0, (len(seeds), 2))
    return cut(np.asarray(mesh.vertices), np.asarray(mesh.faces), seeds)


def table_of(cutting: Cutting, tension=2.9e6) -> BondTable:
    """The bonds of a cutting, all alike."""
    n, shared = len(cutting.pieces), cutting.shared
    centre = np.array([piece.centre for piece in cutting.pieces])
    bonds = len(shared.pairs)
    solids = [trimesh.Trimesh(piece.vertices, piece.faces) for piece in cutting.pieces]
    return BondTable(
        (Bonds(id="bonds", prop="beam"),), np.arange(n), shared.pairs, np.zeros(bonds, int), shared.areas,
        shared.middles, shared.normals, shared.seconds, shared.apart, shared.middles[:, None] - centre[shared.pairs],
        np.full(bonds, tension), np.full(bonds, 2 * tension), np.full(bonds, YOUNG), np.ones(bonds, bool),
        np.zeros(n, bool), DENSITY * np.array([p.volume for p in cutting.pieces]), centre,
        np.array([DENSITY * solid.moment_inertia for solid in solids]),
    )  # fmt: skip


def weight(table: BondTable) -> np.ndarray:
    load = np.zeros((len(table.cells), 6))
    load[:, 1] = -G * table.mass
    return load


def loaded(table: BondTable, load, kept):
    bearing, there = Bearing.fresh(table), np.ones(len(table.cells), bool)
    give = shared_out(table, bearing, load, kept, there, Factors())
    return give, stress_in(table, bearing.holds > 0, give), bearing


@pytest.mark.parametrize("seed", [None, 3], ids=["bricks", "astray"])
def test_a_cantilever_bends_and_bears_as_beam_theory_has_it(seed):
    # Timoshenko, Strength of Materials, part I: a cantilever under its own weight w a metre sinks by w L^4 / 8 E I at
    # its end, and by w L^2 / (2 G A 5/6) more in shear (G = E / 2, as Poisson's ratio is nought); M / W = w L^2 / 2 W.
    table = table_of(beam(seed=seed))
    kept = table.centre[:, 0] < -LENGTH / 2 + 0.1
    give, stress, _ = loaded(table, weight(table), kept)
    area, second = DEPTH * 0.2, 0.2 * DEPTH**3 / 12
    w, free = DENSITY * G * area, LENGTH - 0.05  # what is kept ends half a brick in
    sinks = w * free**4 / (8 * YOUNG * second) + w * free**2 / (2 * (YOUNG / 2) * area * 5 / 6)
    end = table.centre[:, 0] > LENGTH / 2 - 0.1
    assert -give[end, 1].mean() == pytest.approx(sinks, rel=0.10)
    free = LENGTH - 0.1
    assert stress.tension.max() == pytest.approx(w * free**2 / 2 / (0.2 * DEPTH**2 / 6), rel=0.10)


def test_a_beam_on_two_ends_bears_most_in_its_middle():
    # Timoshenko: 5 w L^4 / 384 E I in the middle and w L^2 / (8 G A 5/6) in shear; M = w L^2 / 8. What holds its ends
    # up is given as loads, so that they can turn; how far it sinks is seen from the line between them.
    table = table_of(beam())
    load, off = weight(table), LENGTH / 2 - np.abs(table.centre[:, 0])
    ends = off < 0.06
    load[ends, 1] += G * table.mass.sum() / ends.sum()
    give, stress, _ = loaded(table, load, np.zeros(len(off), bool))
    area, second = DEPTH * 0.2, 0.2 * DEPTH**3 / 12
    w, free = DENSITY * G * area, LENGTH - 0.1
    x, y = table.centre[:, 0], give[:, 1]
    chord = np.polyval(np.polyfit(x[ends], y[ends], 1), 0.0)
    sinks = 5 * w * free**4 / (384 * YOUNG * second) + w * free**2 / (8 * (YOUNG / 2) * area * 5 / 6)
    assert chord - y[np.abs(x) < 0.06].mean() == pytest.approx(sinks, rel=0.10)
    assert stress.tension.max() == pytest.approx(w * free**2 / 8 / (0.2 * DEPTH**2 / 6), rel=0.10)
    assert np.abs(table.middle[np.argmax(stress.tension), 0]) < 0.2


def test_a_bar_in_tension_bears_its_load_over_its_area_everywhere():
    table = table_of(beam(across=12, deep=2, seed=5))
    left, right = table.centre[:, 0] < -2.6, table.centre[:, 0] > 2.6
    load = np.zeros((len(table.cells), 6))
    load[right, 0] = 1e5 * table.mass[right] / table.mass[right].sum()
    _, stress, _ = loaded(table, load, left)
    whole = np.abs(table.middle[:, 0]) < 1.0
    across = whole & (np.abs(table.normal[:, 0]) > 0.95)
    assert stress.tension[across] == pytest.approx(1e5 / (DEPTH * 0.2), rel=0.05)
    assert borne(table, stress, np.ones(len(table.pairs))) == pytest.approx(
        np.maximum(stress.tension / 2.9e6, stress.shear / (5.8e6 + 0.6 * stress.pressed)), rel=1e-9
    )


def test_a_free_lump_bears_nothing_as_it_falls_and_half_its_pull_in_the_middle():
    table = table_of(beam(across=20, deep=1))
    nothing = np.zeros(len(table.cells), bool)
    _, stress, _ = loaded(table, weight(table), nothing)
    assert stress.tension.max() == 0.0
    load = np.zeros((len(table.cells), 6))
    load[np.argmax(table.centre[:, 0]), 0] = 1e5  # pulled at one end: what is behind each section must be hauled along
    _, stress, _ = loaded(table, load, nothing)
    share = (table.middle[:, 0] + LENGTH / 2) / LENGTH
    assert stress.tension * DEPTH * 0.2 == pytest.approx(1e5 * share, rel=1e-6)


def test_as_bonds_and_pieces_go_it_gives_as_a_direct_solver_has_it_and_as_with_fresh_factors():
    table = table_of(beam(seed=3))
    bonded, firm = table.bonded, table.centre[:, 0] < -LENGTH / 2 + 0.1
    factors, works, load = Factors(), np.ones(len(table.pairs), bool), np.where(firm[:, None], 0.0, weight(table))
    for gone in ([], [200, 201], np.flatnonzero((table.pairs == 150).any(axis=1))):
        works = works & ~np.isin(np.arange(len(works)), gone)
        assert [factors.fit(bonded, works, firm) for _ in range(2)] == [True, False]
        give = factors.answer(bonded, load)
        fresh = Factors()
        fresh.fit(bonded, works, firm)
        assert (give == fresh.answer(bonded, load)).all()
        matrix = np.zeros((len(firm), len(firm), 6, 6))
        for p, q in np.ndindex(2, 2):
            free = works & ~firm[table.pairs[:, p]] & ~firm[table.pairs[:, q]]
            np.add.at(matrix, tuple(table.pairs[free][:, (p, q)].T), bonded.blocks[free, p, q])
        alone = np.flatnonzero(~matrix.any(axis=(1, 2, 3)))
        matrix[alone, alone] = bonded.own * np.eye(6)
        straight = np.linalg.solve(matrix.transpose(0, 2, 1, 3).reshape(load.size, -1), load.ravel())
        assert give.ravel() == pytest.approx(straight, rel=1e-6, abs=1e-9 * np.abs(straight).max())


def test_classes_of_concrete_have_the_strengths_of_the_standard():
    # EN 1992-1-1, table 3.1: mean strength in tension, MPa, and modulus, GPa.
    told = {"C12/15": (1.6, 27), "C20/25": (2.2, 30), "C30/37": (2.9, 33), "C40/50": (3.5, 35), "C50/60": (4.1, 37)}
    for grade, (tension, modulus) in told.items():
        material = Concrete(grade=grade).material
        assert material.tension / 1e6 == pytest.approx(tension, abs=0.051)
        assert material.stiffness / 1e9 == pytest.approx(modulus, abs=0.51)
    assert len(CLASSES) == 9
