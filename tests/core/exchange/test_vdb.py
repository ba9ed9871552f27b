"""OpenVDB files are what the library itself, Debian's python3-openvdb, reads."""

import json
import subprocess

import numpy as np
import pytest

from hotgravel.core.exchange.vdb import Grid, vdb_of

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
