"""A frame as Wavefront OBJ: the props as meshes where they stand, skins, the particles as points.

Meshes have normals, and what is made from a flat plain has coordinates for a texture. A skin's colours follow its
vertices, as is common practice. OBJ has no place for velocity, radius or id; PLY, glTF and USD carry those.
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
from hotgravel.core.shape.mesh import creased

Array = NDArray[Any]
SPACE = r"\s+"


class _File:
    """A file in the making: its lines, and how many places, texture coordinates and normals they have."""

    def __init__(self, wish: Wish, head: list[str]) -> None:
        self.wish, self.lines = wish, head
        self.counts = {"v": 0, "vt": 0, "vn": 0}
        self.before = dict(self.counts)  # the object that is being written

    def begin(
        self, name: str, places: Array, *, rgb: Array | None = None, uv: Array | None = None,
        normals: Array | None = None,
    ) -> None:  # fmt: skip
        """An object with its corners (V, 3), metres, their colours (V, 3), texture coordinates (C, 2), from below, and
        normals (V, 3)."""
        self.lines.append(f"o {re.sub(SPACE, '-', name)}")  # a space would end the name in many readers
        self.before = dict(self.counts)
        told = [f"v {x:.7g} {y:.7g} {z:.7g}" for x, y, z in self.wish.placed(places.astype(np.float64)).tolist()]
        if rgb is not None:
            told = [f"{v} {r:.4g} {g:.4g} {b:.4g}" for v, (r, g, b) in zip(told, rgb.tolist(), strict=True)]
        self.lines += told
        self.counts["v"] += len(told)
        if uv is not None:
            self.lines += [f"vt {u:.5g} {v:.5g}" for u, v in uv.tolist()]
            self.counts["vt"] += len(uv)
        if normals is not None:
            self.lines += [f"vn {x:.4g} {y:.4g} {z:.4g}" for x, y, z in self.wish.turned(normals).tolist()]
            self.counts["vn"] += len(normals)

    def faces(self, faces: Array, at_normals: Array | None = None, at_uv: Array | None = None) -> None:
        """Triangles (F, 3) between the corners of the object; their normals and texture coordinates are those of the
        corners, or by numbers of their own (F, 3)."""
        v, vt, vn = (np.array(faces) + self.before[kind] + 1 for kind in ("v", "vt", "vn"))
        vt = vt if at_uv is None else at_uv + self.before["vt"] + 1
        corners = v.astype(str)
        if self.counts["vt"] > self.before["vt"]:
            corners = np.char.add(np.char.add(corners, "/"), vt.astype(str))
        if self.counts["vn"] > self.before["vn"]:
            vn = vn if at_normals is None else at_normals + self.before["vn"] + 1
            slash = "/" if self.counts["vt"] > self.before["vt"] else "//"
            corners = np.char.add(np.char.add(corners, slash), vn.astype(str))
        self.lines += [f"f {a} {b} {c}" for a, b, c in corners.tolist()]

    def points(self) -> None:
        """All corners of the object as points."""
        self.lines += [f"p {i}" for i in range(self.before["v"] + 1, self.counts["v"] + 1)]

    def curves(self, long: int) -> None:
        """The corners of the object as curves of so many corners each."""
        for first in range(self.before["v"] + 1, self.counts["v"] + 1, long):
            self.lines.append("l " + " ".join(map(str, range(first, first + long))))


def write_obj(take: Take, wish: Wish) -> Iterator[Step]:
    """One file a frame."""
    props = [(p, *take.triangles(p)) for p in take.shot.props]
    smooth = {p.id: creased(vertices, faces) for p, vertices, faces in props if len(faces)}
    for frame in wish.frames:
        unit = "metres" if wish.unit == "m" else "centimetres"
        head = [*(f"# {k}: {v}" for k, v in take.origin.items()), f"# frame: {frame}; {unit}; {wish.up} is up"]
        file, poses = _File(wish, head), take.poses(frame)
        for prop, vertices, faces in (p for p in props if p[0].id in poses):
            pose = poses[prop.id]
            if not len(faces):
                file.begin(take.labels[prop.id], pose.to_world(vertices))
                continue
            _, corners, normals, _ = smooth[prop.id]
            file.begin(take.labels[prop.id], pose.to_world(vertices), normals=normals @ pose.matrix.T)
            file.faces(faces, corners)
        for row in (row.id for row in take.shot.surfaces):
            _surface(file, take.labels[row], take.skin(frame, row))
        for matter in take.store.matters(frame):
            OF_KIND[MATTERS[matter].kind](file, take, frame, matter)
        for streaks in take.shot.streaks:
            points = streak_of(take.shot, take.store, frame, streaks)["points"]
            file.begin(take.labels[streaks.id], points.reshape(-1, 3))
            file.curves(points.shape[1])
        yield wish.name(take, frame, ".obj"), ("\n".join(file.lines) + "\n").encode()


def _surface(file: _File, name: str, made: dict[str, Array]) -> None:
    """A mesh with colours at its corners."""
    rgb = rgb_of(made["colour"])
    file.begin(name, made["vertices"], rgb=rgb, uv=made.get("uv"), normals=made["normals"])
    file.faces(made["faces"], at_uv=made.get("uv_at"))


def _of_draped(file: _File, take: Take, frame: int, matter: str) -> None:
    """Meshes that deform, an object each."""
    for name, made in take.draped(matter, frame):
        _surface(file, name, made)


def _of_points(file: _File, take: Take, frame: int, matter: str) -> None:
    """Elements that are points."""
    file.begin(matter, take.store.elements(frame, matter, ("position",))["position"])
    file.points()


def _of_pieces(file: _File, take: Take, frame: int, matter: str) -> None:
    """Pieces, an object each."""
    p = take.store.elements(frame, matter, ("position", "turn", "scale", "piece", "id"))
    meshes = take.meshes[matter]
    for i, number in enumerate(p["piece"].tolist()):
        mesh, turn = meshes[number], Rotation.from_quat(p["turn"][i].astype(float))
        corners = turn.apply(mesh["vertices"].astype(float)) * float(p["scale"][i]) + p["position"][i]
        name = take.element_name(matter, number, p["id"][i])
        file.begin(name, corners, normals=turn.apply(mesh["normals"].astype(float)))
        outer, inner, _ = sides_of(mesh)
        for group, which in (("skin", outer), ("inside", inner)):
            file.lines += [f"g {group}"] if len(inner) else []
            file.faces(mesh["faces"][which])


OF_KIND: dict[str, Callable[[_File, Take, int, str], None]] = {
    "points": _of_points, "volume": _of_points, "pieces": _of_pieces, "mesh": _of_draped,
}  # fmt: skip
