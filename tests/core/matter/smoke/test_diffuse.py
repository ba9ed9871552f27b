"""What spreads does so by the law of heat, and a viscous flow is that of handbooks."""

import numpy as np
import pytest

from hotgravel.core.matter.fluid.project import levels_of, projected
from hotgravel.core.matter.smoke.diffuse import diffused, dragged
from tests.core.matter.smoke.test_advect import faces, middles, moved

SLIPS = np.zeros((4, 2), bool)
STILL = np.zeros((3, 2, 3), np.float32)
# Ghia, Ghia and Shin (1982), table I: u on the upright through the middle of a lid-driven cavity, by the height.
GHIA = {
    100: {0.1719: -0.10150, 0.2813: -0.15662, 0.4531: -0.21090, 0.6172: -0.13641, 0.7344: 0.00332, 0.8516: 0.23151},
    400: {0.1719: -0.24299, 0.2813: -0.32726, 0.4531: -0.17119, 0.6172: 0.02135, 0.7344: 0.16256, 0.8516: 0.29093},
}


def closed(shape):
    open_ = tuple(np.ones_like(f) for f in faces(shape))
    for axis, face in enumerate(open_):
        np.moveaxis(face, axis, 0)[[0, -1]] = 0.0
    return open_


def test_a_blob_spreads_by_the_law_of_heat():
    shape, width, much = (40, 40, 40), 3.0, 4.5
    x, y, z = middles(shape)
    off = (x - 20) ** 2 + (y - 20) ** 2 + (z - 20) ** 2
    blob = diffused(np.exp(-off / (2 * width**2)).astype(np.float32), closed(shape), much)
    wider = width**2 + 2 * much
    assert blob == pytest.approx((width**2 / wider) ** 1.5 * np.exp(-off / (2 * wider)), abs=3e-3)


def test_nothing_spreads_through_a_wall():
    open_ = closed((16, 8, 8))
    open_[0][8] = 0.0
    field = np.zeros((16, 8, 8), np.float32)
    field[:8] = 1.0
    assert (diffused(field, open_, 10.0) == field).all()


def test_an_eddy_of_taylor_and_green_decays_by_its_viscosity():
    # Taylor and Green (1937): energy falls as exp(-4 nu k^2 t).
    def rate(n, viscosity=0.02):
        k, step = np.pi / n, 0.5
        flow = faces((n, 8, n), lambda x, y, z: (np.sin(k * x) * np.cos(k * z), 0 * y, -np.cos(k * x) * np.sin(k * z)))
        open_, solid = closed((n, 8, n)), faces((n, 8, n))
        levels, start = levels_of(open_), sum((f**2).sum() for f in flow)
        for _ in range(n):
            flow = dragged(moved(flow, step), open_, viscosity * n * step, SLIPS, STILL)
            projected(flow, levels, solid)
        return -np.log(sum((f**2).sum() for f in flow) / start) / (4 * viscosity * n * k**2 * n * step)

    coarse, fine = rate(16) - 1.0, rate(32) - 1.0
    print(f"decays {coarse:+.3f} and {fine:+.3f} too fast, order {np.log2(coarse / fine):.2f}")
    assert 0.0 < fine < 0.1
    assert np.log2(coarse / fine) > 0.7


@pytest.mark.parametrize(("reynolds", "n", "turns"), [(100, 32, 12), (400, 40, 20)])
def test_a_cavity_with_a_moving_lid_is_that_of_the_tables(reynolds, n, turns):
    shape, clings, walls, step = (n, n, 4), SLIPS.copy(), STILL.copy(), 1.0
    clings[:2], walls[1, 1, 0] = True, 1.0
    flow, solid, open_ = faces(shape), faces(shape), closed(shape)
    levels, p = levels_of(open_), None
    for _ in range(int(turns * n / step)):
        flow = dragged(moved(flow, step), open_, step * n / reynolds, clings, walls)
        p, _ = projected(flow, levels, solid, p)
    heights = (np.arange(n) + 0.5) / n
    found = np.interp(list(GHIA[reynolds]), heights, flow[0][n // 2, :, 2])
    print(reynolds, np.round(found - list(GHIA[reynolds].values()), 3))
    assert found == pytest.approx(list(GHIA[reynolds].values()), abs=0.03 if reynolds == 100 else 0.06)
