"""Bodies in runs: the same bytes however it is run, cues that see them, what comes off them, and bad input."""

from pathlib import Path

import numpy as np
import pytest

from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.execute import execute, threads
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.story import events_until, story_of
from hotgravel.core.run.why_not import why_not
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from hotgravel.demo.shots import demo_path
from tests.conftest import LOOSE, play, source
from tests.core.matter.rigid.scenes import UNIT_BALL, UNIT_BOX, body, film, paths, prop, scene, stacked
from tests.core.run.test_execute import bytes_of

SPARK = LOOSE | {"id": "spark", "name": "spark"}
DOWN_AGAIN = {"kind": "state", "id": "landed", "name": "landed", "of": "rigid"}


def heap(**sections):
    """Boxes that fall on one another and give off sparks where they are hit hard."""
    box = prop("box", UNIT_BOX, (0, 2, 0), rotation=[20, 10, 30])
    rows = [body("box", copies=stacked(2, 3, 2, gap=0.2, turn="any"), bounce=0.3, pushed=0.5), SPARK, DOWN_AGAIN]
    rows.append({"kind": "collision", "id": "sparked", "props": ["box"], "whom": "spark"})
    sparks = source(
        id="sparks", kind="offshoot", emit={"kind": "asked", "count": 5}, state="spark", life=0.4,
        aim={"kind": "anywhere"},
    )  # fmt: skip
    sparks.pop("prop")
    cue = {
        "kind": "cue", "id": "hit", "when": {"kind": "struck", "impulse": 2000},
        "then": {"kind": "shed", "offshoot": "sparks"}, "again": "each",
    }  # fmt: skip
    land = {
        "kind": "cue",
        "id": "land",
        "when": {"kind": "touches", "prop": "ground"},
        "then": {"kind": "enter", "state": "landed"},
    }
    return scene([box], rows, 40, supply=[sparks], cues=[cue, land]) | sections


@pytest.fixture(scope="module")
def run(tmp_path_factory) -> Path:
    folder = tmp_path_factory.mktemp("heap")
    execute(build(load(heap()), beside(Path())), folder)
    return folder


def test_the_cairn_stands_without_a_shiver_until_it_is_hit_and_all_come_to_rest():
    made = play(load(demo_path("cairn")).dump(), "rough", matter="rigid")
    stones = [frame.position[:20] for number, frame in made.frames.items() if 1 <= number <= 85]
    assert np.ptp(stones, axis=0).max() < 1e-4
    assert len(made.last) == 21
    assert made.last.asleep.all()
    assert np.linalg.norm(made.last.position[:20] - stones[0], axis=1).max() > 3.0


def test_all_that_is_poured_on_the_sorting_table_comes_to_rest():
    made = play(load(demo_path("sorting-table")).dump(), "rough", matter="rigid")
    last, poured = made.last, made.world.shot.rigid
    assert last.asleep.all()
    below = {row.id: (last.position[last.source == n, 1] < 0.4).mean() for n, row in enumerate(poured)}
    assert below["pebbles"] > 0.8 > 0.2 > below["crates"]


@pytest.mark.parametrize("many", [1, 2])
def test_one_thread_gives_the_same_bytes_as_two(run, tmp_path, many):
    assert threads(many) == many
    execute(build(load(heap()), beside(Path())), tmp_path)
    assert bytes_of(tmp_path) == bytes_of(run)


@pytest.mark.parametrize("stop", [7, 23])
def test_a_run_that_stops_amid_falling_goes_on_to_the_same_bytes(run, tmp_path, stop):
    told: list[int] = []
    world = build(load(heap()), beside(Path()))
    execute(world, tmp_path, landed=lambda f, g: told.append(f), cancelled=lambda: len(told) >= stop)
    assert execute(build(load(heap()), beside(Path())), tmp_path, resume=True)[-1] == 40
    assert bytes_of(tmp_path) == bytes_of(run)


def test_cues_see_bodies_and_sparks_come_off_them(run):
    store, shot = FrameStore(run), load(heap())
    events, last = events_until(store, 40), store.elements(40, "rigid")
    landed = events.particle[events.cue == 1]
    assert set(landed) == set(last["id"][last["state"] == 1])
    hits = events.value[events.cue == 0]
    assert len(hits) > 3
    assert hits.min() > 2000
    made = sum(len(store.particles(f)["id"]) for f in range(1, 41))
    assert made > 0
    frame = next(f for f in range(1, 41) if len(store.particles(f)["id"]))
    spark = store.particles(frame)
    assert (spark["id"] >= 12).all()  # one counter of ids for all matter
    assert set(spark["parent"]) <= set(last["id"])
    told = story_of(shot, store, int(spark["id"][0]), frame)
    assert told.called == "particle"
    assert [r.row for r in told.chain if r.row != "land"] == ["box-body", "hit", "sparks"]
    assert told.chain[1].text.endswith((", by ground.", *(f", by body {n}." for n in range(12))))
    other = events.other[events.cue == 0]
    assert set(other) <= {-2 - [p.id for p in shot.props].index("ground"), *range(12)}
    assert {-2, *range(12)} & set(other)
    body_told = story_of(shot, store, int(landed[0]), 40)
    assert body_told.called == "body"
    assert "Began as box, stacked, loose." in body_told.chain[0].text
    assert "kg" in body_told.facts["mass"]


def test_why_not_tells_how_hard_the_hardest_hit_of_a_body_was(run):
    cue = {"kind": "cue", "id": "far", "when": {"kind": "struck", "impulse": 1e9}, "then": {"kind": "remove"}}
    world = build(load(heap(cues=[cue])), beside(Path()))
    said = why_not(world, FrameStore(run), events_until(FrameStore(run), 0), 3, "far", 40)
    assert "N s" in said[0]
    assert "the cue wants over" in said[0]


def test_contacts_are_kept_with_place_normal_and_impulse(run):
    store = FrameStore(run)
    kept = store.record(40, "contacts", ("place", "normal", "impulse", "one", "other"))
    assert np.linalg.norm(kept["normal"], axis=1) == pytest.approx(1, abs=1e-5)
    on_ground = kept["one"] < 0
    assert np.abs(kept["place"][on_ground, 1]).max() < 0.02
    gauges = store.gauges(40)["matter"]["rigid"]
    assert gauges["contacts"] == len(kept["impulse"])
    # What lies still presses on the ground with its weight.
    if gauges["asleep"] == 12:
        weight = store.elements(40, "rigid")["mass"].sum() * 9.81
        assert kept["impulse"][on_ground].sum() > 0.5 * weight / 96


def test_held_bodies_do_not_move_a_bit_until_they_are_let_go():
    free = {"kind": "cue", "id": "go", "when": {"kind": "at_frame", "frame": 10}, "then": {"kind": "unpin"}}
    place = paths(film(scene([prop("box", UNIT_BOX, (0, 5, 0))], [body("box", begins="held")], 20, cues=[free])))[:, 0]
    assert (place[:10] == place[0]).all()
    assert place[19, 1] == pytest.approx(5 - 0.5 * 9.81 * (10 / 24) ** 2, abs=1e-9)


def test_a_led_body_goes_on_with_its_velocity():
    keys = {"kind": "keys", "keys": [{"frame": 1, "value": 0, "ease": "linear"}, {"frame": 25, "value": 4}]}
    free = {"kind": "cue", "id": "go", "when": {"kind": "at_frame", "frame": 13}, "then": {"kind": "unpin"}}
    shot = scene([prop("box", UNIT_BOX, (keys, 5, 0))], [body("box", begins="following")], 25, forces=[], cues=[free])
    place = paths(film(shot))[:, 0, 0]
    assert place == pytest.approx(4 * np.arange(25) / 24, abs=1e-6)


def test_what_sleeps_wakes_when_its_support_is_removed():
    props = [prop("low", UNIT_BOX, (0, 0.5001, 0)), prop("high", UNIT_BOX, (0, 1.5003, 0))]
    gone = {
        "kind": "cue", "id": "gone", "source": "low-body", "when": {"kind": "at_frame", "frame": 40},
        "then": {"kind": "remove"},
    }  # fmt: skip
    made = film(scene(props, [body("low"), body("high")], 70, cues=[gone]))
    assert made.frames[39].asleep.all()
    assert made.last.position[:, 1] == pytest.approx([0.5], abs=0.01)


def test_a_body_begins_when_a_cue_puts_its_prop_in_place_and_ends_with_it():
    props = [
        prop("post", UNIT_BOX, (4, 0.5, 0)),
        prop("box", UNIT_BOX, (0, 5, 0)),
        prop("rubble", UNIT_BALL, (0, 9, 0)),
    ]
    swaps = [
        {"kind": "cue", "id": f"swap-{frame}", "when": {"kind": "at_frame", "frame": frame}, "then": {"kind": "swap", "prop": old, "by": new}}
        for frame, old, new in ((8, "post", "box"), (20, "box", "rubble"))
    ]  # fmt: skip
    made = film(scene(props, [body("box")], 24, cues=swaps))
    assert [len(made.frames[f]) for f in (7, 9, 20, 21)] == [0, 1, 1, 0]
    assert made.frames[9].position[0, 1] == pytest.approx(5, abs=1e-9)
    assert made.frames[19].position[0, 1] == pytest.approx(5 - 0.5 * 9.81 * (10 / 24) ** 2, abs=1e-9)


def test_particles_bounce_off_bodies_which_feel_none_of_it():
    ball = prop("ball", UNIT_BALL, (3, 0.5001, 0))
    drops = source(emit={"kind": "burst", "count": 50, "frame": 1}, speed=10)
    vent = {
        "kind": "prop", "id": "vent", "name": "vent", "shape": {"kind": "sphere", "radius": 1e-6},
        "position": [0, 0.7, 0],
    }  # fmt: skip
    shot = scene([ball, vent], [body("ball"), LOOSE], 20, supply=[drops], landing={"props": ["ground", "ball"]})
    from tests.conftest import play

    particles = play(shot)
    assert particles.last.velocity[:, 0].max() < 5.0
    assert paths(film(shot))[-1, 0] == pytest.approx([3, 0.5, 0], abs=1e-3)


@pytest.mark.parametrize("quality", ["fair", "fine"])
def test_a_pour_fills_as_much_room_at_any_quality(quality):
    """Balls poured into a box come to rest in the same volume, rough or fine."""

    def rest(of: str) -> float:
        crate = prop("crate", {"kind": "box", "width": 1.6, "height": 8, "depth": 1.6}, (0, 4, 0))
        ball = prop("ball", {"kind": "sphere", "radius": 0.2}, (0, 0.3, 0))
        rows = [body("ball", copies=stacked(3, 9, 3, gap=0.1), rolling=0.02)]
        made = film(scene([crate, ball], rows, 120, landing={"props": ["crate"], "side": "inside"}), of)
        return float(made.last.position[:, 1].mean())

    assert rest(quality) == pytest.approx(rest("rough"), rel=0.05)


@pytest.mark.parametrize(("change", "said"), [
    (lambda s: s["set"][1].update(shape={"kind": "plane", "width": 1, "depth": 1}), "flat"),
    (lambda s: s["matter"][0].update(state="spark"), "state of particles. Accepted: a state of bodies"),
    (lambda s: s["matter"][0].update(copies=stacked(200, 200, 3)), "120 000 copies. Accepted: 20 000"),
    (lambda s: s["matter"][0].update(density=0), "Accepted: a number above 0"),
    (lambda s: s["set"][1].update(on=False), "switched off"),
])  # fmt: skip
def test_bad_bodies_are_sentences(change, said):
    shot = heap()
    change(shot)
    with pytest.raises(ShotFault, match=said):
        build(load(shot), beside(Path()))


def told(shot):
    world = build(load(shot), beside(Path()))
    return world.shot, findings(world.shot, world)


KEYED = {"kind": "keys", "keys": [{"frame": 1, "value": 0}, {"frame": 25, "value": 4}]}


@pytest.mark.parametrize(("check", "shot", "said"), [
    ("begin inside", scene([prop("box", UNIT_BOX, (0, 2, 0))], [body("box", copies=stacked(3, 3, gap=0.0, turn="any"))]), "inside one another"),
    ("keys unused", scene([prop("box", UNIT_BOX, (KEYED, 2, 0))], [body("box")]), "count no more"),
    ("never let go", scene([prop("box", UNIT_BOX, (0, 2, 0))], [body("box", begins="held")]), "no cue lets it go"),
    ("nothing to land on", scene([prop("box", UNIT_BOX, (0, 2, 0))], [body("box")]) | {"matter": [body("box")]}, "fall for ever"),
])  # fmt: skip
def test_preflight_tells_what_bodies_will_do_and_a_press_clears_it(check, shot, said):
    loaded, found = told(shot)
    mine = [f for f in found if f.check == check]
    assert said in mine[0].message
    cleared = loaded
    for _ in range(3):  # copies turned any way may need to be spread more than once
        again = [f for f in told(cleared.dump())[1] if f.check == check]
        if again:
            cleared = again[0].remedy.act(cleared).shot
    assert not [f for f in told(cleared.dump())[1] if f.check == check]


def test_a_shot_of_bodies_that_stands_well_is_clear():
    assert told(scene([prop("box", UNIT_BOX, (0, 0.501, 0))], [body("box", copies=stacked(2, 3, gap=0.01))]))[1] == []
