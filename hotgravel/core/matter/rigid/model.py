"""What a prop is as a body: its mass, centre and inertia from its true mesh, and the convex parts that it meets with.

A body's own frame has its origin at the centre of mass and its axes along the principal axes of inertia. All is for
one unit of scale and of density.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
import trimesh
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, HalfspaceIntersection, QhullError

from hotgravel.core.matter.rigid.support import (
    BALL,
    BLOCK,
    CORNER,
    DRUM,
    FACE,
    HULL,
    KIND,
    MARGIN,
    MOST_CORNERS,
    PART_WIDTH,
    SIZE,
)  # fmt: skip
from hotgravel.core.shape.cutting import Cutting, Piece
from hotgravel.core.shot import props

Array = NDArray[np.float64]
MARGIN_SHARE = 0.08  # of the smallest half width: how far a core is drawn in
MOST_HULL = 48  # corners of a hull: more would only be slower
NO_VOLUME = "It is flat, so it has no mass. Accepted: a closed shape with a volume."
FLAT = 1e-6  # of the size: thinner has no volume


class NotSolid(ValueError):
    """A shape that cannot be a body; the message says why and what would be accepted."""


@dataclass(frozen=True)
class Model:
    """A body for one unit of scale and density.

    volume m³; inertia (3,) kg m² about the principal axes; centre (3,) and axes (3, 3) place the body's frame in its
    prop's; area m², the mean that it shows to the wind; reach m, from the centre to the farthest point. parts
    (P, PART_WIDTH), corners and cores (V, 3), face_of (F, MOST_CORNERS), normals (F, 3) as `support` has them. vertices
    (W, 3) and faces (T, 3) are the mesh that is drawn.
    """

    volume: float
    inertia: Array
    centre: Array
    axes: Array
    area: float
    reach: float
    parts: Array
    corners: Array
    cores: Array
    face_of: NDArray[np.int64]
    normals: Array
    vertices: Array
    faces: NDArray[np.int64]


def model_of(shape: props.Shape | None, vertices: Array, faces: NDArray[np.int64], pieces: int = 1) -> Model:
    """The body of a prop's shape, or of the triangles alone that are given; `pieces` is how many convex parts
    may stand for a mesh. Raises `NotSolid`."""
    mesh = trimesh.Trimesh(vertices, faces, process=False)
    size = float(np.ptp(vertices, axis=0).max())
    exact = _exact(shape)
    if exact is None:
        if float(np.ptp(vertices, axis=0).min()) < FLAT * size:
            raise NotSolid(NO_VOLUME)
        welded = trimesh.Trimesh(vertices, faces, process=True)
        if isinstance(shape, props.Cone | props.Hemisphere):
            welded = welded.convex_hull
        if not welded.is_watertight:
            raise NotSolid("Its mesh is open, so it has no mass. Accepted: a closed mesh, or one mended on import.")
        if abs(welded.volume) < (FLAT * size) ** 3:
            raise NotSolid(NO_VOLUME)
        if welded.volume < 0.0:
            welded.invert()
        volume, centre, tensor = float(welded.volume), welded.center_mass, np.asarray(welded.moment_inertia)
        found = convex_parts(np.asarray(welded.vertices), np.asarray(welded.faces), pieces)
        return _of_hulls(volume, centre, tensor, np.asarray(mesh.vertices), faces, found)
    volume, inertia, parts, area = exact
    nothing, drawn = np.zeros((0, 3)), np.asarray(mesh.vertices, float)
    return Model(
        volume, inertia, np.zeros(3), np.eye(3), area, _reach(drawn), parts, nothing, nothing,
        np.zeros((0, MOST_CORNERS), np.int64), nothing, drawn, faces,
    )  # fmt: skip


def _of_hulls(
    volume: float, centre: Array, tensor: Array, vertices: Array, faces: NDArray[np.int64], convex: Sequence[Array]
) -> Model:
    """A body of convex parts, points (n, 3) of each; its mesh, centre (3,) and inertia (3, 3) are in its prop's frame.
    Raises `NotSolid`."""
    inertia, axes = np.linalg.eigh(tensor)
    if np.linalg.det(axes) < 0.0:
        axes = axes * np.array([1.0, 1.0, -1.0])
    hulls = [(points - centre) @ axes for points in convex]
    parts, corners, cores, face_of, normals = _hulls(hulls)
    area = float(sum(ConvexHull(hull).area for hull in hulls)) / 4.0
    drawn = (vertices - centre) @ axes
    return Model(
        volume, inertia, np.asarray(centre, float), axes, area, _reach(drawn), parts, corners, cores, face_of, normals,
        drawn, faces,
    )  # fmt: skip


def _reach(vertices: Array) -> float:
    return float(np.sqrt((vertices**2).sum(axis=1).max()))


@lru_cache(maxsize=16)
def models_of(cutting: Cutting) -> tuple[Model, ...]:
    """The bodies of all pieces of a cutting; what is too thin to be one meets others as its hull."""
    found = []
    for piece in cutting.pieces:
        try:
            found.append(_piece_model(piece))
        except NotSolid:
            hull = trimesh.Trimesh(piece.vertices).convex_hull
            found.append(model_of(None, np.asarray(hull.vertices), np.asarray(hull.faces)))
    return tuple(found)


def _piece_model(piece: Piece) -> Model:
    """The body of a piece, which is known to be closed. Raises `NotSolid`."""
    tensor, sides = second_moments(piece.vertices, piece.faces, piece.centre), np.ptp(piece.vertices, axis=0)
    if np.linalg.eigvalsh(tensor)[0] <= 0.0 or sides.min() < FLAT * sides.max():
        raise NotSolid(NO_VOLUME)
    return _of_hulls(piece.volume, piece.centre, tensor, piece.vertices, piece.faces, [piece.vertices])


def second_moments(vertices: Array, faces: NDArray[np.int64], centre: Array) -> Array:
    """The inertia (3, 3) of a closed mesh about a place, for one unit of density: the sum over tetrahedra from there
    (Tonon 2004)."""
    a, b, c = (vertices[faces[:, k]] - centre for k in range(3))
    six = np.einsum("ij,ij->i", a, np.cross(b, c))
    total = a + b + c
    outer = np.stack([a, b, c, total], axis=1)
    spread = np.einsum("i,ikm,ikn->mn", six, outer, outer, optimize=True) / 120.0
    result: Array = np.trace(spread) * np.eye(3) - spread
    return result


def _exact(shape: props.Shape | None) -> tuple[float, Array, Array, float] | None:
    """Volume, inertia, part and mean shown area of a shape whose contacts are exact; None for others."""
    part = np.zeros((1, PART_WIDTH))
    match shape:
        case props.Sphere():
            r = shape.radius
            volume, inertia = 4.0 / 3.0 * np.pi * r**3, np.full(3, 0.4 * r * r)
            part[0, [KIND, SIZE, MARGIN]] = BALL, r, r
            area = np.pi * r * r
        case props.Box():
            a, b, c = shape.width, shape.height, shape.depth
            volume, inertia = a * b * c, np.array([b * b + c * c, a * a + c * c, a * a + b * b]) / 12.0
            part[0, KIND], part[0, SIZE : SIZE + 3] = BLOCK, (a / 2, b / 2, c / 2)
            part[0, MARGIN] = MARGIN_SHARE * min(a, b, c) / 2
            area = (a * b + b * c + c * a) / 2.0
        case props.Cylinder():
            r, h = shape.radius, shape.height
            side = (3 * r * r + h * h) / 12.0
            volume, inertia = np.pi * r * r * h, np.array([side, r * r / 2.0, side])
            part[0, KIND], part[0, SIZE : SIZE + 2] = DRUM, (r, h / 2)
            part[0, MARGIN] = MARGIN_SHARE * min(r, h / 2)
            area = (2 * np.pi * r * (r + h)) / 4.0
        case _:
            return None
    return float(volume), volume * inertia, part, float(area)


def _hulls(hulls: Sequence[Array]) -> tuple[Array, Array, Array, NDArray[np.int64], Array]:
    """Parts with their corners, cores, faces and normals."""
    made = [hull_of(points) for points in hulls]
    parts = np.zeros((len(made), PART_WIDTH))
    corner = face = 0
    for part, (corners, _cores, faces, _normals, margin) in zip(parts, made, strict=True):
        part[[KIND, MARGIN]] = HULL, margin
        part[CORNER : CORNER + 2], part[FACE : FACE + 2] = (corner, len(corners)), (face, len(faces))
        faces[faces >= 0] += corner
        corner, face = corner + len(corners), face + len(faces)
    return parts, *(np.concatenate([m[k] for m in made]) for k in range(4))  # type: ignore[return-value]


def hull_of(points: Array) -> tuple[Array, Array, NDArray[np.int64], Array, float]:
    """The convex hull of points (n, 3): corners and cores (V, 3), the corners of each face (F, MOST_CORNERS), its
    normals (F, 3), and the margin. Raises `NotSolid` where they lie in a plane."""
    try:
        hull = ConvexHull(points)
        if len(hull.vertices) > MOST_HULL:
            hull = ConvexHull(_fewer(hull.points[hull.vertices]))
    except QhullError:
        raise NotSolid(NO_VOLUME) from None
    corners = hull.points[np.sort(hull.vertices)]
    middle = corners.mean(axis=0)
    planes = np.unique(np.round(hull.equations, 7), axis=0)
    inner = float(-(planes[:, :3] @ middle + planes[:, 3]).max())
    margin = MARGIN_SHARE * inner
    faces, normals = _faces(corners, planes)
    # A core has the same planes, drawn in; it is asked for the farthest of its corners, so their order says nothing.
    cores = HalfspaceIntersection(planes + np.array([0.0, 0.0, 0.0, margin]), middle).intersections
    cores = np.unique(np.round(cores, 9), axis=0)
    most = max(len(corners), len(cores))
    return _filled(corners, most), _filled(cores, most), faces, normals, margin


def _filled(points: Array, most: int) -> Array:
    """The points, the last repeated until there are so many."""
    filled: Array = np.concatenate([points, np.repeat(points[-1:], most - len(points), axis=0)])
    return filled


def _fewer(outer: Array) -> Array:
    """So many of the corners of a hull as it may have: those that lie farthest along evenly spread directions."""
    turn = np.pi * (1.0 + 5.0**0.5) * np.arange(MOST_HULL)
    height = 1.0 - (2.0 * np.arange(MOST_HULL) + 1.0) / MOST_HULL
    rho = np.sqrt(1.0 - height**2)
    ways = np.stack([rho * np.cos(turn), height, rho * np.sin(turn)], axis=1)
    farthest: Array = outer[np.unique(np.argmax(outer @ ways.T, axis=0))]
    return farthest


def _faces(corners: Array, planes: Array) -> tuple[NDArray[np.int64], Array]:
    """The corners on each plane, in order around its normal; the first MOST_CORNERS of them."""
    size = float(np.ptp(corners, axis=0).max())
    normals = planes[:, :3]
    on = corners @ normals.T + planes[:, 3] > -1e-5 * size
    middle = (on.T @ corners) / on.sum(axis=0)[:, None]
    u = np.cross(normals, np.eye(3)[np.argmin(np.abs(normals), axis=1)])
    v = np.cross(normals, u)
    off = corners[:, None] - middle[None]
    angle = np.where(on, np.arctan2((off * v).sum(axis=2), (off * u).sum(axis=2)), np.inf)
    order = np.argsort(angle, axis=0, kind="stable")[:MOST_CORNERS].T
    found = np.full((len(planes), MOST_CORNERS), -1)
    found[:, : order.shape[1]] = np.where(np.arange(order.shape[1]) < on.sum(axis=0)[:, None], order, -1)
    return found, normals


def convex_parts(vertices: Array, faces: NDArray[np.int64], pieces: int) -> list[Array]:
    """Points (n, 3) of each of at most so many convex parts of a closed mesh: the part whose hull holds most that is
    not its own is cut by the plane that leaves the least, again and again."""
    if pieces == 1:
        return [vertices]
    import manifold3d

    whole = manifold3d.Manifold(manifold3d.Mesh(vertices.astype(np.float32), faces.astype(np.uint32)))
    parts: list[Any] = [whole]
    while len(parts) < pieces:
        empty = [_hollow(part) for part in parts]
        worst = int(np.argmax(empty))
        cut = _cut(parts[worst]) if empty[worst] > 0.01 * whole.volume() else None
        if cut is None:
            break
        parts[worst : worst + 1] = cut
    return [np.asarray(part.to_mesh().vert_properties[:, :3], float) for part in parts]


def _cut(part: Any) -> list[Any] | None:
    """Both sides of the plane across an axis of a part's box that leaves the least volume in their hulls once each is
    cut again: one cut of a ring makes its hulls no smaller, two do."""
    best = None
    for sides in _cuts(part, (0.25, 0.5, 0.75)):
        left = sum(min([_hollow(side), *(sum(map(_hollow, more)) for more in _cuts(side, (0.5,)))]) for side in sides)
        if best is None or left < best[0] - 1e-12:
            best = left, sides
    return best[1] if best else None


def _cuts(part: Any, shares: tuple[float, ...]) -> Iterator[list[Any]]:
    """The pieces of a part by each plane across its box at shares of its sides."""
    box = np.array(part.bounding_box()).reshape(2, 3)
    for axis in np.argsort(box[0] - box[1], kind="stable"):
        for share in shares:
            offset = float(box[0, axis] + share * (box[1, axis] - box[0, axis]))
            sides = part.split_by_plane(np.eye(3)[axis].tolist(), offset)
            pieces = [piece for side in sides for piece in side.decompose()]
            if pieces:
                yield pieces


def _hollow(part: Any) -> float:
    """How much of its hull is not a part's own, m³."""
    return float(part.hull().volume() - part.volume())


def sheet_hull(vertices: Array) -> tuple[Array, NDArray[np.int64], Array]:
    """A flat prop (a plain, a disc) as a part without thickness: corners (V, 3), its two faces, their normals."""
    rim = vertices[ConvexHull(vertices[:, [0, 2]]).vertices][:MOST_CORNERS]
    faces = np.full((2, MOST_CORNERS), -1)
    faces[0, : len(rim)], faces[1, : len(rim)] = np.arange(len(rim))[::-1], np.arange(len(rim))
    return rim, faces, np.array([[0.0, 1.0, 0.0], [0.0, -1.0, 0.0]])
