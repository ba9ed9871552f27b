"""The detail of smoke keeps its coarse shape, adds what is finer, and what has faded stays faded."""

import numpy as np
import pytest

from hotgravel.core.matter.fluid.project import divergence_of
from hotgravel.core.matter.fluid.solids import Box
from hotgravel.core.matter.smoke.detail import FALL, TILE, curl, finer, spread_out, tile
from hotgravel.core.shot.document import fingerprint, load
from tests.core.matter.smoke.scenes import smoky
from tests.core.matter.smoke.test_smoke import gone_on


def detailed(smoke, last=13, **fields):
    detail = {"kind": "detail", "id": "detail", "times": 2} | fields
    world, state, told = gone_on(smoky(smoke, matter=[detail], last=last))
    records = world.solvers["smoke"].records(state)
    shape = tuple(records["volume"]["shape"])
    fine = records["gas"]["density"].astype(float).reshape(shape)
    n, times = [s // detail["times"] for s in shape], detail["times"]
    return fine.reshape(n[0], times, n[1], times, n[2], times).mean(axis=(1, 3, 5)), fine, state, told


@pytest.mark.parametrize("times", [2, 3])
def test_blurred_to_the_coarse_cell_it_is_the_coarse_smoke(times):
    blurred, fine, state, _ = detailed({"swirl": 2.0}, times=times)
    coarse = state.arrays["density"].astype(float)
    assert np.corrcoef(blurred.ravel(), coarse.ravel())[0, 1] > 0.9
    assert fine.sum() / times**3 == pytest.approx(coarse.sum(), rel=0.1)
    steep = np.abs(np.diff(fine, axis=0)).max() * times
    assert steep > 1.2 * np.abs(np.diff(coarse, axis=0)).max()


def test_the_coarse_smoke_is_that_of_a_run_without_and_found_again():
    _, _, state, _ = detailed({})
    plain = gone_on(smoky(last=13))[1]
    assert (plain.arrays["density"] == state.arrays["density"]).all()
    off = {"kind": "detail", "id": "detail", "on": False}
    bare, there, other = (load(smoky(matter=m)) for m in ([], [off], [off | {"on": True}]))
    assert fingerprint(bare) == fingerprint(there) != fingerprint(other)


def test_what_has_faded_in_the_rough_is_gone_here():
    blurred, _, state, _ = detailed({"fade": 1.5, "size": [1.6, 4.8, 1.6], "at": [0, 2.4, 0]})
    gone = state.arrays["density"] == 0.0
    assert gone.mean() > 0.2
    assert blurred[gone].max() < 0.3
    assert blurred[gone].mean() < 1e-3


def test_each_dial_turns_it():
    def rough(**dial):
        _, fine, _, _ = detailed({"swirl": 2.0}, 7, **{"times": 2, "curls": 1.0, "change": 0.0, "seed": 1} | dial)
        return np.abs(np.diff(fine, 2, axis=0)).sum()

    less = rough()
    assert rough(curls=3.0) > 1.02 * less
    assert rough(times=3) > 1.02 * less
    assert len({less, rough(change=5.0), rough(seed=2)}) == 3


def test_curls_are_free_of_divergence_and_as_strong_as_they_are_asked():
    made = tile(1, 0, 4)
    assert np.abs(np.diff(made, axis=0)).max() > 2 * np.abs(made[0] - made[-1]).mean()  # there is no seam
    box = finer(Box((0.0, 0.0, 0.0), 0.1, (24, 24, 24)), 2)
    flow, strong = box.faces(), np.full((24, 24, 24), 0.5, np.float32)
    curl(flow, strong, 2, box.cell, np.zeros(3), 1, 0.0)
    ones, none = tuple(np.ones_like(f) for f in flow), tuple(np.zeros_like(f) for f in flow)
    assert np.abs(divergence_of(flow, ones, none)).max() < 1e-4
    assert np.sqrt(sum(float((f**2).mean()) for f in flow)) == pytest.approx(0.5, rel=0.25)
    assert TILE % 8 == 0
    assert pytest.approx(2 ** (-5 / 3)) == FALL**2


def test_a_straight_slope_is_the_same_on_the_finer_grid():
    x = np.arange(8)[:, None, None] + 0.5 + np.zeros((8, 8, 8))
    fine = spread_out(x.astype(np.float32), 2, (0.5, 0.5, 0.5), (16, 16, 16))
    assert fine[1:-1, 4, 4] == pytest.approx((np.arange(16)[1:-1] + 0.5) / 2)
