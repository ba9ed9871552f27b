"""Coordinates for textures go along with a liquid."""

import numpy as np
import pytest

from hotgravel.core.exchange.take import Take
from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.conftest import document
from tests.core.matter.liquid.scenes import body_of, fill, wet
from tests.core.matter.rigid.scenes import prop

EVEN = {"speed": 1.5, "direction": [1, 0, 0]}


def run_of(folder, props, supply):
    told = wet(props, last=9, supply=supply, forces=())
    world = build(load(document() | told), beside(folder), "rough")
    execute(world, folder)
    return lambda: Take(FrameStore(folder), world, beside(folder))


def test_a_body_that_flies_as_a_whole_keeps_its_coordinates(tmp_path):
    taken = run_of(tmp_path, [body_of(0.5, 0.6, at=(-0.4, 0.6, 0))], [fill(**EVEN)])
    take = taken()
    for frame in (4, 9):
        made = take.skin(frame, "liquid")
        off = made["rest"] - (made["vertices"] - np.array([1.5 * (frame - 1) / 24.0, 0.0, 0.0]))
        assert len(off) > 200
        assert np.abs(off).mean() < 0.03  # a third of a cell, by which drops have left their places in it
        assert made["uv"] == pytest.approx(made["rest"][:, [0, 2]] * [1, -1])
    assert (taken().skin(9, "liquid")["rest"] == made["rest"]).all()  # whichever frames are asked for


def test_what_pours_from_one_place_has_coordinates_that_run_on_along_it(tmp_path):
    tap = prop("water", {"kind": "box", "width": 0.2, "height": 0.4, "depth": 0.4}, (-0.4, 0.8, 0), seen="unseen")
    pours = {"kind": "spout", "id": "spout", "prop": "water", "start": 1, "end": 20} | EVEN
    rest = run_of(tmp_path, [tap], [pours])().skin(9, "liquid")["rest"][:, 0]
    assert rest.max() > -0.4
    assert rest.min() < -0.5 - 0.5 * 1.5 * 8 / 24
