"""Wide water as OpenEXR pictures: the library reads heights that loop, join at their rims, and are those of the run."""

import numpy as np
import OpenEXR
import pytest

from hotgravel.core.exchange.exr import write_exr
from hotgravel.core.exchange.take import take_of, wish
from hotgravel.core.run.execute import execute
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.core.matter.rigid.scenes import scene

SEA = {
    "kind": "water", "id": "water", "at": [0, 1, 0], "size": 16.0, "cell": 0.25, "wind": 8.0, "fetch": 500.0,
    "loop": 2.0,
}  # fmt: skip


@pytest.fixture(scope="module")
def sea(tmp_path_factory):
    folder = tmp_path_factory.mktemp("sea")
    world = build(load(scene([], [SEA], 49, ground={"position": [0, -9, 0]})), beside(folder), "rough")
    execute(world, folder)
    return take_of(folder, beside(folder))


def read(data: bytes, folder) -> tuple[dict[str, np.ndarray], dict]:
    path = folder / f"{len(list(folder.iterdir()))}.exr"
    path.write_bytes(data)
    part = OpenEXR.File(str(path), separate_channels=True).parts[0]
    return {name: np.array(channel.pixels) for name, channel in part.channels.items()}, part.header


def test_heights_are_those_of_the_run_they_loop_and_join(sea, tmp_path):
    files = [read(data, tmp_path) for _, data in write_exr(sea, wish([1, 13, 49]))]
    (first, head), (middle, _), (last, _) = files
    assert first["height"].shape == (64, 64)
    assert head["cell"] == pytest.approx(0.25)
    assert 4.0 * first["height"].std() == pytest.approx(sea.store.gauges(1)["matter"]["water"]["significant"], rel=1e-4)
    assert last["height"] == pytest.approx(first["height"], abs=1e-5)  # after two seconds it is as it was
    assert np.abs(middle["height"] - first["height"]).max() > 0.05
    beside_it = np.abs(np.diff(first["height"], axis=0)).max()
    assert np.abs(first["height"][0] - first["height"][-1]).max() <= 1.5 * beside_it


def test_normals_foam_and_units(sea, tmp_path):
    (_, data), = write_exr(sea, wish([7], up="z", unit="cm"))  # fmt: skip
    there, head = read(data, tmp_path)
    (_, plain), = write_exr(sea, wish([7]))  # fmt: skip
    metres, _ = read(plain, tmp_path)
    assert there["height"] == pytest.approx(100.0 * metres["height"], rel=1e-5)
    assert head["side"] == pytest.approx(1600.0)
    size = sum(there[f"normal.{axis}"] ** 2 for axis in "XYZ")
    assert size == pytest.approx(1.0, abs=1e-5)
    assert there["normal.Z"].min() > 0.3  # up
    assert metres["normal.Y"] == pytest.approx(there["normal.Z"], abs=1e-6)
    slope = np.gradient(metres["height"], 0.25, axis=1)[5:-5, 5:-5]
    leaning = -metres["normal.X"][5:-5, 5:-5] / metres["normal.Y"][5:-5, 5:-5]
    assert np.corrcoef(slope.ravel(), leaning.ravel())[0, 1] > 0.9
    assert there["foam"].min() >= 0.0
    assert there["foam"].max() <= 1.0


def test_a_run_without_wide_water_has_none(tmp_path):
    world = build(load(scene([], [], 2)), beside(tmp_path), "rough")
    execute(world, tmp_path)
    assert list(write_exr(take_of(tmp_path, beside(tmp_path)), wish([1]))) == []
