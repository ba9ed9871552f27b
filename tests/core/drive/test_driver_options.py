"""No dead options: every dial of every driver changes what it answers."""

import numpy as np
import pytest
from pydantic import TypeAdapter

from hotgravel.core.drive.ask import Ask, Clock, Rows
from hotgravel.core.drive.driver import answer
from hotgravel.core.drive.value import DRIVERS, Driven
from hotgravel.core.shot.dials import dials_of

VALUE = TypeAdapter(Driven)
TIMES = np.linspace(0.0, 5.0, 200)
CROWD = Rows({"age": np.linspace(0, 3, 200), "speed": np.linspace(9, 0, 200), "distance to a": np.linspace(0, 1, 200), "distance to b": np.ones(200),
              "weight in a": np.linspace(0, 1, 200), "weight in b": np.ones(200)})  # fmt: skip
SAW = {"kind": "wave", "shape": "saw", "low": 0, "high": 1, "period": 1.3}
KEYS = [{"frame": 10, "value": 1}, {"frame": 40, "value": 3}]
BENT = {"kind": "response", "points": [[0, 0], [0.2, 0.9], [0.6, 0.2], [1, 1]]}
BASE = {
    "keys": {"keys": KEYS, "outside": "loop"}, "wave": {}, "noise": {}, "mix": {"first": 2.0, "second": 3.0}, "clip": {"of": SAW, "low": 0.2, "high": 0.8},
    "remap": {"of": SAW}, "smooth": {"of": SAW}, "delay": {"of": SAW}, "warp": {"of": SAW}, "response": BENT,
    "compound": {"start": 2.0}, "within": {"zone": "a"}, "formula": {"text": "t"},
}  # fmt: skip
TURNS = {
    "keys.outside": ("hold", "zero"), "keys.rest": (0, 12), "wave.shape": ("sine", "square"), "wave.low": (0, 0.5), "wave.high": (1, 2),
    "wave.period": (1, 2), "wave.phase": (0, 0.25), "noise.colour": ("pink", "brown"), "noise.middle": (0, 1), "noise.amplitude": (0.5, 1),
    "noise.period": (1, 2), "noise.octaves": (1, 3), "noise.seed": (1, 2), "mix.how": ("add", "multiply"), "mix.first": (1.5, 2.5),
    "mix.second": (1.5, 2.5), "clip.of": (0.3, 0.6), "clip.low": (0.1, 0.4), "clip.high": (0.6, 0.9), "remap.of": (0.3, 0.6),
    "remap.from_low": (0, 0.5), "remap.from_high": (1, 2), "remap.low": (0, 0.5), "remap.high": (1, 2), "smooth.of": (1, 2), "smooth.over": (0.2, 0.8),
    "delay.of": (1, 2), "delay.by": (0.1, 0.5), "warp.of": (1, 2), "warp.by": (0.1, 0.5), "response.attribute": ("age", "speed"),
    "response.begin": (0, 1), "response.end": (1, 3), "response.low": (0, 0.5), "response.high": (1, 2), "response.manner": ("smooth", "stepped"),
    "compound.start": (1, 2), "compound.factor": (0.9, 1.1), "within.zone": ("a", "b"), "within.inside": (1, 2), "within.outside": (0, 1), "formula.text": ("t", "2 * t"),
}  # fmt: skip


def told(kind, **fields):
    value = VALUE.validate_python({"kind": kind} | BASE[kind] | fields)
    return np.broadcast_to(answer(value, Ask(TIMES, Clock(), CROWD)), 200)


def test_every_dial_of_every_driver_is_turned_here():
    dials = {f"{kind}.{name}" for kind, cls in DRIVERS.items() for name in dials_of(cls)}
    assert dials == set(TURNS) | {"response.prop", "response.zone"}


@pytest.mark.parametrize("name", TURNS)
def test_turning_a_dial_changes_the_answer(name):
    kind, field = name.split(".")
    one, other = (told(kind, **{field: value}) for value in TURNS[name])
    assert np.abs(one - other).max() > 0.01


@pytest.mark.parametrize(("attribute", "field"), [("distance to", "prop"), ("weight in", "zone")])
def test_a_response_reads_what_it_names(attribute, field):
    one, other = (told("response", attribute=attribute, **{field: target}) for target in "ab")
    assert np.abs(one - other).max() > 0.5
