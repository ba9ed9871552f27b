"""A frame as Wavefront OBJ: the props as meshes where they stand, skins, the particles as points.

A skin's colours follow its vertices, as is common practice. OBJ has no place for velocity, radius
or id; PLY, glTF and USD carry those.
"""

import re
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from hotgravel.core.colour import rgb_of
from hotgravel.core.exchange.take import Step, Take, Wish, sides_of
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.streaks import streak_of

SPACE = r"\s+"


def write_obj(take: Take, wish: Wish) -> Iterator[Step]:
    """One file a frame."""
    props = [(p, *take.triangles(p)) for p in take.shot.props]
    for frame in wish.frames:
        unit = "metres" if wish.unit == "m" else "centimetres"
        lines = [*(f"# {k}: {v}" for k, v in take.origin.items()), f"# frame: {frame}; {unit}; {wish.up} is up"]
        poses, base = take.poses(frame), 1
        for prop, vertices, faces in (p for p in props if p[0].id in poses):
            lines += [f"o {_object(take, prop.id)}", *_points(wish.placed(poses[prop.id].to_world(vertices)))]
            lines += [f"f {a} {b} {c}" for a, b, c in (faces + base).tolist()]
            base += len(vertices)
        for row in (row.id for row in take.shot.surfaces):
            made, count = _surface(take.labels[row], wish, take.skin(frame, row), base)
            lines += made
            base += count
        for matter in take.store.matters(frame):
            made, count = OF_KIND[MATTERS[matter].kind](take, wish, frame, matter, base)
            lines += made
            base += count
        for streaks in take.shot.streaks:
            points = streak_of(take.shot, take.store, frame, streaks)["points"]
            long, position = points.shape[1], points.reshape(-1, 3)
            lines += [f"o {_object(take, streaks.id)}", *_points(wish.placed(position.astype(np.float64)))]
            lines += [
                "l " + " ".join(map(str, range(first, first + long)))
                for first in range(base, base + len(position), long)
            ]
            base += len(position)
        yield wish.name(take, frame, ".obj"), ("\n".join(lines) + "\n").encode()


def _object(take: Take, row: str) -> str:
    """What an object is called: as the artist calls the row, without spaces, which end a name in many readers."""
    return re.sub(SPACE, "-", take.labels[row])


def _surface(name: str, wish: Wish, made: dict[str, NDArray[Any]], base: int) -> tuple[list[str], int]:
    """Lines for a mesh with colours at its corners, which are numbered from `base` on, and how many they are."""
    points, rgb = wish.placed(made["vertices"].astype(np.float64)), rgb_of(made["colour"])
    lines = [f"o {re.sub(SPACE, '-', name)}"]
    lines += [f"{v} {r:.4g} {g:.4g} {b:.4g}" for v, (r, g, b) in zip(_points(points), rgb.tolist(), strict=True)]
    return lines + [f"f {a} {b} {c}" for a, b, c in (made["faces"] + base).tolist()], len(points)


def _of_draped(take: Take, wish: Wish, frame: int, matter: str, base: int) -> tuple[list[str], int]:
    """Lines for meshes that deform, an object each."""
    lines, count = list[str](), 0
    for name, made in take.draped(matter, frame):
        more, many = _surface(name, wish, made, base + count)
        lines, count = lines + more, count + many
    return lines, count


def _of_points(take: Take, wish: Wish, frame: int, matter: str, base: int) -> tuple[list[str], int]:
    """Lines for elements that are points, numbered from `base` on, and how many corners they take."""
    position = take.store.elements(frame, matter, ("position",))["position"]
    lines = [f"o {matter}", *_points(wish.placed(position.astype(np.float64)))]
    return lines + [f"p {i}" for i in range(base, base + len(position))], len(position)


def _of_pieces(take: Take, wish: Wish, frame: int, matter: str, base: int) -> tuple[list[str], int]:
    """Lines for pieces, an object each."""
    p = take.store.elements(frame, matter, ("position", "turn", "scale", "piece", "id"))
    meshes, lines, count = take.meshes[matter], [], 0
    for i, number in enumerate(p["piece"].tolist()):
        turn = Rotation.from_quat(p["turn"][i].astype(float))
        corners = turn.apply(meshes[number]["vertices"].astype(float)) * float(p["scale"][i]) + p["position"][i]
        lines += [
            f"o {re.sub(SPACE, '-', take.element_name(matter, number, p['id'][i]))}",
            *_points(wish.placed(corners)),
        ]
        outer, inner, _ = sides_of(meshes[number])
        for group, which in (("skin", outer), ("inside", inner)):
            lines += [f"g {group}"] if len(inner) else []
            lines += [f"f {a} {b} {c}" for a, b, c in (meshes[number]["faces"][which] + base + count).tolist()]
        count += len(corners)
    return lines, count


OF_KIND: dict[str, Callable[[Take, Wish, int, str, int], tuple[list[str], int]]] = {
    "points": _of_points, "volume": _of_points, "pieces": _of_pieces, "mesh": _of_draped,
}  # fmt: skip


def _points(points: np.ndarray) -> list[str]:
    return [f"v {x:.7g} {y:.7g} {z:.7g}" for x, y, z in points.tolist()]
