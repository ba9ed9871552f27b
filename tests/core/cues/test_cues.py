"""Cues fire when they say, once for each particle, and their record tells the story."""

import numpy as np
import pytest

from hotgravel.core.cues.because import because
from tests.conftest import GRAVITY, GROUND, LOOSE, at, document, landing, play, source

LATE = {"kind": "state", "id": "late", "name": "late"}
LAST = {"kind": "state", "id": "final", "name": "final"}
ENTER = {"kind": "enter", "state": "late"}
CROWD = {"kind": "burst", "count": 200, "frame": 1}


def cue(when, then=ENTER, **fields):
    return {"kind": "cue", "id": "cue", "when": when, "then": then} | fields


def film(when, then=ENTER, quality="fine", **sections):
    plain = {"set": at(2.0), "matter": [LOOSE, LATE]}
    return play(document(cues=[cue(when, then)], **(plain | sections)), quality)


def test_slower_fires_when_drag_has_taken_the_speed():
    # v = 10 / (1 + 4 t) is 4.05 at t = 0.367 s: on the way to frame 10
    drag = {"kind": "quadratic_drag", "id": "drag", "strength": 0.4}
    made = film({"kind": "slower", "speed": 4.05}, forces=[drag])
    assert len(made.events) == 1
    e = made.events
    assert e.frame.tolist() == [10]
    assert e.time[0] == pytest.approx(0.3673, abs=1 / 192)
    assert 3.95 < e.value[0] < 4.05
    assert (e.particle[0], e.before[0], e.after[0]) == (0, 0, 1)
    assert made.frames[9].state.tolist() == [0]
    assert made.frames[10].state.tolist() == [1]


def test_faster_fires_when_the_fall_has_given_the_speed():
    made = film({"kind": "faster", "speed": 3}, forces=[GRAVITY], supply=[source(speed=0)])
    assert made.events.time[0] == pytest.approx(3 / 9.81, abs=1 / 192)


def test_older_counts_from_each_ones_own_birth():
    emit = {"kind": "stream", "rate": 96, "start": 1, "end": 13}
    made = film({"kind": "older", "age": 0.25}, supply=[source(emit=emit)])
    born = made.events.time - made.events.value
    assert len(made.events) == 48
    assert np.diff(born) == pytest.approx(1 / 96, abs=1e-9)
    assert (made.events.value > 0.25).all()
    assert made.events.value.max() <= 0.25 + 1 / 192 + 1e-9


def test_touches_tells_the_prop_and_the_speed_it_came_with():
    ball = {
        "kind": "prop",
        "id": "ball",
        "name": "ball",
        "shape": {"kind": "sphere", "radius": 0.5},
        "position": [0, -3, 0],
    }
    both = landing(props=["ground", "ball"], bounce=0.3)
    shot = {"set": [*at(1.0), ball], "matter": [LOOSE, LATE, both], "forces": [GRAVITY], "supply": [source(speed=0)]}
    made = film({"kind": "touches", "prop": "ground"}, **shot)
    assert len(made.events) == 1  # once, though it bounces on
    assert made.events.value[0] == pytest.approx(np.sqrt(2 * 9.81 * (1 - 0.012)), rel=5e-3)
    assert len(film({"kind": "touches", "prop": None}, **shot).events) == 1
    assert len(film({"kind": "touches", "prop": "ball"}, **shot).events) == 0


def test_at_frame_takes_all_that_exist_at_that_frame():
    supply = [source(emit=CROWD), source(id="later", emit=CROWD | {"frame": 9})]
    made = film({"kind": "at_frame", "frame": 6}, supply=supply)
    assert len(made.events) == 200
    assert set(made.events.frame.tolist()) == {6}
    assert (made.last.state == 1).sum() == 200


def test_remove_takes_them_out_and_records_it():
    made = film({"kind": "at_frame", "frame": 6}, {"kind": "remove"}, supply=[source(emit=CROWD)])
    assert [len(made.frames[f]) for f in (5, 6)] == [200, 0]
    assert set(made.events.after.tolist()) == {-1}


def test_life_ends_at_its_age():
    made = play(document(set=at(2.0), supply=[source(emit=CROWD, life=0.5)]))
    assert [len(made.frames[f]) for f in (12, 13)] == [200, 0]


def test_whom_limits_a_cue_to_one_state():
    older = cue({"kind": "older", "age": 0.1}, whom="late")
    made = play(document(set=at(2.0), matter=[LOOSE, LATE], cues=[older]))
    assert len(made.events) == 0


def test_the_because_tells_the_chain_in_order_with_values():
    cues = [
        cue({"kind": "older", "age": 0.2}) | {"id": "ripe", "whom": "loose"},
        cue({"kind": "touches", "prop": "ground"}, {"kind": "enter", "state": "final"})
        | {"id": "landed", "whom": "late"},
    ]
    made = play(document(
        set=at(2.0), matter=[LOOSE, LATE, LAST, landing()], cues=cues, forces=[GRAVITY], finish={"last": 40},
    ), "fine")  # fmt: skip
    shot = made.world.shot
    chain = because(shot, made.events, 0, 0, 1, 40)
    assert [r.row for r in chain] == ["source", "ripe", "landed"]
    assert [r.frame for r in chain] == sorted(r.frame for r in chain)
    assert chain[0].text == "Left the surface of vent in state loose."
    assert "gets older than 0.2 s" in chain[1].text
    assert chain[2].text.endswith("m/s.")
    speed = float(chain[2].text.split("came in at ")[1].split(" ")[0])
    assert speed == pytest.approx(np.sqrt(2 * 9.81 * (2 - 0.012)), rel=5e-3)
    assert [r.row for r in because(shot, made.events, 0, 0, 1, 10)] == ["source", "ripe"]
    assert GROUND["id"] == "ground"
