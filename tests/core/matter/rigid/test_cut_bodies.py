"""Pieces of a cut prop as bodies: they begin where they were cut, weigh what the whole does, and do not explode."""

import numpy as np
import pytest

from hotgravel.core.shot.faults import ShotFault
from tests.conftest import GRAVITY, GROUND, document, play

BLOCK = {"kind": "prop", "id": "block", "name": "block", "position": [0, 3, 0],
         "shape": {"kind": "box", "width": 2, "height": 1, "depth": 0.5}}  # fmt: skip
CUT = {"kind": "cut", "id": "cut", "prop": "block", "manner": {"kind": "random", "pieces": 30}}


def film(set_=(GROUND, BLOCK, CUT), forces=(), last=49, **rigid):
    body = {"kind": "rigid", "id": "body", "prop": "block", "density": 1000, "copies": {"kind": "pieces"}} | rigid
    landing = {"kind": "collision", "id": "landing", "props": ["ground"]}
    made = document(set=list(set_), matter=[body, landing], supply=[], forces=list(forces), finish={"last": last})
    return play(made, "rough", matter="rigid")


def test_pieces_weigh_what_the_whole_does_and_balance_where_it_does():
    first = film(last=1).frames[1]
    assert first.mass.sum() == pytest.approx(1000 * 2 * 1 * 0.5, rel=1e-6)
    assert (first.mass[:, None] * first.position).sum(axis=0) / first.mass.sum() == pytest.approx([0, 3, 0], abs=1e-6)


def test_held_pieces_do_not_move_a_bit():
    made = film(begins="held", forces=[GRAVITY], last=25)
    assert (made.frames[25].position == made.frames[1].position).all()
    assert (made.frames[25].turn == made.frames[1].turn).all()


def test_pieces_that_are_let_go_in_place_stay_within_a_hundredth_of_their_size_for_two_seconds():
    made = film(last=49)
    off = np.linalg.norm(made.frames[49].position - made.frames[1].position, axis=1)
    assert off.max() < 0.01 * 2.0


def test_a_falling_block_of_pieces_lands_and_comes_to_rest_as_a_heap():
    made = film(forces=[GRAVITY], last=97)
    there = made.frames[97]
    assert (there.position[:, 1] > 0.0).all()
    assert there.position[:, 1].mean() < 0.6
    assert there.speed.mean() < 0.1


def test_pieces_of_a_prop_that_is_not_cut_are_told():
    with pytest.raises(ShotFault, match="block is not cut"):
        film(set_=(GROUND, BLOCK))
    with pytest.raises(ShotFault, match="cut by another row too"):
        film(set_=(GROUND, BLOCK, CUT, CUT | {"id": "again"}))
    flat = BLOCK | {"shape": {"kind": "disc"}}
    with pytest.raises(ShotFault, match="block cannot be cut"):
        film(set_=(GROUND, flat, CUT))
