"""Pictures without a browser show what is there, where it is."""

import io
from pathlib import Path

import numpy as np
from PIL import Image

from hotgravel.core.picture.still import View, still_of
from hotgravel.core.run.execute import execute
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.conftest import LOOSE, VENT, document, source

BALL = {"kind": "prop", "id": "ball", "name": "ball", "colour": "#FFFFFF", "shape": {"kind": "sphere", "radius": 1}}


def taken(tmp_path: Path, props, supply, frame=1):
    world = build(load(document(set=[VENT, *props], matter=[LOOSE], supply=supply, finish={"last": 2})), beside(Path()))
    execute(world, tmp_path)
    view = View(np.array([0.0, 0.0, 10.0]), np.zeros(3))
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
        world = [vent, BALL]
        document_ = document(set=world, matter=[LOOSE], supply=[source(radius=0.3, speed=0)], finish={"last": 2})
        made = build(load(document_), beside(Path()))
        execute(made, tmp_path / str(z))
        view = View(np.array([0.0, 0.0, 10.0]), np.zeros(3))
        image = Image.open(io.BytesIO(still_of(made, tmp_path / str(z), 1, (160, 90), view))).convert("RGB")
        return np.asarray(image, int)[45, 80]

    assert at(3.0)[0] > at(-3.0)[0] + 60
