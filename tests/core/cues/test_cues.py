"""Cues fire when they say, once for each particle, and their record tells the story."""

import numpy as np
import pytest

from hotgravel.core.cues.because import because
from hotgravel.core.shot.faults import ShotFault
from hotgravel.core.shot.row import sentence
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
        "kind": "prop", "id": "ball", "name": "ball", "shape": {"kind": "sphere", "radius": 0.5},
        "position": [0, -3, 0],
    }  # fmt: skip
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


# Beyond one state and one threshold.

FAR_POST = {
    "kind": "prop", "id": "post", "name": "post", "shape": {"kind": "sphere", "radius": 0.5}, "position": [5, 2, 0],
}  # fmt: skip
GATE = {
    "kind": "zone", "id": "gate", "name": "gate", "shape": {"kind": "block", "at": [5, 2, 0], "size": [2, 9, 9]},
    "edge": 0.0,
}  # fmt: skip


def flight(*cues, **sections):
    """One particle along x at 10 m/s for a second, two metres up."""
    plain = {"set": [*at(2.0), GATE, FAR_POST], "matter": [LOOSE, LATE, LAST], "cues": list(cues)}
    return play(document(**(plain | sections)), "fine")


@pytest.mark.parametrize(("when", "time"), [
    ({"kind": "enters", "zone": "gate"}, 0.4), ({"kind": "leaves", "zone": "gate"}, 0.6),
    ({"kind": "inside", "zone": "gate"}, 0.4), ({"kind": "travelled", "distance": 3}, 0.3),
    ({"kind": "nearer", "prop": "post", "distance": 1.5}, 0.3), ({"kind": "every", "frames": 100, "start": 7}, 0.25),
    ({"kind": "reads", "value": {"kind": "formula", "text": "travelled * speed"}, "over": 50}, 0.5),
])  # fmt: skip
def test_each_condition_fires_when_straight_flight_says(when, time):
    made = flight(cue(when))
    assert made.events.time.tolist() == [pytest.approx(time, abs=1 / 192 + 1e-9)]


def test_born_inside_is_not_entering_and_leaving_counts_each_time():
    around = GATE | {"shape": {"kind": "ball", "at": [0, 2, 0], "radius": 3}}
    assert len(flight(cue({"kind": "enters", "zone": "gate"}), set=[*at(2.0), around]).events) == 0
    assert len(flight(cue({"kind": "inside", "zone": "gate"}), set=[*at(2.0), around]).events) == 1
    wave = {"kind": "wave", "shape": "sine", "low": -6, "high": 6, "period": 0.5}
    to_and_fro = GATE | {"shape": GATE["shape"] | {"at": [wave, 2, 0]}}
    still = {"supply": [source(speed=0)], "set": [*at(2.0), to_and_fro], "finish": {"last": 49}}
    each = flight(cue({"kind": "enters", "zone": "gate"}, {"kind": "pin"}, again="each"), **still)
    assert len(each.events) == 8  # it comes by twice in each of four periods
    assert len(flight(cue({"kind": "enters", "zone": "gate"}, {"kind": "pin"}), **still).events) == 1


def test_a_cue_for_n_frames_acts_n_frames_and_is_taken_back():
    made = flight(cue({"kind": "at_frame", "frame": 5}, frames=3))
    assert [f for f, p in made.frames.items() if p.state[0] == 1] == [5, 6, 7]
    assert made.events.what.tolist() == [0, 1]
    assert (made.events.before.tolist(), made.events.after.tolist()) == ([0, 1], [1, 0])
    kick = {"kind": "kick", "speed": 2, "aim": {"kind": "toward", "direction": [0, 1, 0], "cone": 0}}
    pushed = flight(cue({"kind": "at_frame", "frame": 5}, kick, frames=3))
    up = [p.velocity[0, 1] for p in pushed.frames.values()]
    assert up[3:9] == pytest.approx([0, 2, 4, 6, 6, 6])
    pinned = flight(cue({"kind": "at_frame", "frame": 5}, {"kind": "pin"}, frames=4))
    assert [p.position[0, 0] for p in pinned.frames.values()][4:9] == pytest.approx([40 / 24] * 5)


def test_what_another_cue_did_meanwhile_is_not_taken_back():
    first, second = (
        cue({"kind": "at_frame", "frame": 5}, frames=6),
        cue({"kind": "at_frame", "frame": 8}, {"kind": "enter", "state": "final"}, id="second"),
    )
    made = flight(first, second)
    assert [p.state[0] for p in made.frames.values()][4:14] == [1, 1, 1, 2, 2, 2, 2, 2, 2, 2]


def test_a_delay_comes_to_its_frame():
    made = flight(cue({"kind": "at_frame", "frame": 5}, delay=0.25))
    assert made.events.frame.tolist() == [11]
    assert made.events.time.tolist() == pytest.approx([10 / 24])


def test_chance_stays_within_its_binomial_bounds_and_is_drawn_once():
    from scipy import stats

    crowd = source(emit=CROWD | {"count": 4000}, aim={"kind": "anywhere"})
    made = flight(cue({"kind": "older", "age": 0.1}, chance=0.3), supply=[crowd])
    low, high = stats.binom.interval(0.9999, 4000, 0.3)
    assert low <= len(made.events) <= high
    assert len(set(made.events.particle.tolist())) == len(made.events)


def test_starting_waits_for_its_cue_and_stopping_ends_it():
    jet = source(id="jet", emit={"kind": "stream", "rate": 240, "start": 1, "end": 25})
    began = flight(cue({"kind": "at_frame", "frame": 9}, {"kind": "start", "row": "jet"}), supply=[jet])
    assert [len(p) for p in began.frames.values()][7:11] == [0, 0, 10, 20]  # with nobody there to see the frame
    ended = flight(cue({"kind": "at_frame", "frame": 9}, {"kind": "stop", "row": "jet"}), supply=[jet])
    assert len(ended.last) == 80
    for_some = flight(cue({"kind": "at_frame", "frame": 9}, {"kind": "start", "row": "jet"}, frames=2), supply=[jet])
    assert len(for_some.last) == 20


def test_what_happens_to_the_shot_more_than_once_at_a_moment_is_told_as_often():
    jet = source(id="jet", emit={"kind": "stream", "rate": 240, "start": 1, "end": 25})
    less = {
        "kind": "keys",
        "keys": [{"frame": 1, "value": 3 / 24}, {"frame": 3, "value": 1 / 24}, {"frame": 4, "value": 9.0}],
    }
    made = flight(
        cue({"kind": "every", "frames": 1}, {"kind": "stop", "row": "jet"}, again="each", delay=less), supply=[jet]
    )
    at_four = made.events.frame == 4
    for column in ("particle", "before", "after"):
        assert getattr(made.events, column)[at_four].tolist() == [-1, -1, -1]
    assert len(made.events.place) == len(made.events)


def test_becoming_and_its_being_taken_back():
    then = {"kind": "become", "attribute": "radius", "value": 3.0, "plus": 0.5}
    made = flight(cue({"kind": "at_frame", "frame": 5}, then, frames=4), supply=[source(radius=0.1)])
    assert [p.radius[0] for p in made.frames.values()][3:10] == pytest.approx([0.1, 0.8, 0.8, 0.8, 0.8, 0.1, 0.1])


def test_an_age_of_nought_begins_a_life_anew():
    young = cue({"kind": "at_frame", "frame": 7}, {"kind": "become", "attribute": "age", "value": 0})
    made = flight(young, supply=[source(life=10 / 24)], finish={"last": 25})
    assert [f for f, p in made.frames.items() if len(p)][-1] == pytest.approx(7 + 10, abs=1)
    assert made.frames[7].age[0] == pytest.approx(0.0, abs=1e-9)


FLARE = {"kind": "state", "id": "flare", "name": "flare"}
SPARK = {"kind": "state", "id": "spark", "name": "spark"}


def test_one_cue_does_several_things_in_order_and_takes_back_what_it_can():
    hot = {"kind": "become", "attribute": "temperature", "value": 0, "plus": 900}
    kick = {"kind": "kick", "speed": 2, "aim": {"kind": "toward", "direction": [0, 0, 1], "cone": 0}}
    several = cue({"kind": "at_frame", "frame": 5}, hot, second=ENTER, third=kick, frames=3)
    made = play(document(set=at(2.0), matter=[LOOSE, LATE], cues=[several], supply=[source(speed=0)]), "fine")
    told = {f: (p.temperature[0], p.state[0], round(p.velocity[0, 2], 6)) for f, p in made.frames.items()}
    assert [told[f] for f in (4, 5, 6, 7, 8)] == [
        (20.0, 0, 0.0), (900.0, 1, 2.0), (900.0, 1, 4.0), (900.0, 1, 6.0), (20.0, 0, 6.0),
    ]  # fmt: skip
    assert made.events.what.tolist() == [0, 0, 0, 1]  # once a frame, and once that it is over


def test_what_is_removed_does_nothing_more():
    with pytest.raises(ShotFault, match="can do nothing more"):
        play(document(matter=[LOOSE, LATE], cues=[cue({"kind": "older"}, {"kind": "remove"}, second=ENTER)]), "rough")


def test_a_cue_that_follows_another_has_no_number_to_tell():
    after = cue({"kind": "after", "cue": "ripe"}, {"kind": "pin"}, id="then")
    made = flight(cue({"kind": "older", "age": 0.1}, ENTER, id="ripe"), after, finish={"last": 10})
    shot = made.world.shot
    chain = because(shot, made.events, 0, 0, 1, 10)
    assert chain[-1].text == sentence(shot.cues[1], shot.dress, shot.names())


def cascade():
    """A flare rises; older than 0.5 s it bursts and is gone; sparks that get slower fall, and those go out."""
    burst = {"kind": "offshoot", "id": "burst", "whom": "flare", "emit": {"kind": "asked", "count": 40}, "state": "spark",
             "speed": 8, "speed_spread": 0.2}  # fmt: skip
    return document(
        set=at(2.0), matter=[FLARE, SPARK, LATE, landing()], supply=[source(state="flare", aim={"kind": "toward", "direction": [0, 1, 0], "cone": 0}), burst],
        forces=[GRAVITY, {"kind": "quadratic_drag", "id": "drag", "strength": 0.3, "whom": "spark"}],
        cues=[
            cue({"kind": "older", "age": 0.5}, {"kind": "shed", "offshoot": "burst"}, id="bursts", whom="flare"),
            cue({"kind": "after", "cue": "bursts"}, {"kind": "remove"}, id="is-gone"),
            cue({"kind": "slower", "speed": 4}, {"kind": "enter", "state": "late"}, id="falls", whom="spark"),
        ],
        finish={"last": 48},
    )  # fmt: skip


def test_a_cascade_has_its_exact_because():
    from hotgravel.core.cues.because import ancestry

    made = play(cascade(), "fine")
    shot, last = made.world.shot, max(made.frames)
    late = made.last
    who = int(late.id[late.state == 2][0])

    def find(particle, frame):
        for f in range(frame, 0, -1):
            p = made.frames[f]
            i = np.flatnonzero(p.id == particle)
            if len(i):
                return {
                    "source": int(p.source[i[0]]), "age": float(p.age[i[0]]), "parent": int(p.parent[i[0]]),
                    "cause": int(p.cause[i[0]]), "frame": f,
                }  # fmt: skip
        return None

    chain = ancestry(shot, made.events, who, last, find)
    assert [r.row for r in chain] == ["source", "bursts", "burst", "falls"]
    assert chain[0].frame == 1
    assert chain[1].frame == chain[2].frame == 14  # the first look at which it is older than 0.5 s is behind frame 13
    assert "gets older than 0.5 s" in chain[1].text
    assert chain[2].text.startswith("Came off particle 0")
    assert (late.parent[late.state > 0] == 0).all()
    assert 0 not in late.id  # the flare is gone, and still explains it


def test_cues_resume_in_the_middle_of_a_cascade_to_the_same_bytes(tmp_path):
    from hotgravel.core.run.execute import execute
    from hotgravel.core.run.frames import FrameStore
    from hotgravel.core.run.world import beside, build
    from hotgravel.core.shot.document import load

    shot = cascade()
    shot["cues"].append(
        cue({"kind": "older", "age": 0.2}, {"kind": "kick", "speed": 1}, id="kicks", delay=0.3, frames=9, again="each")
    )
    shot["cues"].append(
        cue({"kind": "at_frame", "frame": 6}, {"kind": "stop", "row": "gravity"}, id="stops", frames=30)
    )
    world = build(load(shot), beside(tmp_path))
    whole, cut = tmp_path / "whole", tmp_path / "cut"
    execute(world, whole)
    for stop in (9, 14, 23, 31):
        execute(world, cut, resume=True, cancelled=lambda stop=stop: len(FrameStore(cut).frames()) >= stop)
    execute(world, cut, resume=True)
    for frame in range(1, 49):
        assert FrameStore(whole).path(frame).read_bytes() == FrameStore(cut).path(frame).read_bytes()


def test_cues_that_lead_to_one_another_go_round_once_and_end():
    to_late = cue({"kind": "older", "age": 0.1}, ENTER, id="there", whom="loose", again="each")
    back = cue({"kind": "older", "age": 0.1}, {"kind": "enter", "state": "loose"}, id="back", whom="late", again="each")
    made = flight(to_late, back, finish={"last": 8})
    assert made.events.cue.tolist() == [0, 1]
    boom = {"kind": "offshoot", "id": "boom", "emit": {"kind": "asked", "count": 2500}, "state": "loose"}
    with pytest.raises(ShotFault, match="give off the same again"):
        flight(cue({"kind": "older", "age": 0.02}, {"kind": "shed", "offshoot": "boom"}), supply=[source(), boom])


def test_a_kick_is_as_strong_for_each_as_its_falloff_has_it():
    falloff = {
        "kind": "response", "attribute": "distance to", "prop": "vent", "begin": 0, "end": 4, "low": 8, "high": 0,
    }  # fmt: skip
    kick = {"kind": "kick", "speed": falloff, "aim": {"kind": "toward", "direction": [0, 1, 0], "cone": 0}}
    crowd = source(emit=CROWD, speed=6, speed_spread=0.5, aim={"kind": "toward", "direction": [1, 0, 0], "cone": 0})
    made = film({"kind": "at_frame", "frame": 9}, kick, supply=[crowd], finish={"last": 10})
    before, after = made.frames[8], made.frames[9]
    off = before.position[:, 0] + before.velocity[:, 0] / 24
    assert off.min() < 1.2 < 2.5 < off.max()
    assert after.velocity[:, 1] == pytest.approx(8 * (1 - off / 4), abs=0.02)
