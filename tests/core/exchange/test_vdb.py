"""OpenVDB files are what the library itself, Debian's python3-openvdb, reads."""

import json
import subprocess
from pathlib import Path

import numpy as np
import pytest

from hotgravel.core.exchange.take import take_of, wish
from hotgravel.core.exchange.usd import write_usd
from hotgravel.core.exchange.vdb import Grid, grids_at, vdb_of, write_npz, write_vdb
from hotgravel.core.run.execute import execute
from hotgravel.core.run.world import beside, build
from hotgravel.core.shape.grid import grid_from
from hotgravel.core.shot.document import load
from tests.core.matter.smoke.scenes import smoky

READ = """
import json, sys
try:
    import openvdb as vdb
except ImportError:
    import pyopenvdb as vdb
grids, facts = vdb.readAll(sys.argv[1])
told = {}
for grid in grids:
    at = grid.getConstAccessor()
    told[grid.name] = {
        "kind": grid.valueTypeName, "class": grid.gridClass, "voxel": grid.transform.voxelSize()[0],
        "first": grid.transform.indexToWorld((0, 0, 0)), "leaves": grid.leafCount(), "active": grid.activeVoxelCount(),
        "background": grid.background,
        "values": [at.getValue(tuple(place)) for place in json.loads(sys.argv[2])],
    }
print(json.dumps([told, {k: str(v) for k, v in facts.items()}]))
"""


def read(path, places):
    run = ["/usr/bin/python3", "-c", READ, str(path), json.dumps(places)]
    told = subprocess.run(run, capture_output=True, text=True)
    assert told.returncode == 0, told.stderr
    return json.loads(told.stdout)


@pytest.mark.parametrize("half", [False, True])
def test_the_library_reads_what_is_written(tmp_path, half):
    dice = np.random.default_rng(1)
    shape = (16, 136, 24)  # over more than one node
    density, velocity = dice.random(shape, np.float32), dice.standard_normal((*shape, 3)).astype(np.float32)
    there = np.zeros((2, 17, 3), bool)
    there[0, 0, 0] = there[1, 16, 2] = True
    grids = [
        Grid("density", density, there),
        Grid("temperature", 100 * density, there, 20.0),
        Grid("velocity", velocity, there),
    ]
    path = tmp_path / "smoke.vdb"
    path.write_bytes(vdb_of(grids, np.array([-1.0, 2.0, 3.0]), 0.25, {"shot": "Fumarole", "fingerprint": "ab12"}, half))
    places = [[0, 1, 2], [7, 7, 7], [9, 130, 17], [15, 135, 23], [0, 50, 0], [-5, 0, 0]]
    told, facts = read(path, places)
    assert facts["shot"] == "Fumarole"
    assert facts["fingerprint"] == "ab12"
    assert told["density"]["kind"] == "float"
    assert told["density"]["class"] == "fog volume"
    assert told["velocity"]["kind"] == "vec3s"
    assert told["density"]["leaves"] == 2
    assert told["density"]["active"] == 2 * 512
    assert told["density"]["voxel"] == pytest.approx(0.25)
    assert told["density"]["first"] == pytest.approx([-0.875, 2.125, 3.125])
    held = [tuple(place) for place in places[:4]]
    for name, array, blank in (
        ("density", density, 0.0),
        ("temperature", 100 * density, 20.0),
        ("velocity", velocity, [0, 0, 0]),
    ):
        for place, value in zip(held, told[name]["values"], strict=False):
            assert value == pytest.approx(array[place], rel=2e-3 if half else 1e-6, abs=1e-3 if half else 0)
        assert told[name]["values"][4:] == [blank, blank]


@pytest.fixture(scope="module")
def smoky_run(tmp_path_factory):
    folder = tmp_path_factory.mktemp("smoke") / "run"
    execute(build(load(smoky({"cell": 0.2}, last=4)), beside(Path()), "rough"), folder)
    return take_of(folder, beside(Path()))


def test_a_run_is_written_frame_by_frame_with_the_wanted_axis_up(smoky_run, tmp_path):
    density = smoky_run.store.record(4, "gas", ("density",))["density"].astype(float)
    for up in ("y", "z"):
        (name, data), _ = list(write_vdb(smoky_run, wish([3, 4], up=up, unit="cm")))[::-1]
        assert name.endswith(".0004.vdb")
        grids, low, cell = grids_at(smoky_run, wish([4], up=up, unit="cm"), 4)
        assert cell == pytest.approx(20.0)
        assert grids[0].values.sum() == pytest.approx(density.sum(), rel=1e-4)
        rises = grids[2].values[..., "xyz".index(up)]
        assert rises.max() > 2 * np.abs(grids[2].values[..., 0]).max() > 0.0
        assert low["xyz".index(up)] == pytest.approx(0.0, abs=1e-3)
        (tmp_path / name).write_bytes(data)
        told, facts = read(tmp_path / name, [[0, 0, 0]])
        assert facts["fingerprint"] == smoky_run.world.fingerprint
        assert told["temperature"]["background"] == pytest.approx(20.0)


def test_its_air_comes_back_as_a_field_of_velocities(smoky_run):
    name, data = next(iter(write_npz(smoky_run, wish([4]))))
    field = grid_from(name, data)
    gas, volume = (smoky_run.store.record(4, r, n) for r, n in (("gas", ("velocity",)), ("volume", ("low", "shape"))))
    assert field.velocity.shape == (1, *volume["shape"], 3)
    assert field.velocity.ravel() == pytest.approx(gas["velocity"].astype(float).ravel(), abs=1e-6)
    assert field.origin == pytest.approx(volume["low"] + 0.1, abs=1e-6)
    assert field.scalars["temperature"].max() > 100


def test_usd_refers_to_the_files_beside_it(smoky_run, tmp_path):
    from pxr import Usd, UsdVol

    for step in write_usd(smoky_run, wish([3, 4])):
        if step is not None:
            (tmp_path / step[0]).write_bytes(step[1])
    stage = Usd.Stage.Open(str(next(tmp_path.glob("*.usdc"))))
    volume = UsdVol.Volume(stage.GetPrimAtPath("/shot/smoke"))
    fields = volume.GetFieldPaths()
    assert sorted(fields) == ["density", "temperature", "velocity"]
    asset = UsdVol.OpenVDBAsset(stage.GetPrimAtPath(fields["density"]))
    assert asset.GetFieldNameAttr().Get() == "density"
    for frame in (3, 4):
        assert (tmp_path / asset.GetFilePathAttr().Get(frame).path).is_file()
    low, high = volume.GetExtentAttr().Get(4)
    assert high[1] > low[1] + 0.5
