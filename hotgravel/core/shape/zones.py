"""The weights of zones at points, at a moment."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numba import njit, prange

from hotgravel.core.drive.ask import Array, Ask
from hotgravel.core.drive.value import one, three
from hotgravel.core.lengths import lengths
from hotgravel.core.noise import noise_at
from hotgravel.core.shape.distance import distances
from hotgravel.core.shape.grid import FAR, VelocityGrid, depth_over, sampled
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shot import zones as z
from hotgravel.core.shot.velocity_field import VelocityField

FALLOFFS = ("straight", "smooth", "late", "early")
STRAIGHT, SMOOTH, LATE = range(3)


@njit(cache=True, parallel=True, nogil=True)
def _softened(weight, edge, falloff):
    """Turns depths (n,) into weights that rise from 0 to 1 over an edge (metres) about depth 0, in place."""
    for i in prange(len(weight)):
        u = min(max(0.5 + weight[i] / edge, 0.0), 1.0)
        if falloff == STRAIGHT:
            weight[i] = u
        elif falloff == SMOOTH:
            weight[i] = u * u * (3.0 - 2.0 * u)
        elif falloff == LATE:
            weight[i] = u * u
        else:
            weight[i] = 1.0 - (1.0 - u) * (1.0 - u)


@dataclass(frozen=True)
class Scene:
    """What zones and distances are measured in: zones and fields by id, the velocities of fields, props'
    shapes, where they stand now, where they will stand at the step's end, where they stood at the first
    frame, and the moment."""

    zones: dict[str, z.Zone]
    fields: dict[str, VelocityField]
    grids: dict[str, VelocityGrid]
    shapes: dict[str, Shaped]
    poses: dict[str, Pose]
    soon: dict[str, Pose]
    at_first: dict[str, Pose]
    ask: Ask
    lapse: float  # seconds from `poses` to `soon`

    def distance_to(self, prop: str, points: Array) -> Array:
        """Signed distances (n,) of points (n, 3) to a prop's surface, metres, less than zero inside.
        A prop that is off is nowhere."""
        if prop not in self.poses:
            return np.full(len(points), FAR)
        return self.shapes[prop].gap(points, self.poses[prop])

    def toward(self, prop: str, points: Array) -> tuple[Array, Array]:
        """Signed distances (n,), and unit vectors (n, 3) straight to the surface."""
        if prop not in self.poses:
            return np.full(len(points), FAR), np.repeat([[0.0, -1.0, 0.0]], len(points), axis=0)
        shape, pose = self.shapes[prop], self.poses[prop]
        local = pose.to_local(points)
        measured: Array = distances(shape.kind, shape.sizes, shape.tree, local)
        return pose.scale * measured[:, 0], -np.sign(measured[:, :1]) * (measured[:, 1:] @ pose.matrix.T)

    def air_in(self, field: str, points: Array) -> tuple[Array, Array]:
        """The velocities (n, 3) of a field at points (n, 3), and how much they hold (n,), 0 to 1. One that is off
        holds nothing."""
        found = self.moving(field)
        if found is None:
            return np.zeros((len(points), 3)), np.zeros(len(points))
        grid, factor, edge, seconds = found
        air, hold = sampled(grid, points, seconds, edge)
        return factor * air, hold

    def moving(self, field: str) -> tuple[VelocityGrid, float, float, float] | None:
        """The grid of a field where it now stands, what its velocities are multiplied by, over how many metres its
        hold falls to nothing, and the seconds that it is read at; None of one that is off."""
        if field in self.fields:
            row, ask = self.fields[field], self.ask
            grid = self.grids[field].placed(three(row, "position", ask), row.scale)
            return grid, one(row, "speed", ask), one(row, "edge", ask), float(ask.times[0])
        if field in self.grids:  # a solver moves it: it is as it is now, and ends at its sides
            return self.grids[field], 1.0, self.grids[field].cell, 0.0
        return None

    def weight_in(self, zone: str, points: Array) -> Array:
        """The weight (n,) of points (n, 3) in a zone, 0 to 1. A zone that is off weighs nothing."""
        row = self.zones[zone]
        if not row.on:
            return np.zeros(len(points))
        if isinstance(row.shape, z.Patches):
            return np.clip(0.5 + 0.5 * _patches(self, row.shape, self._led(row, points)), 0.0, 1.0)
        if isinstance(row.shape, z.Both) and row.shape.how != "broken up by":
            return _combined(
                row.shape.how, self.weight_in(row.shape.first, points), self.weight_in(row.shape.second, points)
            )
        depth, edge = self.depth_in(row, points), one(row, "edge", self.ask)
        if edge <= 0.0:
            return (depth > 0.0).astype(float)
        weight = np.ascontiguousarray(depth)
        _softened(weight, edge, FALLOFFS.index(row.falloff))
        return weight

    def depth_in(self, row: z.Zone, points: Array) -> Array:
        """How deep points lie within a zone, metres (n,); less than zero outside."""
        depth: Array = DEPTH[type(row.shape)](self, row.shape, self._led(row, points))
        return depth

    def _led(self, row: z.Zone, points: Array) -> Array:
        """The points as they would lie if what the zone follows had stayed where it first stood."""
        if row.follow is None or row.follow not in self.poses:
            return points
        now, then = self.poses[row.follow], self.at_first[row.follow]
        return then.to_world((points - now.position) @ now.matrix / now.scale)


def _combined(how: str, first: Array, second: Array) -> Array:
    match how:
        case "times":
            return first * second
        case "plus":
            return np.minimum(first + second, 1.0)
        case "minus":
            return np.maximum(first - second, 0.0)
        case "most":
            return np.maximum(first, second)
    return np.minimum(first, second)


def _unit(direction: Array) -> Array:
    length = float(np.linalg.norm(direction))
    result: Array = direction / length if length > 0.0 else direction
    return result


def _front(scene: Scene, shape: z.Front, points: Array) -> Array:
    ask = scene.ask
    along = (points - three(shape, "at", ask)) @ _unit(three(shape, "direction", ask))
    behind: Array = one(shape, "come", ask) - along
    return behind if shape.width is None else np.minimum(behind, one(shape, "width", ask) - behind)


def _ball(scene: Scene, shape: z.Ball, points: Array) -> Array:
    depth = np.empty(len(points))
    _depth_in_ball(points, three(shape, "at", scene.ask), one(shape, "radius", scene.ask), depth)
    return depth


@njit(cache=True, parallel=True, nogil=True)
def _depth_in_ball(points, at, radius, depth):
    for n in prange(len(points)):
        x, y, z = points[n, 0] - at[0], points[n, 1] - at[1], points[n, 2] - at[2]
        depth[n] = radius - np.sqrt(x * x + y * y + z * z)


def _block(scene: Scene, shape: z.Block, points: Array) -> Array:
    depth = np.empty(len(points))
    _depth_in_block(points, three(shape, "at", scene.ask), 0.5 * three(shape, "size", scene.ask), depth)
    return depth


@njit(cache=True, parallel=True, nogil=True)
def _depth_in_block(points, at, half, depth):
    for n in prange(len(points)):
        beyond, most = 0.0, -np.inf
        for c in range(3):
            out = abs(points[n, c] - at[c]) - half[c]
            beyond += max(out, 0.0) ** 2
            most = max(most, out)
        depth[n] = -(np.sqrt(beyond) + min(most, 0.0))


def _capsule(scene: Scene, shape: z.Capsule, points: Array) -> Array:
    a, b = three(shape, "at", scene.ask), three(shape, "to", scene.ask)
    along = b - a
    share = np.clip((points - a) @ along / max(float(along @ along), 1e-30), 0.0, 1.0)
    result: Array = one(shape, "radius", scene.ask) - lengths(points - share[:, None] * along, a)
    return result


def _near(scene: Scene, shape: z.Near, points: Array) -> Array:
    gap, reach = scene.distance_to(shape.prop, points), one(shape, "reach", scene.ask)
    if shape.side == "near":
        return reach - np.abs(gap)
    return np.minimum(-gap, reach + gap) if shape.side == "inside" else np.minimum(gap, reach - gap)


def _heights(scene: Scene, shape: z.Height, points: Array) -> Array:
    low, high = one(shape, "low", scene.ask), one(shape, "high", scene.ask)
    return np.minimum(points[:, 1] - low, high - points[:, 1])


def _patches(scene: Scene, shape: z.Patches, points: Array) -> Array:
    """Noise, sharpened and raised so that about the wanted share lies above zero."""
    ask = scene.ask
    seconds = float(ask.times[0])
    moved = points - three(shape, "drift", ask) * seconds
    made = noise_at(moved, size=one(shape, "size", ask), time=shape.change * seconds + 0.5, octaves=3, seed=shape.seed)
    share = one(shape, "share", ask)
    raised = 2.0 * share - 1.0 if share in (0.0, 1.0) else 0.33 * _probit(share)
    return one(shape, "contrast", ask) * (made + raised) + (2e3 if share == 1.0 else -2e3 if share == 0.0 else 0.0)


def _probit(share: float) -> float:
    from scipy.special import ndtri

    return float(ndtri(share))


def _strokes(scene: Scene, shape: z.Strokes, points: Array) -> Array:
    from scipy.spatial import cKDTree

    if not shape.points:
        return np.full(len(points), -FAR)
    away = np.asarray(cKDTree(np.array(shape.points)).query(points)[0], float)
    result: Array = one(shape, "radius", scene.ask) - away
    return result


def _broken(scene: Scene, shape: z.Both, points: Array) -> Array:
    depth = scene.depth_in(scene.zones[shape.first], points)
    push = 2.0 * scene.weight_in(shape.second, points) - 1.0
    result: Array = depth + one(shape, "by", scene.ask) * push
    return result


def _level(scene: Scene, shape: z.Level, points: Array) -> Array:
    found = scene.moving(shape.field)
    if found is None:
        return np.full(len(points), -FAR)
    grid, factor, _, seconds = found
    threshold = one(shape, shape.threshold, scene.ask)
    if shape.quantity == "speed":
        if factor == 0.0:
            return np.full(len(points), -FAR)
        threshold /= abs(factor)
    return depth_over(grid, shape.quantity, threshold, points, seconds)


DEPTH: dict[type, Callable[..., Array]] = {
    z.Front: _front, z.Ball: _ball, z.Block: _block, z.Capsule: _capsule, z.Near: _near, z.Height: _heights,
    z.Patches: lambda scene, shape, points: _patches(scene, shape, points) * one(shape, "size", scene.ask),
    z.Swift: _level, z.Dense: _level, z.Hot: _level,
    z.Strokes: _strokes, z.Both: lambda scene, shape, points: _both_depth(scene, shape, points),
}  # fmt: skip


def _both_depth(scene: Scene, shape: z.Both, points: Array) -> Array:
    if shape.how == "broken up by":
        return _broken(scene, shape, points)
    first, second = (scene.depth_in(scene.zones[zone], points) for zone in (shape.first, shape.second))
    if shape.how in ("plus", "most"):
        return np.maximum(first, second)
    return np.minimum(first, -second if shape.how == "minus" else second)
