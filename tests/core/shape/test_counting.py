"""Files are counted before they are read, however often they show the same thing."""

import io
import json

import numpy as np
import pytest
import trimesh

from hotgravel.core.shape.counting import Endless, shapes_in, summed, triangles_in
from hotgravel.core.shape.mesh import MeshFault, read_mesh


@pytest.mark.parametrize("kind", ["stl", "obj", "ply", "glb"])
def test_a_mesh_tells_its_triangles(kind):
    ball = trimesh.creation.icosphere(subdivisions=3)
    assert triangles_in(
        kind,
        io.BytesIO(ball.export(file_type=kind) if kind != "obj" else ball.export(file_type="obj").encode()).getvalue(),
    ) == len(ball.faces)


def doubling(depth):
    """A glTF of one triangle, and nodes that each show the next twice."""
    nodes = [{"children": [n + 1, n + 1]} for n in range(depth)] + [{"mesh": 0}]
    return {
        "asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "nodes": nodes,
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}], "accessors": [{"count": 3}],
    }  # fmt: skip


def test_nodes_that_show_others_again_and_again_are_counted_without_being_carried_out(tmp_path):
    bomb = json.dumps(doubling(60)).encode()
    assert triangles_in("gltf", bomb) == pytest.approx(2**60, rel=0.2)
    (tmp_path / "bomb.gltf").write_bytes(bomb)
    with pytest.raises(MeshFault, match="triangles"):
        read_mesh(tmp_path / "bomb.gltf")


def test_a_drawing_of_nested_uses_is_counted():
    layers = (
        "".join(f'<g id="l{n}">' + f'<use href="#l{n + 1}"/>' * 10 + "</g>" for n in range(9))
        + '<path id="l9" d="M0 0H1V1Z"/>'
    )
    assert shapes_in(f'<svg xmlns="http://www.w3.org/2000/svg">{layers}</svg>'.encode()) > 10**9
    with pytest.raises(Endless):
        shapes_in(b'<svg><g id="a"><use href="#a"/></g></svg>')


def test_amounts_add_up_as_often_as_they_are_shown():
    assert summed({0: (1, [1, 1]), 1: (10, [2]), 2: (100, [])})(0) == 1 + 2 * 110
    assert np.isfinite(summed({0: (1, [7])})(0))
