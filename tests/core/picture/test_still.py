"""Pictures without a browser show what is there, where it is."""

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from hotgravel.core.colour import linear
from hotgravel.core.picture.camera import View
from hotgravel.core.picture.light import LIGHTS, exposure_of, on_screen
from hotgravel.core.picture.still import still_of
from hotgravel.core.run.execute import execute
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.shot.finish import Finish
from tests.conftest import LOOSE, VENT, document, source

BALL = {"kind": "prop", "id": "ball", "name": "ball", "colour": "#FFFFFF", "shape": {"kind": "sphere", "radius": 1}}


AHEAD = View(np.array([0.0, 0.0, 10.0]), np.zeros(3))


def taken(tmp_path: Path, props, supply, frame=1, matter=(), view=AHEAD, **finish):
    shot = document(set=[VENT, *props], matter=[LOOSE, *matter], supply=supply, finish={"last": 2} | finish)
    world = build(load(shot), beside(Path()))
    execute(world, tmp_path)
    return np.asarray(Image.open(io.BytesIO(still_of(world, tmp_path, frame, (160, 90), view))).convert("RGB"), int)


def test_a_ball_covers_the_disc_that_perspective_gives_it(tmp_path):
    shown = taken(tmp_path / "with", [BALL], [])
    empty = taken(tmp_path / "without", [], [])
    covered = np.abs(shown - empty).max(axis=2) > 12
    # The tangent cone from 10 m: radius of its picture = tan(asin(1 / 10)) / tan(19 degrees) of half the height.
    radius = 45 * np.tan(np.arcsin(0.1)) / np.tan(np.radians(19))
    assert abs(covered.sum() / (np.pi * radius**2) - 1) < 0.12
    rows, columns = np.nonzero(covered)
    assert abs(rows.mean() - 44.5) < 1.5
    assert abs(columns.mean() - 79.5) < 1.5


def test_particles_glow_in_front_and_are_hidden_behind(tmp_path):
    def at(z: float):
        vent = VENT | {"position": [0, 0, z]}
        world = [vent, BALL | {"colour": "#202020"}]
        document_ = document(set=world, matter=[LOOSE], supply=[source(radius=0.3, speed=0)], finish={"last": 2})
        made = build(load(document_), beside(Path()))
        execute(made, tmp_path / str(z))
        view = View(np.array([0.0, 0.0, 10.0]), np.zeros(3))
        image = Image.open(io.BytesIO(still_of(made, tmp_path / str(z), 1, (160, 90), view))).convert("RGB")
        return np.asarray(image, int)[45, 80]

    assert at(3.0)[0] > at(-3.0)[0] + 60


def test_a_ball_that_glows_gives_light_to_what_is_near_and_faces_it(tmp_path):
    floor = {"kind": "prop", "id": "floor", "name": "floor", "shape": {"kind": "plane", "width": 40, "depth": 40}}
    set_ = [BALL, floor | {"position": [0, -1.5, 0]}]
    dull = taken(tmp_path / "dull", set_, [])
    lit = taken(tmp_path / "lit", [set_[0] | {"shine": "glowing", "colour": "#FF0000"}, *set_[1:]], [])
    more = lit - dull
    assert lit[45, 80, 0] > 220  # the ball itself
    assert more[..., 0].min() > -3  # none loses
    under, beside_it = more[64, 80, 0], more[64, 130, 0]
    assert under > 2 * beside_it > 0
    assert np.abs(more[64, 130, 1:]).max() <= 1  # in its own colour


def test_a_skin_hides_the_glow_behind_it_and_is_lit_by_what_is_before_it(tmp_path):
    skin = {"kind": "skin", "id": "skin", "cell": 0.05}
    crowd = [source(radius=0.8, speed=0)]

    def middle(name, z, shine):
        ball = BALL | {"position": [1.2 if z > 0 else 0, 0, z], "shine": shine, "colour": "#FF0000"}
        ball["shape"] = {"kind": "sphere", "radius": 0.5}
        return taken(tmp_path / name, [ball], crowd, matter=[skin])[45, 83 if z > 0 else 80]

    behind = middle("behind", -3, "glowing") - middle("behind, dull", -3, "dull")
    assert np.abs(behind).max() <= 12  # the halo's light alone
    before = middle("before", 1.2, "glowing") - middle("before, dull", 1.2, "dull")
    assert before[0] > 20
    assert np.abs(before[1:]).max() <= 12


def test_what_is_tall_fits_the_picture(tmp_path):
    """The view that is taken where none is asked for."""
    mast = {"kind": "prop", "id": "mast", "name": "mast", "colour": "#FFFFFF", "position": [0, 4, 0],
            "shape": {"kind": "box", "width": 0.5, "height": 8, "depth": 0.5}}  # fmt: skip
    white = taken(tmp_path / "white", [mast], [], view=None)
    black = taken(tmp_path / "black", [mast | {"colour": "#000000"}], [], view=None)
    rows = np.nonzero((white - black).max(axis=(1, 2)) > 10)[0]
    assert rows[0] > 1
    assert rows[-1] < 88
    assert len(rows) > 65


def test_a_ball_throws_the_shadow_that_the_key_gives_it(tmp_path):
    """Its middle lies on the floor along the key's direction from the ball's middle."""
    floor = {"kind": "prop", "id": "floor", "name": "floor", "shape": {"kind": "plane", "width": 40, "depth": 40}}
    from_above = View(np.array([0.0, 30.0, 0.01]), np.zeros(3))
    ball = BALL | {"position": [0, 4, 0]}
    lit = taken(tmp_path / "bare", [floor], [], view=from_above).sum(axis=2)
    shaded = taken(tmp_path / "ball", [floor, ball], [], view=from_above).sum(axis=2)
    x, y, z = LIGHTS["dusk"].key_from
    pixels = 45 / np.tan(np.radians(19)) / 30  # a metre on the floor
    column, row = 79.5 - 4 * x / y * pixels, 44.5 - 4 * z / y * pixels
    rows, columns = np.nonzero(lit - shaded > 30)
    assert abs(columns.mean() - column) < 2.0
    assert abs(rows.mean() - row) < 2.0


def test_an_exposure_of_one_stop_doubles_the_light(tmp_path):
    """What the screen shows is 1 - exp(-light), in sRGB's numbers (IEC 61966-2-1)."""
    finish = Finish()
    light = np.linspace(0.01, 0.3, 9)
    one, two = (on_screen(light, exposure_of(finish.model_copy(update={"exposure": stops}))) for stops in (0.0, 1.0))
    assert -np.log(1 - linear(two)) == pytest.approx(-2 * np.log(1 - linear(one)))


def test_what_is_out_of_focus_has_soft_edges_and_a_wider_lens_makes_them_softer(tmp_path):
    def edge(name, **finish):
        """The steepest step along the middle row, from the backdrop onto the ball."""
        row = taken(tmp_path / name, [BALL], [], **finish)[45].sum(axis=1)
        return int(np.abs(np.diff(row)).max())

    plain, sharp = edge("plain"), edge("sharp", focus=10.0, aperture=0.5)
    soft, softer = (edge(f"soft {wide}", focus=3.0, aperture=wide) for wide in (0.2, 1.0))
    assert sharp > 0.8 * plain
    assert 0.7 * plain > soft > softer
