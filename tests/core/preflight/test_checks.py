"""Each finding has a shot that shows it; the demo shows none."""

import pytest

from hotgravel.core.preflight.checks import findings
from hotgravel.core.shot.document import load
from hotgravel.demo.shots import demo_names, demo_path
from tests.conftest import LOOSE, VENT, document, source


def cue(when):
    return {"kind": "cue", "id": "cue", "when": when, "then": {"kind": "remove"}}


@pytest.mark.parametrize(("sections", "row", "said"), [
    ({"supply": []}, "", "every frame will be empty"),
    ({"supply": [source(emit={"kind": "burst", "count": 5, "frame": 99})]}, "source", "outside frames 1 to 25"),
    ({"supply": [source(emit={"kind": "stream", "start": 30, "end": 60})]}, "source", "Gives nothing"),
    ({"set": [VENT | {"on": False}]}, "source", "switched off"),
    ({"matter": [LOOSE, {"kind": "state", "id": "late", "name": "late"}]}, "late", "Nothing ever enters"),
    ({"cues": [cue({"kind": "touches", "prop": "vent"})]}, "cue", "never touched"),
    ({"supply": [source(speed={"kind": "noise", "middle": 0.5, "amplitude": 30.0, "period": 0.2})]}, "source", "it is held at 0 m/s"),
    ({"cues": [cue({"kind": "at_frame", "frame": 99})]}, "cue", "outside frames"),
])  # fmt: skip
def test_what_will_come_to_nothing_is_told(sections, row, said):
    found = list(findings(load(document(**sections))))
    assert any(f.row == row and said in f.message for f in found)


@pytest.mark.parametrize("name", demo_names())
def test_nothing_is_found_in_the_demo(name):
    assert list(findings(load(demo_path(name)))) == []
