"""Cloth that is pulled, solved for at once: against the least of what an implicit step costs, as SciPy finds it."""

import numpy as np
import pytest
from scipy.optimize import approx_fprime, minimize

from hotgravel.core.matter.soft.grids import sheet
from hotgravel.core.matter.soft.model import grouped, of_triangles
from hotgravel.core.matter.soft.pulls import Strain, Web

DT, STRETCH, SHEAR = 1.0 / 192.0, 2000.0, 700.0


@pytest.mark.parametrize(("given", "lie"), [(0.0, 0), (1e-3, 0), (1e-3, 6)])
def test_what_is_pulled_moves_to_the_least_of_its_energy_and_its_inertia(given, lie):
    # An implicit Euler step is where that is least (Martin and others, Example-Based Elastic Materials, 2011).
    rest, faces = sheet(1.0, 1.0, 4, "alternating")
    numbers, area = of_triangles(rest, faces)
    numbers[:, 5:7] = STRETCH, SHEAR
    mass = 0.2 * np.bincount(faces.ravel(), np.repeat(area / 3.0, 3))
    w = np.where(np.arange(len(rest)) < 2, 0.0, 1.0 / mass)  # two corners are held
    draw = np.random.default_rng(3)
    x, eased = rest + 1e-4 * draw.standard_normal(rest.shape), given * draw.standard_normal(rest.shape)
    firm = np.zeros_like(rest)

    def cost(moved):
        d = moved.reshape(-1, 3) * (w > 0.0)[:, None]
        d = d - (d * firm).sum(axis=1, keepdims=True) * firm  # along what it lies on
        a, b, c = (x + d)[faces.T]
        u, v = (numbers[:, n, None] * (b - a) + numbers[:, 2 + n, None] * (c - a) for n in (0, 1))
        long, wide = np.linalg.norm(u, axis=1), np.linalg.norm(v, axis=1)
        askew = (u * v).sum(axis=1) / (long * wide)
        pulled = numbers[:, 4] * (STRETCH * ((long - 1) ** 2 + (wide - 1) ** 2) + SHEAR * askew**2) / 2
        return 1e6 * (pulled.sum() + (mass[:, None] * d**2).sum() / (2 * DT**2))

    out = approx_fprime(np.zeros(x.size), cost, 1e-8).reshape(-1, 3)[len(rest) - lie :]
    firm[len(rest) - lie :] = out / np.linalg.norm(out, axis=1, keepdims=True)
    exact = minimize(cost, np.zeros(x.size), method="BFGS", options={"gtol": 1e-6}).x.reshape(-1, 3)
    triangles = grouped(faces, numbers, len(rest))
    web, moved = Web.of(triangles.nodes, triangles.rows, len(rest)), x.copy()
    Strain.of(web, triangles, np.full(len(rest), np.inf), w, DT).ease(moved, firm, eased)
    assert ((moved - x) * firm).sum(axis=1) == pytest.approx(0.0, abs=1e-12)
    off, least = cost((moved - x).ravel()), cost(exact.ravel())
    assert off - least < 3e-4 * (cost(np.zeros(x.size)) - least)
    assert eased == pytest.approx(moved - x)


def test_sheets_apart_are_pulled_as_each_alone():
    rest, faces = sheet(1.0, 1.0, 4, "alternating")
    numbers, _ = of_triangles(rest, faces)
    numbers[:, 5:7], many = (STRETCH, SHEAR), len(rest)
    x, w = np.random.default_rng(4).normal(0.0, 1e-3, (2 * many, 3)) + np.tile(rest, (2, 1)), np.full(2 * many, 50.0)
    w[[0, many + 3]] = 0.0

    def moved(x, faces, w, order):
        told = np.tile(numbers, (len(faces) // len(numbers), 1))
        triangles, went = grouped(faces[order], told[order], len(x)), x.copy()
        web = Web.of(triangles.nodes, triangles.rows, len(x))
        Strain.of(web, triangles, np.full(len(x), np.inf), w, DT).ease(went, 0.0 * x, 0.0 * x)
        return went

    as_given, mixed = np.arange(len(faces)), np.random.default_rng(5).permutation(2 * len(faces))
    alone = [moved(x[part], faces, w[part], as_given) for part in (slice(many), slice(many, None))]
    both = moved(x, np.concatenate([faces, faces + many]), w, mixed)
    assert both == pytest.approx(np.concatenate(alone), abs=1e-12)
    assert np.abs(both - x).max() > 1e-3
