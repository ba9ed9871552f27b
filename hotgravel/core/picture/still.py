"""A picture of one frame without a browser: props by walking rays to their distance fields,
particles splatted over them as glowing discs, under a dusk sky."""

import io
import math
from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from PIL import Image
from scipy.ndimage import gaussian_filter

from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.place import Place
from hotgravel.core.run.world import World
from hotgravel.core.shape.distance import distance

Array = NDArray[np.float64]
ZENITH, HORIZON = np.array([0.006, 0.011, 0.028]), np.array([0.115, 0.050, 0.040])
SUN = np.array([-0.45, 0.5, 0.74])
FIELD_OF_VIEW = math.radians(38.0)


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
    middle, size = 0.5 * (low + high), float(np.linalg.norm(high - low))
    away = max(size, 0.5) * 1.02
    return View(middle + away * np.array([0.62, 0.16, 0.74]), middle)


@njit(cache=True, parallel=True)
def _props(image, depth, eye, axes, tan, kinds, sizes, poses, colours, tree, sun, zenith, horizon, far):
    rows, columns = depth.shape
    for r in prange(rows):
        for k in range(columns):
            u = (2.0 * (k + 0.5) / columns - 1.0) * tan * columns / rows
            v = (1.0 - 2.0 * (r + 0.5) / rows) * tan
            d = axes[2] + u * axes[0] + v * axes[1]
            d = d / math.sqrt((d * d).sum())
            haze = math.exp(-6.0 * max(d[1], 0.0))
            sky = zenith + (horizon - zenith) * haze
            depth[r, k] = np.inf
            for c in range(3):
                image[r, k, c] = sky[c]
            t = 0.0
            hit = -1
            nx, ny, nz = 0.0, 0.0, 0.0
            for _ in range(128):
                best = np.inf
                for j in range(len(kinds)):
                    p = poses[j]
                    x, y, z = eye[0] + t * d[0] - p[9], eye[1] + t * d[1] - p[10], eye[2] + t * d[2] - p[11]
                    s = p[12]
                    q, gx, gy, gz = distance(
                        kinds[j], sizes[j, 0], sizes[j, 1], sizes[j, 2], tree,
                        (p[0] * x + p[3] * y + p[6] * z) / s, (p[1] * x + p[4] * y + p[7] * z) / s,
                        (p[2] * x + p[5] * y + p[8] * z) / s,
                    )  # fmt: skip
                    if q * s < best:
                        best, hit = q * s, j
                        nx = p[0] * gx + p[1] * gy + p[2] * gz
                        ny = p[3] * gx + p[4] * gy + p[5] * gz
                        nz = p[6] * gx + p[7] * gy + p[8] * gz
                if best < 1e-3 + 1e-4 * t or t > far:
                    break
                t += best
            if hit >= 0 and t < far and best < 0.02 + 2e-3 * t:
                light = 0.10 + 0.12 * max(ny, 0.0) + 0.5 * max(0.0, nx * sun[0] + ny * sun[1] + nz * sun[2])
                fog = 1.0 - math.exp(-t / (0.6 * far))
                depth[r, k] = t
                for c in range(3):
                    image[r, k, c] = colours[hit, c] * light * (1.0 - fog) + horizon[c] * fog * 0.8


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


def still_of(world: World, folder: Place, frame: int, size: tuple[int, int], view: View | None = None) -> bytes:
    """A PNG of a kept frame, `size` (width, height) pixels. Raises `KeyError` if it is not kept."""
    out = io.BytesIO()
    Image.fromarray(pixels_of(world, FrameStore(folder), frame, size, view)).save(out, "PNG")
    return out.getvalue()


def pixels_of(
    world: World, store: FrameStore, frame: int, size: tuple[int, int], view: View | None = None
) -> NDArray[np.uint8]:  # fmt: skip
    """A kept frame as (height, width, 3). Raises `KeyError` if it is not kept."""
    particles = store.particles(frame, ("position", "radius", "state"))
    position = particles["position"].astype(float)
    props = [p for p in world.shot.set if p.on]
    poses = world.poses(frame)
    if view is None:
        corners = [poses[p.id].to_world(np.stack(world.shapes[p.id].box)) for p in props if _is_set_piece(world, p.id)]
        crowd = [np.quantile(position, [0.02, 0.98], axis=0)] if len(position) else []
        both = np.concatenate([*crowd, *(crowd or corners or [np.array([[-1.0, 0, -1], [1, 2, 1]])]), *corners[:8]])
        view = view_on(both.min(axis=0), both.max(axis=0))
    width, height = size
    image, depth = np.zeros((height, width, 3)), np.zeros((height, width))
    table = np.array([[*poses[p.id].matrix.ravel(), *poses[p.id].position, poses[p.id].scale] for p in props])
    colours = np.array([_linear(p.colour) for p in props]).reshape(-1, 3)
    kinds = np.array([world.shapes[p.id].kind for p in props], np.int64)
    sizes = np.array([world.shapes[p.id].sizes for p in props]).reshape(-1, 3)
    axes, tan = view.axes(), math.tan(0.5 * FIELD_OF_VIEW)
    far = 14.0 * float(np.linalg.norm(view.aim - view.eye))
    _props(image, depth, view.eye, axes, tan, kinds, sizes, table.reshape(-1, 13), colours, world.tree,
           SUN / np.linalg.norm(SUN), ZENITH, HORIZON, far)  # fmt: skip
    palette = np.array([_linear(s.colour) for s in world.shot.states]).reshape(-1, 3)
    glow = 1.5 * palette[particles["state"]] if len(position) else np.zeros((0, 3))
    embers = np.zeros_like(image)
    _splat(embers, depth, view.eye, axes, tan, position, particles["radius"].astype(float), glow)
    bloom = gaussian_filter(embers, (height / 55.0, height / 55.0, 0.0))
    image += embers + 0.9 * bloom
    mapped = 1.0 - np.exp(-1.5 * image)
    return (255.0 * np.clip(mapped, 0.0, 1.0) ** (1 / 2.2) + 0.5).astype(np.uint8)


def _is_set_piece(world: World, prop: str) -> bool:
    """Whether a prop is something to look at, not the ground it stands on."""
    low, high = world.shapes[prop].box
    return bool((high - low).min() > 0.0)


def _linear(colour: str) -> Array:
    return np.array([int(colour[i : i + 2], 16) / 255.0 for i in (1, 3, 5)]) ** 2.2
