"""A frame as binary glTF 2.0: props and skins as meshes, the particles as points with attributes.

Source: the glTF 2.0 specification (ISO/IEC 12113:2022). It fixes metres and y up, so a wish
for another unit or axis is met by a node that turns and scales the whole. Velocity, radius,
id and state are application attributes, with names that begin with an underscore.
"""

import json
import struct
from collections.abc import Iterator
from typing import Any

import numpy as np

from hotgravel.core.colour import linear, rgb_of
from hotgravel.core.exchange.take import Array, Step, Take, Wish
from hotgravel.core.run.streaks import streak_of

FLOAT, UINT, POINTS, LINES, TRIANGLES = 5126, 5125, 0, 1, 4
ARRAY_BUFFER, ELEMENT_BUFFER = 34962, 34963


class _Binary:
    """The one buffer of a file, with the views and accessors into it."""

    def __init__(self) -> None:
        self.data = bytearray()
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []

    def add(self, array: Array, *, target: int = ARRAY_BUFFER, bounds: bool = False) -> int:
        integer = array.dtype.kind in "iu"
        packed = np.ascontiguousarray(array, "<u4" if integer else "<f4")
        self.views.append({"buffer": 0, "byteOffset": len(self.data), "byteLength": packed.nbytes, "target": target})
        self.data += packed.tobytes()
        accessor: dict[str, Any] = {
            "bufferView": len(self.views) - 1,
            "componentType": UINT if integer else FLOAT,
            "count": len(packed),
            "type": "VEC3" if packed.ndim == 2 else "SCALAR",
        }
        if bounds:
            accessor |= {"min": packed.min(axis=0).tolist(), "max": packed.max(axis=0).tolist()}
        self.accessors.append(accessor)
        return len(self.accessors) - 1


def write_gltf(take: Take, wish: Wish) -> Iterator[Step]:
    """One file a frame."""
    props = [(p, *take.triangles(p)) for p in take.shot.props]
    for frame in wish.frames:
        yield wish.name(take, frame, ".glb"), _glb(take, wish, frame, props)


def _glb(take: Take, wish: Wish, frame: int, props: list[tuple[Any, Array, Array]]) -> bytes:
    binary = _Binary()
    meshes: list[dict[str, Any]] = []
    nodes: list[dict[str, Any]] = [_root(wish)]
    poses = take.poses(frame)
    for prop, vertices, faces in props:
        if prop.id not in poses:
            continue
        primitive = {
            "attributes": {"POSITION": binary.add(vertices, bounds=True)},
            "indices": binary.add(faces.ravel().astype(np.uint32), target=ELEMENT_BUFFER),
            "mode": TRIANGLES,
        }
        meshes.append({"name": prop.id, "primitives": [primitive]})
        pose = poses[prop.id]
        nodes.append({
            "name": prop.name, "mesh": len(meshes) - 1, "translation": pose.position.tolist(),
            "rotation": pose.quaternion.tolist(), "scale": [pose.scale] * 3,
        })  # fmt: skip
    for row in (skin.id for skin in take.shot.skins):
        skin = take.store.skin(frame, row)
        if len(skin["faces"]):
            attributes = {
                "POSITION": binary.add(skin["vertices"], bounds=True),
                "COLOR_0": binary.add(linear(rgb_of(skin["colour"]))),
                "_VELOCITY": binary.add(skin["velocity"]),
            }
            corners = binary.add(skin["faces"].ravel().astype(np.uint32), target=ELEMENT_BUFFER)
            meshes.append(
                {"name": row, "primitives": [{"attributes": attributes, "indices": corners, "mode": TRIANGLES}]}
            )
            nodes.append({"name": row, "mesh": len(meshes) - 1})
    particles = take.store.particles(frame, ("position", "velocity", "radius", "id", "state"))
    if len(particles["id"]):
        attributes = {
            "POSITION": binary.add(particles["position"], bounds=True),
            "_VELOCITY": binary.add(particles["velocity"]),
            "_RADIUS": binary.add(particles["radius"]),
            "_ID": binary.add(particles["id"].astype(np.float32)),
            "_STATE": binary.add(particles["state"].astype(np.float32)),
        }
        meshes.append({"name": "particles", "primitives": [{"attributes": attributes, "mode": POINTS}]})
        nodes.append({"name": "particles", "mesh": len(meshes) - 1})
    for streaks in take.shot.streaks:
        made = streak_of(take.shot, take.store, frame, streaks)
        points = made["points"]
        if not points.size:
            continue
        first = np.arange(points.shape[0] * points.shape[1], dtype=np.uint32).reshape(points.shape[:2])
        ends = np.stack([first[:, :-1], first[:, 1:]], axis=2)
        attributes = {
            "POSITION": binary.add(points.reshape(-1, 3), bounds=True),
            "COLOR_0": binary.add(linear(rgb_of(np.repeat(made["colour"], points.shape[1])))),
        }
        indices = binary.add(ends.ravel(), target=ELEMENT_BUFFER)
        meshes.append(
            {"name": streaks.id, "primitives": [{"attributes": attributes, "indices": indices, "mode": LINES}]}
        )
        nodes.append({"name": streaks.id, "mesh": len(meshes) - 1})
    nodes[0]["children"] = list(range(1, len(nodes)))
    facts = take.origin | {"frame": frame, "rate": take.shot.finish.rate}
    document = {
        "asset": {"version": "2.0", "generator": "Hot Gravel", "extras": facts},
        "scene": 0, "scenes": [{"name": take.shot.name, "nodes": [0]}], "nodes": nodes, "meshes": meshes,
        "accessors": binary.accessors, "bufferViews": binary.views, "buffers": [{"byteLength": len(binary.data)}],
    }  # fmt: skip
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    data = bytes(binary.data) + b"\0" * (-len(binary.data) % 4)
    total = 12 + 8 + len(text) + 8 + len(data)
    return b"".join([
        struct.pack("<4sII", b"glTF", 2, total), struct.pack("<I4s", len(text), b"JSON"), text,
        struct.pack("<I4s", len(data), b"BIN\0"), data,
    ])  # fmt: skip


def _root(wish: Wish) -> dict[str, Any]:
    root: dict[str, Any] = {"name": "shot", "scale": [wish.scale] * 3}
    if wish.up == "z":  # a quarter turn about x takes y to z
        root["rotation"] = [float(np.sqrt(0.5)), 0.0, 0.0, float(np.sqrt(0.5))]
    return root
