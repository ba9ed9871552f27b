"""Files from outside are read within limits, in a process of their own."""

import pytest
import trimesh

from hotgravel.core.shot.faults import ShotFault
from hotgravel.farm.reading import look


@pytest.fixture
def ball(tmp_path):
    path = tmp_path / "ball.stl"
    trimesh.creation.icosphere(subdivisions=6).export(path)
    return path


@pytest.mark.parametrize(("limits", "said"), [
    ({"seconds": 1e-3}, r"ball.stl took over 0.001 s to read. Accepted: fewer triangles"),
    ({"share": 1e-4}, r"ball.stl takes more memory to read than a file may. Accepted: fewer triangles"),
])  # fmt: skip
def test_a_file_that_takes_too_much_is_told_of(ball, limits, said):
    look(ball, {"kind": "mesh", "file": ball.name})
    with pytest.raises(ShotFault, match=said):
        look(ball, {"kind": "mesh", "file": ball.name}, **limits)


def test_what_is_wrong_with_a_file_is_told_as_by_its_reader(tmp_path):
    path = tmp_path / "air.npz"
    path.write_bytes(b"nothing")
    with pytest.raises(ShotFault, match=r"air.npz cannot be read as NPZ .* Accepted: NumPy arrays velocity"):
        look(path, None)
