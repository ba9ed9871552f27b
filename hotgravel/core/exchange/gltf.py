"""Binary glTF 2.0: a frame with all that is in it, or a whole run of what moves as animated nodes.

Source: the glTF 2.0 specification (ISO/IEC 12113:2022). It fixes metres and y up, whatever unit and axis are wished
for. Colours of elements are COLOR_0; their other attributes are application attributes, with names that begin with an
underscore.
"""

import json
import struct
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np

from hotgravel.core.colour import linear, rgb_of
from hotgravel.core.exchange.take import Array, Material, Step, Take, Wish, sides_of
from hotgravel.core.exchange.textures import split
from hotgravel.core.matter.drape import told_of
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.streaks import streak_of
from hotgravel.core.shape.mesh import creased
from hotgravel.core.shape.pose import moves
from hotgravel.core.shot.props import Prop

METRES = Wish(())  # y up
FLOAT, UINT, POINTS, LINES, TRIANGLES = 5126, 5125, 0, 1, 4
ARRAY_BUFFER, ELEMENT_BUFFER = 34962, 34963
TYPES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}


class _Document:
    """A file in the making: its one buffer with the views and accessors into it, and the lists that the format has."""

    def __init__(self) -> None:
        self.data = bytearray()
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []
        self.meshes: list[dict[str, Any]] = []
        self.materials: list[dict[str, Any]] = []
        self.nodes: list[dict[str, Any]] = [{"name": "shot"}]
        self.known: dict[Material, int] = {}
        self.repainted: dict[tuple[int, int], int] = {}  # by the mesh and the other material

    def add(self, array: Array, *, target: int | None = ARRAY_BUFFER, bounds: bool = False) -> int:
        """An accessor to an array (n,), (n, 3) or (n, 4)."""
        integer = array.dtype.kind in "iu"
        packed = np.ascontiguousarray(array, "<u4" if integer else "<f4")
        view: dict[str, Any] = {"buffer": 0, "byteOffset": len(self.data), "byteLength": packed.nbytes}
        self.views.append(view | ({"target": target} if target else {}))
        self.data += packed.tobytes()
        accessor: dict[str, Any] = {
            "bufferView": len(self.views) - 1, "componentType": UINT if integer else FLOAT, "count": len(packed),
            "type": TYPES[packed.shape[1] if packed.ndim == 2 else 1],
        }  # fmt: skip
        if bounds:
            least, most = np.atleast_1d(packed.min(axis=0)), np.atleast_1d(packed.max(axis=0))
            accessor |= {"min": least.tolist(), "max": most.tolist()}
        self.accessors.append(accessor)
        return len(self.accessors) - 1

    def mesh(
        self, name: str, mode: int, material: Material | None = None, indices: Array | None = None, **attributes: Array
    ) -> int:  # fmt: skip
        """A mesh of one primitive; POSITION is among its attributes."""
        primitive: dict[str, Any] = {
            "attributes": {n: self.add(array, bounds=n == "POSITION") for n, array in attributes.items()}, "mode": mode,
        }  # fmt: skip
        if indices is not None:
            primitive["indices"] = self.add(indices.ravel().astype(np.uint32), target=ELEMENT_BUFFER)
        if material is not None:
            primitive["material"] = self.material(material)
        self.meshes.append({"name": name, "primitives": [primitive]})
        return len(self.meshes) - 1

    def inside(self, mesh: int, material: Material, indices: Array) -> None:
        """Give a mesh a second primitive of the same corners, with a material of its own."""
        (primitive,) = self.meshes[mesh]["primitives"]
        more = {"indices": self.add(indices.ravel().astype(np.uint32), target=ELEMENT_BUFFER)}
        self.meshes[mesh]["primitives"].append(primitive | more | {"material": self.material(material)})

    def material(self, wanted: Material) -> int:
        if wanted not in self.known:
            self.known[wanted] = len(self.materials)
            glow = {"emissiveFactor": [wanted.glow * c for c in wanted.colour]} if wanted.glow else {}
            surface = {
                "baseColorFactor": [*wanted.colour, 1.0], "roughnessFactor": wanted.roughness, "metallicFactor": 0.0
            }  # fmt: skip
            self.materials.append({"name": wanted.name, "pbrMetallicRoughness": surface, **glow})
        return self.known[wanted]

    def painted(self, mesh: int, name: str, colour: Array) -> int:
        """The same mesh in another colour (3,), as light; itself where it has that colour already."""
        primitive, *inside = self.meshes[mesh]["primitives"]
        r, g, b = (float(f"{c:.6g}") for c in colour)
        material = self.material(Material(name, (r, g, b)))
        if material == primitive["material"]:
            return mesh
        if (mesh, material) not in self.repainted:
            self.repainted[mesh, material] = len(self.meshes)
            self.meshes.append({"name": name, "primitives": [primitive | {"material": material}, *inside]})
        return self.repainted[mesh, material]

    def node(self, name: str, mesh: int, **more: Any) -> int:
        self.nodes.append({"name": name, "mesh": mesh, **more})
        return len(self.nodes) - 1

    def packed(self, take: Take, facts: dict[str, Any], **more: Any) -> bytes:
        """The whole file."""
        self.nodes[0]["children"] = list(range(1, len(self.nodes)))
        document = {
            "asset": {"version": "2.0", "generator": "Hot Gravel", "extras": take.origin | facts},
            "scene": 0, "scenes": [{"name": take.shot.name, "nodes": [0]}], "nodes": self.nodes, "meshes": self.meshes,
            "materials": self.materials, "accessors": self.accessors, "bufferViews": self.views,
            "buffers": [{"byteLength": len(self.data)}],
        }  # fmt: skip
        text = json.dumps({name: value for name, value in (document | more).items() if value != []}).encode()
        text += b" " * (-len(text) % 4)
        data = bytes(self.data) + b"\0" * (-len(self.data) % 4)
        total = 12 + 8 + len(text) + 8 + len(data)
        return b"".join([
            struct.pack("<4sII", b"glTF", 2, total), struct.pack("<I4s", len(text), b"JSON"), text,
            struct.pack("<I4s", len(data), b"BIN\0"), data,
        ])  # fmt: skip


def write_gltf(take: Take, wish: Wish) -> Iterator[Step]:
    """One file a frame."""
    for frame in wish.frames:
        document = _Document()
        _props(document, take, frame)
        _skins(document, take, frame)
        for matter in take.store.matters(frame):
            OF_KIND[MATTERS[matter].kind](document, take, frame, matter)
        _streaks(document, take, frame)
        facts = {"frame": frame, "rate": take.shot.finish.rate}
        yield wish.name(take, frame, ".glb"), document.packed(take, facts)


def _props(document: _Document, take: Take, frame: int) -> None:
    poses = take.poses(frame)
    for prop in (p for p in take.shot.props if p.id in poses):
        pose = poses[prop.id]
        document.node(
            take.labels[prop.id], _prop(document, take, prop), translation=pose.position.tolist(),
            rotation=pose.quaternion.tolist(), scale=[pose.scale] * 3,
        )  # fmt: skip


def _prop(document: _Document, take: Take, prop: Prop) -> int:
    """A prop's mesh, smooth but for its sharp edges; of one that is too small to have triangles, its points."""
    name, material, (vertices, faces) = take.labels[prop.id], take.material(prop), take.triangles(prop)
    if not len(faces):
        return document.mesh(name, POINTS, material, None, POSITION=vertices)
    vertices, faces, normals, _ = creased(vertices, faces)
    return document.mesh(name, TRIANGLES, material, faces, POSITION=vertices, NORMAL=normals)


def _skins(document: _Document, take: Take, frame: int) -> None:
    for row in take.shot.surfaces:
        _surface(document, take.labels[row.id], row.look, take.skin(frame, row.id))


def _surface(document: _Document, name: str, look: str, made: dict[str, Array]) -> None:
    """A mesh with colours and velocities at its corners."""
    if len(made["faces"]):
        more = {f"_{told.upper()}": values for told, values in told_of(made).items()}
        if "rest" in made:
            more["_REST"] = made["rest"]
        if "uv" in made:
            more["TEXCOORD_0"] = made["uv"] * np.array([1, -1], np.float32) + np.array([0, 1], np.float32)
        mesh = document.mesh(
            name, TRIANGLES, Material.skin(name, look), made["faces"], POSITION=made["vertices"],
            NORMAL=made["normals"], COLOR_0=linear(rgb_of(made["colour"])), _VELOCITY=made["velocity"], **more,
        )  # fmt: skip
        document.node(name, mesh)


def _points(document: _Document, take: Take, frame: int, matter: str) -> None:
    p = take.elements(frame, matter, METRES)
    if len(p["id"]):
        own = {f"_{name.upper()}": a.astype(np.float32) for name, a in p.items() if name not in ("position", "rgb")}
        mesh = document.mesh(matter, POINTS, None, None, POSITION=p["position"], COLOR_0=linear(p["rgb"]), **own)
        document.node(matter, mesh)


def _pieces(document: _Document, take: Take, frame: int, matter: str) -> None:
    p = take.elements(frame, matter, METRES)
    meshes, painted = _piece_meshes(document, take, matter), linear(p.pop("rgb"))
    for i in range(len(p["id"])):
        name, mesh = meshes[int(p["piece"][i])]
        told = {n: a[i].tolist() for n, a in p.items() if n not in ("position", "turn", "scale", "piece")}
        document.node(
            take.element_name(matter, int(p["piece"][i]), p["id"][i]), document.painted(mesh, name, painted[i]),
            translation=p["position"][i].tolist(), rotation=p["turn"][i].tolist(), scale=[float(p["scale"][i])] * 3,
            extras=told,
        )  # fmt: skip


def _piece_meshes(document: _Document, take: Take, matter: str) -> list[tuple[str, int]]:
    """The name and the mesh of each kind of piece."""
    made = []
    for number, mesh in enumerate(take.meshes[matter]):
        name = take.piece_name(matter, number)
        outer, inner, colours = sides_of(mesh)
        material = Material.of(name, colours[0], 0.0)
        drawn = document.mesh(
            name, TRIANGLES, material, mesh["faces"][outer], POSITION=mesh["vertices"], NORMAL=mesh["normals"]
        )
        if len(inner):
            document.inside(drawn, Material.of(f"{name} inside", colours[1], 0.0), mesh["faces"][inner])
        made.append((name, drawn))
    return made


def _draped(document: _Document, take: Take, frame: int, matter: str) -> None:
    for name, made in take.draped(matter, frame):
        _surface(document, name, "dull", split(made))


OF_KIND: dict[str, Callable[[_Document, Take, int, str], None]] = {
    "points": _points,
    "volume": _points,
    "pieces": _pieces,
    "mesh": _draped,
}


def _streaks(document: _Document, take: Take, frame: int) -> None:
    for streaks in take.shot.streaks:
        made = streak_of(take.shot, take.store, frame, streaks)
        points = made["points"]
        if not points.size:
            continue
        first = np.arange(points.shape[0] * points.shape[1], dtype=np.uint32).reshape(points.shape[:2])
        ends = np.stack([first[:, :-1], first[:, 1:]], axis=2)
        colour = linear(rgb_of(np.repeat(made["colour"], points.shape[1])))
        name = take.labels[streaks.id]
        document.node(name, document.mesh(name, LINES, None, ends, POSITION=points.reshape(-1, 3), COLOR_0=colour))


def write_animation(take: Take, wish: Wish) -> Iterator[Step]:
    """One file for all frames: props and pieces as nodes that are animated. What is not there is of no size."""
    document, samplers, channels = _Document(), [], []
    seconds = (np.array(wish.frames) - wish.frames[0]) / take.shot.finish.rate
    times = document.add(seconds.astype(np.float32), target=None, bounds=True)

    def animate(node: int, path: str, values: Array) -> None:
        output = document.add(np.asarray(values, np.float32), target=None)
        samplers.append({"input": times, "output": output, "interpolation": "LINEAR"})
        channels.append({"sampler": len(samplers) - 1, "target": {"node": node, "path": path}})

    at = {frame: take.poses(frame) for frame in wish.frames}
    for prop in take.shot.props:
        there = [at[frame].get(prop.id) for frame in wish.frames]
        known = next((pose for pose in there if pose is not None), None)
        if known is None:
            continue
        node = document.node(
            take.labels[prop.id], _prop(document, take, prop), translation=known.position.tolist(),
            rotation=known.quaternion.tolist(), scale=[known.scale] * 3,
        )  # fmt: skip
        if moves(prop) or None in there:
            animate(node, "translation", np.array([(pose or known).position for pose in there]))
            animate(node, "rotation", _the_short_way(np.array([(pose or known).quaternion for pose in there])))
            animate(node, "scale", np.array([[pose.scale if pose else 0.0] * 3 for pose in there]))
    for matter in (m for m in MATTERS if MATTERS[m].kind == "pieces"):
        meshes = _piece_meshes(document, take, matter)
        for number, columns in take.tracks(matter, wish.frames):
            piece = int(columns["piece"])
            node = document.node(take.element_name(matter, piece, number), meshes[piece][1])
            animate(node, "translation", columns["position"])
            animate(node, "rotation", _the_short_way(columns["turn"]))
            animate(node, "scale", np.repeat(columns["scale"][:, None], 3, axis=1))
    yield None
    animation = [{"name": take.shot.name, "samplers": samplers, "channels": channels}] if channels else []
    facts = {"first frame": wish.frames[0], "rate": take.shot.finish.rate}
    yield wish.name(take, None, ".glb"), document.packed(take, facts, animations=animation)


def _the_short_way(turns: Array) -> Array:
    """Quaternions (n, 4) with signs so that each follows from the one before by less than half a turn."""
    found = np.asarray(turns, float).copy()
    for i in range(1, len(found)):
        if found[i] @ found[i - 1] < 0.0:
            found[i] *= -1.0
    return found
