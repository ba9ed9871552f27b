"""Elements of a frame as PLY (binary, little endian): the Polygon File Format, version 1.0.

Points are vertices with all their attributes: x y z, vx vy vz (in the wanted unit, a second), red green blue, and the
rest by their names. Pieces have a file of their own, with their meshes as vertices and faces where they lie, each
vertex with the place of its body in a list of all bodies and their attributes. State and source count in the shot's
order, which comments in the head spell out.
"""

from collections.abc import Callable, Iterator, Mapping

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from hotgravel.core.colour import rgb_of
from hotgravel.core.exchange.take import Array, Step, Take, Wish
from hotgravel.core.exchange.textures import split
from hotgravel.core.matter.drape import told_of
from hotgravel.core.matter.registry import MATTERS

AXES = {
    "position": "x y z", "velocity": "vx vy vz", "spin": "wx wy wz", "turn": "qx qy qz qw", "begun": "bx by bz bw",
    "normal": "nx ny nz", "rgb": "red green blue", "rest": "rx ry rz", "uv": "s t",
}  # fmt: skip
TYPES = {"f4": "float", "f8": "double", "i4": "int", "u4": "uint", "i2": "short", "u2": "ushort", "u1": "uchar"}
TRIANGLE = np.dtype([("count", "u1"), ("corners", "<i4", 3)])


def write_ply(take: Take, wish: Wish) -> Iterator[Step]:
    """One file a frame for each matter."""
    for frame in wish.frames:
        for matter in take.store.matters(frame):
            suffix, elements = OF_KIND[MATTERS[matter].kind](take, wish, frame, matter)
            yield wish.name(take, frame, suffix), ply_bytes(elements, _comments(take, wish, frame))


def _points(take: Take, wish: Wish, frame: int, matter: str) -> tuple[str, dict[str, NDArray[np.void]]]:
    return ".ply", {"vertex": table(take.elements(frame, matter, wish))}


def _pieces(take: Take, wish: Wish, frame: int, matter: str) -> tuple[str, dict[str, NDArray[np.void]]]:
    bodies, there = take.elements(frame, matter, wish), take.store.elements(frame, matter)
    meshes, corners, faces, count = take.meshes[matter], [table(_corners(np.zeros((0, 3))))], [], 0
    for i, piece in enumerate(there["piece"].tolist()):
        mesh, turn = meshes[piece], Rotation.from_quat(there["turn"][i].astype(float))
        place = turn.apply(mesh["vertices"].astype(float)) * float(there["scale"][i]) + there["position"][i]
        normal = wish.turned(turn.apply(mesh["normals"].astype(float)))
        corners.append(table(_corners(wish.placed(place), normal, bodies["rgb"][i], i)))
        faces.append(mesh["faces"] + count)
        count += len(place)
    return f".{matter}.ply", {"vertex": np.concatenate(corners), "face": _triangles(faces), "body": table(bodies)}


def _draped(take: Take, wish: Wish, frame: int, matter: str) -> tuple[str, dict[str, NDArray[np.void]]]:
    parts = [split(made) for _, made in take.draped(matter, frame)]
    ends = np.cumsum([0, *(len(made["vertices"]) for made in parts)])
    vertices: dict[str, Array] = {
        "position": wish.placed(np.concatenate([made["vertices"] for made in parts])).astype(np.float32),
        "velocity": wish.placed(np.concatenate([made["velocity"] for made in parts])).astype(np.float32),
        "rgb": rgb_of(np.concatenate([made["colour"] for made in parts])),
        "body": np.repeat(np.arange(len(parts)), np.diff(ends)).astype(np.int32),
    }
    vertices["normal"] = wish.turned(np.concatenate([made["normals"] for made in parts])).astype(np.float32)
    for name in told_of(parts[0]) if parts else ():
        vertices[name] = np.concatenate([made[name] for made in parts])
    if all("rest" in made for made in parts):
        vertices["rest"] = wish.placed(np.concatenate([made["rest"] for made in parts])).astype(np.float32)
    if any("uv" in made for made in parts):  # 0 where a mesh has none
        flat = [made.get("uv", np.zeros((len(made["vertices"]), 2), np.float32)) for made in parts]
        vertices["uv"] = np.concatenate(flat)
    faces = [made["faces"] + end for made, end in zip(parts, ends, strict=False)]
    return f".{matter}.ply", {"vertex": table(vertices), "face": _triangles(faces)}


def _triangles(faces: list[Array]) -> NDArray[np.void]:
    """Faces (F, 3) of several meshes as the file has them."""
    made = np.zeros(sum(map(len, faces)), TRIANGLE)
    if faces:
        made["count"], made["corners"] = 3, np.concatenate(faces)
    return made


def _corners(place: Array, normal: Array | None = None, rgb: Array | None = None, body: int = 0) -> dict[str, Array]:
    n = len(place)
    return {
        "position": place.astype(np.float32), "normal": (place if normal is None else normal).astype(np.float32),
        "rgb": np.broadcast_to(np.zeros(3) if rgb is None else rgb, (n, 3)), "body": np.full(n, body, np.int32),
    }  # fmt: skip


OF_KIND: dict[str, Callable[[Take, Wish, int, str], tuple[str, dict[str, NDArray[np.void]]]]] = {
    "points": _points, "volume": _points, "pieces": _pieces, "mesh": _draped,
}  # fmt: skip


def table(columns: Mapping[str, Array]) -> NDArray[np.void]:
    """Columns (n,) or (n, k) as one table with a named entry for each number; colours in bytes."""
    made: dict[str, Array] = {}
    for name, array in columns.items():
        whole = np.rint(255.0 * array).astype(np.uint8) if name == "rgb" else array
        if whole.ndim == 2:
            made |= {axis: whole[:, k] for k, axis in enumerate(AXES[name].split())}
        else:
            made[name] = whole
    rows = np.zeros(len(next(iter(made.values()))), [(n, a.dtype.newbyteorder("<")) for n, a in made.items()])
    for name, array in made.items():
        rows[name] = array
    return rows


def ply_bytes(elements: Mapping[str, NDArray[np.void]], comments: list[str]) -> bytes:
    """A whole PLY file from tables by their elements' names."""
    head = ["ply", "format binary_little_endian 1.0"]
    head += [f"comment {' '.join(c.split())}" for c in comments]
    for element, rows in elements.items():
        head.append(f"element {element} {len(rows)}")
        if rows.dtype == TRIANGLE:
            head.append("property list uchar int vertex_indices")
        else:
            head += [f"property {TYPES[rows.dtype[n].str[1:]]} {n}" for n in rows.dtype.names or ()]
    head.append("end_header\n")
    return "\n".join(head).encode("ascii", "replace") + b"".join(rows.tobytes() for rows in elements.values())


def _comments(take: Take, wish: Wish, frame: int) -> list[str]:
    states = ", ".join(f"{i} {s.name}" for i, s in enumerate(take.shot.states))
    sources = ", ".join(f"{i} {s.id}" for i, s in enumerate(take.shot.origins))
    unit = "metres" if wish.unit == "m" else "centimetres"
    return [
        *(f"{name}: {value}" for name, value in take.origin.items()),
        f"frame: {frame} at {take.shot.finish.rate:g} frames a second",
        f"units: {unit}, seconds; {wish.up} is up", f"states: {states}", f"sources: {sources}",
    ]  # fmt: skip
