"""What is carried keeps its shape, and comes to where the flow takes it."""

import numpy as np
import pytest

from hotgravel.core.matter.fluid.project import levels_of, projected
from hotgravel.core.matter.smoke.advect import carried, carried_flow, courants
from hotgravel.core.matter.smoke.sample import ON_X, ON_Y, ON_Z
from hotgravel.core.matter.smoke.swirl import swirled


def faces(shape, given=lambda x, y, z: (0.0 * x, 0.0 * x, 0.0 * x)):
    """A velocity on the faces of a grid, from a function of places in cells."""
    made = []
    for axis, off in enumerate((ON_X, ON_Y, ON_Z)):
        axes = [np.arange(n + (a == axis)) + off[a] for a, n in enumerate(shape)]
        made.append(given(*np.meshgrid(*axes, indexing="ij"))[axis].astype(np.float32))
    return tuple(made)


def through(flow, step):
    """Its Courant numbers where nothing stands in its way."""
    return courants(flow, tuple(np.ones_like(f) for f in flow), step)


def moved(flow, step):
    """A flow that has carried itself."""
    return carried_flow(flow, through(flow, step))


def middles(shape):
    return np.meshgrid(*[np.arange(n) + 0.5 for n in shape], indexing="ij")


def turning(n):
    """A rigid rotation about the upright through the middle: a turn in 2 pi seconds."""
    return lambda x, y, z: (-(z - n / 2), 0.0 * y, x - n / 2)


def test_a_slotted_disc_that_turns_once_is_itself_again():
    # Zalesak (1979), on a grid of his own size: 100 cells, of which the slot is five wide.
    n, steps = 96, 200
    x, _, z = middles((n, 8, n))
    disc = (np.hypot(x - n / 2, z - 0.75 * n) < 0.15 * n) & ~((np.abs(x - n / 2) < 0.025 * n) & (z < 0.85 * n))
    field = start = disc.astype(np.float32)
    courant, left = through(faces((n, 8, n), turning(n)), 2 * np.pi / steps), 0.0
    for _ in range(steps):
        (field,), gone = carried(field[None], courant)
        left += gone
    assert -1e-6 <= field.min() <= field.max() <= 1.0 + 1e-5  # the limiter makes nothing new
    assert field.sum() == pytest.approx(start.sum(), rel=1e-4)
    assert left == pytest.approx(0.0, abs=1e-4 * float(start.sum()))
    both = ((field > 0.5) & disc).sum() / ((field > 0.5) | disc).sum()
    print(f"of the disc {both:.2f} is where it was")
    assert both > 0.9


def test_the_error_of_a_smooth_blob_falls_faster_than_the_cell_squared():
    def error(n):
        x, _, z = middles((n, 8, n))
        blob = lambda u, v: np.exp(-(((u - 0.5) / 0.12) ** 2 + ((v - 0.7) / 0.12) ** 2))  # noqa: E731
        field = blob(x / n, z / n).astype(np.float32)
        courant = through(faces((n, 8, n), turning(n)), 0.5 * np.pi / (2 * n))
        for _ in range(2 * n):
            field = carried(field[None], courant)[0][0]  # a quarter turn in all
        x_, z_ = x / n - 0.5, z / n - 0.5
        return np.abs(field - blob(z_ + 0.5, 0.5 - x_)).mean()

    order = np.log2(error(24) / error(48))
    print(f"order {order:.2f}")
    assert order > 2.4


def test_an_eddy_of_taylor_and_green_stays_the_better_the_finer_the_grid():
    # u = sin x cos z, w = -cos x sin z is steady without friction (Taylor and Green 1937), and slips along the box.
    def lost(n):
        k = np.pi / n
        flow = faces((n, 8, n), lambda x, y, z: (np.sin(k * x) * np.cos(k * z), 0 * y, -np.cos(k * x) * np.sin(k * z)))
        start, solid = [f.copy() for f in flow], faces((n, 8, n))
        open_ = tuple(np.ones_like(f) for f in flow)
        for axis, face in enumerate(open_):
            np.moveaxis(face, axis, 0)[[0, -1]] = 0.0
        levels = levels_of(open_)
        for _ in range(n):  # once through the box
            flow = moved(flow, 1.0)
            projected(flow, levels, solid)
        return 1.0 - sum((f**2).sum() for f in flow) / sum((f**2).sum() for f in start)

    coarse, fine = lost(24), lost(48)
    print(f"energy lost {coarse:.3f} and {fine:.3f}, order {np.log2(coarse / fine):.2f}")
    assert 0.0 <= fine < 0.12
    assert np.log2(coarse / fine) > 0.8


def test_a_pair_of_vortices_drives_itself_along():
    # Two of circulation +-G, b apart, go at G / (2 pi b) (Lamb, Hydrodynamics, article 155). Their cores are Gaussian.
    n, core, apart, aim = 96, 4.3, 19.2, 0.5
    middle, start = n / 2, 0.35 * n

    def pair(x, y, z):
        u, w = 0.0 * x, 0.0 * x
        for way in (1.0, -1.0):
            dx, dz = x - middle + 0.5 * way * apart, z - start
            off = dx**2 + dz**2 + 1e-12
            turn = way * aim * apart / off * (1.0 - np.exp(-off / core**2))
            u, w = u - turn * dz, w + turn * dx
        return u, 0.0 * y, w

    flow, solid = faces((n, 8, n), pair), faces((n, 8, n))
    open_ = tuple(np.ones_like(f) for f in flow)
    open_[1][:, [0, -1]] = 0.0
    levels = levels_of(open_)
    went = []
    for _ in range(9):
        projected(flow, levels, solid)
        u, w = flow[0][1:-1, 4, :], flow[2][:, 4, 1:-1]
        turns = np.abs(np.diff(w, axis=0) - np.diff(u, axis=1))[: n // 2]
        turns[turns < 0.2 * turns.max()] = 0.0
        went.append((turns.sum(axis=0) * np.arange(1, n)).sum() / turns.sum())
        flow = moved(flow, 1.0)
    speed = (went[-1] - went[0]) / 8
    print(f"{speed / aim:.3f} of the speed of the closed form")
    assert speed == pytest.approx(aim, rel=0.05)


def test_swirl_strengthens_the_middle_of_a_whirl():
    n = 48
    flow = faces((n, 8, n), lambda x, y, z: tuple(
        np.exp(-(((x - n / 2) ** 2 + (z - n / 2) ** 2) / 50.0)) * a for a in turning(n)(x, y, z)))  # fmt: skip
    force = tuple(np.zeros((n, 8, n), np.float32) for _ in range(3))
    swirled(flow, 1.0, force)
    x, _, z = middles((n, 8, n))
    inner = np.hypot(x - n / 2, z - n / 2) < 5.0  # farther out it turns the other way about itself
    round_ = -(z - n / 2) * force[0] + (x - n / 2) * force[2]
    assert round_[inner].min() > -1e-3
    assert round_[inner].mean() > 1.0
    assert np.abs(force[1]).max() < 1e-3 * np.abs(force[0]).max()
