"""Held pieces are posed without dynamics: exactly where their row has them, and back, and on from there once let go."""

import numpy as np
import pytest

from hotgravel.core.preflight.checks import findings
from tests.conftest import GROUND, document, play

POLE = {"kind": "prop", "id": "pole", "name": "pole", "position": [0, 2, 0],
        "shape": {"kind": "cylinder", "radius": 0.4, "height": 3}}  # fmt: skip
CUT = {"kind": "cut", "id": "cut", "prop": "pole", "manner": {"kind": "evenly", "pieces": 30}}
LOOP = {"kind": "keys", "keys": [{"frame": 1, "value": 0, "ease": "linear"}, {"frame": 13, "value": 1.2, "ease": "linear"},
                                 {"frame": 25, "value": 0, "ease": "linear"}]}  # fmt: skip


def film(last=25, cues=(), begins="held", **posed):
    body = {"kind": "rigid", "id": "body", "prop": "pole", "copies": {"kind": "pieces"}, "begins": begins}
    row = {"kind": "posed", "id": "posed", "prop": "pole", "shift": LOOP} | posed
    made = document(set=[GROUND, POLE, CUT], matter=[body, row], supply=[], cues=list(cues), finish={"last": last})
    return play(made, "rough", matter="rigid")


def test_pieces_are_shifted_by_what_the_row_says_and_come_back():
    made = film(way={"kind": "outward_from"})
    first, out, back = (made.frames[f] for f in (1, 13, 25))
    off = (out.position - first.position)[:, [0, 2]]
    assert np.linalg.norm(off, axis=1) == pytest.approx(np.full(len(off), 1.2), rel=1e-9)
    assert (off * first.position[:, [0, 2]]).sum(axis=1).min() > 0.0  # straight off the line through the middle
    assert back.position == pytest.approx(first.position, abs=1e-9)
    assert np.abs(made.frames[7].velocity[:, [0, 2]]).max() == pytest.approx(1.2 / 0.5, rel=0.02)


def test_one_that_is_let_go_keeps_the_velocity_of_its_posing():
    go = {"kind": "cue", "id": "go", "when": {"kind": "at_frame", "frame": 7}, "then": {"kind": "unpin"}}
    last = film(10, [go], way={"kind": "along", "direction": [1, 0, 0]}).last
    assert last.velocity.mean(axis=0) == pytest.approx([1.2 / 0.5, 0, 0], abs=0.05)


def test_pieces_turn_and_grow_about_their_own_middles():
    last = film(2, shift=0.0, turn=90.0, axis=[0, 1, 0], size=0.5).last
    assert last.position == pytest.approx(last.rest, abs=1e-12)
    assert last.mass.sum() == pytest.approx(
        2900 * np.pi * 0.4**2 * 3 / 8, rel=0.02
    )  # half as large, an eighth as heavy
    turned = np.abs((last.turn * last.begun).sum(axis=1))
    assert turned == pytest.approx(np.full(len(last), np.cos(np.pi / 4)), abs=1e-9)


def test_preflight_tells_of_a_posing_with_nothing_held():
    world = film(1, begins="loose").world
    told = next(f for f in findings(world.setting.shot, world) if f.check == "nothing to pose")
    assert told.remedy.act(world.setting.shot).shot.rigid[0].begins == "held"
