"""A step of 100,000 particles under twenty cues, over the same step without them (aim: 1.2 or less).

The step has gravity, drag, turbulence and the ground. The cues are of all kinds, and about one particle
in a hundred fires in a step.
"""

import time
from pathlib import Path
from statistics import median

from hotgravel.core.run.execute import still
from hotgravel.core.run.frame import Snapshot, first_frame, next_frame
from hotgravel.core.run.world import World, beside, build
from hotgravel.core.shot.document import load

N, FRAMES, ROUNDS = 100_000, 12, 15
WHEN = [
    {"kind": "slower", "speed": 0.5}, {"kind": "faster", "speed": 12}, {"kind": "older", "age": 0.3},
    {"kind": "touches", "prop": "ground"}, {"kind": "touches", "speed": 6}, {"kind": "travelled", "distance": 4},
    {"kind": "hotter", "temperature": 900}, {"kind": "cooler", "temperature": 0}, {"kind": "inside", "zone": "ball"},
    {"kind": "enters", "zone": "ball"}, {"kind": "leaves", "zone": "ball"},
    {"kind": "nearer", "prop": "post", "distance": 0.3},
    {"kind": "at_frame", "frame": 6}, {"kind": "every", "frames": 5}, {"kind": "after", "cue": "c2"},
    {"kind": "share_in", "state": "late", "share": 0.9},
    {"kind": "reads", "value": {"kind": "formula", "text": "speed * age"}, "over": 30},
    {"kind": "older", "age": 5}, {"kind": "faster", "speed": 90}, {"kind": "slower", "speed": 0.01},
]  # fmt: skip


def shot(cues: bool) -> dict:
    stand = {"kind": "prop", "id": "ground", "name": "ground", "shape": {"kind": "plane", "width": 200, "depth": 200}}
    post = {"kind": "prop", "id": "post", "name": "post", "shape": {"kind": "sphere"}, "position": [4, 2, 0]}
    vent = {
        "kind": "prop",
        "id": "vent",
        "name": "vent",
        "shape": {"kind": "sphere", "radius": 2},
        "position": [0, 5, 0],
    }
    ball = {"kind": "zone", "id": "ball", "name": "ball", "shape": {"kind": "ball", "at": [0, 5, 0], "radius": 3}}
    return {
        "format": "hotgravel.shot", "version": 2, "name": "cues", "set": [stand, post, vent, ball],
        "matter": [
            {"kind": "state", "id": "loose", "name": "loose"}, {"kind": "state", "id": "late", "name": "late"},
            {"kind": "collision", "id": "hits", "props": ["ground", "post"], "bounce": 0.4},
        ],
        "supply": [{"kind": "source", "id": "s", "prop": "vent", "part": "volume", "state": "loose", "speed": 6,
                    "speed_spread": 0.5,
                    "emit": {"kind": "burst", "count": N, "frame": 1}, "aim": {"kind": "anywhere"}}],
        "forces": [{"kind": "gravity", "id": "g"}, {"kind": "linear_drag", "id": "d", "rate": 0.4},
                   {"kind": "turbulence", "id": "t", "speed": 2, "size": 1.5, "grip": 1, "octaves": 2, "change": 0.5}],
        "cues": [watching(n, when) for n, when in enumerate(WHEN)] if cues else [],
        "finish": {"last": FRAMES},
    }  # fmt: skip


def watching(n: int, when: dict) -> dict:
    for_all = when["kind"] in ("at_frame", "every", "share_in")
    return {"kind": "cue", "id": f"c{n}", "when": when, "then": {"kind": "enter", "state": "late"},
            "whom": "loose" if n % 2 else None, "chance": 0.02 if for_all else 1.0}  # fmt: skip


def begun(cues: bool) -> tuple[World, Snapshot]:
    world = build(load(shot(cues)), beside(Path()))
    now, _ = first_frame(world, still)
    next_frame(world, now, still)
    return world, now


def seconds(world: World, began: Snapshot) -> tuple[float, int]:
    now, fired = began.copy(), 0
    start = time.perf_counter()
    while now.frame < FRAMES:
        fired += len(next_frame(world, now, still).events)
    return time.perf_counter() - start, fired


def main() -> None:
    both = [begun(cues) for cues in (False, True)]
    rounds = [[seconds(*one) for one in both] for _ in range(ROUNDS)]  # turn by turn: the machine's pace varies
    ratio = median(watched / plain for (plain, _), (watched, _) in rounds)
    print(f"cues       {N:,} particles, twenty cues, {rounds[0][1][1]:,} firings in {FRAMES - 2} frames: over the "
          f"same frames without {ratio:.2f} (aim 1.2 or less)")  # fmt: skip


if __name__ == "__main__":
    main()
