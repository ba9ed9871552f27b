"""The seat: a toy matter that is registered gets all that particles get, and every registered matter keeps the contract."""

import csv
import io
from pathlib import Path

import numpy as np
import pytest

from hotgravel.core.attributes import ATTRIBUTES
from hotgravel.core.exchange.table import gauges_csv
from hotgravel.core.exchange.take import take_of, wish
from hotgravel.core.exchange.writers import WRITERS
from hotgravel.core.matter.registry import MATTERS, register
from hotgravel.core.picture.still import pixels_of
from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.story import events_until, story_of
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.conftest import LOOSE, document, source
from tests.core.matter.front.scenes import BOARD, MIDDLE, front
from tests.core.matter.liquid.scenes import body_of, fill, wet
from tests.core.matter.rigid.scenes import UNIT_BOX, body, prop, scene, stacked
from tests.core.matter.slosh.scenes import holding, keys
from tests.core.matter.smoke.scenes import fume, smoky
from tests.core.matter.soft.scenes import SHEET, cloth
from tests.core.matter.toy import ToyMatter
from tests.core.matter.wetness.scenes import dipped
from tests.core.run.test_execute import bytes_of

HOT = {"kind": "state", "id": "hot", "name": "hot"}
FIELD = {"kind": "field", "id": "air", "name": "air", "file": "air.npz"}

RIPS = {"kind": "cue", "id": "rips", "when": {"kind": "older", "age": 0.2}, "then": {"kind": "part"}, "chance": 0.3}
SETS = {"kind": "cue", "id": "sets", "when": {"kind": "older", "age": 0.1}, "then": {"kind": "harden"}, "chance": 0.6}


@pytest.fixture
def toy():
    register(ToyMatter())
    yield
    del MATTERS["toy"]


def world_of(matter: str, folder: Path):
    """A small shot that has something of a matter, with a cue that concerns it and a tint."""
    warm = {
        "kind": "cue",
        "id": "warm",
        "when": {"kind": "hotter", "temperature": 40},
        "then": {"kind": "remove"},
        "chance": 0.5,
    }
    tint = {
        "kind": "tint",
        "id": "tint",
        "place": {"kind": "response", "attribute": "temperature", "begin": 0, "end": 100},
    }
    np.savez(folder / "air.npz", velocity=np.zeros((2, 2, 2, 3)), origin=np.zeros(3), cell=1.0)
    shots = {
        "toy": document(set=[FIELD], matter=[LOOSE, tint], supply=[], cues=[warm], finish={"last": 16}) | {"name": "toys"},
        "particles": document(matter=[LOOSE, tint], supply=[source(emit={"kind": "burst", "count": 9, "frame": 1}, temperature=60)], cues=[warm], finish={"last": 16}),
        "smoke": smoky(matter=[LOOSE, tint], supply=[fume(temperature=900)], cues=[warm], last=16),
        "liquid": wet([body_of(0.4, 0.8)], 16, supply=[fill(temperature=60)], rows=[tint], size=[0.8, 0.8, 0.8]) | {"cues": [warm]},
        "froth": wet([body_of(0.4, 0.8, at=(-0.2, None, 0))], 16, rows=[tint, {"kind": "froth", "id": "froth", "least": 0.2, "trapped": 40}], size=[0.8, 0.8, 0.8]) | {"cues": [warm | {"when": {"kind": "older", "age": 0.05}, "source": "froth"}]},
        "water": scene([], [{"kind": "water", "id": "water", "size": 4.0, "cell": 0.2}, tint], 16, cues=[warm | {"when": {"kind": "older", "age": 0.1}}]),
        "slosh": holding({"kind": "cylinder", "radius": 0.3, "height": 1.0}, 16, at=(keys((1, 0), (9, 0.5)), 1, 0), rows=[tint], row={"uneven": 0.5}, cues=[warm | {"when": {"kind": "older", "age": 0.1}}]),
        "wetness": dipped(16, rows=[tint], cues=[warm | {"when": {"kind": "wetter"}}]),
        "soft": scene([prop("sheet", SHEET, (0, 2, 0)), prop("hem", SHEET, (1, 2, 0))], [cloth("sheet", temperature=60, begins="held"), cloth("hem"), {"kind": "sewn", "id": "seam", "prop": "hem", "other": "sheet", "bears": 1.0}, tint], 16, cues=[warm, RIPS, SETS]),
        "front": scene([prop("board", BOARD, (0, 1, 0)), MIDDLE], [front(segments=12, burns=1.0), tint], 16, cues=[warm]),
        "rigid": scene([prop("box", UNIT_BOX, (0, 2, 0))], [body("box", copies=stacked(3, 2), temperature=60), tint], 16, cues=[warm]),
    }  # fmt: skip
    return build(load(shots[matter]), beside(folder))


ALL = ["toy", *MATTERS]


@pytest.fixture(params=ALL)
def run(request, toy, tmp_path):
    world = world_of(request.param, tmp_path)
    execute(world, tmp_path / "run")
    return request.param, world, tmp_path


def test_its_frames_hold_its_columns_and_its_gauges(run):
    name, world, folder = run
    store, matter = FrameStore(folder / "run"), MATTERS[name]
    assert name in store.matters(16)
    for frame in (1, 16):
        kept, of = store.elements(frame, name), store.gauges(frame)["matter"][name]
        assert {n: (a.dtype, a.shape[1:]) for n, a in kept.items()} == {
            n: (np.dtype(c.dtype), (ATTRIBUTES[n].width,) if ATTRIBUTES[n].width > 1 else ()) for n, c in matter.columns.items()
        }  # fmt: skip
        assert set(of) == set(matter.gauges)
        assert of["count"] == len(kept["id"])
        assert set(matter.gauges) >= {gauge for lane in matter.lanes for gauge in lane.gauges}
    told = list(csv.reader(io.StringIO("".join(gauges_csv(world.shot, [(16, store.gauges(16))])))))
    assert any(name in cell or cell.startswith(next(iter(matter.gauges))) for cell in told[0])


def test_lanes_are_those_that_tell_something_of_the_shot(tmp_path):
    told = {
        name: {lane.title for lane in MATTERS[name].lanes if lane.told_in(world_of(name, tmp_path).shot)}
        for name in ("soft", "rigid")
    }
    assert told["soft"] == {"cloth and jelly: speed, mean / top", "cloth: stretch"}  # there is no balloon
    assert told["rigid"] == {"bodies: speed, mean / top", "bodies asleep", "hardest hit"}  # nothing is bonded


def test_it_goes_on_to_the_same_bytes(run):
    name, _, folder = run
    told: list[int] = []
    world = world_of(name, folder)
    execute(world, folder / "again", landed=lambda f, g: told.append(f), cancelled=lambda: len(told) >= 6)
    execute(world_of(name, folder), folder / "again", resume=True)
    assert bytes_of(folder / "again") == bytes_of(folder / "run")


def test_cues_colours_and_stories_reach_it(run):
    name, world, folder = run
    store = FrameStore(folder / "run")
    last, events = store.elements(16, name), events_until(store, 16)
    assert len(last["id"]) > 0
    assert len(events) > 0
    assert not set(events.particle[events.cue == 0]) & set(last["id"])  # it removes about half of them
    assert {list(world.solvers)[m] for m in events.matter} == {name}
    assert (last["colour"] >= 1 << 24).all()
    told = story_of(world.shot, store, int(last["id"][0]), 16) if world.shot.origins else None
    assert told is None or told.called == MATTERS[name].called


def test_a_picture_shows_it(run):
    _, world, folder = run
    store = FrameStore(folder / "run")
    shown = pixels_of(world, store, 2, (96, 54)).astype(int)
    bare = build(
        load(world.shot.dump() | {"matter": [], "supply": [], "cues": [], "forces": [], "name": "bare"}), beside(folder)
    )
    execute(bare, folder / "bare")
    assert np.abs(shown - pixels_of(bare, FrameStore(folder / "bare"), 2, (96, 54))).max() > 20


def test_every_writer_takes_it(run):
    _, _, folder = run
    take = take_of(folder / "run", beside(folder))
    for kind in ("obj", "gltf", "usd", "csv", "animation", "ply"):
        files = [step for step in WRITERS[kind][1](take, wish([3, 4])) if step is not None]
        assert files, kind
        assert all(len(data) > 50 for _, data in files), kind


def test_what_a_solver_offers_is_followed(toy, tmp_path):
    """The air that a toy moves stands in for the file's: particles follow it."""
    np.savez(tmp_path / "air.npz", velocity=np.zeros((2, 2, 2, 3)), origin=np.zeros(3), cell=1.0)
    follow = {"kind": "follow", "id": "follow", "field": "air", "grip": 50}
    vent = {"kind": "prop", "id": "vent", "name": "vent", "shape": {"kind": "sphere", "radius": 0.01}}
    shot = document(set=[vent, FIELD], supply=[source(speed=0.1)], forces=[follow], finish={"last": 24}) | {
        "name": "toys"
    }
    world = build(load(shot), beside(tmp_path))
    execute(world, tmp_path / "run")
    assert FrameStore(tmp_path / "run").particles(24)["velocity"][0] == pytest.approx([3, 0, 0], abs=0.05)
