"""Handed-over files, read back by independent readers: plyfile, and Python's own csv."""

import csv
import io

import numpy as np
import pytest
from plyfile import PlyData

from hotgravel.core.exchange.ply import export_ply
from hotgravel.core.exchange.table import events_csv, gauges_csv
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.shot.document import load


@pytest.fixture
def run(ember_run):
    store = FrameStore(ember_run)
    return store, load(store.note("shot.json"))


def test_ply_holds_the_particles(run, tmp_path):
    store, shot = run
    paths = export_ply(store, shot, [1, 20], tmp_path / "out")
    assert [p.name for p in paths] == ["particles.0001.ply", "particles.0020.ply"]
    read, kept = PlyData.read(paths[1]), store.particles(20)
    v = read["vertex"]
    assert np.stack([v["x"], v["y"], v["z"]], axis=1).tolist() == kept["position"].tolist()
    assert np.stack([v["vx"], v["vy"], v["vz"]], axis=1).tolist() == kept["velocity"].tolist()
    for name in ("age", "radius", "id", "state", "source"):
        assert v[name].tolist() == kept[name].tolist()
    assert "shot: Ember burst" in read.comments
    assert "states: 0 flight, 1 falling" in read.comments


def test_gauges_csv_has_a_line_a_frame_with_units(run):
    store, shot = run
    text = "".join(gauges_csv(shot, ((f, store.gauges(f)) for f in store.frames())))
    rows = list(csv.DictReader(io.StringIO(text, newline="")))
    assert [int(r["frame"]) for r in rows] == list(range(1, 41))
    assert float(rows[6]["mean_speed [m/s]"]) == store.gauges(7)["mean_speed"]
    assert sum(int(r["fired slow-embers-fall"]) for r in rows) == sum(len(store.events(f)) for f in store.frames())
    assert int(rows[-1]["in flight"]) + int(rows[-1]["in falling"]) == 400


def test_events_csv_tells_each_firing(run):
    store, shot = run
    rows = list(csv.DictReader(io.StringIO("".join(events_csv(shot, (store.events(f) for f in store.frames()))))))
    assert len({r["particle"] for r in rows}) == len(rows) > 300
    assert all(float(r["value"]) < 5 for r in rows)
    assert {(r["from"], r["to"]) for r in rows} == {("flight", "falling")}
    times = [float(r["time [s]"]) for r in rows]
    assert times == sorted(times)


def test_names_that_a_spreadsheet_would_run_are_defused(run):
    store, shot = run
    hostile = load(
        shot.dump() | {"matter": [{**m, "name": "=1+1"} if m["kind"] == "state" else m for m in shot.dump()["matter"]]}
    )
    rows = list(csv.DictReader(io.StringIO("".join(events_csv(hostile, (store.events(f) for f in store.frames()))))))
    assert rows[0]["from"] == "'=1+1"
