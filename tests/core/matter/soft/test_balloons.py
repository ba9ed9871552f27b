"""Balloons, against the law of gases and that of Young and Laplace."""

from pathlib import Path

import numpy as np
import pytest
from scipy.optimize import brentq

from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from tests.core.matter.rigid.scenes import DOWN, prop, scene
from tests.core.matter.soft.scenes import SHEET, draped

BALL = {"kind": "sphere", "radius": 0.5}
OUTSIDE = 101_325.0  # Pa (ISO 2533)


def balloon(name="ball", **more):
    return {"kind": "balloon", "id": "balloon", "prop": name, "segments": 10, "damping": 0.05} | more


def blown(last=37, **row):
    """How many times as wide a ball is that has been blown up, in air without weight."""
    film = draped([prop("ball", BALL, (0, 2, 0))], [balloon(**row)], last, forces=[])
    p = film.last.position
    reach = np.linalg.norm(p - p.mean(axis=0), axis=1)
    assert np.ptp(reach) < 0.02  # it stays a ball
    return reach.mean() / 0.5, film


@pytest.mark.parametrize("pressure", [100.0, 300.0])
def test_a_pump_swells_a_skin_until_its_pull_holds_the_pressure(pressure):
    # p = 2 sigma / r (Young and Laplace), for a skin that pulls by k (a - 1) / a on each metre when a times as wide.
    k = 500.0
    wide, film = blown(stretch=k, pressure=pressure, air="held")
    wanted = brentq(lambda a: pressure * 0.5 * a - 2 * k * (a - 1) / a, 1, 1.9)
    assert wide == pytest.approx(wanted, rel=0.005)
    assert film.last.stretch.mean() == pytest.approx(wanted - 1, rel=0.1)


def test_air_that_is_shut_in_keeps_pressure_times_volume():
    # Boyle: (p0 + p) V is the same before and after; what is left of p is what the skin holds (Young and Laplace).
    k, pressure = 500.0, 5000.0
    wide, film = blown(stretch=k, pressure=pressure, air="shut")
    left = lambda a: (OUTSIDE + pressure) / a**3 - OUTSIDE - 2 * k * (a - 1) / (a * a * 0.5)  # noqa: E731
    wanted = brentq(left, 1, 1.1)
    assert wide == pytest.approx(wanted, abs=0.0005)
    told = film.world.solvers["soft"]
    assert told.volumes[0] == pytest.approx(4 / 3 * np.pi * 0.5**3, rel=0.03)  # a ball of few faces


def test_a_skin_that_grows_late_is_still_small():
    late = {"kind": "keys", "keys": [{"frame": 1, "value": 0.2, "ease": "linear"}, {"frame": 25, "value": 1.0}]}
    copies = {"kind": "stacked", "across": 3, "up": 1, "deep": 1, "gap": 0.5}
    row = balloon(size=late, late=2.0, copies=copies, segments=4, pressure=0.0)
    film = draped([prop("ball", BALL, (0, 2, 0))], [row], 25, forces=[])
    solver = film.world.solvers["soft"]
    wide = [np.ptp(film.last.position[t.first : t.end], axis=0).max() for t in solver.things]
    behind = [t.late for t in solver.things]
    assert len(set(behind)) == 3
    wanted = [0.2 + 0.8 * max(0.0, 1.0 - by) for by in behind]  # a second of growth, so much later
    assert wide == pytest.approx(wanted, rel=0.03)


def test_what_cannot_be_blown_up_is_told():
    with pytest.raises(ShotFault, match=r"no inside to be filled. Accepted: a closed shape"):
        build(load(scene([prop("ball", SHEET, (0, 2, 0))], [balloon()], 2)), beside(Path()))
    many = {"kind": "stacked", "across": 100, "up": 20, "deep": 10}
    with pytest.raises(ShotFault, match=r"vertices in all. Accepted: 100000"):
        build(load(scene([prop("ball", BALL, (0, 2, 0))], [balloon(copies=many)], 2)), beside(Path()))
    shot = load(scene([prop("ball", BALL, (0, 2, 0))], [balloon(pressure=600.0, air="held")], 2, forces=[DOWN]))
    told = {f.check: f.message for f in findings(shot, build(shot, beside(Path())))}
    assert "no more than 250 Pa" in told["swells"]
