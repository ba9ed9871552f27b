"""Runs into a frame store: whole frames, the same bytes each time, readable by others."""

import json
import zipfile
from pathlib import Path

import numpy as np
import pytest
import zarr
from zarr.storage import ZipStore

from hotgravel.core.matter.fineness import MOST_STEPS, steps_for
from hotgravel.core.run.execute import KEEPERS, execute
from hotgravel.core.run.frames import DamagedFrame, FrameStore
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.shot.finish import Finish
from tests.conftest import GRAVITY, LOOSE, at, document, landing, source

CROWD = {"kind": "burst", "count": 500, "frame": 1}


def world(**sections):
    plain = document(
        set=at(1.0), matter=[LOOSE, landing(bounce=0.5, friction=0.3)], forces=[GRAVITY], finish={"last": 12},
        supply=[source(emit=CROWD, aim={"kind": "anywhere"}, speed_spread=0.5)],
    )  # fmt: skip
    return build(load(plain | sections), beside(Path()))


def bytes_of(folder: Path) -> dict[str, bytes]:
    return {p.name: p.read_bytes() for p in sorted((folder / "frames").iterdir())}


def test_the_same_shot_gives_the_same_bytes(tmp_path):
    for name in ("one", "two"):
        execute(world(), tmp_path / name)
    one = bytes_of(tmp_path / "one")
    assert len(one) == 12
    assert one == bytes_of(tmp_path / "two")


def test_frames_are_zarr_that_zarr_reads(ember_run):
    ours = FrameStore(ember_run)
    with ZipStore(ours.path(10), mode="r") as store:
        theirs = zarr.open_group(store, mode="r")
        for name, array in ours.particles(10).items():
            read = theirs[f"particles/{name}"][:]
            assert read.dtype == array.dtype
            assert (read == array).all()
        assert theirs.attrs["frame"] == 10
        beside = {name: ours.gauges(10)[name] for name in ("seconds", "processor")}
        assert theirs.attrs["gauges"] | beside == ours.gauges(10)
        assert (theirs["events/value"][:] == ours.events(10).value).all()
    assert len(ours.events(10)) > 0


def test_gauges_are_what_the_arrays_say(ember_run):
    store = FrameStore(ember_run)
    for frame in (1, 7, 40):
        gauges, p = store.gauges(frame), store.particles(frame)
        speed = np.linalg.norm(p["velocity"], axis=1)
        of = gauges["matter"]["particles"]
        assert of["count"] == len(speed) == sum(gauges["by_state"].values())
        assert of["mean_speed"] == pytest.approx(speed.mean(), rel=1e-5, abs=1e-9)
        assert of["greatest_speed"] == pytest.approx(speed.max(), rel=1e-6, abs=1e-9)
        assert of["kinetic_energy"] == pytest.approx(0.5 * (speed**2).mean(), rel=1e-5, abs=1e-9)
        assert gauges["bounds"] == [pytest.approx(p["position"].min(axis=0)), pytest.approx(p["position"].max(axis=0))]
        assert gauges["firings"]["slow-embers-fall"] == len(store.events(frame))


def test_each_frame_lands_whole_and_is_told_of(tmp_path):
    told = []

    def landed(frame, gauges):
        told.append(frame)
        assert FrameStore(tmp_path).frames() == told
        assert len(FrameStore(tmp_path).particles(frame)["id"]) == gauges["matter"]["particles"]["count"]

    assert execute(world(), tmp_path, landed=landed) == list(range(1, 13)) == told


def test_a_cancelled_run_keeps_what_landed(tmp_path):
    told = []
    kept = execute(world(), tmp_path, landed=lambda f, g: told.append(f), cancelled=lambda: len(told) >= 4)
    assert kept == told == FrameStore(tmp_path).frames() == list(range(1, len(kept) + 1))
    assert 4 <= len(kept) <= 4 + KEEPERS


def test_a_part_of_the_frames_is_the_same_as_in_the_whole(tmp_path):
    execute(world(), tmp_path / "whole")
    execute(world(), tmp_path / "part", frames=(5, 7))
    whole, part = bytes_of(tmp_path / "whole"), bytes_of(tmp_path / "part")
    assert len(part) == 3
    assert part.items() <= whole.items()


def test_a_pre_roll_is_an_earlier_start_of_which_nothing_is_kept(tmp_path):
    early = [source(emit=CROWD | {"frame": -5}, aim={"kind": "anywhere"}, speed_spread=0.5)]
    cues = [
        {"kind": "cue", "id": "cue", "when": {"kind": "older", "age": 0.1}, "then": {"kind": "enter", "state": "loose"}}
    ]
    rolled = world(supply=early, cues=cues, finish={"last": 12, "pre_roll": 6})
    execute(world(supply=early, cues=cues, finish={"first": -5, "last": 12}), tmp_path / "whole")
    assert execute(rolled, tmp_path / "rolled") == list(range(1, 13))
    whole, kept = (FrameStore(tmp_path / name) for name in ("whole", "rolled"))
    for frame in (1, 12):
        assert (kept.particles(frame)["position"] == whole.particles(frame)["position"]).all()
    assert len(kept.events(1)) == sum(len(whole.events(frame)) for frame in range(-5, 2)) > 0
    asked = iter([False] * 6)
    assert execute(rolled, tmp_path / "stopped", cancelled=lambda: next(asked, True)) == []
    assert execute(rolled, tmp_path / "stopped", resume=True) == list(range(1, 13))
    assert bytes_of(tmp_path / "stopped") == bytes_of(tmp_path / "rolled")


def test_of_every_fifth_frame_all_is_kept_and_of_the_others_what_happens(tmp_path):
    cues = [{"kind": "cue", "id": "cue", "when": {"kind": "touches"}, "then": {"kind": "enter", "state": "loose"}}]
    for every in (1, 5):
        execute(world(cues=cues, finish={"last": 12, "every": every}), tmp_path / str(every))
    plain, thin = (FrameStore(tmp_path / name) for name in "15")
    assert thin.frames() == plain.frames() == plain.in_full(Finish(last=12)) == list(range(1, 13))
    assert thin.in_full(Finish(last=12, every=5)) == [1, 6, 11, 12]  # the last too
    for frame, shown in ((6, 6), (10, 6), (12, 12)):
        assert thin.shown(frame) == shown
        assert (thin.particles(frame)["position"] == plain.particles(shown)["position"]).all()
        assert (thin.events(frame).particle == plain.events(frame).particle).all()
        assert thin.gauges(frame)["matter"] == plain.gauges(frame)["matter"]
    assert sum(len(thin.events(frame)) for frame in (7, 8, 9, 10)) > 0
    weights = [sum(map(len, bytes_of(tmp_path / name).values())) for name in "15"]
    assert weights[1] < 0.5 * weights[0]
    told = []
    for stop in (8, 99):  # stopped between two that are kept in full, it goes on to the same bytes
        execute(world(cues=cues, finish={"last": 12, "every": 5}), tmp_path / "stopped", resume=True,
                landed=lambda f, g: told.append(f), cancelled=lambda stop=stop: len(told) >= stop)  # fmt: skip
    assert told == list(range(1, 13))
    assert bytes_of(tmp_path / "stopped") == bytes_of(tmp_path / "5")


@pytest.mark.parametrize("harm", ["cut", "flip", "empty"])
def test_a_damaged_frame_is_said_to_be_one(tmp_path, harm):
    execute(world(), tmp_path)
    store = FrameStore(tmp_path)
    path = store.path(3)
    data = bytearray(path.read_bytes())
    if harm == "flip":
        with zipfile.ZipFile(path) as file:
            info = file.getinfo("particles/position/c/0/0")
        data[info.header_offset + 80 : info.header_offset + 90] = b"\xff" * 10
    path.write_bytes(b"" if harm == "empty" else data[: len(data) // 2] if harm == "cut" else bytes(data))
    with pytest.raises(DamagedFrame, match="Frame 3"):
        store.particles(3)
    assert len(store.particles(4)["id"]) == 500
    for missing in (store.particles, store.events, store.gauges):
        with pytest.raises(KeyError):
            missing(99)


def test_a_run_keeps_its_shot_and_quality(tmp_path):
    made = world()
    execute(made, tmp_path)
    assert load(json.loads((tmp_path / "shot.json").read_text())) == made.shot
    assert FrameStore(tmp_path).note("run.json")["quality"] == "rough"


def test_steps_grow_with_quality_and_speed():
    still = [steps_for(q, 0.0, 1.0, 1 / 24) for q in ("rough", "fair", "fine")]
    assert still == [2, 4, 8]
    assert steps_for("rough", 240.0, 1.0, 1 / 24) == 10
    assert steps_for("fine", 1e9, 1.0, 1 / 24) == MOST_STEPS
    assert steps_for("rough", 1e9, 0.0, 1 / 24) == 2  # nothing to hit
