"""A frame as Wavefront OBJ: the props as meshes where they stand, the particles as points.

OBJ has no place for velocity, radius or id; PLY, glTF and USD carry those.
"""

from collections.abc import Iterator

import numpy as np

from hotgravel.core.exchange.take import Step, Take, Wish


def write_obj(take: Take, wish: Wish) -> Iterator[Step]:
    """One file a frame."""
    props = [(p, *take.triangles(p)) for p in take.shot.props]
    for frame in wish.frames:
        unit = "metres" if wish.unit == "m" else "centimetres"
        lines = [*(f"# {k}: {v}" for k, v in take.origin.items()), f"# frame: {frame}; {unit}; {wish.up} is up"]
        poses, base = take.world.poses(frame), 1
        for prop, vertices, faces in props:
            lines += [f"o {prop.id}", *_points(wish.placed(poses[prop.id].to_world(vertices)))]
            lines += [f"f {a} {b} {c}" for a, b, c in (faces + base).tolist()]
            base += len(vertices)
        position = take.store.particles(frame, ("position",))["position"]
        lines += ["o particles", *_points(wish.placed(position.astype(np.float64)))]
        lines += [f"p {i}" for i in range(base, base + len(position))]
        yield wish.name(take, frame, ".obj"), ("\n".join(lines) + "\n").encode()


def _points(points: np.ndarray) -> list[str]:
    return [f"v {x:.7g} {y:.7g} {z:.7g}" for x, y, z in points.tolist()]
