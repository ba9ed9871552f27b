"""How much a file holds, counted before it is read: triangles of a mesh, shapes of a drawing.

A few kilobytes can name billions: a glTF node or an SVG `use` may show the same thing again and again. What a file says
of itself is added up here without being carried out.
"""

import json
import re
import struct
from collections.abc import Callable, Mapping
from functools import cache
from xml.etree import ElementTree

VAST = 10**18  # more is not told apart


class Endless(ValueError):
    """A file that shows a thing within itself."""


def triangles_in(kind: str, data: bytes) -> int:
    """About how many triangles a mesh file of a kind (obj, ply, stl, glb, gltf) holds; 0 where it does not say."""
    if kind == "stl":
        binary = len(data) >= 84 and len(data) == 84 + 50 * struct.unpack_from("<I", data, 80)[0]
        return (len(data) - 84) // 50 if binary else data.count(b"facet normal")
    if kind == "obj":
        return data.count(b"\nf ")
    if kind == "ply":
        told = re.search(rb"element face (\d{1,12})\b", data[:100_000])
        return int(told[1]) if told else 0
    return _gltf_triangles(kind, data)


def _gltf_triangles(kind: str, data: bytes) -> int:
    try:
        if kind == "glb":
            length = struct.unpack_from("<I", data, 12)[0]
            data = data[20 : 20 + length]
        document = json.loads(data)
        accessors, meshes, nodes = (document.get(name, []) for name in ("accessors", "meshes", "nodes"))
        of_mesh = [
            sum(accessors[p.get("indices", p["attributes"]["POSITION"])]["count"] // 3 for p in mesh["primitives"])
            for mesh in meshes
        ]
        parts = {
            n: (of_mesh[node["mesh"]] if "mesh" in node else 0, node.get("children", []))
            for n, node in enumerate(nodes)
        }
        roots = [root for scene in document.get("scenes", []) for root in scene.get("nodes", [])]
    except (ValueError, KeyError, IndexError, TypeError, AttributeError, struct.error, RecursionError):
        return 0  # its reader says what is wrong with it
    count = summed(parts)
    return sum(count(root) for root in roots)


def shapes_in(drawing: bytes) -> int:
    """How many elements an SVG drawing shows, those that it shows again counted as often; 0 where it is no XML."""
    try:
        root = ElementTree.fromstring(drawing)
    except (ElementTree.ParseError, RecursionError, ValueError):
        return 0
    named, parts = dict[str, int](), dict[int, tuple[int, list[int]]]()
    elements = list(root.iter())
    places = {id(element): n for n, element in enumerate(elements)}
    for n, element in enumerate(elements):
        named.setdefault(element.get("id", ""), n)
    for n, element in enumerate(elements):
        shown = [places[id(child)] for child in element]
        if element.tag.rpartition("}")[2] == "use":
            target = element.get("href") or element.get("{http://www.w3.org/1999/xlink}href") or ""
            if target[1:] in named:
                shown.append(named[target[1:]])
        parts[n] = (1, shown)
    return summed(parts)(0)


def summed(parts: Mapping[int, tuple[int, list[int]]]) -> Callable[[int], int]:
    """A function that tells how much a part holds with all it shows. `parts` maps each to its own amount, and to those
    that it shows. Raises `Endless` for one that shows itself, or that is nested too deeply to be told."""
    ahead: set[int] = set()

    @cache
    def amount(part: int) -> int:
        if part in ahead or len(ahead) > 300:
            raise Endless("It shows itself, or is nested too deeply.")
        if part not in parts:
            return 0
        ahead.add(part)
        own, shown = parts[part]
        total = own + sum(amount(other) for other in shown)
        ahead.discard(part)
        return min(total, VAST)

    return amount
