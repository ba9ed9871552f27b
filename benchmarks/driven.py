"""A step of 200,000 particles with turbulence, three zones, two responses and separation, over the same
step in NumPy (aim: 0.1 or less).

The NumPy version is written as one would: whole arrays at a time, noise vectorised over points, SciPy's
tree for pairs. Both must give the same positions before particles are kept apart, but for what the table
that responses are looked up in rounds off.
"""

import time
from collections.abc import Callable

import numpy as np
from scipy.interpolate import PchipInterpolator
from scipy.spatial import cKDTree
from scipy.special import ndtri

from hotgravel.core.matter.forces import acting_on, gather
from hotgravel.core.matter.neighbours import separate
from hotgravel.core.matter.particles.advance import advance
from hotgravel.core.matter.particles.state import Particles
from hotgravel.core.run.world import World, beside, build
from hotgravel.core.shape.colliders import colliders_of
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.document import load

NO_BLOWS = np.zeros(0, np.int64), np.zeros((0, 3)), np.zeros((0, 3))
SETTLED: list[np.ndarray] = []
N, ROUNDS, DT, RADIUS, PASSES = 200_000, 5, 1 / 48, 0.05, 8
POINTS = [[0.0, 0.0], [0.3, 0.8], [1.0, 1.0]]


def shot() -> dict:
    over_age = {"kind": "response", "attribute": "age", "begin": 0, "end": 2, "low": 0.5, "high": 3, "points": POINTS}
    over_speed = {"kind": "response", "attribute": "speed", "begin": 0, "end": 4, "low": 1, "high": 4, "points": POINTS}
    zones = [
        {"id": "mask", "shape": {"kind": "patches", "size": 1.5, "share": 0.5, "contrast": 1.0}, "edge": 1.0},
        {"id": "ball", "shape": {"kind": "ball", "radius": 3.0}, "edge": 1.0},
        {"id": "block", "shape": {"kind": "block", "size": [6, 4, 6]}, "edge": 1.0},
    ]
    return {
        "format": "hotgravel.shot", "version": 2, "name": "driven",
        "set": [{"kind": "zone", "name": z["id"]} | z for z in zones],
        "matter": [{"kind": "state", "id": "loose", "name": "loose"}, {"kind": "apart", "id": "apart"}],
        "forces": [
            {"kind": "turbulence", "id": "curls", "speed": over_age, "size": 1.2, "grip": 2, "octaves": 2},
            {"kind": "linear_drag", "id": "drag", "rate": over_speed, "zone": "ball"},
            {"kind": "wind", "id": "wind", "speed": 2, "grip": 1, "zone": "mask", "direction": [1, 0, 0]},
            {"kind": "gravity", "id": "weight", "strength": 3, "zone": "block"},
        ],
    }  # fmt: skip


def crowd() -> Particles:
    rng = np.random.default_rng(1)
    p = Particles.blank(N)
    side = (N * 4 / 3 * np.pi * RADIUS**3 / 0.4) ** (1 / 3)
    p.position[:] = rng.uniform(-side / 2, side / 2, (N, 3))
    p.velocity[:] = 0.2 * rng.normal(size=(N, 3))
    p.age[:], p.radius[:], p.mass[:] = rng.uniform(0, 2, N), RADIUS, 1.0
    p.id[:] = np.arange(N)
    if not SETTLED:  # packed, as it is in the middle of a shot
        separate(p.position, p.velocity.copy(), p.radius, p.mass, np.ones(N, bool), 0.0, 300)
        SETTLED.append(p.position.copy())
    p.position[:] = SETTLED[0]
    return p


def moved(world: World, scene: Scene, p: Particles) -> None:
    table = gather(acting_on(world.shot, {}), world.states, scene, p, DT, {})
    c = colliders_of(world.setting, scene)
    advance(p.position, p.velocity, p.age, p.state, p.radius, p.touched, p.impact, p.travelled, DT, table.by_element,
            table.pull, table.rate, table.drift, table.bite, c.table, c.bits, world.setting.tree, p.id, 0,
            c.elements, *NO_BLOWS)  # fmt: skip


# The same in NumPy.

WORDS = [np.uint64(x) for x in (0x9E3779B97F4A7C15, 0xBF58476D1CE4E5B9, 0x94D049BB133111EB, 0xD6E8FEB86659FD93)]


def hashed(i, j, k, t, seed):
    a, b, c, d = WORDS
    with np.errstate(over="ignore"):
        h = i * a ^ j * b ^ k * c ^ np.uint64(t) * d ^ np.uint64(seed) * a
    h ^= h >> np.uint64(30)
    h *= b
    h ^= h >> np.uint64(27)
    h *= c
    return h ^ (h >> np.uint64(31))


def part(h, place):
    return ((h >> np.uint64(7 * place)) & np.uint64(127)).astype(float) / 63.5 - 1.0


def corners(points, t, seed):
    cell = np.floor(points)
    u = points - cell
    fade, slope = u**3 * (u * (6 * u - 15) + 10), 30 * u * u * (u * (u - 2) + 1)
    whole = cell.astype(np.int64)
    later = (t % 1) ** 3 * ((t % 1) * (6 * (t % 1) - 15) + 10)
    for b, share in ((0, 1 - later), (1, later)):
        for c in range(8):
            at = np.array([c & 1, (c >> 1) & 1, c >> 2])
            h = hashed(*((whole + at).astype(np.uint64)).T, int(np.floor(t)) + b, seed)
            yield share, h, u - at, np.where(at, fade, 1 - fade), np.where(at, slope, -slope)


def evened(t: float) -> float:
    later = (t % 1) ** 3 * ((t % 1) * (6 * (t % 1) - 15) + 10)
    return np.sqrt(later**2 + (1 - later) ** 2)


def noise(points, t, octaves, seed):
    total, weight, sum2 = np.zeros(len(points)), 1.0, 0.0
    for o in range(octaves):
        for share, h, p, a, _ in corners(points * 2**o, t, seed + o):
            total += weight * 1.7 / evened(t) * share * a.prod(axis=1) * sum(part(h, n) * p[:, n] for n in range(3))
        sum2, weight = sum2 + weight**2, weight / 2
    return total / np.sqrt(sum2)


def curl(points, t, octaves, seed):
    total, weight, sum2 = np.zeros_like(points), 1.0, 0.0
    for o in range(octaves):
        for share, h, p, a, d in corners(points * 2**o, t, seed + o):
            d0, d1, d2 = (
                share * d[:, 0] * a[:, 1] * a[:, 2],
                share * d[:, 1] * a[:, 0] * a[:, 2],
                share * d[:, 2] * a[:, 0] * a[:, 1],
            )
            w = share * a.prod(axis=1)
            g = [[part(h, 3 * n + m) for m in range(3)] for n in range(3)]
            f = [sum(g[n][m] * p[:, m] for m in range(3)) for n in range(3)]
            scale = weight * 1.1 / evened(t)
            total[:, 0] += scale * ((f[2] * d1 + w * g[2][1]) - (f[1] * d2 + w * g[1][2]))
            total[:, 1] += scale * ((f[0] * d2 + w * g[0][2]) - (f[2] * d0 + w * g[2][0]))
            total[:, 2] += scale * ((f[1] * d0 + w * g[1][0]) - (f[0] * d1 + w * g[0][1]))
        sum2, weight = sum2 + weight**2, weight / 2
    return total / np.sqrt(sum2)


def soft(depth):
    u = np.clip(depth + 0.5, 0, 1)
    return u * u * (3 - 2 * u)


def response(x, end, low, high):
    u = np.clip(x / end, 0, 1)
    return low + (high - low) * np.clip(PchipInterpolator(*np.array(POINTS).T)(u), 0, 1)


def plainly(world: World, p: Particles) -> None:
    curls, _, _, _ = world.shot.forces
    x = p.position + 0.5 * DT * p.velocity
    speed = np.linalg.norm(p.velocity, axis=1)
    patches = noise(p.position / 1.5, 0.5, 3, world.shot.zones["mask"].shape.seed) + 0.33 * ndtri(0.5)
    mask = np.clip(0.5 + 0.5 * patches, 0, 1)
    ball = soft(3.0 - np.linalg.norm(p.position, axis=1))
    out = np.abs(p.position) - np.array([3.0, 2.0, 3.0])
    block = soft(-(np.linalg.norm(np.maximum(out, 0), axis=1) + np.minimum(out.max(axis=1), 0)))
    rate = 2.0 + ball * response(speed, 4, 1, 4) + mask
    push = 2.0 * curl(x / 1.2, 0.5, 2, curls.seed) * response(p.age, 2, 0.5, 3)[:, None]
    push[:, 0] += 2.0 * mask
    push[:, 1] -= 3.0 * block
    fade = np.exp(-rate * DT)
    reach = (1 - fade) / rate
    p.position += p.velocity * reach[:, None] + push * ((DT - reach) / rate)[:, None]
    p.velocity[:] = p.velocity * fade[:, None] + push * reach[:, None]


def apart(p: Particles) -> None:
    pairs = cKDTree(p.position).query_pairs(2.3 * RADIUS, output_type="ndarray")
    a, b = pairs.T
    for _ in range(PASSES):
        way = p.position[a] - p.position[b]
        off = np.linalg.norm(way, axis=1)
        push = 0.5 * np.maximum(2 * RADIUS - off, 0)[:, None] * way / off[:, None]
        met = (push != 0).any(axis=1)
        count = np.bincount(a[met], minlength=N) + np.bincount(b[met], minlength=N)
        move = np.stack([np.bincount(a, push[:, n], N) - np.bincount(b, push[:, n], N) for n in range(3)], axis=1)
        p.position += np.minimum(1.0, 1.5 / np.maximum(count, 1))[:, None] * move


def timed(*acts: Callable[[Particles], object]) -> list[float]:
    """The least seconds of each, turn by turn: the machine's pace varies."""
    seconds = np.empty((ROUNDS, len(acts)))
    for spent in seconds:
        for n, act in enumerate(acts):
            p = crowd()
            start = time.perf_counter()
            act(p)
            spent[n] = time.perf_counter() - start
    return list(seconds.min(axis=0))


def main() -> None:
    from pathlib import Path

    world = build(load(shot()), beside(Path()), "rough")
    scene = world.scene(1.0, 1.0)
    mine, theirs = crowd(), crowd()
    moved(world, scene, mine)
    plainly(world, theirs)
    far = np.abs(mine.position - theirs.position).max()
    assert far < 1e-4, f"the two steps differ by {far}"
    all_ = np.ones(N, bool)

    def step(p: Particles) -> None:
        moved(world, scene, p)
        separate(p.position, p.velocity, p.radius, p.mass, all_, 0.0, PASSES)

    def step_plainly(p: Particles) -> None:
        plainly(world, p)
        apart(p)

    fast, slow = timed(step, step_plainly)
    print(f"driven     {N:,} particles, turbulence, three zones, two responses, kept apart: "
          f"{fast * 1e3:.0f} ms over NumPy's {slow * 1e3:.0f} ms {fast / slow:.3f} (aim 0.1 or less)")  # fmt: skip


if __name__ == "__main__":
    main()
