"""Smoke as a whole: it rises, falls, fades and stays out of what is solid, and none of it is lost."""

from pathlib import Path

import numpy as np
import pytest

from hotgravel.core.matter.fluid.solids import Box
from hotgravel.core.matter.smoke.detail import FINE
from hotgravel.core.matter.smoke.matter import SmokeMatter
from hotgravel.core.matter.smoke.window import box_in, follow
from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.execute import execute, still, threads
from hotgravel.core.run.frame import first_frame, next_frame
from hotgravel.core.run.gauges import measure
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from tests.conftest import source
from tests.core.matter.smoke.scenes import BOX, DOWN, VENT, fume, smoky
from tests.core.run.test_execute import bytes_of


def gone_on(shot, quality="rough"):
    """The world, the state of the smoke at the last frame, and its gauges at each."""
    world = build(load(shot), beside(Path()), quality)
    now, happened = first_frame(world, still)
    told = []
    while now.frame < world.shot.finish.last:
        happened = next_frame(world, now, still)
        told.append(measure(world, now, happened)["matter"]["smoke"])
    return world, now.states["smoke"], told


def where(world, state):
    """The middle of the smoke, metres."""
    solver, density = world.solvers["smoke"], state.arrays["density"].ravel().astype(float)
    points = box_in(solver.box, state.arrays["window"]).points((0.5, 0.5, 0.5))
    return (density[:, None] * points).sum(axis=0) / density.sum()


def height(gone):
    return where(*gone[:2])[1]


def test_what_came_is_there_has_faded_or_has_left():
    _, _, told = gone_on(smoky({"fade": 0.15, "size": [1.6, 1.6, 1.6], "at": [0, 0.8, 0]}, last=49))
    last = told[-1]
    assert last["came"] == pytest.approx(last["mass"] + last["faded"] + last["left"], rel=1e-3)
    assert min(last["faded"], last["left"]) > 0.02 * last["came"]
    assert max(t["apart"] for t in told) < 1e-3


def test_it_fades_along_a_straight_line_and_cools_along_an_exponential():
    once = [fume(end=1, rate=24)]
    _, state, _ = gone_on(smoky({"fade": 0.25, "cooling": 2.0, "sides": "closed"}, once, forces=(), last=2))
    thick, hot = state.arrays["density"].max(), state.arrays["heat"].max()
    for last in (13, 25):
        _, state, _ = gone_on(smoky({"fade": 0.25, "cooling": 2.0, "sides": "closed"}, once, forces=(), last=last))
        past = (last - 2) / 24
        assert state.arrays["density"].max() == pytest.approx(thick - 0.25 * past, abs=0.01)
        assert state.arrays["heat"].max() == pytest.approx(hot * np.exp(-2.0 * past), rel=0.02)


@pytest.mark.parametrize(
    ("attribute", "begin", "end"), [("age", 0.0, 1.0), ("height", 0.5, 3.0), ("temperature", 200.0, 20.0)]
)
def test_what_is_old_or_high_or_cold_fades_first(attribute, begin, end):
    more = {"kind": "response", "attribute": attribute, "begin": begin, "end": end, "low": 0.0, "high": 3.0}
    world, kept, _ = gone_on(smoky({"room": "whole"}, last=19))
    thinned = gone_on(smoky({"room": "whole", "thinning": more}, last=19))[1]
    y = world.solvers["smoke"].box.points((0.5, 0.5, 0.5))[:, 1]
    left = [
        thinned.arrays["density"].ravel()[band].sum() / kept.arrays["density"].ravel()[band].sum()
        for band in (y < 0.7, y > 1.2)
    ]
    assert left[1] < 0.92 * left[0] < 0.92


def test_gravity_that_differs_from_place_to_place_lifts_where_it_is():
    less = {"kind": "response", "attribute": "height", "begin": 0.4, "end": 0.6, "low": 9.81, "high": 0.0}
    low = {"kind": "zone", "id": "low", "name": "low", "shape": {"kind": "heights", "high": 0.5}}
    whole, thin, cold = (
        height(gone_on(smoky(last=25, props=[low], forces=[DOWN | more])))
        for more in ({}, {"strength": less}, {"zone": "low"})
    )
    assert max(thin, cold) < 0.9 * whole
    assert thin == pytest.approx(cold, rel=0.1)


def test_flow_past_a_ball_stays_symmetric():
    ball = VENT | {"id": "ball", "name": "ball", "shape": {"kind": "sphere", "radius": 0.35}, "position": [0, 1.6, 0]}
    wind = {"kind": "wind", "id": "wind", "speed": 2, "direction": [1, 0, 0], "grip": 6}
    shot = smoky(
        {"room": "whole", "sides": "open", "but": None, "size": [3.2, 1.6, 1.6]}, [fume(prop="far")],
        props=[ball, ball | {"id": "far", "name": "far", "position": [-1, 1.6, 0]}],
        matter=[{"kind": "collision", "id": "met", "props": ["ball"]}], forces=(wind,), last=25,
    )  # fmt: skip
    arrays = gone_on(shot)[1].arrays
    assert arrays["density"][24:].sum() > 5  # it has gone about the ball
    for name in ("density", "u", "v", "w"):
        for axis, across in ((1, "v"), (2, "w")):
            mirrored = np.flip(arrays[name], axis) * (-1 if name == across else 1)
            assert arrays[name] == pytest.approx(mirrored, abs=2e-3 * float(np.abs(mirrored).max())), (name, axis)


def test_hot_smoke_rises_cold_sinks_and_either_turns_about_without_other_heat():
    up = height(gone_on(smoky()))
    level = height(gone_on(smoky({"lift": 0.0})))
    reversed_ = height(gone_on(smoky({"lift": -1.0})))
    cold = height(gone_on(smoky(supply=[fume(temperature=-40)])))
    heavy = height(gone_on(smoky({"weight": 0.6}, [fume(temperature=20)])))
    assert up > level + 0.1 > level > reversed_
    assert max(cold, heavy) < level
    assert height(gone_on(smoky(forces=()))) == pytest.approx(level, abs=0.001)  # without gravity nothing lifts


@pytest.mark.parametrize("turned", [0, 30])
def test_none_leaves_a_box_of_thin_walls(turned):
    # Six boards 2 cm thick, a fifth of a cell, around the vent.
    turn = np.radians(turned)
    walls = []
    for axis in range(3):
        for way in (-1, 1):
            size, off = [1.2, 1.2, 1.2], [0.0, 0.0, 0.0]
            size[axis], off[axis] = 0.02, 0.55 * way
            x, z = np.cos(turn) * off[0] + np.sin(turn) * off[2], -np.sin(turn) * off[0] + np.cos(turn) * off[2]
            walls.append({
                "kind": "prop", "id": f"wall-{axis}-{way + 1}", "name": f"wall {axis} {way}", "position": [x, 0.9 + off[1], z],
                "rotation": [0, turned, 0], "shape": dict(zip(("kind", "width", "height", "depth"), ("box", *size), strict=True)),
            })  # fmt: skip
    met = {"kind": "collision", "id": "met", "props": [wall["id"] for wall in walls]}
    still_vent = {
        "kind": "prop",
        "id": "vent",
        "name": "vent",
        "shape": {"kind": "sphere", "radius": 0.25},
        "position": [0, 0.9, 0],
    }
    shot = smoky(matter=[met], last=37) | {"set": [still_vent, *walls]}
    world, state, _ = gone_on(shot)
    places = box_in(world.solvers["smoke"].box, state.arrays["window"]).points((0.5, 0.5, 0.5)) - [0, 0.9, 0]
    x, z = (
        np.cos(turn) * places[:, 0] - np.sin(turn) * places[:, 2],
        np.sin(turn) * places[:, 0] + np.cos(turn) * places[:, 2],
    )
    outside = np.abs(np.stack([x, places[:, 1], z])).max(axis=0) > 0.65
    density = state.arrays["density"].ravel()
    assert density.sum() > 50
    assert density[outside].max() < 1e-4


def test_what_is_met_from_inside_holds_it():
    jar = {
        "kind": "prop",
        "id": "jar",
        "name": "jar",
        "shape": {"kind": "sphere", "radius": 0.7},
        "position": [0, 0.7, 0],
    }
    tops = {}
    for side in ("inside", "outside"):
        met = {"kind": "collision", "id": "met", "props": ["jar"], "side": side}
        world, state, told = gone_on(smoky(props=[jar], matter=[met], last=25))
        density, box = state.arrays["density"].ravel(), box_in(world.solvers["smoke"].box, state.arrays["window"])
        away = np.linalg.norm(box.points((0.5, 0.5, 0.5)) - [0, 0.7, 0], axis=1)
        tops[side] = density[away > 0.8].max(), told[-1]["came"]
        assert side == "outside" or density[away < 0.7].sum() > 50
    assert tops["inside"][0] < 1e-4 < tops["inside"][1]
    assert tops["outside"][1] == 0.0  # the vent is within what is solid


def test_a_finer_grid_rises_as_high():
    heights = [height(gone_on(smoky(last=13), q)) for q in ("rough", "fine")]
    assert heights[1] == pytest.approx(heights[0], rel=0.1)


def test_the_window_follows_it_and_changes_nothing_of_it():
    wind = {"kind": "wind", "id": "wind", "speed": 1, "direction": [1, 0, 0], "grip": 2}
    wide = {"size": [9.6, 3.2, 4.8]}
    small, state, told = gone_on(smoky(wide, forces=(DOWN, wind), last=13))
    big, all_of_it, _ = gone_on(smoky(wide | {"room": "whole"}, forces=(DOWN, wind), last=13))
    assert told[-1]["cells"] < 0.6 * all_of_it.arrays["density"].size
    assert told[-1]["mass"] == pytest.approx(float(all_of_it.arrays["density"].sum()) * 1e-3, rel=0.02)
    assert where(small, state) == pytest.approx(where(big, all_of_it), abs=0.06)


def test_a_window_grows_and_shrinks_by_blocks_within_its_box():
    limits = Box((0.0, 0.0, 0.0), 0.1, (160, 80, 80))
    about = lambda low, high: np.array([low, high])  # noqa: E731
    begun = follow(limits, np.zeros((2, 3), np.int64), about([5, 0, 4], [6, 1, 5]))
    assert begun.tolist() == [[4, 0, 3], [3, 2, 3]]  # a block of room, but for what lies under the floor
    assert follow(limits, begun, about([5, 0, 4], [6, 1, 5])) is begun
    grown = follow(limits, begun, about([5, 0, 4], [9, 1, 5]))
    assert grown.tolist() == [[4, 0, 3], [6, 2, 3]]
    assert follow(limits, grown, about([5, 0, 4], [7, 1, 5])) is grown  # not too much room yet
    wide = np.array([[0, 0, 0], [20, 10, 10]])
    assert follow(limits, wide, about([5, 0, 4], [6, 1, 5])).tolist() == begun.tolist()


def test_what_drains_take_is_told_and_smoke_of_two_sources_is_known_apart():
    sink = {"kind": "prop", "id": "sink", "name": "sink", "shape": {"kind": "box"}, "position": [0, 1.6, 0]}
    other = VENT | {"id": "other", "name": "other", "position": [0.45, 0.5, 0]}
    drain = {"kind": "drain", "id": "drain", "prop": "sink", "rate": 30, "edge": 0.1}
    supply = [fume(), fume(id="more", prop="other", colour="#FF0000"), drain]
    world, state, told = gone_on(smoky(supply=supply, props=[sink, other], last=37))
    last = told[-1]
    assert last["drained"] > 0.3 * last["came"]
    assert last["came"] == pytest.approx(last["mass"] + last["faded"] + last["drained"] + last["left"], rel=1e-3)
    of = [state.arrays[f"of {n}"].astype(float) for n in (0, 1)]
    assert sum(part.sum() for part in of) == pytest.approx(state.arrays["density"].sum(), rel=1e-4)
    x = box_in(world.solvers["smoke"].box, state.arrays["window"]).points((0.5, 0.5, 0.5))[:, 0]
    assert (of[1].ravel() * x).sum() / of[1].sum() > 0.2 + (of[0].ravel() * x).sum() / of[0].sum()
    tint = world.solvers["smoke"].records(state)["volume"]["tint"].reshape(-1, 3)
    assert tint[:, 1].min() == 0
    assert tint[:, 0].min() == 255 == tint[:, 1].max()


def test_smoke_comes_off_what_moves_and_is_dragged_along():
    jet = source(emit={"kind": "burst", "count": 5, "frame": 1}, state="ash", speed=2)
    puff = {"kind": "puff", "id": "trail", "whom": "ash", "rate": 20, "young": 0.3}
    ash = {"kind": "state", "id": "ash", "name": "ash"}
    _, state, told = gone_on(smoky(supply=[jet, puff], matter=[ash], forces=(), last=13))
    assert told[-1]["mass"] > 0.01
    assert told[-1]["mass"] == pytest.approx(told[8]["mass"], rel=1e-3)  # none comes off older ones
    assert state.arrays["u"].max() > 0.02


def test_fuel_burns_above_its_ignition_heats_swells_and_leaves_soot():
    fire = {"kind": "fire", "id": "fire", "ignition": 250, "soot": 0.5, "swell": 2}
    fuel = [fume(rate=0, fuel=12, temperature=400, end=3)]
    _, state, told = gone_on(smoky({"room": "whole"}, fuel, matter=[fire], forces=(), last=9))
    assert told[-1]["burnt"] > 0.0 == told[-1]["came"]
    assert told[-1]["hottest"] > 700
    out = sum(
        float(np.take(state.arrays[n], -1, a).sum() - np.take(state.arrays[n], 0, a).sum()) for a, n in enumerate("uvw")
    )
    assert out * 1e-2 == pytest.approx(2 * float(state.arrays["flame"].sum()) * 1e-3, rel=0.05)  # what swells flows out
    _, _, cold = gone_on(smoky(supply=[fume(rate=0, fuel=12, temperature=200)], matter=[fire], forces=(), last=5))
    assert cold[-1]["burnt"] == 0.0
    assert cold[-1]["hottest"] < 201


def test_what_a_cue_removes_is_gone_with_its_fuel_and_its_detail_and_counts():
    fire, fine = {"kind": "fire", "id": "fire", "ignition": 900}, {"kind": "detail", "id": "detail"}
    cut = {"kind": "cue", "id": "cut", "when": {"kind": "at_frame", "frame": 7}, "then": {"kind": "remove"}}
    fuel, left = [fume(fuel=4, end=4)], []
    for cues in ([], [cut]):
        _, state, told = gone_on(smoky({}, fuel, matter=[fire, fine], cues=cues, last=9))
        last = told[-1]
        parts = last["mass"] + last["faded"] + last["left"] + last["drained"]
        assert last["came"] == pytest.approx(parts, rel=1e-3)
        left.append([state.arrays[name].sum() for name in ("density", "fuel", FINE + "density", FINE + "fuel")])
    assert np.all(np.array(left[1]) < 0.05 * np.array(left[0]))


def test_diffusion_softens_it_and_walls_that_it_clings_to_hold_it_back():
    thickest = [
        gone_on(smoky({"diffusion": d, "lift": 0.0}, [fume(end=2)]))[1].arrays["density"].max() for d in (0.0, 0.05)
    ]
    assert thickest[1] < 0.8 * thickest[0]
    along = [fume(speed=2, direction=[1, 0, 0])]
    below = [
        float(np.abs(gone_on(smoky({"viscosity": 0.05, "lift": 0.0, "along": a}, along))[1].arrays["u"][:, 0]).max())
        for a in ("slides", "clings")
    ]
    assert below[1] < 0.8 * below[0]


def test_what_went_on_before_the_start_is_there_at_the_first_frame():
    before = build(load(smoky({"preroll": 0.5})), beside(Path()))
    now, _ = first_frame(before, still)
    later = gone_on(smoky(last=13))
    assert where(before, now.states["smoke"]) == pytest.approx(where(*later[:2]), abs=0.02)


def test_slow_motion_is_the_same_smoke_seen_more_often():
    quick = gone_on(smoky(last=9))
    slow = smoky(last=17)
    slow["finish"]["time_scale"] = 0.5
    assert where(*gone_on(slow)[:2]) == pytest.approx(where(*quick[:2]), abs=0.03)


def test_wind_blows_it_and_a_zone_masks_where_it_comes():
    wind = {"kind": "wind", "id": "wind", "speed": 3, "direction": [1, 0, 0], "grip": 3}
    world, state, _ = gone_on(smoky(forces=(DOWN, wind)))
    assert where(world, state)[0] > 0.15
    right = {
        "kind": "zone",
        "id": "right",
        "name": "right",
        "shape": {"kind": "block", "at": [1, 0.5, 0], "size": [2, 2, 2]},
        "edge": 0,
    }
    _, state, _ = gone_on(smoky({"room": "whole"}, [fume(through="right")], props=[right], forces=(), last=3))
    assert state.arrays["density"][:8].max() == 0.0 < state.arrays["density"][8:].max()


def test_one_thread_and_two_give_the_same_bytes(tmp_path):
    shot = smoky({"swirl": 2.0}, last=6)
    for n in (1, 2):
        threads(n)
        execute(build(load(shot), beside(Path()), "rough"), tmp_path / str(n))
    assert bytes_of(tmp_path / "1") == bytes_of(tmp_path / "2")


def test_what_cannot_be_is_told():
    with pytest.raises(ShotFault, match=r"million cells. Accepted: 6 million, as cells of"):
        gone_on(smoky({"cell": 0.005}))
    with pytest.raises(
        ShotFault, match=r"field 'but': lid is no side\. Accepted: left, right, floor, top, back, front"
    ):
        gone_on(smoky({"but": "top and lid"}))
    with pytest.raises(ShotFault, match="another box too"):
        gone_on(smoky(matter=[BOX | {"id": "more"}]))


def test_what_will_go_wrong_is_told_before():
    sheet = {
        "kind": "prop",
        "id": "board",
        "name": "board",
        "shape": {"kind": "box", "width": 0.02},
        "position": [0, 2, 0],
    }
    met = {"kind": "collision", "id": "met", "props": ["board"]}
    shot = load(smoky({"fade": 30}, [fume(fuel=3)], props=[sheet], matter=[met]))
    told = {f.check: f.message for f in findings(shot, build(shot, beside(Path())))}
    assert (
        told["thin for smoke"] == "board is 0.02 m thick, less than a cell: smoke meets it as if it were 0.12 m thick."
    )
    assert told["fuel without fire"] == "Fuel comes, and there is no fire for it to burn in."
    assert told["fades at once"] == "At 30 /s all smoke has faded within a frame. Accepted: less than 24 /s."


@pytest.mark.parametrize(
    ("height", "said"), [(0.5, []), (9.0, ["far lies outside the box of the smoke, so nothing comes."])]
)
def test_a_source_outside_the_box_is_told(height, said):
    far = {"kind": "prop", "id": "far", "name": "far", "shape": {"kind": "box"}, "position": [0, height, 0]}
    world = build(load(smoky(supply=[fume(prop="far")], props=[far])), beside(Path()))
    assert [f.message for f in findings(world.shot, world) if f.check == "outside the box"] == said


def test_how_many_steps_are_taken_is_told_where_they_are_many():
    def told(speed):
        shot = smoky({"cell": 0.1, "size": [1.6, 1.6, 1.6], "at": [0, 0.8, 0]}, [fume(speed=speed)], last=4)
        _, _, gauges = gone_on(shot)
        frames = dict(enumerate(gauges, 2))
        found = [f for f in SmokeMatter().after(load(shot), frames) if f.check == "many steps"]
        return max(g["steps"] for g in gauges), found

    few, none = told(1.0)
    assert few < 16
    assert not none
    many, (finding,) = told(120.0)
    assert 16 <= many < 64
    assert finding.severity == "doubtful"
    assert f"{many:.0f} steps" in finding.message
    most, (finding,) = told(800.0)
    assert most == 64
    assert finding.severity == "wrong"


def test_smoke_that_an_open_side_cuts_off_is_told():
    def told(**smoke):
        shot = smoky({"size": [1.6, 1.6, 1.6], "at": [0, 0.8, 0]} | smoke, last=37)
        frames = dict(enumerate(gone_on(shot)[2], 2))
        return list(SmokeMatter().after(load(shot), frames))

    (finding,) = told()
    assert (finding.check, finding.path) == ("smoke cut off", "size")
    larger = finding.remedy.act(load(smoky({"size": [1.6, 1.6, 1.6], "at": [0, 0.8, 0]}))).shot.smokes[0]
    assert (larger.size, larger.at) == (pytest.approx((2.4, 2.4, 2.4)), pytest.approx((0.0, 1.2, 0.0)))
    assert told(sides="closed") == told(size=[1.6, 6.4, 1.6], at=[0, 3.2, 0]) == []


def test_bodies_and_their_pieces_stand_in_its_way_as_a_prop_does_that_goes_as_they_go():
    goes = {"kind": "keys", "keys": [{"frame": 1, "value": -0.9, "ease": "linear"}, {"frame": 13, "value": 0.3}]}
    board = {
        "kind": "prop",
        "id": "board",
        "name": "board",
        "shape": {"kind": "box", "width": 0.3, "height": 0.9, "depth": 0.6},
        "position": [goes, 0.8, 0],
    }
    cut = {"kind": "cut", "id": "cut", "prop": "board", "manner": {"kind": "random", "pieces": 12}}
    met = {"kind": "collision", "id": "met", "props": ["board"]}
    led = {"kind": "rigid", "id": "body", "prop": "board", "begins": "following"}

    def met_by(props, *matter):
        world, state, _ = gone_on(smoky({"cell": 0.08, "room": "whole"}, props=props, matter=matter))
        points = world.solvers["smoke"].box.points((0.5, 0.5, 0.5))
        return state.arrays["density"].ravel(), points

    alone, points = met_by([board], met)
    away, _ = met_by([board])
    whole, _ = met_by([board], met, led)
    broken, _ = met_by([board, cut], met, led | {"copies": {"kind": "pieces"}})
    inside = (np.abs(points - [0.2, 0.8, 0]) < [0.12, 0.4, 0.25]).all(axis=1)
    assert away[inside].max() > 0.2
    for of in (alone, whole, broken):
        assert of[inside].max() == 0.0
        assert np.corrcoef(alone, of)[0, 1] > 0.97
    assert np.corrcoef(alone, away)[0, 1] < 0.9
