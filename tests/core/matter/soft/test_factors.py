"""Factors solve what SciPy solves, also where rows hang together in several parts."""

import numpy as np
import pytest
from scipy.sparse import block_diag, eye, random
from scipy.sparse.linalg import spsolve

from hotgravel.core.matter.soft.factors import Factors


def test_factors_solve_what_scipy_solves():
    springs = random(90, 90, 0.03, random_state=1)
    whole = block_diag([springs @ springs.T + eye(90), 3.0 * eye(4), springs.T @ springs + 2.0 * eye(90)]).tocsc()
    right, factors = np.random.default_rng(2).normal(size=(184, 3)), Factors.of(whole)
    found = right[factors.order]
    factors.put(found)
    assert found == pytest.approx(spsolve(whole, right)[factors.order], rel=1e-9, abs=1e-12)
