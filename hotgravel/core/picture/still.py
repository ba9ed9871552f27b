"""A picture of one frame without a browser: props by walking rays to their distance fields,
particles splatted over them as glowing discs, under a dusk sky."""

import io
import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from PIL import Image
from scipy.ndimage import gaussian_filter
from scipy.spatial.transform import Rotation

from hotgravel.core.colour import rgb_of
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.place import Place
from hotgravel.core.run.streaks import streak_of
from hotgravel.core.run.world import World
from hotgravel.core.shape.distance import distance
from hotgravel.core.shot.props import Prop

Array = NDArray[np.float64]
ZENITH, HORIZON = np.array([0.006, 0.011, 0.028]), np.array([0.115, 0.050, 0.040])
_BAYER = np.array([[0, 2], [3, 1]])
for _ in range(2):
    _BAYER = np.block([[4 * _BAYER, 4 * _BAYER + 2], [4 * _BAYER + 3, 4 * _BAYER + 1]])
_DITHER = (_BAYER + 0.5) / 64.0
SUN = np.array([-0.45, 0.5, 0.74])
EMBER = (1.0, 0.45, 0.16)
FIELD_OF_VIEW = math.radians(38.0)
PIECE = ("position", "turn", "scale", "piece", "colour", "id")


@dataclass(frozen=True)
class View:
    """A camera: where it stands, what it looks at (both (3,), metres), y up."""

    eye: Array
    aim: Array

    def axes(self) -> Array:
        """Right, up and forward as rows (3, 3)."""
        forward = self.aim - self.eye
        forward /= np.linalg.norm(forward)
        right = np.cross(forward, [0.0, 1.0, 0.0])
        right /= max(float(np.linalg.norm(right)), 1e-9)
        return np.stack([right, np.cross(right, forward), forward])


def view_on(low: Array, high: Array) -> View:
    """A view from a little above that holds the box between two corners."""
    middle, size = 0.5 * (low + high), high - low
    front = 0.5 * math.hypot(size[0], size[2])  # how far its front stands before its middle
    tall = 0.55 * size[1] / math.tan(0.5 * FIELD_OF_VIEW)  # from where its height, and a tenth, fills the picture
    away = max(1.02 * float(np.linalg.norm(size)), front + tall, 0.5)
    return View(middle + away * np.array([0.62, 0.16, 0.74]), middle)


@njit(cache=True)
def _span(o, d, low, high):
    """Where a ray (o, d) enters and leaves a box; it misses if it leaves before it enters."""
    enter, leave = 0.0, np.inf
    for c in range(3):
        if abs(d[c]) < 1e-12:
            if o[c] < low[c] or o[c] > high[c]:
                return 1.0, 0.0
            continue
        one, other = (low[c] - o[c]) / d[c], (high[c] - o[c]) / d[c]
        enter, leave = max(enter, min(one, other)), min(leave, max(one, other))
    return enter, leave


@njit(cache=True)
def _grain(x, y, z):
    x, y, z = x * 0.3183 + 0.1, y * 0.3183 + 0.1, z * 0.3183 + 0.1
    x, y, z = 17.0 * (x - math.floor(x)), 17.0 * (y - math.floor(y)), 17.0 * (z - math.floor(z))
    g = x * y * z * (x + y + z)
    return g - math.floor(g)


@njit(cache=True)
def _lumps(x, y, z):
    """Value noise of one lump a unit; the stage's shader roughens its props with the same."""
    i, j, k = math.floor(x), math.floor(y), math.floor(z)
    x, y, z = x - i, y - j, z - k
    x, y, z = x * x * (3 - 2 * x), y * y * (3 - 2 * y), z * z * (3 - 2 * z)
    total = 0.0
    for a in range(2):
        for b in range(2):
            for c in range(2):
                weight = (x if a else 1 - x) * (y if b else 1 - y) * (z if c else 1 - z)
                total += weight * _grain(i + a, j + b, k + c)
    return total


@njit(cache=True)
def _lit(lamps, x, y, z, nx, ny, nz):
    """What lamps (n, 9) give a surface at (x, y, z) that faces (nx, ny, nz): place, strength, reach, red, green, blue,
    and whether they stand all round it, as a crowd does."""
    red, green, blue = 0.0, 0.0, 0.0
    for j in range(len(lamps)):
        lamp = lamps[j]
        ax, ay, az = lamp[0] - x, lamp[1] - y, lamp[2] - z
        off = math.sqrt(ax * ax + ay * ay + az * az) + 1e-9
        facing = (nx * ax + ny * ay + nz * az) / off
        glow = lamp[3] * max(facing, -facing * lamp[8]) / (1.0 + (off / lamp[4]) ** 2)
        red, green, blue = red + glow * lamp[5], green + glow * lamp[6], blue + glow * lamp[7]
    return red, green, blue


@njit(cache=True, parallel=True, nogil=True)
def _props(
    image, fire, depth, eye, axes, tan, kinds, sizes, boxes, poses, colours, own, tree, sun, lamps, zenith, horizon, far
):
    """Sky and props into `image` and `depth`, and the light that is a prop's own (`own`, 0 or 1) into `fire`."""
    rows, columns = depth.shape
    for r in prange(rows):
        o, e = np.empty(3), np.empty(3)
        for k in range(columns):
            u = (2.0 * (k + 0.5) / columns - 1.0) * tan * columns / rows
            v = (1.0 - 2.0 * (r + 0.5) / rows) * tan
            d = axes[2] + u * axes[0] + v * axes[1]
            d = d / math.sqrt((d * d).sum())
            haze = math.exp(-6.0 * max(d[1], 0.0))
            for c in range(3):
                image[r, k, c] = zenith[c] + (horizon[c] - zenith[c]) * haze
            nearest, hit = far, -1
            nx, ny, nz = 0.0, 0.0, 0.0
            lx, ly, lz = 0.0, 0.0, 0.0
            for j in range(len(kinds)):
                # In the prop's own frame the ray is walked only where it passes through the prop's box.
                p, s = poses[j], poses[j, 12]
                x, y, z = eye[0] - p[9], eye[1] - p[10], eye[2] - p[11]
                for c in range(3):
                    o[c] = (p[c] * x + p[c + 3] * y + p[c + 6] * z) / s
                    e[c] = (p[c] * d[0] + p[c + 3] * d[1] + p[c + 6] * d[2]) / s
                t, leave = _span(o, e, boxes[j, 0], boxes[j, 1])
                leave = min(leave, nearest)
                for _ in range(96):
                    if t > leave:
                        break
                    q, gx, gy, gz = distance(
                        kinds[j], sizes[j, 0], sizes[j, 1], sizes[j, 2], tree,
                        o[0] + t * e[0], o[1] + t * e[1], o[2] + t * e[2],
                    )  # fmt: skip
                    if q * s < 1e-3 + 2e-4 * t:
                        nearest, hit = t, j
                        lx, ly, lz = o[0] + t * e[0], o[1] + t * e[1], o[2] + t * e[2]
                        nx = p[0] * gx + p[1] * gy + p[2] * gz
                        ny = p[3] * gx + p[4] * gy + p[5] * gz
                        nz = p[6] * gx + p[7] * gy + p[8] * gz
                        break
                    t += q * s
            depth[r, k] = np.inf
            if hit >= 0:
                light = 0.10 + 0.12 * max(ny, 0.0) + 0.5 * max(0.0, nx * sun[0] + ny * sun[1] + nz * sun[2])
                fog = 1.0 - math.exp(-nearest / (0.6 * far))
                depth[r, k] = nearest
                speck = 0.5 * _lumps(2.3 * lx, 2.3 * ly, 2.3 * lz) + 0.3 * _lumps(7.1 * lx, 7.1 * ly, 7.1 * lz)
                rough = 0.62 + 0.76 * (speck + 0.2 * _lumps(23.0 * lx, 23.0 * ly, 23.0 * lz))
                x, y, z = eye[0] + nearest * d[0], eye[1] + nearest * d[1], eye[2] + nearest * d[2]
                glow = _lit(lamps, x, y, z, nx, ny, nz)
                facing = abs(nx * d[0] + ny * d[1] + nz * d[2])
                for c in range(3):
                    lit = light + glow[c]
                    image[r, k, c] = colours[hit, c] * rough * lit * (1.0 - fog) + horizon[c] * fog * 0.8
                    hot = colours[hit, c] * (0.35 + 0.8 * facing) + 0.45 * facing**3 * (1.0, 0.8, 0.3)[c]
                    fire[r, k, c] = own[hit] * hot * rough * (1.0 - fog)


@njit(cache=True)
def _splat(image, depth, eye, axes, tan, position, radius, glow):
    rows, columns = depth.shape
    scale = 0.5 * rows / tan
    for i in range(len(radius)):
        d = position[i] - eye
        z = (d * axes[2]).sum()
        if z <= 0.05:
            continue
        x = 0.5 * columns + scale * (d * axes[0]).sum() / z
        y = 0.5 * rows - scale * (d * axes[1]).sum() / z
        size = scale * radius[i] / z
        reach = max(1.0, 2.2 * size)
        strength = min(1.0, (size / 0.55) ** 2) if size < 0.55 else 1.0
        away = math.sqrt((d * d).sum())
        for r in range(max(0, int(y - reach)), min(rows, int(y + reach) + 2)):
            for k in range(max(0, int(x - reach)), min(columns, int(x + reach) + 2)):
                if depth[r, k] < away - 2.0 * radius[i]:
                    continue
                off = ((k + 0.5 - x) ** 2 + (r + 0.5 - y) ** 2) / (reach * reach)
                if off < 1.0:
                    w = strength * (1.0 - off) ** 2
                    for c in range(3):
                        image[r, k, c] += w * glow[i, c]


@njit(cache=True)
def _flakes(image, depth, eye, axes, tan, position, radius, paint):
    """Dull particles as lit discs; what lies nearer covers what lies behind."""
    rows, columns = depth.shape
    scale = 0.5 * rows / tan
    for i in range(len(radius)):
        d = position[i] - eye
        z = (d * axes[2]).sum()
        if z <= 0.05:
            continue
        x = 0.5 * columns + scale * (d * axes[0]).sum() / z
        y = 0.5 * rows - scale * (d * axes[1]).sum() / z
        size = max(0.75, scale * radius[i] / z)
        away = math.sqrt((d * d).sum())
        for r in range(max(0, int(y - size)), min(rows, int(y + size) + 2)):
            for k in range(max(0, int(x - size)), min(columns, int(x + size) + 2)):
                off = ((k + 0.5 - x) ** 2 + (r + 0.5 - y) ** 2) / (size * size)
                if off > 1.0:
                    continue
                front = away - radius[i] * math.sqrt(1.0 - off)
                if depth[r, k] < front:
                    continue
                depth[r, k] = front
                light = 0.12 + 0.3 * math.sqrt(1.0 - off) + 0.24 * max(0.0, (y - r) / size)
                for c in range(3):
                    image[r, k, c] = paint[i, c] * light


@njit(cache=True)
def _mesh(image, depth, eye, axes, tan, vertices, normals, faces, paint, sun, lamps, gloss):
    """Triangles with a colour and a normal at each corner, lit, nearer ones before farther ones."""
    rows, columns = depth.shape
    scale = 0.5 * rows / tan
    n = len(vertices)
    x, y, z = np.empty(n), np.empty(n), np.empty(n)
    for i in range(n):
        d = vertices[i] - eye
        z[i] = (d * axes[2]).sum()
        x[i] = 0.5 * columns + scale * (d * axes[0]).sum() / max(z[i], 1e-6)
        y[i] = 0.5 * rows - scale * (d * axes[1]).sum() / max(z[i], 1e-6)
    for f in range(len(faces)):
        a, b, c = faces[f]
        if z[a] <= 0.05 or z[b] <= 0.05 or z[c] <= 0.05:
            continue
        area = (x[b] - x[a]) * (y[c] - y[a]) - (x[c] - x[a]) * (y[b] - y[a])
        if area == 0.0:
            continue
        left, right = int(min(x[a], x[b], x[c]) - 0.5), int(max(x[a], x[b], x[c]) + 0.5)
        top, bottom = int(min(y[a], y[b], y[c]) - 0.5), int(max(y[a], y[b], y[c]) + 0.5)
        for r in range(max(0, top), min(rows, bottom + 1)):
            for k in range(max(0, left), min(columns, right + 1)):
                px, py = k + 0.5, r + 0.5
                u = ((x[b] - px) * (y[c] - py) - (x[c] - px) * (y[b] - py)) / area
                v = ((x[c] - px) * (y[a] - py) - (x[a] - px) * (y[c] - py)) / area
                w = 1.0 - u - v
                if u < -1e-9 or v < -1e-9 or w < -1e-9:
                    continue
                place = u * vertices[a] + v * vertices[b] + w * vertices[c] - eye
                away = math.sqrt((place * place).sum())
                if depth[r, k] < away:
                    continue
                depth[r, k] = away
                normal = u * normals[a] + v * normals[b] + w * normals[c]
                normal = normal / (math.sqrt((normal * normal).sum()) + 1e-12)
                look = place / away
                facing = -(normal * look).sum()
                if facing < 0.0:
                    normal, facing = -normal, -facing
                light = 0.16 + 0.1 * max(normal[1], 0.0) + 0.6 * max(0.0, (normal * sun).sum())
                at = place + eye
                glow = _lit(lamps, at[0], at[1], at[2], normal[0], normal[1], normal[2])
                turned = look + 2.0 * facing * normal
                shine = gloss[0] * max(0.0, (turned * sun).sum()) ** 40 + gloss[1] * (1.0 - facing) ** 4
                for e in range(3):
                    colour = u * paint[a, e] + v * paint[b, e] + w * paint[c, e]
                    image[r, k, e] = colour * (light + glow[e] + gloss[2]) + shine


GLOSS = {"dull": (0.0, 0.0, 0.0), "glassy": (0.9, 0.25, 0.05), "glowing": (0.1, 0.0, 1.1)}


def still_of(world: World, folder: Place, frame: int, size: tuple[int, int], view: View | None = None) -> bytes:
    """A PNG of a kept frame, `size` (width, height) pixels. Raises `KeyError` if it is not kept."""
    out = io.BytesIO()
    Image.fromarray(pixels_of(world, FrameStore(folder), frame, size, view)).save(out, "PNG")
    return out.getvalue()


def pixels_of(
    world: World, store: FrameStore, frame: int, size: tuple[int, int], view: View | None = None
) -> NDArray[np.uint8]:  # fmt: skip
    """A kept frame as (height, width, 3). Raises `KeyError` if it is not kept."""
    particles = _points(store, frame)
    position = particles["position"].astype(float)
    pieces_of = {m: store.elements(frame, m, PIECE) for m in store.matters(frame) if MATTERS[m].kind == "pieces"}
    all_places = [position, *(p["position"].astype(float) for p in pieces_of.values() if len(p["id"]))]
    everyone = np.concatenate(all_places)
    poses = world.poses(store.run_frame(frame), store.gauges(frame)["absent"])
    props = [p for p in world.shot.props if p.seen == "seen" and p.id in poses]
    if view is None:
        corners = [
            poses[p.id].to_world(np.stack(world.setting.shapes[p.id].box)) for p in props if _is_set_piece(world, p.id)
        ]
        crowd = [np.quantile(everyone, [0.02, 0.98], axis=0)] if len(everyone) else []
        both = np.concatenate([*crowd, *(crowd or corners or [np.array([[-1.0, 0, -1], [1, 2, 1]])]), *corners[:8]])
        view = view_on(both.min(axis=0), both.max(axis=0))
    width, height = size
    image, embers, depth = np.zeros((height, width, 3)), np.zeros((height, width, 3)), np.zeros((height, width))
    table = np.array([[*poses[p.id].matrix.ravel(), *poses[p.id].position, poses[p.id].scale] for p in props])
    colours = np.array([_linear(p.colour) for p in props]).reshape(-1, 3)
    kinds = np.array([world.setting.shapes[p.id].kind for p in props], np.int64)
    sizes = np.array([world.setting.shapes[p.id].sizes for p in props]).reshape(-1, 3)
    boxes = np.array([np.stack(world.setting.shapes[p.id].box) for p in props]).reshape(-1, 2, 3)
    boxes = boxes + np.array([[-1e-4], [1e-4]])  # a sheet has no height, and no ray would pass through it
    axes, tan = view.axes(), math.tan(0.5 * FIELD_OF_VIEW)
    far = 14.0 * float(np.linalg.norm(view.aim - view.eye))
    palette = np.array([_linear(s.colour) for s in world.shot.states]).reshape(-1, 3)
    glow, dull = _looks(world, particles, palette)
    own = np.array([float(p.shine == "glowing") for p in props])
    lamps = np.stack([_lamp(position[~dull]), *_lamps(props, boxes, table, colours)])
    _props(image, embers, depth, view.eye, axes, tan, kinds, sizes, boxes, table.reshape(-1, 13), colours, own,
           world.setting.tree, SUN / np.linalg.norm(SUN), lamps, ZENITH, HORIZON, far)  # fmt: skip
    for matter, columns in pieces_of.items():
        _draw_pieces(store.meshes(matter), columns, image, depth, view, tan, lamps)
    bare = depth.copy()
    under = np.zeros(len(position), bool)
    for row in world.shot.skins:
        made = store.skin(frame, row.id)
        _draw_skin(made, row.look, image, depth, view, tan, lamps)
        if row.shown == "instead":
            under |= True if row.whom is None else particles["state"] == world.states[row.whom]
    position, glow, dull = position[~under], glow[~under], dull[~under]
    particles = {name: array[~under] for name, array in particles.items()}
    for streaks in world.shot.streaks:
        made = streak_of(world.shot, store, frame, streaks)
        _draw_streaks(made, image, depth, view, tan)
    radius = particles["radius"].astype(float)
    _flakes(image, depth, view.eye, axes, tan, position[dull], radius[dull], glow[dull])
    embers[depth < bare] = 0.0  # behind what was drawn since
    _splat(embers, depth, view.eye, axes, tan, position[~dull], radius[~dull], glow[~dull])
    image += embers + 0.9 * _blurred(embers, height / 55.0)
    mapped = 1.0 - np.exp(-1.5 * image)
    dither = _DITHER[np.arange(height)[:, None] % 8, np.arange(width) % 8, None]  # or the sky would show steps
    return (255.0 * np.clip(mapped, 0.0, 1.0) ** (1 / 2.2) + dither).astype(np.uint8)


def _points(store: FrameStore, frame: int) -> dict[str, Any]:
    """The elements of a frame that are drawn as points, of all matters together."""
    names = ("position", "radius", "state", "colour")
    found = [store.elements(frame, m, names) for m in store.matters(frame) if MATTERS[m].kind == "points"]
    return (
        {name: np.concatenate([of[name] for of in found]) for name in names} if found else store.particles(frame, names)
    )


def _draw_pieces(
    meshes: list[dict[str, Any]], pieces: dict[str, Any], image: Array, depth: Array, view: View, tan: float,
    lamps: Array,
) -> None:  # fmt: skip
    """Pieces as their meshes, each where it is; all that have one mesh in one go."""
    sun, gloss = SUN / np.linalg.norm(SUN), np.array(GLOSS["dull"])
    for number, mesh in enumerate(meshes):
        mine = np.flatnonzero(pieces["piece"] == number)
        if not len(mine):
            continue
        turn = Rotation.from_quat(pieces["turn"][mine].astype(float)).as_matrix()
        corners, n = mesh["vertices"].astype(float), len(mesh["vertices"])
        scale = pieces["scale"][mine].astype(float)[:, None, None]
        vertices = np.einsum("nij,vj->nvi", turn, corners) * scale + pieces["position"][mine].astype(float)[:, None]
        normals = np.einsum("nij,vj->nvi", turn, mesh["normals"].astype(float))
        faces = mesh["faces"].astype(np.int64)[None] + n * np.arange(len(mine))[:, None, None]
        paint = np.repeat(rgb_of(pieces["colour"][mine]) ** 2.2, n, axis=0)
        paint = paint * np.tile(_rough(corners), len(mine))[:, None]
        _mesh(
            image, depth, view.eye, view.axes(), tan, vertices.reshape(-1, 3), normals.reshape(-1, 3),
            faces.reshape(-1, 3), paint, sun, lamps, gloss,
        )  # fmt: skip


def _rough(points: Array) -> Array:
    """How bright a rough surface is at points (n, 3) of its own frame; props are roughened with the same."""
    x, y, z = points.T
    speck = [share * _lumped(x * k, y * k, z * k) for share, k in ((0.5, 2.3), (0.3, 7.1), (0.2, 23.0))]
    result: Array = 0.62 + 0.76 * np.sum(speck, axis=0)
    return result


@njit(cache=True)
def _lumped(x, y, z):
    out = np.empty(len(x))
    for i in range(len(x)):
        out[i] = _lumps(x[i], y[i], z[i])
    return out


def _draw_skin(
    made: dict[str, Any], look: str, image: Array, depth: Array, view: View, tan: float, lamps: Array
) -> None:  # fmt: skip
    vertices, faces = made["vertices"].astype(float), made["faces"].astype(np.int64)
    if not len(faces):
        return
    corners = vertices[faces]
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normals = np.zeros_like(vertices)
    np.add.at(normals, faces.ravel(), np.repeat(across, 3, axis=0))
    paint = rgb_of(made["colour"]) ** 2.2
    sun = SUN / np.linalg.norm(SUN)
    gloss = np.array(GLOSS[look])
    _mesh(image, depth, view.eye, view.axes(), tan, vertices, normals, faces, paint, sun, lamps, gloss)


def _draw_streaks(made: dict[str, Any], image: Array, depth: Array, view: View, tan: float) -> None:
    """Lines that fade, laid as flakes a pixel wide along them."""
    points = made["points"].astype(float)
    if points.shape[1] < 2 or not len(points):
        return
    paint = rgb_of(made["colour"]) ** 2.2
    along = np.linspace(0.0, 1.0, 9)[:-1]
    k = points.shape[1] - 1
    laid = points[:, :-1, None] * (1.0 - along)[:, None] + points[:, 1:, None] * along[:, None]
    fade = (1.0 - (np.arange(k)[:, None] + along) / k).ravel()
    colour = (2.0 * paint[:, None, :] * fade[None, :, None]).reshape(-1, 3)
    away = np.linalg.norm(laid.reshape(-1, 3) - view.eye, axis=1)
    _flakes(image, depth, view.eye, view.axes(), tan, laid.reshape(-1, 3), away * tan / depth.shape[0], colour)


def _looks(world: World, particles: dict[str, Any], palette: Array) -> tuple[Array, NDArray[np.bool_]]:
    """The light or paint of each particle (n, 3), and which are dull (n,)."""
    state, own = particles["state"], particles["colour"]
    paint = palette[state] if len(state) else np.zeros((0, 3))
    paint = np.where((own >= 1 << 24)[:, None], rgb_of(own) ** 2.2, paint)
    dull = np.array([s.shine == "dull" for s in world.shot.states] or [False])[state]
    return np.where(dull[:, None], 1.0, 1.5) * paint, dull


def _lamp(position: Array) -> Array:
    """The crowd's own light: a lamp above its middle, all round what it is among."""
    if not len(position):
        return np.array([0.0, 0.0, 0.0, 0.0, 1.0, *EMBER, 1.0])
    middle, spread = position.mean(axis=0), float(np.linalg.norm(position.std(axis=0)))
    reach = max(spread, 0.05)
    strength = 1.3 * min(1.0, len(position) / 3000.0)
    return np.array([middle[0], middle[1] + 0.4 * reach, middle[2], strength, reach, *EMBER, 1.0])


def _lamps(props: list[Prop], boxes: Array, table: Array, colours: Array) -> Iterator[Array]:
    """A lamp in each solid prop that glows; sheets glow, but light nothing."""
    for prop, (low, high), pose, colour in zip(props, boxes, table, colours, strict=True):
        if prop.shine == "glowing" and (high - low).min() > 1e-3:
            reach = 0.5 * float((high - low).max() * pose[12])
            middle = pose[:9].reshape(3, 3) @ (0.5 * (low + high) * pose[12]) + pose[9:12]
            yield np.array([*middle, 2.5, 2.0 * max(reach, 1e-6), *colour, 0.0])


def _blurred(image: Array, sigma: float) -> Array:
    """A Gaussian blur; made at a quarter of the size where that loses nothing."""
    step = max(1, int(sigma / 2.5))
    rows, columns = image.shape[0] // step * step, image.shape[1] // step * step
    if step == 1 or not rows or not columns:
        soft: Array = gaussian_filter(image, (sigma, sigma, 0.0))
        return soft
    small = image[:rows, :columns].reshape(rows // step, step, columns // step, step, 3).mean(axis=(1, 3))
    soft = gaussian_filter(small, (sigma / step, sigma / step, 0.0))
    size = (image.shape[1], image.shape[0])
    planes = [Image.fromarray(soft[..., c].astype(np.float32)).resize(size, Image.Resampling.BICUBIC) for c in range(3)]
    wide: Array = np.maximum(np.stack([np.asarray(p) for p in planes], axis=-1), 0.0)
    return wide


def _is_set_piece(world: World, prop: str) -> bool:
    """Whether a prop is something to look at, not the ground it stands on."""
    low, high = world.setting.shapes[prop].box
    return bool((high - low).min() > 0.0)


def _linear(colour: str) -> Array:
    return np.array([int(colour[i : i + 2], 16) / 255.0 for i in (1, 3, 5)]) ** 2.2
