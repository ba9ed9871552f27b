"""What is soft and becomes rigid, and what sticks to it."""

import numpy as np
import pytest
from scipy.spatial.distance import pdist

from tests.core.matter.rigid.scenes import DOWN, prop
from tests.core.matter.soft.scenes import SHEET, cloth, draped, jelly, pins

HARD = {"kind": "cue", "id": "hard", "when": {"kind": "at_frame", "frame": 1}, "then": {"kind": "harden"}}
CUBE = {"kind": "box", "width": 0.4, "height": 0.4, "depth": 0.4}


def test_jelly_that_is_rigid_falls_on_its_corner_lies_and_neither_gives_nor_sinks():
    cube = prop("cube", CUBE, (0, 1, 0), rotation=[35, 20, 45])
    soft, film = (draped([cube], [jelly("cube", stiffness=3e3)], 73, cues=cues) for cues in ([], [HARD]))
    first, last = film.frames[2].position, film.last.position
    assert pdist(last) == pytest.approx(pdist(first), abs=0.002)
    assert np.abs(pdist(soft.last.position) - pdist(first)).max() > 0.02
    assert film.last.speed.max() < 0.05  # it lies on a side
    assert np.ptp(last[:, 1]) == pytest.approx(0.4, abs=0.01)
    assert last[:, 1].min() > 0.003  # half of its thickness, less what a small step takes


def test_what_turns_freely_keeps_its_momentum_and_how_it_turns():
    aim = {"kind": "toward", "direction": [1, 0, 0], "cone": 0}
    kick = {"kind": "cue", "id": "kick", "within": "pins", "when": {"kind": "at_frame", "frame": 2}}
    kick["then"] = {"kind": "kick", "speed": 3.0, "aim": aim}
    props = [prop("cube", CUBE | {"width": 0.8}, (0, 5, 0)), pins((0, 5.3, 0), (2, 0.4, 2))]
    film = draped(props, [jelly("cube")], 25, forces=[], cues=[HARD, kick])

    def told(p):
        out = p.position - p.mass @ p.position / p.mass.sum()
        return np.concatenate([p.mass @ p.velocity, p.mass @ np.cross(out, p.velocity)])

    assert np.abs(told(film.frames[4])[5]) > 1.0
    assert told(film.last) == pytest.approx(told(film.frames[4]), rel=0.02, abs=0.05)


def test_half_of_a_sheet_is_a_board_until_it_is_soft_again():
    pinned = cloth("sheet", pins="pins", stretch=200.0, meets="props")
    board = HARD | {"within": "board", "frames": 24}
    zone = pins((0, 2, -0.3), (2, 1, 0.42)) | {"id": "board", "name": "board"}
    film = draped(
        [prop("sheet", SHEET, (0, 2, 0)), pins((0, 2, -0.5), (2, 1, 0.1)), zone], [pinned], 49, forces=[DOWN],
        cues=[board],
    )  # fmt: skip

    def flat(p):
        mine = p.rest[:, 2] < -0.1
        return np.linalg.svd(p.position[mine] - p.position[mine].mean(axis=0), compute_uv=False)[2]

    assert flat(film.frames[20]) < 1e-3
    assert flat(film.last) > 0.05


@pytest.mark.parametrize(("sticks", "hangs"), [(0.0, False), (0.7, False), (1.6, True)])
def test_a_sheet_hangs_from_another_where_it_sticks_by_more_than_it_weighs(sticks, hangs):
    weight = 0.3 * 9.81  # Pa
    rows = [cloth("low", sticks=sticks * weight), cloth("sheet", begins="held")]
    film = draped([prop("low", SHEET, (0, 1.9895, 0)), prop("sheet", SHEET, (0, 2, 0))], rows, 25)
    assert (film.last.position[:, 1].min() > 1.95) == hangs
