"""Pieces of a cut prop as bodies: they begin where they were cut, weigh what the whole does, and do not explode."""

import manifold3d
import numpy as np
import pytest
import trimesh

from hotgravel.core.picture.camera import View
from hotgravel.core.picture.still import Painter
from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.shot.faults import ShotFault
from tests.conftest import GRAVITY, GROUND, LOOSE, document, play, source

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
    flat = BLOCK | {"shape": {"kind": "disc"}}
    with pytest.raises(ShotFault, match="block cannot be cut"):
        film(set_=(GROUND, flat, CUT))


@pytest.mark.parametrize("keystone", [True, False])
def test_an_arch_of_wedges_stands_without_mortar_and_falls_without_its_keystone(tmp_path, keystone):
    # Thick enough for its line of thrust to stay inside: a half ring stands if it is thicker than 0.1 of its radius
    # (Couplet 1730, Heyman 1969).
    ring = manifold3d.Manifold.cylinder(0.5, 1.5, 1.5, 48, True) - manifold3d.Manifold.cylinder(1, 1, 1, 48, True)
    half = ring.trim_by_plane((0, 1, 0), 0).to_mesh()
    trimesh.Trimesh(half.vert_properties[:, :3], half.tri_verts).export(tmp_path / "arch.obj")
    arch = {"kind": "prop", "id": "arch", "name": "arch", "shape": {"kind": "mesh", "file": "arch.obj"}}
    wedges = {"kind": "cut", "id": "cut", "prop": "arch", "manner": {
        "kind": "strike", "axis": [0, 0, 1], "rings": 1, "spokes": 22, "reach": 1.25, "jitter": 0}}  # fmt: skip
    top = {"kind": "zone", "id": "top", "name": "top", "shape": {"kind": "ball", "at": [0, 1.25, 0], "radius": 0.12}}
    out = {"kind": "cue", "id": "out", "when": {"kind": "inside", "zone": "top"}, "then": {"kind": "remove"}}
    body = {"kind": "rigid", "id": "body", "prop": "arch", "friction": 0.6, "copies": {"kind": "pieces"}}
    landing = {"kind": "collision", "id": "landing", "props": ["ground"], "friction": 0.9}
    made = document(
        set=[GROUND, arch, wedges, top], matter=[body, landing], supply=[], forces=[GRAVITY],
        cues=[] if keystone else [out], finish={"last": 60},
    )  # fmt: skip
    film_ = play(made, "fair", tmp_path, matter="rigid")
    first, last = film_.frames[1], film_.last
    moved = np.linalg.norm(last.position - first.position[np.isin(first.id, last.id)], axis=1)
    assert len(last) == (11 if keystone else 10)
    assert moved.max() < 0.01 if keystone else moved.max() > 0.3


def test_pieces_that_lie_still_shrink_and_are_gone():
    lies = {"kind": "asleep", "time": 0.2}
    smaller = {"kind": "become", "attribute": "radius", "value": 0.5}
    cues = [{"kind": "cue", "id": "shrinks", "when": lies, "then": smaller},
            {"kind": "cue", "id": "goes", "when": lies, "then": {"kind": "remove"}, "delay": 0.5}]  # fmt: skip
    set_, body = [GROUND, BLOCK, CUT], {"kind": "rigid", "id": "body", "prop": "block", "begins": "held"}
    shot = document(set=set_, matter=[body | {"copies": {"kind": "pieces"}}], supply=[], cues=cues, finish={"last": 40})
    made = play(shot, "rough", matter="rigid")
    first, small = made.frames[1], made.frames[12]
    assert small.scale == pytest.approx(0.5 * first.scale)
    assert small.mass == pytest.approx(first.mass / 8)
    assert len(made.last) == 0


def test_a_held_piece_that_a_hit_lets_go_takes_the_hit_along():
    ball = {
        "kind": "prop", "id": "ball", "name": "ball", "position": [0.3, 3.1, 2],
        "shape": {"kind": "sphere", "radius": 0.2},
    }  # fmt: skip
    rows = [{"kind": "rigid", "id": "body", "prop": "block", "begins": "held", "copies": {"kind": "pieces"}},
            {"kind": "rigid", "id": "thrown", "prop": "ball", "density": 8000}]  # fmt: skip
    throw = {"kind": "cue", "id": "throw", "source": "thrown", "when": {"kind": "at_frame", "frame": 1},
             "then": {"kind": "kick", "speed": 6, "aim": {"kind": "toward", "direction": [0, 0, -1], "cone": 0}}}  # fmt: skip
    go = {
        "kind": "cue", "id": "go", "source": "body", "when": {"kind": "touches", "speed": 0.15},
        "then": {"kind": "unpin"},
    }  # fmt: skip
    shot = document(set=[GROUND, BLOCK, CUT, ball], matter=rows, supply=[], cues=[throw, go], finish={"last": 14})
    made = play(shot, "rough", matter="rigid")
    pieces = made.last.source == 0
    assert 0 < (pieces & (made.last.pinned == 0)).sum() < pieces.sum()
    fastest = min(f.velocity[f.source == 0, 2].min() for f in made.frames.values())
    assert -6.0 * 1.05 < fastest < -0.5  # the way that the ball went, and no faster


def test_particles_come_to_rest_on_held_pieces():
    grit = source(
        prop="roof", part="surface", emit={"kind": "burst", "count": 200, "frame": 1}, radius=0.01, speed=0,
    )  # fmt: skip
    above = {
        "kind": "prop", "id": "roof", "name": "roof", "position": [0, 4, 0],
        "shape": {"kind": "plane", "width": 1.6, "depth": 0.3},
    }  # fmt: skip
    rows = [LOOSE, {"kind": "rigid", "id": "body", "prop": "block", "begins": "held", "copies": {"kind": "pieces"}},
            {"kind": "collision", "id": "met", "props": ["block"], "bounce": 0, "friction": 2}]  # fmt: skip
    last = play(document(
        set=[GROUND, BLOCK, CUT, above], matter=rows, supply=[grit], forces=[GRAVITY], finish={"last": 30}
    ), "fair").last  # fmt: skip
    assert len(last) == 200
    assert last.position[:, 1] == pytest.approx(np.full(200, 3.51), abs=0.005)


def dropped(growth=(), cues=(), last=72):
    lying = {"kind": "state", "id": "lying", "name": "lying", "of": "rigid"}
    body = {
        "kind": "rigid", "id": "body", "prop": "block", "density": 1000, "copies": {"kind": "pieces"},
        "state": "lying",
    }  # fmt: skip
    landing = {"kind": "collision", "id": "landing", "props": ["ground"]}
    block = BLOCK | {"position": [0, 0.51, 0]}
    made = document(
        set=[GROUND, block, CUT], matter=[lying, *growth, body, landing], supply=[], forces=[GRAVITY],
        cues=list(cues), finish={"last": last},
    )  # fmt: skip
    return play(made, "rough", matter="rigid")  # fmt: skip


def ratios(made, frame):
    """How large and how heavy each piece is at a frame, beside what it was (n, 2)."""
    first, there = made.frames[1], made.frames[frame]
    born = {i: n for n, i in enumerate(first.id.tolist())}
    at = [born[i] for i in there.id.tolist()]
    return np.stack([there.radius / first.radius[at], there.mass / first.mass[at]], axis=1)


def test_pieces_shrink_with_age_and_end_when_nothing_is_left():
    shrink = {"kind": "response", "attribute": "age", "begin": 0.5, "end": 1.5, "low": 1.0, "high": 0.0}
    made = dropped(growth=[{"kind": "growth", "id": "growth", "whom": "lying", "share": shrink}], last=40)
    midway = ratios(made, 25)
    assert midway[:, 0] == pytest.approx(0.5)  # a second old, half way
    assert midway[:, 1] == pytest.approx(0.5**3)
    assert (made.frames[33].position[:, 1] > -0.01).all()
    assert made.frames[33].position[:, 1].max() < 0.5 * made.frames[12].position[:, 1].max()  # the heap sinks with them
    assert len(made.last) == 0


def test_pieces_that_have_come_to_rest_shrink_and_are_removed():
    smaller = {"kind": "become", "attribute": "radius", "value": 0.5, "plus": 0}
    calm = {"kind": "cue", "id": "calm", "whom": "lying", "when": {"kind": "asleep", "time": 0.4}, "then": smaller}
    gone = {
        "kind": "cue", "id": "gone", "whom": "lying", "when": {"kind": "after", "cue": "calm"},
        "then": {"kind": "remove"}, "delay": 0.5,
    }  # fmt: skip
    made = dropped(cues=[calm, gone], last=60)
    assert ratios(made, 20)[:, 0].min() == pytest.approx(0.5)
    assert len(made.last) < 0.2 * len(made.frames[1])


def test_pieces_fade_with_age_are_seen_through_and_end_when_nothing_is_seen(tmp_path):
    out = {"kind": "response", "attribute": "age", "begin": 0.0, "end": 1.0, "low": 1.0, "high": 0.0}
    made = dropped(growth=[{"kind": "fading", "id": "fading", "whom": "lying", "share": out}], last=26)
    assert made.frames[13].faded == pytest.approx(0.5, abs=1e-6)
    assert len(made.last) == 0
    execute(made.world, tmp_path)
    view = View(np.array([0.0, 0.5, 6.0]), np.array([0.0, 0.5, 0.0]))
    painter = Painter(made.world, FrameStore(tmp_path), view)
    there, half, gone = (painter.pixels(frame, (96, 54)).astype(float)[22:30, 40:56].mean() for frame in (1, 13, 26))
    # A screen's numbers are no sums of light, so half way is only about half way.
    assert min(there, gone) + 0.2 * abs(there - gone) < half < max(there, gone) - 0.2 * abs(there - gone)
    assert abs(there - gone) > 5
