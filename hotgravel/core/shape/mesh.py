"""Triangle meshes: those of the primitives, for the stage and for corner points, and imported ones."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import trimesh
from numpy.typing import NDArray

from hotgravel.core.shape.bvh import MeshTree, build_tree
from hotgravel.core.shot import props
from hotgravel.core.shot.units import Dress, show_quantity

FORMATS = ("obj", "ply", "stl", "glb", "gltf")
LARGEST_BYTES = 256 * 1024 * 1024
MOST_TRIANGLES = 2_000_000
UPRIGHT = np.array([[1.0, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0], [0, 0, 0, 1]])  # z up to y up


class MeshFault(ValueError):
    """A mesh file that cannot be used; the message says why and what would be."""


@dataclass(frozen=True)
class Imported:
    """A mesh and what there is to say about it. vertices (V, 3) metres, faces (F, 3)."""

    vertices: NDArray[np.float64]
    faces: NDArray[np.int64]
    open_edges: int
    tree: MeshTree

    @property
    def closed(self) -> bool:
        return self.open_edges == 0

    def normals(self) -> NDArray[np.float64]:
        """Outward unit normals at the corners (V, 3), weighted by area."""
        a, b, c = (self.vertices[self.faces[:, i]] for i in range(3))
        normals = np.zeros_like(self.vertices)
        np.add.at(normals, self.faces.ravel(), np.repeat(np.cross(b - a, c - a), 3, axis=0))
        normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-300)
        return normals

    def report(self) -> str:
        """Size, triangles and openness, as a sentence."""
        size = " × ".join(f"{s:.3g}" for s in np.ptp(self.vertices, axis=0))
        state = "closed" if self.closed else (
            f"open at {self.open_edges} edges, so it has no inside: it is hit from both sides, like a sheet"
        )  # fmt: skip
        return f"{show_quantity(len(self.faces), 'count', Dress())} triangles, {size} m, {state}."


def import_mesh(path: Path) -> Imported:
    """Read OBJ, PLY, STL or glTF. Raises `MeshFault`."""
    kind = path.suffix.lower().lstrip(".")
    if kind not in FORMATS:
        raise MeshFault(f"{path.name} is no mesh format that is read. Accepted: {', '.join(FORMATS)}.")
    if not path.is_file():
        raise MeshFault(f"The mesh file {path.name} is not beside the shot.")
    if path.stat().st_size > LARGEST_BYTES:
        raise MeshFault(f"{path.name} is over {LARGEST_BYTES // 2**20} MiB.")
    try:
        mesh: trimesh.Trimesh = trimesh.load_mesh(path, process=False)
    except Exception as error:  # a reader may fail in any way on a damaged file
        raise MeshFault(f"{path.name} cannot be read as {kind.upper()}: {_first_line(error)}") from error
    return mesh_from(path.name, np.asarray(mesh.vertices, np.float64), np.asarray(mesh.faces))


def mesh_from(name: str, vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> Imported:
    """Check the arrays of a mesh, weld equal corners and build its tree. Raises `MeshFault`."""
    faces = np.asarray(faces, np.int64).reshape(-1, 3)
    if len(faces) == 0 or len(vertices) < 3:
        raise MeshFault(f"{name} holds no triangles.")
    if len(faces) > MOST_TRIANGLES:
        raise MeshFault(f"{name} has {len(faces)} triangles. Accepted: up to {MOST_TRIANGLES}.")
    if not np.isfinite(vertices).all():
        raise MeshFault(f"{name} has corner points that are not finite numbers.")
    if faces.min() < 0 or faces.max() >= len(vertices):
        raise MeshFault(f"{name} has triangles that name corner points it does not have.")
    vertices, inverse = np.unique(vertices, axis=0, return_inverse=True)
    faces = inverse.reshape(-1)[faces]
    distinct = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    faces = faces[distinct]
    if len(faces) == 0:
        raise MeshFault(f"{name} has only triangles without area.")
    edges = np.sort(faces[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    _, uses = np.unique(edges, axis=0, return_counts=True)
    open_edges = int((uses != 2).sum())
    return Imported(vertices, faces, open_edges, build_tree(vertices, faces))


def _first_line(error: Exception) -> str:
    return (str(error).strip().splitlines() or [type(error).__name__])[0][:160]


def _upright(mesh: trimesh.Trimesh) -> trimesh.Trimesh:
    mesh.apply_transform(UPRIGHT)
    return mesh


def _hemisphere(shape: props.Hemisphere) -> trimesh.Trimesh:
    rise = np.linspace(0.0, 0.5 * np.pi, 17)
    profile = shape.radius * np.stack([np.cos(rise), np.sin(rise)], axis=1)
    return _upright(trimesh.creation.revolve(profile, sections=48))


def _disc(shape: props.Disc) -> trimesh.Trimesh:
    turn = np.linspace(0.0, 2.0 * np.pi, 48, endpoint=False)
    rim = shape.radius * np.stack([np.cos(turn), np.zeros(48), np.sin(turn)], axis=1)
    fan = [[0, 1 + (i + 1) % 48, 1 + i] for i in range(48)]
    return trimesh.Trimesh(np.concatenate([[[0.0, 0.0, 0.0]], rim]), fan, process=False)


MESH_OF: dict[type, Callable[..., trimesh.Trimesh]] = {
    props.Sphere: lambda s: _upright(trimesh.creation.uv_sphere(radius=s.radius, count=[32, 48])),
    props.Hemisphere: _hemisphere,
    props.Box: lambda s: trimesh.creation.box(extents=[s.width, s.height, s.depth]),
    props.Plane: lambda s: trimesh.Trimesh(
        [[x * s.width / 2, 0, z * s.depth / 2] for x, z in ((-1, -1), (-1, 1), (1, 1), (1, -1))],
        [[0, 1, 2], [0, 2, 3]], process=False,
    ),
    props.Disc: _disc,
    props.Cylinder: lambda s: _upright(trimesh.creation.cylinder(s.radius, s.height, sections=48)),
    props.Cone: lambda s: _upright(
        trimesh.creation.cone(s.radius, s.height, sections=48).apply_translation([0, 0, -s.height / 2])
    ),
    props.Torus: lambda s: _upright(trimesh.creation.torus(s.radius, s.tube, 48, 24)),
}  # fmt: skip


def triangles_of(
    shape: props.Shape, find_mesh: Callable[[str], Path]
) -> tuple[NDArray[np.float64], NDArray[np.int64], NDArray[np.float64]]:
    """The triangles of any shape, imported or not: vertices (V, 3), faces (F, 3), vertex normals (V, 3).

    Raises `MeshFault`.
    """
    if isinstance(shape, props.Mesh):
        mesh = import_mesh(find_mesh(shape.file))
        return mesh.vertices, mesh.faces, mesh.normals()
    return mesh_of(shape)


def mesh_of(shape: props.Shape) -> tuple[NDArray[np.float64], NDArray[np.int64], NDArray[np.float64]]:
    """A primitive's triangles: vertices (V, 3), faces (F, 3), vertex normals (V, 3)."""
    mesh = MESH_OF[type(shape)](shape)
    return np.asarray(mesh.vertices), np.asarray(mesh.faces), np.asarray(mesh.vertex_normals)
