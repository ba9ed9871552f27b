"""Each finding has a shot that shows it, one that must not, and a remedy that clears it; the demo shows none."""

import copy
from pathlib import Path

import pytest

from hotgravel.core.preflight.after import in_run
from hotgravel.core.preflight.checks import findings
from hotgravel.core.preflight.placed import Limits, within_limits
from hotgravel.core.run.estimate import Estimate
from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.demo.shots import demo_names, demo_path
from tests.conftest import GRAVITY, GROUND, LOOSE, VENT, at, document, landing, source

LATE = {"kind": "state", "id": "late", "name": "late"}
BALL = {"kind": "prop", "id": "jar", "name": "jar", "shape": {"kind": "sphere", "radius": 2.0}}
FAR = {"kind": "zone", "id": "far", "name": "far", "shape": {"kind": "ball", "at": [90, 0, 0]}}
NEAR = FAR | {"shape": {"kind": "ball", "at": [0, 0, 0], "radius": 3.0}}
BLOB = VENT | {"shape": {"kind": "sphere", "radius": 0.2}}
CROWD = {"kind": "burst", "count": 3000, "frame": 1}
OFF = {"kind": "offshoot", "id": "off", "whom": "loose", "emit": {"kind": "asked", "count": 5}, "state": "late"}
APART = {"kind": "apart", "id": "apart"}
OVER_HEAT = {"kind": "response", "attribute": "temperature", "begin": 0, "end": 100, "low": 1, "high": 2}


def cue(when, then=None, **fields):
    return {"kind": "cue", "id": "cue", "when": when, "then": then or {"kind": "remove"}} | fields


def keys(outside, last=12):
    return {"kind": "keys", "outside": outside, "keys": [{"frame": 1, "value": 2}, {"frame": last, "value": 5}]}


def drag(rate):
    return {"kind": "linear_drag", "id": "drag", "rate": rate}


def stream(**fields):
    return {"kind": "stream", "rate": 100, "start": 1, "end": 20} | fields


SLAB = {
    "kind": "prop",
    "id": "slab",
    "name": "slab",
    "position": [9, 9, 9],
    "rotation": [0, 0, 30],
    "shape": {"kind": "box"},
}
STRUCK = {"kind": "cut", "id": "struck", "prop": "slab", "manner": {"kind": "strike", "at": [0, 0.5, 0]}}

SPOUT = {"kind": "spout", "id": "spout", "prop": "vent"}

# What shows it, where, in which words; what must not show it; whether a press clears it.
BEFORE = {
    "no supply": ({"supply": []}, "", "all frames will be empty", {}, False),
    "outside range": ({"supply": [source(emit={"kind": "burst", "count": 5, "frame": 99})]}, "source", "outside frames 1 to 25", {}, True),
    "outside range, stream": ({"supply": [source(emit=stream(start=30, end=60))]}, "source", "Gives nothing", {"supply": [source(emit=stream())]}, True),
    "outside range, spout": ({"supply": [SPOUT | {"start": 30, "end": 60}]}, "spout", "Gives nothing within frames 1 to 25", {"supply": [SPOUT]}, True),
    "ends early": ({"supply": [SPOUT], "finish": {"last": 150}}, "spout", "Ends at frame 120, and the shot goes on to frame 150", {"supply": [SPOUT | {"end": 121}], "finish": {"last": 150}}, True),
    "outside range, force": ({"forces": [GRAVITY | {"start": 40}]}, "gravity", "acts in no frame", {"forces": [GRAVITY | {"start": 20}]}, True),
    "outside range, cue": ({"cues": [cue({"kind": "at_frame", "frame": 99})]}, "cue", "outside frames", {"cues": [cue({"kind": "at_frame", "frame": 9})]}, True),
    "outside range, every": ({"cues": [cue({"kind": "every", "start": 99})]}, "cue", "behind the last", {"cues": [cue({"kind": "every"})]}, True),
    "empty source": ({"supply": [source(emit=stream(rate=0))]}, "source", "rate of 0", {"supply": [source(emit=stream())]}, True),
    "empty source, zone off": ({"set": [GROUND, VENT, NEAR | {"on": False}], "supply": [source(through="far")]}, "source", "zone it leaves through is off", {"set": [GROUND, VENT, NEAR], "supply": [source(through="far")]}, True),
    "empty source, mask": ({"set": [GROUND, VENT, FAR], "supply": [source(through="far")]}, "source", "Nowhere on vent", {"set": [GROUND, VENT, NEAR], "supply": [source(through="far")]}, True),
    "prop off": ({"set": [GROUND, VENT | {"on": False}]}, "source", "switched off", {}, True),
    "nothing to go into": ({"supply": [SPOUT]}, "spout", "no box of liquid", {"matter": [LOOSE, {"kind": "liquid", "id": "liquid"}], "supply": [SPOUT]}, True),
    "never asked": ({"matter": [LOOSE, LATE], "supply": [source(), OFF]}, "off", "no cue sets it off", {"matter": [LOOSE, LATE], "supply": [source(), OFF], "cues": [cue({"kind": "at_frame", "frame": 9}, {"kind": "shed", "offshoot": "off"})]}, True),
    "no rain falls": ({"matter": [LOOSE, LATE], "supply": [source(), OFF | {"emit": {"kind": "crown"}}]}, "off", "there is none", {"matter": [LOOSE, LATE], "supply": [source(), OFF | {"emit": {"kind": "trail"}}]}, True),
    "nothing parts": ({"matter": [LOOSE, LATE], "supply": [source(), OFF | {"emit": {"kind": "opening"}}]}, "off", "no row bonds any pieces", {"matter": [LOOSE, LATE], "supply": [source(), OFF | {"emit": {"kind": "trail"}}]}, True),
    "state never entered": ({"matter": [LOOSE, LATE]}, "late", "Nothing ever enters", {"matter": [LOOSE]}, True),
    "force unfelt": ({"matter": [LOOSE, LATE], "forces": [GRAVITY | {"whom": "late"}]}, "gravity", "none feels it", {"forces": [GRAVITY | {"whom": "loose"}]}, True),
    "never touched": ({"matter": [LOOSE, landing()], "cues": [cue({"kind": "touches", "prop": "vent"})]}, "cue", "never touched", {"matter": [LOOSE, landing()], "cues": [cue({"kind": "touches", "prop": "ground"})]}, True),
    "never touched, by bodies": ({"set": [GROUND, VENT, SLAB], "matter": [LOOSE, landing(), {"kind": "rigid", "id": "body", "prop": "slab"}], "cues": [cue({"kind": "struck", "prop": "vent"})]}, "cue", "never touched", {"set": [GROUND, VENT, SLAB], "matter": [LOOSE, landing(), {"kind": "rigid", "id": "body", "prop": "slab"}], "cues": [cue({"kind": "struck", "prop": "slab"})]}, True),
    "whom never": ({"matter": [LOOSE, LATE], "cues": [cue({"kind": "older", "age": 0.2}, whom="late")]}, "cue", "ever in late", {"cues": [cue({"kind": "older", "age": 0.2}, whom="loose")]}, True),
    "no chance": ({"cues": [cue({"kind": "older", "age": 0.2}, chance=0)]}, "cue", "never comes", {"cues": [cue({"kind": "older", "age": 0.2}, chance=0.1)]}, True),
    "out of reach": ({"cues": [cue({"kind": "older", "age": 3})]}, "cue", "Nothing gets older than 1 s", {"cues": [cue({"kind": "older", "age": 0.9})]}, True),
    "out of reach, life": ({"supply": [source(life=0.5, life_spread=0.2)], "cues": [cue({"kind": "older", "age": 0.7})]}, "cue", "older than 0.6 s", {"supply": [source(life=0.5, life_spread=0.2)], "cues": [cue({"kind": "older", "age": 0.55})]}, True),
    "out of reach, speed": ({"cues": [cue({"kind": "faster", "speed": 500})]}, "cue", "Nothing gets faster than", {"cues": [cue({"kind": "faster", "speed": 4})]}, True),
    "out of reach, weight": ({"set": [GROUND, VENT, NEAR], "cues": [cue({"kind": "inside", "zone": "far", "weight": 1.0})]}, "cue", "over 100 %", {"set": [GROUND, VENT, NEAR], "cues": [cue({"kind": "inside", "zone": "far"})]}, True),
    "out of reach, share": ({"cues": [cue({"kind": "share_in", "state": "loose", "share": 1})]}, "cue", "never over 100 %", {"cues": [cue({"kind": "share_in", "state": "loose"})]}, True),
    "out of reach, heat": ({"cues": [cue({"kind": "hotter", "temperature": 50})]}, "cue", "born at 20 °C", {"supply": [source(temperature=90)], "cues": [cue({"kind": "hotter", "temperature": 50})]}, True),
    "cue loop": ({"cues": [cue({"kind": "older", "age": 0.1}, {"kind": "shed", "offshoot": "off"})], "matter": [LOOSE, LATE], "supply": [source(), OFF | {"whom": None}]}, "cue", "without end", {"cues": [cue({"kind": "older", "age": 0.1}, {"kind": "shed", "offshoot": "off"}, whom="loose")], "matter": [LOOSE, LATE], "supply": [source(), OFF]}, True),
    "trail loop": ({"matter": [LOOSE, LATE], "supply": [source(state="late"), OFF | {"emit": {"kind": "trail"}, "state": "loose"}]}, "off", "without end", {"matter": [LOOSE, LATE], "supply": [source(), OFF | {"emit": {"kind": "trail"}}]}, True),
    "cue loop, states": ({"matter": [LOOSE, LATE], "cues": [cue({"kind": "older", "age": 0.1}, {"kind": "enter", "state": "late"}, whom="loose", again="each"), cue({"kind": "older", "age": 0.2}, {"kind": "enter", "state": "loose"}, whom="late", again="each", id="back")]}, "cue", "round and round", {"matter": [LOOSE, LATE], "cues": [cue({"kind": "older", "age": 0.1}, {"kind": "enter", "state": "late"}, whom="loose")]}, True),
    "cue loop, waiting": ({"cues": [cue({"kind": "after", "cue": "other"}), cue({"kind": "after", "cue": "cue"}, id="other")]}, "cue", "neither ever fires", {"cues": [cue({"kind": "after", "cue": "other"}), cue({"kind": "older", "age": 0.5}, id="other")]}, True),
    "too many particles": ({"supply": [source(emit=stream(rate=9e6))]}, "source", "a run holds 6 million", {"supply": [source(emit=stream(rate=9e6), life=0.5)]}, True),
    "signal ends": ({"forces": [drag(keys("zero"))]}, "drag", "ends at frame 12", {"forces": [drag(keys("hold"))]}, True),
    "beyond bounds": ({"forces": [drag({"kind": "noise", "middle": 0.5, "amplitude": 30, "period": 0.2})]}, "drag", "it is held at 0", {"forces": [drag({"kind": "wave", "low": 0, "high": 2, "period": 0.5})]}, True),
    "attribute not carried": ({"forces": [drag(OVER_HEAT)]}, "drag", "same temperature", {"forces": [drag(OVER_HEAT)], "supply": [source(), source(id="hot", temperature=80)]}, True),
    "struck off": ({"set": [GROUND, VENT, SLAB, STRUCK | {"manner": {"kind": "strike", "at": [0, 3, 0]}}]}, "struck", "off its surface", {"set": [GROUND, VENT, SLAB, STRUCK]}, True),
    "shut in": ({"set": [GROUND, BLOB, BALL], "matter": [LOOSE, landing(props=["jar"])]}, "landing", "born inside jar", {"set": [GROUND, BLOB, BALL], "matter": [LOOSE, landing(props=["jar"], side="inside")]}, True),
    "too crowded": ({"set": [GROUND, BLOB], "matter": [LOOSE, APART], "supply": [source(part="volume", radius=0.1, emit=CROWD)]}, "source", "burst from one another", {"set": [GROUND, BLOB], "matter": [LOOSE, APART], "supply": [source(part="volume", radius=0.005, emit=CROWD)]}, True),
    "thin prop": ({"set": [GROUND, VENT, BALL | {"shape": {"kind": "sphere", "radius": 0.01}}], "matter": [LOOSE, landing(props=["ground", "jar"])], "supply": [source(speed=60)]}, "landing", "steps a frame", {"set": [GROUND, VENT, BALL], "matter": [LOOSE, landing(props=["ground", "jar"])], "supply": [source(speed=60)]}, True),
}  # fmt: skip


def found(sections, check):
    shot = load(document(**copy.deepcopy(sections)))
    return shot, [f for f in findings(shot, build(shot, beside(Path()))) if f.check == check.split(",")[0]]


@pytest.mark.parametrize("name", BEFORE)
def test_a_finding_is_shown_is_not_shown_and_is_cleared(name):
    shows, row, said, clear, presses = BEFORE[name]
    shot, told = found(shows, name)
    (mine,) = [f for f in told if f.row == row and said in f.message]
    assert not [f for f in found(clear, name)[1] if said in f.message]
    if presses:
        after = mine.remedy.act(shot).shot
        left = [
            f
            for f in findings(after, build(after, beside(Path())))
            if (f.check, f.row, f.path) == (mine.check, mine.row, mine.path)
        ]
        assert not left


def test_all_checks_before_a_run_are_here():
    import re

    text = "".join(
        p.read_text() for p in Path("hotgravel/core/preflight").glob("*.py") if p.stem in ("before", "placed", "reach")
    )
    named = set(re.findall(r'Finding\(\s*"([a-z ]+)"', text))
    assert named == {n.split(",")[0] for n in BEFORE} | {"over a limit"}


@pytest.mark.parametrize("name", demo_names())
def test_nothing_is_found_in_the_demo(name):
    shot = load(demo_path(name))
    assert [str(f) for f in findings(shot, build(shot, beside(Path())))] == []


def test_a_run_over_a_limit_is_told_and_a_tenth_clears_it():
    shot = load(document(supply=[source(emit=CROWD | {"count": 100_000})]))
    over = list(within_limits(shot, Estimate(10, 20, 5e9, 1, memory=3e7), Limits(3600, 1e7, 1e9)))
    assert [f.message for f in over] == ["A run would need 30 MB of memory.", "A run would keep 5.0 GB on the disk."]
    less = over[0].remedy.act(shot).shot
    assert list(within_limits(less, Estimate(1, 2, 5e8, 1), Limits(3600, 1e7, 1e9))) == []
    assert (
        next(iter(within_limits(shot, Estimate(4000, 5000, 1, 1), Limits()))).message
        == "A run would take over 60 minutes."
    )


def after(tmp_path, change=lambda measured: None, **sections):
    shot = load(document(**sections))
    world = build(shot, beside(tmp_path))
    measured = {}
    execute(world, tmp_path, landed=lambda frame, gauges: measured.__setitem__(frame, copy.deepcopy(gauges)))
    change(measured)
    return shot, list(in_run(shot, world, FrameStore(tmp_path), measured))


@pytest.mark.parametrize(("when", "said"), [
    ({"kind": "faster", "speed": 12}, "the fastest had 10 m/s (frame 1), the cue wants 12 m/s"),
    ({"kind": "slower", "speed": 4}, "the slowest had 10 m/s"),
    ({"kind": "travelled", "distance": 20}, "the farthest came 10 m (frame 25), the cue wants 20 m"),
    ({"kind": "nearer", "prop": "jar", "distance": 0.5}, "the nearest was off by 1 m"),
    ({"kind": "touches", "prop": "ground", "speed": 5}, "nobody touched"),
    ({"kind": "share_in", "state": "late", "share": 0.5}, "the greatest share was 40 % (frame 1), the cue wants 50 %"),
])  # fmt: skip
def test_a_cue_that_never_fired_tells_the_nearest_and_a_press_reaches_it(tmp_path, when, said):
    sections = {"set": [*at(2.0), BALL | {"position": [5, 5, 0]}], "matter": [LOOSE, LATE, landing()]}
    sections |= {"cues": [cue(when, {"kind": "remove"})]}
    if when["kind"] == "share_in":  # two of five are late
        few = [source(emit=CROWD | {"count": n}, id=f"few{n}", state=s) for n, s in ((3, "loose"), (2, "late"))]
        sections["supply"] = few
    shot, told = after(tmp_path / "one", **sections)
    (mine,) = [f for f in told if f.check == "never fired"]
    assert said in mine.message
    if mine.remedy:
        better = mine.remedy.act(shot).shot.dump()
        _, again = after(tmp_path / "two", **{s: better[s] for s in ("set", "matter", "supply", "cues", "finish")})
        assert not [f for f in again if f.check == "never fired"]


def test_a_cue_that_fired_is_not_told(tmp_path):
    assert not after(tmp_path, set=at(2.0), cues=[cue({"kind": "older", "age": 0.5}, {"kind": "pin"})])[1]


def test_a_touch_too_soft_tells_the_greatest(tmp_path):
    sections = {"set": at(2.0), "matter": [LOOSE, landing()], "forces": [GRAVITY], "supply": [source(speed=0)]}
    _, told = after(tmp_path, cues=[cue({"kind": "touches", "prop": "ground", "speed": 9})], **sections)
    (mine,) = [f for f in told if f.check == "never fired"]
    assert "the greatest touch was 6.2" in mine.message  # sqrt(2 g h)
    assert mine.message.endswith("the cue wants 9 m/s.")


def test_a_stack_that_settles_is_told_and_a_pre_roll_lets_it_lie(tmp_path):
    box = {"kind": "box", "width": 1, "height": 1, "depth": 1}
    stack = {"kind": "rigid", "id": "stack", "prop": "box", "copies": {"kind": "stacked", "up": 3, "gap": 0.01}}
    sections = {
        "set": [GROUND, {"kind": "prop", "id": "box", "name": "box", "shape": box, "position": [0, 0.51, 0]}],
        "matter": [stack, landing(friction=0.6)], "supply": [], "forces": [GRAVITY], "finish": {"last": 49},
    }  # fmt: skip
    shot, told = after(tmp_path / "a", **sections)
    (mine,) = [f for f in told if f.check == "settles"]
    assert "lies still from frame" in mine.message
    rolled = mine.remedy.act(shot).shot.dump()
    assert after(tmp_path / "b", **sections | {"finish": rolled["finish"]})[1] == []
    high = [GROUND, sections["set"][1] | {"position": [0, 2, 0]}]
    assert not [f for f in after(tmp_path / "c", **sections | {"set": high})[1] if f.check == "settles"]


def test_particles_that_fall_for_ever_are_told(tmp_path):
    sections = {"forces": [GRAVITY], "set": at(1.0), "finish": {"last": 40}}
    assert [f.check for f in after(tmp_path / "a", **sections)[1]] == ["left the bounds"]
    assert after(tmp_path / "b", matter=[LOOSE, landing()], **sections)[1] == []


def test_what_is_left_inside_a_prop_is_told(tmp_path):
    inside = {"set": [GROUND, BLOB, BALL], "supply": [source(speed=0, emit=CROWD)]}
    late = landing(props=["jar"], whom="late")
    turned = cue({"kind": "at_frame", "frame": 25}, {"kind": "enter", "state": "late"})
    shot, told = after(tmp_path / "a", matter=[LOOSE, LATE, late], cues=[turned], **inside)
    (mine,) = [f for f in told if f.check == "left inside"]
    assert mine.message.startswith("At frame 25 3000 are inside jar, up to 1.8 m deep")
    better = mine.remedy.act(shot).shot.dump()
    _, again = after(tmp_path / "c", **{s: better[s] for s in ("set", "matter", "supply", "cues", "finish")})
    assert not [f for f in again if f.check == "left inside"]
    assert after(tmp_path / "b", matter=[LOOSE], **inside)[1] == []


def test_a_frame_that_took_far_longer_is_told(tmp_path):
    def slow(measured):
        for g in measured.values():
            g["seconds"] = {"motion": 0.01, "skins": 0.02}
        measured[7]["seconds"]["skins"] = 3.0

    def slow_with_work(measured):
        slow(measured)
        for g in measured.values():
            g["processor"] = 0.05
        measured[7]["processor"] = 5.0

    for number, work in enumerate((0.07, 0.4)):  # 8 times the work does not explain 100 times the time

        def slow_beside_other_work(measured, work=work):
            slow_with_work(measured)
            measured[7]["processor"] = work

        assert after(tmp_path / f"c{number}", slow_beside_other_work, set=at(2.0))[1] == []
    _, worked = after(tmp_path / "d", slow_with_work, set=at(2.0))
    _, told = after(tmp_path / "a", slow, set=at(2.0))
    assert worked == told
    assert [f.message for f in told] == ["Frame 7 took 3.0 s, 100 times the usual, most of it in skins."]
    assert after(tmp_path / "b", set=at(2.0))[1] == []


def test_energy_that_jumps_is_told(tmp_path):
    def jump(measured):
        measured[9]["matter"]["particles"]["kinetic_energy"] *= 40

    _, told = after(tmp_path, jump, set=at(2.0))
    assert [f.message for f in told] == [
        "At frame 9 the energy is 40 times that of the frame before: something explodes."
    ]
