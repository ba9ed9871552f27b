"""A frame as Wavefront OBJ: the props as meshes where they stand, skins, the particles as points.

A skin's colours follow its vertices, as is common practice. OBJ has no place for velocity, radius
or id; PLY, glTF and USD carry those.
"""

from collections.abc import Iterator

import numpy as np

from hotgravel.core.colour import rgb_of
from hotgravel.core.exchange.take import Step, Take, Wish
from hotgravel.core.run.streaks import streak_of


def write_obj(take: Take, wish: Wish) -> Iterator[Step]:
    """One file a frame."""
    props = [(p, *take.triangles(p)) for p in take.shot.props]
    for frame in wish.frames:
        unit = "metres" if wish.unit == "m" else "centimetres"
        lines = [*(f"# {k}: {v}" for k, v in take.origin.items()), f"# frame: {frame}; {unit}; {wish.up} is up"]
        poses, base = take.poses(frame), 1
        for prop, vertices, faces in (p for p in props if p[0].id in poses):
            lines += [f"o {prop.id}", *_points(wish.placed(poses[prop.id].to_world(vertices)))]
            lines += [f"f {a} {b} {c}" for a, b, c in (faces + base).tolist()]
            base += len(vertices)
        for row in (skin.id for skin in take.shot.skins):
            skin = take.store.skin(frame, row)
            points = wish.placed(skin["vertices"].astype(np.float64))
            rgb = rgb_of(skin["colour"])
            lines += [f"o {row}"]
            lines += [
                f"{v} {r:.4g} {g:.4g} {b:.4g}" for v, (r, g, b) in zip(_points(points), rgb.tolist(), strict=True)
            ]
            lines += [f"f {a} {b} {c}" for a, b, c in (skin["faces"] + base).tolist()]
            base += len(points)
        position = take.store.particles(frame, ("position",))["position"]
        lines += ["o particles", *_points(wish.placed(position.astype(np.float64)))]
        lines += [f"p {i}" for i in range(base, base + len(position))]
        for streaks in take.shot.streaks:
            base += len(position)
            points = streak_of(take.shot, take.store, frame, streaks)["points"]
            long, position = points.shape[1], points.reshape(-1, 3)
            lines += [f"o {streaks.id}", *_points(wish.placed(position.astype(np.float64)))]
            lines += [
                "l " + " ".join(map(str, range(first, first + long)))
                for first in range(base, base + len(position), long)
            ]
        yield wish.name(take, frame, ".obj"), ("\n".join(lines) + "\n").encode()


def _points(points: np.ndarray) -> list[str]:
    return [f"v {x:.7g} {y:.7g} {z:.7g}" for x, y, z in points.tolist()]
