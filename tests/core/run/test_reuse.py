"""An edit that can only matter later keeps the frames before it, and the result is the same bytes."""

import copy

import pytest

from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.reuse import ALWAYS, NEVER, same_until, take_over
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.core.matter.smoke.scenes import fume
from tests.core.run.test_execute import bytes_of
from tests.core.run.test_resume import shot

KEYS = {"kind": "keys", "keys": [{"frame": 1, "value": 9.81}, {"frame": 20, "value": 5}, {"frame": 35, "value": 2}]}
LATE_BURST = {
    "kind": "source", "id": "burst", "prop": "vent", "state": "loose", "emit": {"kind": "burst", "count": 40, "frame": 25},
}  # fmt: skip
AT_FRAME = {
    "kind": "cue",
    "id": "end",
    "when": {"kind": "at_frame", "frame": 30},
    "then": {"kind": "enter", "state": "late"},
}


def document():
    made = copy.deepcopy(shot())
    made["forces"][0] |= {"strength": KEYS}
    made["supply"].append(LATE_BURST)
    made["cues"].append(AT_FRAME)
    return copy.deepcopy(made)


def changed(path: str, value):
    made = document()
    here = made
    *walk, last = path.split(".")
    for step in walk:
        here = here[int(step) if step.isdigit() else step]
    here[int(last) if last.isdigit() else last] = value
    return made


LATE = {
    "forces.0.strength.keys.2.value": (7, 20), "forces.0.strength.keys.2.frame": (30, 20), "supply.1.emit.frame": (28, 24),
    "supply.1.speed": (3, 24), "supply.1.emit.count": (90, 24), "cues.1.when.frame": (27, 26),
    "cues.1.then": ({"kind": "remove"}, 29), "supply.0.emit.end": (25, 25), "cues.1.on": (False, 29), "supply.1.on": (False, 24), "finish.last": (50, 42),
}  # fmt: skip
EARLY = {
    "supply.0.speed": 3, "forces.0.strength.keys.0.value": 3, "forces.0.strength": 9, "matter.2.bounce": 0.2,
    "cues.0.when": {"kind": "older", "age": 0.5}, "finish.rate": 30, "supply.0.seed": 5,
    "set.1.shape": {"kind": "box"}, "finish.time_scale": 0.5,
}  # fmt: skip


@pytest.mark.parametrize("path", LATE)
def test_a_late_edit_is_known_to_be_late(path):
    value, until = LATE[path]
    assert same_until(load(document()), load(changed(path, value))) == until


@pytest.mark.parametrize("path", EARLY)
def test_an_early_edit_keeps_nothing(path):
    assert same_until(load(document()), load(changed(path, EARLY[path]))) <= 1


@pytest.mark.parametrize("row", [
    fume(), {"kind": "puff", "id": "it"}, {"kind": "drain", "id": "it", "prop": "vent"},
    *({"kind": "offshoot", "id": "it", "state": "loose", "emit": {"kind": kind}} for kind in ("trail", "asked", "opening")),
])  # fmt: skip
def test_an_edit_of_what_gives_without_a_start_of_its_own_keeps_nothing(row):
    before, after = document(), document()
    before["supply"].append(row)
    after["supply"].append(row | {"on": False})
    assert same_until(load(before), load(after)) == NEVER


def test_names_and_paint_change_nothing():
    assert same_until(load(document()), load(changed("set.0.colour", "#000000"))) == ALWAYS
    fewer = document()
    fewer["cues"].pop()
    assert same_until(load(document()), load(fewer)) == NEVER


@pytest.fixture(scope="module")
def before(tmp_path_factory):
    folder = tmp_path_factory.mktemp("before")
    execute(build(load(document()), beside(folder)), folder)
    return folder


@pytest.mark.parametrize("path", LATE)
def test_going_on_behind_kept_frames_gives_the_same_bytes(tmp_path, before, path):
    after = load(changed(path, LATE[path][0]))
    world = build(after, beside(tmp_path))
    kept = take_over(before, tmp_path / "new", world, same_until(load(document()), after))
    assert kept == list(range(1, LATE[path][1] + 1))
    told = []
    execute(world, tmp_path / "new", landed=lambda f, g: told.append(f), resume=True)
    assert told == list(range(kept[-1] + 1, after.finish.last + 1))
    execute(world, tmp_path / "whole")
    assert bytes_of(tmp_path / "new") == bytes_of(tmp_path / "whole")


def test_another_quality_keeps_nothing(tmp_path, before):
    world = build(load(changed("finish.last", 50)), beside(tmp_path), "fine")
    assert take_over(before, tmp_path / "new", world, 42) == []
    assert FrameStore(tmp_path / "new").frames() == []
