"""Meshes come in from each format, are reported on, and bad ones are refused with a sentence."""

import numpy as np
import pytest
import trimesh

from hotgravel.core.shape.mesh import MESH_OF, MeshFault, import_mesh, mesh_from, mesh_of
from hotgravel.core.shot.props import Mesh


def taken(path, **how):
    return import_mesh(Mesh(file=path.name, **how), lambda name: path.parent / name)


@pytest.mark.parametrize("kind", ["obj", "ply", "stl", "glb", "gltf"])
def test_each_format_gives_the_same_mesh(tmp_path, kind):
    ball = trimesh.creation.icosphere(subdivisions=2, radius=0.7)
    path = tmp_path / f"ball.{kind}"
    if kind == "gltf":
        for name, data in trimesh.exchange.gltf.export_gltf(trimesh.Scene(ball)).items():
            (tmp_path / name).write_bytes(data)
        path = tmp_path / "model.gltf"
    else:
        ball.export(path)
    mesh = taken(path)
    assert (len(mesh.faces), len(mesh.vertices)) == (320, 162)
    assert mesh.closed
    assert np.linalg.norm(mesh.vertices, axis=1) == pytest.approx(0.7, rel=1e-5)
    assert (mesh.normals() * mesh.vertices).sum(axis=1) == pytest.approx(0.7, rel=0.01)
    assert mesh.report() == "320 triangles, 1.4 × 1.4 × 1.4 m, closed."


def test_an_open_mesh_is_reported():
    ball = trimesh.creation.icosphere(subdivisions=1)
    mesh = mesh_from("shell", ball.vertices, ball.faces[:-1])
    assert not mesh.closed
    assert "79 triangles" in mesh.report()
    assert "open at 3 edges, so it has no inside" in mesh.report()


@pytest.mark.parametrize(("unit", "metres"), [("cm", 0.01), ("mm", 0.001), ("inch", 0.0254), ("foot", 0.3048)])
def test_a_file_says_in_which_unit_and_axis_it_was_drawn(tmp_path, unit, metres):
    trimesh.creation.box(extents=[1, 2, 3]).export(tmp_path / "tall.stl")
    assert np.ptp(taken(tmp_path / "tall.stl").vertices, axis=0) == pytest.approx([1, 2, 3])
    standing = taken(tmp_path / "tall.stl", unit=unit, up="z")
    assert np.ptp(standing.vertices, axis=0) == pytest.approx(np.array([1, 3, 2]) * metres)
    assert standing.flipped == 0  # turned, not mirrored


def test_flipped_triangles_are_counted_piece_by_piece():
    ball = trimesh.creation.icosphere(subdivisions=2)
    faces = np.array(ball.faces)
    faces[:7] = faces[:7, ::-1]
    assert mesh_from("it", ball.vertices, faces).flipped == 7
    inside_out = trimesh.util.concatenate([ball, trimesh.creation.box().apply_translation([5, 0, 0])])
    turned = np.array(inside_out.faces)
    turned[-12:] = turned[-12:, ::-1]
    assert mesh_from("it", inside_out.vertices, turned).flipped == 12  # a closed piece that faces inwards
    sheet = trimesh.creation.box().faces[:10]
    assert mesh_from("it", trimesh.creation.box().vertices, sheet[:, ::-1]).flipped == 0  # a sheet has no outside


def test_mending_turns_doubles_and_holes_into_a_closed_mesh():
    ball = trimesh.creation.icosphere(subdivisions=2)
    faces = np.concatenate([ball.faces[4:], ball.faces[:3], ball.faces[20:23]])
    faces[60:70] = faces[60:70, ::-1]
    broken = mesh_from("it", ball.vertices, faces)
    assert not broken.closed
    mended = mesh_from("it", ball.vertices, faces, mend=True)
    assert (mended.closed, mended.flipped, len(mended.faces)) == (True, 0, 320)
    assert np.array_equal(mended.vertices, broken.vertices)
    assert trimesh.Trimesh(mended.vertices, mended.faces).is_volume  # an independent opinion


@pytest.mark.parametrize(("vertices", "faces", "said"), [
    (np.zeros((0, 3)), np.zeros((0, 3)), "no triangles"),
    (np.eye(3), [[0, 1, 9]], "does not have"),
    (np.array([[0, 0, np.nan], [1, 0, 0], [0, 1, 0]]), [[0, 1, 2]], "not finite"),
    (np.zeros((3, 3)), [[0, 1, 2]], "without area"),
])  # fmt: skip
def test_arrays_that_are_no_mesh_are_refused(vertices, faces, said):
    with pytest.raises(MeshFault, match=said):
        mesh_from("it", np.asarray(vertices, float), np.asarray(faces))


def test_files_that_are_no_mesh_are_refused(tmp_path):
    (tmp_path / "a.ply").write_bytes(b"ply\nformat binary_little_endian 1.0\nelement vertex 999999999\n")
    (tmp_path / "a.xyz").write_text("1 2 3")
    with pytest.raises(MeshFault, match="cannot be read as PLY"):
        taken(tmp_path / "a.ply")
    with pytest.raises(MeshFault, match="Accepted: obj, ply, stl, glb, gltf"):
        taken(tmp_path / "a.xyz")
    with pytest.raises(MeshFault, match="not beside the shot"):
        taken(tmp_path / "gone.obj")


@pytest.mark.parametrize("shape", MESH_OF)
def test_a_primitives_triangles_lie_on_its_surface(shape):
    from hotgravel.core.shape.distance import distances
    from hotgravel.core.shape.kinds import shaped

    made = shape()
    vertices, faces, normals = mesh_of(made)
    kernel = shaped(made)
    assert np.abs(distances(kernel.kind, kernel.sizes, kernel.tree, vertices)[:, 0]).max() < 1e-6
    assert faces.max() < len(vertices)
    assert np.linalg.norm(normals, axis=1) == pytest.approx(1.0)
    low, high = kernel.box
    assert vertices.min(axis=0) == pytest.approx(low, abs=0.003)
    assert vertices.max(axis=0) == pytest.approx(high, abs=0.003)
    # Triangles face outward: so does the normal of each, at its middle, where that is outside the shape.
    a, b, c = (vertices[faces[:, i]] for i in range(3))
    across = np.cross(b - a, c - a)
    middle = (a + b + c) / 3
    step = 1e-3 * across / np.linalg.norm(across, axis=1, keepdims=True)
    gap = [distances(kernel.kind, kernel.sizes, kernel.tree, middle + s * step)[:, 0] for s in (1, -1)]
    if kernel.has_volume:
        assert (gap[0] > gap[1]).all()
    else:
        assert (across[:, 1] > 0).all()
