"""Smoke as OpenVDB files: float grids of density, temperature and flames, and the velocity as a grid of vectors.

Source: the file format of OpenVDB, version 224, from memory; the library itself reads what is written here in a test.
A grid is a tree: a root, nodes of 32 and of 16 children a side, and leaves of 8 voxels a side. Where no smoke is, there
is no leaf.
"""

import io
import struct
import uuid
import zlib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.exchange.take import File, Step, Take, Wish
from hotgravel.core.matter.smoke.cells import AIR

Array = NDArray[Any]
MAGIC, VERSION, LIBRARY = 0x56444220, 224, (10, 0)
ZIPPED = 1  # each block of values is a zlib stream
ALL_VALUES = 6  # no value is left out for being like the background
LEAF, LOWER, UPPER = 8, 16, 32  # children, or voxels, along a side
LEAST = 1e-4  # of density and flames, in shares of one: a leaf with less is left out


@dataclass(frozen=True)
class Grid:
    """Values (nx, ny, nz) or (nx, ny, nz, 3) in the middles of cells, sides in whole leaves; which of the leaves
    (nx / 8, ny / 8, nz / 8) are there; what is where none is."""

    name: str
    values: Array
    there: Array
    background: float = 0.0


def vdb_of(grids: list[Grid], low: Array, cell: float, facts: Mapping[str, str], half: bool) -> bytes:
    """A file's bytes; low (3,) is the corner of the first cell. `half` keeps 16 bits of each number."""
    whole = uuid.uuid5(uuid.NAMESPACE_OID, repr(sorted(facts.items()))).hex
    ident = "-".join(whole[a:b] for a, b in ((0, 8), (8, 12), (12, 16), (16, 20), (20, 32)))
    out = bytearray(struct.pack("<qIIIb", MAGIC, VERSION, *LIBRARY, 1) + ident.encode())
    out += _metadata({name: ("string", value.encode()) for name, value in facts.items()})
    out += struct.pack("<I", len(grids))
    for grid in grids:
        vector = grid.values.ndim == 4
        kind = f"Tree_{'vec3s' if vector else 'float'}_5_4_3{'_HalfFloat' if half else ''}"
        out += _word(grid.name) + _word(kind) + _word("")
        at = len(out) + 24
        head = struct.pack("<I", ZIPPED) + _metadata(_told(grid, half)) + _placed(low, cell)
        topology, leaves = _tree(grid, half)
        block = at + len(head) + len(topology)
        out += struct.pack("<qqq", at, block, block + len(leaves)) + head + topology + leaves
    return bytes(out)


def _word(text: str) -> bytes:
    data = text.encode()
    return struct.pack("<I", len(data)) + data


def _metadata(entries: Mapping[str, tuple[str, bytes]]) -> bytes:
    parts = (_word(name) + _word(kind) + struct.pack("<I", len(data)) + data for name, (kind, data) in entries.items())
    return struct.pack("<I", len(entries)) + b"".join(parts)


def _told(grid: Grid, half: bool) -> dict[str, tuple[str, bytes]]:
    found = {"class": ("string", b"fog volume"), "name": ("string", grid.name.encode())}
    if grid.values.ndim == 4:
        found |= {"class": ("string", b"unknown"), "vector_type": ("string", b"contravariant relative")}
    return found | {"is_saved_as_half_float": ("bool", bytes([half]))}


def _placed(low: Array, cell: float) -> bytes:
    """Where voxel 0, 0, 0 lies, and how far apart they are."""
    where, side = np.asarray(low, float) + 0.5 * cell, np.full(3, cell)
    parts = np.concatenate([where, side, side, 1.0 / side, 1.0 / side**2, 0.5 / side])
    return _word("UniformScaleTranslateMap") + parts.astype("<f8").tobytes()


def _tree(grid: Grid, half: bool) -> tuple[bytes, bytes]:
    """The shape of a tree, and then the values of its leaves."""
    wide = 3 if grid.values.ndim == 4 else 1
    blank = np.full(wide, grid.background, "<f4")
    if half:
        blank = blank.astype("<f2").astype("<f4")
    many = [n // LEAF for n in grid.values.shape[:3]]
    blocks = grid.values.reshape(many[0], LEAF, many[1], LEAF, many[2], LEAF, wide).transpose(0, 2, 4, 1, 3, 5, 6)
    full = np.packbits(np.ones(LEAF**3, bool), bitorder="little").tobytes()
    topology, leaves = bytearray(), bytearray()
    roots = np.zeros(tuple(-(-n // (LOWER * UPPER)) for n in many), bool)
    for place in np.argwhere(grid.there):
        roots[tuple(place // (LOWER * UPPER))] = True
    for root in np.argwhere(roots):
        first = root * LOWER * UPPER
        mine = _within(grid.there, first, LOWER * UPPER)
        lowers: Array = mine.reshape(UPPER, LOWER, UPPER, LOWER, UPPER, LOWER).max(axis=(1, 3, 5))
        topology += struct.pack("<iii", *(int(n) * LEAF for n in first)) + _node(lowers, blank, half)
        for lower in np.argwhere(lowers):
            start = first + lower * LOWER
            held = _within(grid.there, start, LOWER)
            topology += _node(held, blank, half)
            for leaf in np.argwhere(held):
                topology += full
                leaves += full + _values(blocks[tuple(start + leaf)].reshape(-1), half)
    head = struct.pack("<i", 1) + blank.tobytes() + struct.pack("<II", 0, int(roots.sum()))
    return head + bytes(topology), bytes(leaves)


def _within(there: Array, first: Array, side: int) -> Array:
    """Which leaves are there in a cube of so many a side, which may reach beyond the grid."""
    found = np.zeros((side, side, side), bool)
    part = there[tuple(slice(int(n), int(n) + side) for n in first)]
    found[tuple(slice(n) for n in part.shape)] = part
    return found


def _node(children: Array, blank: Array, half: bool) -> bytes:
    """A node: which children it has, that it has no tiles, and the values where it has no children."""
    bits = np.packbits(children.ravel(), bitorder="little").tobytes()
    values = np.where(children.reshape(-1, 1), np.float32(0.0), blank[None])
    return bits + bytes(len(bits)) + _values(values.ravel(), half)


def _values(values: Array, half: bool) -> bytes:
    raw = values.astype("<f2" if half else "<f4").tobytes()
    packed = zlib.compress(raw, 4)
    body = struct.pack("<q", len(packed)) + packed if len(packed) < len(raw) else struct.pack("<q", -len(raw)) + raw
    return bytes([ALL_VALUES]) + body


def grids_at(take: Take, wish: Wish, frame: int) -> tuple[list[Grid], Array, float]:
    """The grids of a frame in the wanted unit and axes, the low corner (3,) of their first cell, and its side."""
    volume = take.store.record(frame, "volume", ("shape", "low", "cell"))
    gas = take.store.record(frame, "gas", ("density", "heat", "velocity", "flame"))
    shape, cell = tuple(int(n) for n in volume["shape"]), float(volume["cell"][0])
    low = volume["low"].astype(float)

    def laid(array: Array) -> Array:
        """An array over the grid, with the wanted axis up."""
        grid = array.reshape(*shape, -1).astype(np.float32)
        grid = grid if wish.up == "y" else np.flip(grid.swapaxes(1, 2), axis=1)
        return grid if grid.shape[-1] == 3 else grid[..., 0]

    corners = np.stack([low, low + cell * np.array(shape)])
    placed = wish.placed(corners).min(axis=0)
    density, flame = laid(gas["density"]), laid(gas["flame"]) if len(gas["flame"]) else None
    solid = np.maximum(density, flame) if flame is not None else density
    many = [n // LEAF for n in density.shape]
    there = solid.reshape(many[0], LEAF, many[1], LEAF, many[2], LEAF).max(axis=(1, 3, 5)) > LEAST
    grids = [
        Grid("density", density, there), Grid("temperature", laid(gas["heat"]) + np.float32(AIR), there, AIR),
        Grid("velocity", laid(wish.placed(gas["velocity"].astype(np.float32))), there),
    ]  # fmt: skip
    if flame is not None:
        grids.insert(2, Grid("flames", flame, there))
    return grids, placed, cell * wish.scale


def file_of(take: Take, wish: Wish, frame: int, at: tuple[list[Grid], Array, float], half: bool = False) -> File:
    """A frame's file, from its grids, their low corner and their cell."""
    facts = {**take.origin, "frame": str(frame), "creator": "Hot Gravel"}
    return wish.name(take, frame, ".vdb"), vdb_of(*at, facts, half)


def write_vdb(take: Take, wish: Wish, half: bool = False) -> Iterator[Step]:
    """One file a frame; none of a run without smoke."""
    for frame in wish.frames:
        if "smoke" in take.store.matters(frame):
            yield file_of(take, wish, frame, grids_at(take, wish, frame), half)


def write_vdb_half(take: Take, wish: Wish) -> Iterator[Step]:
    """The same, in half the room."""
    yield from write_vdb(take, wish, half=True)


def write_npz(take: Take, wish: Wish) -> Iterator[Step]:
    """Velocities, density and temperature in NumPy's .npz, as a field of velocities takes them in; one file a frame."""
    for frame in wish.frames:
        if "smoke" in take.store.matters(frame):
            grids, low, cell = grids_at(take, wish, frame)
            out = io.BytesIO()
            arrays: dict[str, Any] = {grid.name: grid.values for grid in grids}
            np.savez_compressed(out, **arrays | {"origin": low + 0.5 * cell, "cell": cell})
            yield wish.name(take, frame, ".npz"), out.getvalue()
