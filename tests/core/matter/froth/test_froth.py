"""Spray, foam and bubbles, against flight, closed forms and what the paper of their potentials says."""

from pathlib import Path

import numpy as np
import pytest

from hotgravel.core.matter.contract import Ids, Seam
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.froth.solver import BUBBLE, FOAM
from hotgravel.core.matter.froth.stirred import Stirred, stirred
from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from tests.conftest import play
from tests.core.matter.liquid.scenes import body_of, wet

FROTH = {"kind": "froth", "id": "froth", "least": 0.5, "trapped": 40, "crests": 40}


def block(at: np.ndarray, cells: tuple[int, int, int], cell: float = 0.1) -> np.ndarray:
    """Eight drops a cell."""
    side = [np.arange(2 * n) for n in cells]
    return at + 0.5 * cell * (np.stack(np.meshgrid(*side, indexing="ij"), -1).reshape(-1, 3) + 0.5)


def test_liquid_that_goes_as_one_traps_no_air_and_streams_that_meet_do():
    place = block(np.zeros(3), (6, 6, 6))
    together = np.tile([3.0, 0.0, 0.0], (len(place), 1))
    _, air, _ = stirred(place, together, 0.1)
    assert air.max() < 1e-6
    against = np.where(place[:, :1] < 0.3, together, -together)
    _, air, _ = stirred(place, against, 0.1)
    meeting = np.abs(place[:, 0] - 0.3) < 0.1
    shell = (place[:, 1] < 0.1) | (place[:, 1] > 0.5)
    assert air[meeting & shell].min() > 1.0
    assert air[~meeting & (np.abs(place[:, 0] - 0.3) > 0.2)].max() < 1e-6


def test_crests_are_where_sharp_liquid_goes_outward():
    place = block(np.zeros(3), (2, 8, 2))  # a finger
    up = np.tile([0.0, 2.0, 0.0], (len(place), 1))
    _, _, crest = stirred(place, up, 0.1)
    assert crest[place[:, 1] > 0.75].max() > 0.5
    assert crest[place[:, 1] < 0.4].max() == 0.0
    _, _, falling = stirred(place, -up, 0.1)
    assert falling[place[:, 1] > 0.75].max() == 0.0


def test_how_full_it_is_tells_bubbles_foam_and_spray():
    place = block(np.zeros(3), (8, 8, 8))
    liquid, _, _ = stirred(place, np.tile([1.0, 0.0, 0.0], (len(place), 1)), 0.1)
    fill, flow = liquid.at(np.array([[0.4, 0.4, 0.4], [0.4, 0.8, 0.4], [0.4, 1.1, 0.4]]))
    assert fill[0] > BUBBLE
    assert FOAM < fill[1] < BUBBLE
    assert fill[2] < FOAM
    assert flow[0] == pytest.approx([1.0, 0.0, 0.0])


def test_a_breaking_column_is_white_and_still_water_is_not():
    still = play(wet([body_of(1.6, 0.8)], 13, rows=[FROTH]), "rough", matter="froth")
    assert len(still.last) == 0
    made = play(wet([body_of(0.6, 1.2, at=(-0.5, None, 0))], 25, rows=[FROTH]), "rough", matter="froth")
    assert len(made.last) > 200
    assert {"spray", "foam", "bubbles"} <= set(made.state.facts)
    assert made.last.position[:, 1].min() > -0.02  # none goes through the ground
    assert (made.last.parent >= 0).all()


def afloat(fill: float, going: float, dt: float = 0.01, **row) -> Elements:
    """Three flecks after a step of a liquid that is so full about them, and rises."""
    world = build(load(wet([body_of(0.6, 0.8)], 5, rows=[FROTH | row])), beside(Path()), "rough")
    p = Elements.blank(3)
    p.position[:] = p.rest[:] = [[0, 5, 0], [1, 5, 0], [2, 5, 0]]
    p.velocity[:, 0], p.radius[:], p.age[:], p.state[:] = 1.0, 0.01, 1.0, -1
    shape = (2, 2, 2)
    liquid = Stirred(
        np.full(3, -10.0),
        10.0,
        np.full(shape, fill),
        np.stack([np.zeros(shape), np.full(shape, going), np.zeros(shape)], -1),
    )
    seam = Seam(world.setting.scene(1.0), (), (), {}, {}, Ids(), 1.0, 0.25, 0)
    world.solvers["froth"]._go(p, liquid, seam, dt)
    return p


def test_spray_flies_foam_goes_with_the_surface_and_bubbles_rise():
    dt = 0.01
    assert afloat(0.0, 2.0).velocity[0] == pytest.approx([1.0, -9.81 * dt, 0.0])
    assert afloat(0.5, 2.0).velocity[0] == pytest.approx([0.0, 2.0, 0.0])
    # dv/dt = k (u - v) + b g in a time so short that it is taken in two: first the rise, then the drag.
    bubble = afloat(1.0, 2.0, rises=2.0, drag=6.0).velocity[0]
    risen = np.array([1.0, 2.0 * 9.81 * dt, 0.0])
    assert bubble == pytest.approx(risen + (1.0 - np.exp(-6.0 * dt)) * (np.array([0.0, 2.0, 0.0]) - risen))


def test_froth_without_a_liquid_and_two_of_it_are_told():
    shot = wet([body_of(0.6, 0.8)], 5, rows=[FROTH])
    shot["matter"] = [row for row in shot["matter"] if row["kind"] != "liquid"]
    shot["supply"] = []
    world = build(load(shot), beside(Path()), "rough")
    assert "no liquid" in {f.check for f in findings(world.shot, world) if f.row == "froth"}
    with pytest.raises(ShotFault, match="one row that is on"):
        build(load(wet([body_of(0.6, 0.8)], 5, rows=[FROTH, FROTH | {"id": "more"}])), beside(Path()), "rough")
