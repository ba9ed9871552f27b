"""Seams between soft things."""

from pathlib import Path

import numpy as np
import pytest

from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.core.matter.rigid.scenes import DOWN, prop, scene
from tests.core.matter.soft.scenes import cloth, draped, jelly, pins

TOP = pins((0, 4, 0), (1, 0.02, 1))
DRAG = {"kind": "linear_drag", "id": "drag", "rate": 4}
SLOW = {"kind": "keys", "keys": [{"frame": 1, "value": 0.0}, {"frame": 49, "value": 9.81}]}
WIDE, LONG, HEAVY = 0.4, 1.0, 0.5


def strip(name, high, long=LONG):
    return prop(name, {"kind": "plane", "width": WIDE, "depth": long}, (0, high, 0), rotation=[90, 0, 0])


def as_cloth(name, segments=10, **more):
    return cloth(name, segments=segments, weight=HEAVY, stretch=50.0, shear=20.0, bend=0.0, **more)


def seam(prop="low", other="high", **more):
    return {"kind": "sewn", "id": "seam", "prop": prop, "other": other} | more


def hung(*rows, last=73, low=10):
    """A strip that is pinned at its top, and another sewn to its end."""
    return draped(
        [strip("high", 3.5), strip("low", 2.5), TOP], [as_cloth("high", pins="pins"), as_cloth("low", low), *rows], last,
        forces=[DOWN | {"strength": SLOW}, DRAG],
    )  # fmt: skip


@pytest.mark.parametrize("low", [10, 7])  # in squares as large, and in others
def test_two_strips_sewn_together_hang_as_one(low):
    whole = draped(
        [strip("both", 3, 2 * LONG), TOP],
        [as_cloth("both", 20, pins="pins")],
        73,
        forces=[DOWN | {"strength": SLOW}, DRAG],
    )
    film = hung(seam(), low=low)
    assert film.last.position[:, 1].min() == pytest.approx(whole.last.position[:, 1].min(), abs=0.01)
    ends = [film.last.position[(film.last.source == n) & (np.abs(film.last.rest[:, 2]) > 0.49), 1] for n in (0, 1)]
    assert ends[1].max() == pytest.approx(ends[0].min(), abs=0.01)  # rims go together


@pytest.mark.parametrize(("share", "holds"), [(0.75, False), (1.35, True)])
def test_a_seam_bears_what_hangs_on_it_and_parts_beyond(share, holds):
    film = hung(seam(bears=share * HEAVY * LONG * 9.81))
    assert (film.last.position[:, 1].min() > 1.5) == holds
    solver = film.world.solvers["soft"]
    assert (solver.measure(film.state, 0, 0)["parted"] == 0) == holds


def test_what_a_kick_gives_jelly_cloth_shares_by_its_seam_until_a_cue_parts_that():
    cue = {"kind": "cue", "id": "kick", "source": "block-jelly", "when": {"kind": "at_frame", "frame": 2}}
    cue["then"] = {"kind": "kick", "speed": 1.0, "aim": {"kind": "toward", "direction": [0, 1, 0], "cone": 0}}
    part = {
        "kind": "cue", "id": "part", "source": "low-cloth", "when": {"kind": "at_frame", "frame": 25},
        "then": {"kind": "part"},
    }  # fmt: skip
    box = {"kind": "box", "width": 0.4, "height": 0.2, "depth": 0.4}
    rows = [as_cloth("low"), jelly("block", stiffness=2e4, density=50.0), seam(other="block", near=0.06)]
    film = draped([strip("low", 2.0), prop("block", box, (0, 2.65, 0))], rows, 30, forces=[], cues=[cue, part])
    block = film.last.source == 1
    given = film.last.mass[block].sum()
    for frame in (4, 12, 24, 30):
        p = film.frames[frame]
        assert p.mass @ p.velocity == pytest.approx([0.0, given, 0.0], abs=1e-6 * given)
    at = film.frames[24]
    speeds = [np.average(at.velocity[at.source == n, 1], weights=at.mass[at.source == n]) for n in (0, 1)]
    assert speeds[0] > 0.2
    assert film.world.solvers["soft"].measure(film.state, 0, 0)["parted"] == 5


def test_a_seam_of_nothing_is_told():
    soft = [as_cloth("high"), as_cloth("low")]
    set_ = [strip("high", 3.5), strip("low", 2.4), prop("post", {"kind": "box"}, (0, 1, 5))]

    def told(**more):
        shot = load(scene(set_, [*soft, seam(**more)], 9))
        return [f.message for f in findings(shot, build(shot, beside(Path()))) if f.check == "sews nothing"]

    assert told(near=0.2) == []
    assert "begins 0.1 m from a corner of high" in told()[0]
    assert "high is no cloth" not in told(prop="post")[0]
    assert "post is no cloth with a rim" in told(prop="post")[0]
    assert "cloth is pinned instead" in told(other="post")[0]
    assert "Accepted: two props" in told(other="low")[0]
