"""The meshes that soft things are made on: sheets in squares that are halved, and blocks that fill a closed shape."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from hotgravel.core.chance import uniforms

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
# The six tetrahedra that a block's corners make (Kuhn 1960); all have its long diagonal. A corner's number has its x, y
# and z as bits.
KUHN = np.array([[0, 1, 3, 7], [0, 3, 2, 7], [0, 2, 6, 7], [0, 6, 4, 7], [0, 4, 5, 7], [0, 5, 1, 7]])


def sheet(wide: float, deep: float, segments: int, weave: str) -> tuple[Array, Ints]:
    """A flat sheet about its middle, upside up: vertices (V, 3), faces (F, 3). Its longer side has so many segments."""
    longer = max(wide, deep)
    nx, nz = (max(1, round(segments * side / longer)) for side in (wide, deep))
    x, z = np.meshgrid(np.linspace(-0.5 * wide, 0.5 * wide, nx + 1), np.linspace(-0.5 * deep, 0.5 * deep, nz + 1))
    vertices = np.stack([x.ravel(), np.zeros(x.size), z.ravel()], axis=1)
    i, k = (of.ravel() for of in np.meshgrid(np.arange(nx), np.arange(nz)))
    a, b, c, d = (k * (nx + 1) + i, k * (nx + 1) + i + 1, (k + 1) * (nx + 1) + i + 1, (k + 1) * (nx + 1) + i)
    turned = {"regular": np.zeros(len(i), bool), "alternating": (i + k) % 2 > 0}.get(weave)
    if turned is None:
        turned = uniforms(np.arange(len(i), dtype=np.uint64), 1, seed=0, who="weave", frame=0, purpose=0)[:, 0] < 0.5
    one = np.where(turned[:, None], np.stack([a, d, b], axis=1), np.stack([a, d, c], axis=1))
    two = np.where(turned[:, None], np.stack([b, d, c], axis=1), np.stack([a, c, b], axis=1))
    return vertices, np.stack([one, two], axis=1).reshape(-1, 3)


def ball(radius: float, parts: int) -> tuple[Array, Ints]:
    """A ball about its middle, of triangles nearly alike: the faces of an icosahedron, each edge in so many parts, and
    all of it blown out to a radius. Vertices (V, 3), faces (F, 3)."""
    from trimesh.creation import icosahedron

    whole = icosahedron()
    i, j = (of.ravel() for of in np.meshgrid(np.arange(parts + 1), np.arange(parts + 1), indexing="ij"))
    i, j = i[i + j <= parts], j[i + j <= parts]
    number = {(a, b): n for n, (a, b) in enumerate(zip(i.tolist(), j.tolist(), strict=True))}
    small = [(number[a, b], number[a + 1, b], number[a, b + 1]) for a, b in number if a + b < parts]
    small += [(number[a + 1, b], number[a + 1, b + 1], number[a, b + 1]) for a, b in number if a + b < parts - 1]
    shares = np.stack([parts - i - j, i, j], axis=1) / parts
    corners = np.einsum("sk,fkc->fsc", shares, whole.vertices[whole.faces]).reshape(-1, 3)
    corners *= radius / np.linalg.norm(corners, axis=1, keepdims=True)
    faces = (np.array(small)[None] + len(shares) * np.arange(len(whole.faces))[:, None, None]).reshape(-1, 3)
    return corners, faces


def filled(low: Array, high: Array, segments: int, distance: Callable[[Array], Array]) -> tuple[Array, Ints, Array]:
    """Blocks that fill a shape, as tetrahedra: nodes (N, 3), their corners (E, 4), and how much (E,) of the block of
    each lies inside. The longest side of the shape's box has so many blocks; one stays that reaches into the shape."""
    size = high - low
    side = float(size.max()) / segments
    many = np.maximum(1, np.ceil(size / side - 1e-6)).astype(int)
    start = 0.5 * (low + high) - 0.5 * side * many
    at = np.stack(np.meshgrid(*(np.arange(n) for n in many), indexing="ij"), axis=-1).reshape(-1, 3)
    parts = (np.stack(np.meshgrid(*[np.arange(4)] * 3, indexing="ij"), axis=-1).reshape(-1, 3) + 0.5) / 4
    inside = distance((start + side * (at[:, None] + parts)).reshape(-1, 3)).reshape(len(at), -1) < 0.0
    share = inside.mean(axis=1)
    at, share = at[share > 0.0], share[share > 0.0]
    corners = at[:, None] + np.array([[n & 1, n >> 1 & 1, n >> 2] for n in range(8)])
    keys = (corners @ np.array([1, many[0] + 1, (many[0] + 1) * (many[1] + 1)])).ravel()
    used, number = np.unique(keys, return_inverse=True)
    plane = (many[0] + 1) * (many[1] + 1)
    nodes = np.stack([used % (many[0] + 1), used % plane // (many[0] + 1), used // plane], axis=1)
    return start + side * nodes, number.reshape(-1, 8)[:, KUHN].reshape(-1, 4), np.repeat(share, len(KUHN))


def held_by(points: Array, nodes: Array, tets: Ints) -> tuple[Ints, Array]:
    """The tetrahedron that holds each point (n, 3), or comes nearest to it, as its four nodes (n, 4) and their shares
    (n, 4). `tets` are those of blocks, one block after another."""
    blocks = tets.reshape(-1, len(KUHN), 4)
    middles = 0.5 * (nodes[blocks[:, 0, 0]] + nodes[blocks[:, 0, 3]])
    _, block = cKDTree(middles).query(points, p=np.inf)  # of the block that a point is in, its middle is the nearest
    near = blocks[block]
    a = nodes[near[:, :, 0]]
    sides = np.stack([nodes[near[:, :, n]] - a for n in (1, 2, 3)], axis=3)
    inner = np.linalg.solve(sides, (points[:, None] - a)[..., None])[..., 0]
    shares = np.concatenate([1.0 - inner.sum(axis=2, keepdims=True), inner], axis=2)
    row, best = np.arange(len(points)), shares.min(axis=2).argmax(axis=1)
    return near[row, best], shares[row, best]
