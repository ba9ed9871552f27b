"""Triangle meshes: those of the primitives, for the stage and for corner points, and imported ones."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
import trimesh
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from hotgravel.core.shape.bvh import MeshTree, build_tree
from hotgravel.core.shape.counting import Endless, triangles_in
from hotgravel.core.shape.crossing import crossings, united
from hotgravel.core.shot import props
from hotgravel.core.shot.units import Dress, show_quantity

FORMATS = ("obj", "ply", "stl", "glb", "gltf")
LARGEST_BYTES = 256 * 1024 * 1024
MOST_TRIANGLES = 2_000_000
METRES = {"m": 1.0, "cm": 0.01, "mm": 0.001, "inch": 0.0254, "foot": 0.3048}
UPRIGHT = np.array([[1.0, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0], [0, 0, 0, 1]])  # z up to y up


class MeshFault(ValueError):
    """A mesh file that cannot be used; the message says why and what would be."""


@dataclass(frozen=True)
class Imported:
    """A mesh and what there is to say about it. vertices (V, 3) metres, faces (F, 3)."""

    vertices: NDArray[np.float64]
    faces: NDArray[np.int64]
    open_edges: int
    flipped: int
    tree: MeshTree

    @property
    def closed(self) -> bool:
        return self.open_edges == 0

    def normals(self) -> NDArray[np.float64]:
        """Outward unit normals at the corners (V, 3), weighted by area."""
        return smooth_normals(self.vertices, self.faces)

    def report(self) -> str:
        """Size, triangles, openness and flipped triangles, as a sentence."""
        size = " × ".join(f"{s:.3g}" for s in np.ptp(self.vertices, axis=0))
        state = "closed" if self.closed else (
            f"open at {self.open_edges} edges, so it has no inside: it is hit from both sides, like a sheet"
        )  # fmt: skip
        count = show_quantity(len(self.faces), "count", Dress())
        turned = f"; {self.flipped} triangles face the wrong way" if self.flipped else ""
        return f"{count} triangles, {size} m, {state}{turned}."


def import_mesh(shape: props.Mesh, find_mesh: Callable[[str], Any]) -> Imported:
    """Read OBJ, PLY, STL or glTF, in metres and y up. Raises `MeshFault`."""
    path = find_mesh(shape.file)
    stamp = (path.stat().st_size, getattr(path.stat(), "st_mtime_ns", 0)) if path.is_file() else None
    return _imported(path, stamp, shape)


@lru_cache(maxsize=8)
def _imported(path: Any, _stamp: Any, shape: props.Mesh) -> Imported:
    vertices, faces = read_mesh(path)
    return mesh_from(path.name, _placed(vertices, shape), faces, mend=shape.mend == "mended")


def file_corners(
    shape: props.Mesh, find_mesh: Callable[[str], Any]
) -> tuple[NDArray[np.float64], NDArray[np.float64] | None]:
    """The corners (F, 3, 3) of a file's faces, in metres and y up, and where they lie on its textures (F, 3, 2) from
    their lower left, if it tells that. Raises `MeshFault`."""
    mesh = _read(find_mesh(shape.file))
    faces, uv = np.asarray(mesh.faces), getattr(mesh.visual, "uv", None)
    corners = _placed(np.asarray(mesh.vertices, np.float64), shape)[faces]
    return corners, np.asarray(uv, np.float64)[faces] if uv is not None and len(uv) else None


def read_mesh(path: Any) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """The corner points (V, 3) and triangles (F, 3) of a file, as they stand there. Raises `MeshFault`."""
    mesh = _read(path)
    return np.asarray(mesh.vertices, np.float64), np.asarray(mesh.faces)


def _placed(vertices: NDArray[np.float64], shape: props.Mesh) -> NDArray[np.float64]:
    """Corner points of a file, in metres and y up."""
    metres = vertices * METRES[shape.unit]
    return metres @ UPRIGHT[:3, :3].T if shape.up == "z" else metres


def _read(path: Any) -> trimesh.Trimesh:
    kind = path.suffix.lower().lstrip(".")
    if kind not in FORMATS:
        raise MeshFault(f"{path.name} is no mesh format that is read. Accepted: {', '.join(FORMATS)}.")
    if not path.is_file():
        raise MeshFault(f"The mesh file {path.name} is not beside the shot.")
    if path.stat().st_size > LARGEST_BYTES:
        raise MeshFault(f"{path.name} is over {LARGEST_BYTES // 2**20} MiB.")
    data = path.read_bytes()
    try:
        count = triangles_in(kind, data)
    except Endless as fault:
        raise MeshFault(f"{path.name} cannot be used. {fault}") from None
    if count > MOST_TRIANGLES:
        raise MeshFault(f"{path.name} has {count} triangles. Accepted: up to {MOST_TRIANGLES}.")
    try:
        source = path if isinstance(path, Path) else BytesIO(data)
        mesh: trimesh.Trimesh = trimesh.load_mesh(source, file_type=kind, process=False)
    except Exception as error:  # a reader may fail in any way on a damaged file
        raise MeshFault(f"{path.name} cannot be read as {kind.upper()}: {_first_line(error)}") from error
    return mesh


def mesh_from(name: str, vertices: NDArray[np.float64], faces: NDArray[np.int64], *, mend: bool = False) -> Imported:
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
    if mend:
        vertices, faces = united(vertices, _mended(vertices, faces))
    _, uses = np.unique(_edges(faces), return_counts=True)
    open_edges = int((uses != 2).sum())
    flipped = int(flipped_faces(vertices, faces).sum())
    return Imported(vertices, faces, open_edges, flipped, build_tree(vertices, faces))


def mending(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> str:
    """At how many edges a mesh is open, or else crosses itself, and what mending it on import would come to, as a
    sentence."""
    was, would = (mesh_from("It", vertices, faces, mend=mend) for mend in (False, True))
    if was.closed:
        left = crossings(would.vertices, would.faces)
        told = f"it would still do so at {left}" if left else "its parts would be one that does not"
        return f"Its mesh crosses itself at {crossings(was.vertices, was.faces)} edges. Mended on import, {told}."
    more = len(would.faces) - len(was.faces)
    closes = f"Mended on import it would be closed, by {more} more triangles."
    left_open = f"Mended on import it would still be open at {would.open_edges}: holes of more than four edges stay."
    return f"Its mesh is open at {was.open_edges} edges. {closes if would.closed else left_open}"


def _edges(faces: NDArray[np.int64]) -> NDArray[np.int64]:
    """The three edges of each face in turn (3F,), each as one number, whichever way it runs."""
    ends = np.sort(faces[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    numbered: NDArray[np.int64] = ends[:, 0] * (faces.max() + 1) + ends[:, 1]
    return numbered


def flipped_faces(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Which triangles (F,) face another way than the piece they belong to: against most of an open
    piece, or inwards on a closed one.

    Two faces agree if they run along their shared edge in opposite directions. On the double cover
    of the faces (each face both ways round), connected components are the consistent windings.
    """
    count = len(faces)
    directed = faces[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    _, which, uses = np.unique(_edges(faces), return_inverse=True, return_counts=True)
    order = np.argsort(which, kind="stable")
    order = order[uses[which[order]] == 2]
    one, other = order[::2], order[1::2]
    a, b = one // 3, other // 3
    against = (directed[one, 0] == directed[other, 0]).astype(np.int64)
    rows = np.concatenate([2 * a, 2 * a + 1])
    columns = np.concatenate([2 * b + against, 2 * b + 1 - against])
    graph = coo_matrix((np.ones(len(rows), np.int8), (rows, columns)), shape=(2 * count, 2 * count))
    labels = connected_components(graph, directed=False)[1].reshape(count, 2)
    piece = labels.min(axis=1)  # the component that holds the piece's first face one way or the other
    turned = labels[:, 0] != piece
    corners = vertices[faces]
    volume = np.einsum("ij,ij->i", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])) * np.where(turned, -1.0, 1.0)
    open_faces = np.unique(np.nonzero(uses[which] != 2)[0] // 3)
    is_open = np.zeros(labels.max() + 1, bool)
    is_open[piece[open_faces]] = True
    inward = np.bincount(piece, volume, labels.max() + 1) < 0.0
    mostly = np.bincount(piece, turned, labels.max() + 1) > 0.5 * np.bincount(piece, minlength=labels.max() + 1)
    wrong: NDArray[np.bool_] = turned ^ np.where(is_open, mostly, inward)[piece]
    return wrong


def _mended(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> NDArray[np.int64]:
    """Faces without doubles, with holes of three or four edges closed, all facing the same way."""
    _, first = np.unique(np.sort(faces, axis=1), axis=0, return_index=True)
    mesh = trimesh.Trimesh(vertices, faces[np.sort(first)], process=False)
    trimesh.repair.fill_holes(mesh)
    whole = np.asarray(mesh.faces, np.int64)
    flipped = flipped_faces(vertices, whole)
    return np.where(flipped[:, None], whole[:, ::-1], whole)


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


Solid = props.Mesh | props.Lettering | props.Outline | props.Stone | props.Tray


def solid(shape: Solid, find_mesh: Callable[[str], Any]) -> Imported:
    """The mesh of a shape that is one. Raises `MeshFault`."""
    if isinstance(shape, props.Mesh):
        return import_mesh(shape, find_mesh)
    from hotgravel.core.shape import lettering, stone

    match shape:
        case props.Stone():
            return stone.stone(shape)
        case props.Tray():
            return stone.tray(shape)
        case props.Lettering():
            return lettering.lettered(shape, find_mesh)
    return lettering.outlined(shape, find_mesh)


def triangles_of(
    shape: props.Shape, find_mesh: Callable[[str], Path]
) -> tuple[NDArray[np.float64], NDArray[np.int64], NDArray[np.float64]]:
    """The triangles of any shape, imported or not: vertices (V, 3), faces (F, 3), vertex normals (V, 3).

    Raises `MeshFault`.
    """
    if isinstance(shape, Solid):
        mesh = solid(shape, find_mesh)
        return mesh.vertices, mesh.faces, mesh.normals()
    return mesh_of(shape)


def mesh_of(shape: props.Shape) -> tuple[NDArray[np.float64], NDArray[np.int64], NDArray[np.float64]]:
    """A primitive's triangles: vertices (V, 3), faces (F, 3), vertex normals (V, 3)."""
    mesh = MESH_OF[type(shape)](shape)
    return np.asarray(mesh.vertices), np.asarray(mesh.faces), np.asarray(mesh.vertex_normals)


CREASE = np.radians(40.0)  # sharper edges are drawn as edges


def smooth_normals(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> NDArray[np.float64]:
    """Unit normals at the corners (V, 3) of a mesh, each the mean of the faces (F, 3) about it by their areas; up where
    those have none."""
    a, b, c = (vertices[faces[:, i]].astype(float) for i in range(3))
    across, at = np.repeat(np.cross(b - a, c - a), 3, axis=0), faces.ravel()
    summed = np.stack([np.bincount(at, across[:, k], len(vertices)) for k in range(3)], axis=1)
    size = np.linalg.norm(summed, axis=1, keepdims=True)
    result: NDArray[np.float64] = np.where(size > 1e-30, summed / np.maximum(size, 1e-30), [0.0, 1.0, 0.0])
    return result


def creased(
    vertices: NDArray[np.float64], faces: NDArray[np.int64], inner: NDArray[np.bool_] | None = None
) -> tuple[NDArray[np.float32], NDArray[np.int32], NDArray[np.float32], NDArray[np.uint8]]:
    """A mesh for drawing, smooth but for its sharp edges: vertices (V, 3), faces (F, 3), normals (V, 3), and which
    vertices (V,) are of inner faces (F,). A corner has the mean normal of the faces about it that look nearly its own
    face's way, by their areas; those of inner faces and of others are never the same vertex."""
    inside = np.zeros(len(faces), bool) if inner is None else inner
    size = max(float(np.ptp(vertices, axis=0).max()), 1e-300)
    _, first, welded = np.unique(np.round(vertices / (1e-7 * size)), axis=0, return_index=True, return_inverse=True)
    at = welded.ravel()[faces.ravel()]
    a, b, c = (vertices[faces[:, k]] for k in range(3))
    across = np.cross(b - a, c - a)
    unit = across / np.maximum(np.linalg.norm(across, axis=1), 1e-300)[:, None]
    order = np.argsort(at, kind="stable")
    count = np.bincount(at, minlength=len(first))
    # Every corner beside every other of the same vertex.
    mine = np.repeat(order, count[at[order]])
    begin = np.repeat((np.cumsum(count) - count)[at[order]], count[at[order]])
    nth = np.arange(len(mine)) - np.repeat(np.cumsum(count[at[order]]) - count[at[order]], count[at[order]])
    other = order[begin + nth]
    alike = np.einsum("ki,ki->k", unit[mine // 3], unit[other // 3]) >= np.cos(CREASE)
    alike &= inside[mine // 3] == inside[other // 3]
    summed = np.stack([np.bincount(mine[alike], across[other[alike] // 3, k], len(at)) for k in range(3)], axis=1)
    normals = summed / np.maximum(np.linalg.norm(summed, axis=1), 1e-300)[:, None]
    side = np.repeat(inside, 3)
    told = np.concatenate([at[:, None], side[:, None], np.round(1e4 * normals).astype(np.int64)], axis=1)
    _, kept, corner = np.unique(told, axis=0, return_index=True, return_inverse=True)
    made = vertices[first[at[kept]]].astype(np.float32)
    smooth = normals[kept].astype(np.float32)
    return made, corner.reshape(-1, 3).astype(np.int32), smooth, side[kept].astype(np.uint8)
