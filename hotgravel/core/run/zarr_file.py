"""Zarr 3 groups in zip files, written and read without the overhead of a general store.

Source: the Zarr version 3 core specification (zarr-specs.readthedocs.io is its home), with
the `bytes` and `blosc` codecs. Every array is one chunk, which a frame store always
wants whole; any Zarr 3 reader opens the file. Arrays named as plain are not compressed, so
that their bytes can be sent from the file as they stand.
"""

import json
import struct
import zipfile
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numcodecs import blosc
from numpy.typing import NDArray

from hotgravel.core.place import Place, write_whole
from hotgravel.core.run.stored_zip import Member, write_stored

# On several threads it puts blocks in the order in which they are done, and the same frame would not be the same bytes.
blosc.use_threads = False
_CODEC = {"cname": "lz4", "clevel": 1, "blocksize": 0}


def write_groups(
    path: Place,
    groups: Mapping[str, Mapping[str, NDArray[Any]]],
    attributes: Mapping[str, Any],
    plain: Collection[str] = (),
) -> None:
    """A root group with attributes, and groups of arrays; whole, or as it was before."""
    write_whole(path, lambda file: write_stored(file, _members(groups, attributes, plain)))


def _members(
    groups: Mapping[str, Mapping[str, NDArray[Any]]], attributes: Mapping[str, Any], plain: Collection[str]
) -> Iterator[Member]:
    yield Member("zarr.json", _json(_group(attributes)))
    for group, arrays in groups.items():
        yield Member(f"{group}/zarr.json", _json(_group({})))
        for name, array in arrays.items():
            packed = name not in plain
            yield Member(f"{group}/{name}/zarr.json", _metadata(array.shape, array.dtype, packed=packed))
            if array.size:
                yield Member(_chunk(f"{group}/{name}", array.ndim), _bytes(array, packed=packed), aligned=not packed)


def read_arrays(path: Place, group: str, names: Iterable[str]) -> dict[str, NDArray[Any]]:
    """Some arrays of a group. Raises `KeyError` for one that is not there."""
    with path.open("rb") as raw, zipfile.ZipFile(raw) as file:
        return {name: _array(file, f"{group}/{name}") for name in names}


@dataclass(frozen=True)
class Span:
    """Where a plain array lies in its file, in bytes; `start` is a multiple of 4."""

    name: str
    dtype: str
    shape: tuple[int, ...]
    start: int
    size: int


def plain_spans(path: Place, group: str, names: Iterable[str]) -> tuple[Span, ...]:
    """Where the bytes of plain arrays lie; their checksums are verified. Raises like `zipfile`, `KeyError`."""
    spans = []
    with path.open("rb") as raw, zipfile.ZipFile(raw) as file:
        for name in names:
            metadata = json.loads(file.read(f"{group}/{name}/zarr.json"))
            if len(metadata["codecs"]) != 1:
                raise ValueError(f"{name} is not kept plain")
            shape, start, size = tuple(metadata["shape"]), 0, 0
            if 0 not in shape:
                entry = file.getinfo(_chunk(f"{group}/{name}", len(shape)))
                size = len(file.read(entry))
                raw.seek(entry.header_offset + 26)  # its local header, whose extra fields may be others
                start = entry.header_offset + 30 + sum(struct.unpack("<HH", raw.read(4)))
            spans.append(Span(name, metadata["data_type"], shape, start, size))
    return tuple(spans)


def read_attributes(path: Place) -> dict[str, Any]:
    """The attributes of the root group."""
    with path.open("rb") as raw, zipfile.ZipFile(raw) as file:
        attributes: dict[str, Any] = json.loads(file.read("zarr.json"))["attributes"]
        return attributes


def _json(document: Mapping[str, Any]) -> bytes:
    return json.dumps(document).encode()


def _group(attributes: Mapping[str, Any]) -> dict[str, Any]:
    return {"zarr_format": 3, "node_type": "group", "attributes": dict(attributes)}


def _chunk(name: str, dimensions: int) -> str:
    return "/".join([name, "c"] + ["0"] * dimensions)


@lru_cache(4096)
def _metadata(shape: tuple[int, ...], dtype: np.dtype[Any], *, packed: bool) -> bytes:
    size = dtype.itemsize
    codecs: list[dict[str, Any]] = [
        {"name": "bytes"} if size == 1 else {"name": "bytes", "configuration": {"endian": "little"}}
    ]
    if packed:
        codecs.append({"name": "blosc", "configuration": {**_CODEC, "shuffle": "shuffle", "typesize": size}})
    return _json(
        {
            "zarr_format": 3,
            "node_type": "array",
            "shape": list(shape),
            "data_type": dtype.name,
            "chunk_grid": {"name": "regular", "configuration": {"chunk_shape": [max(1, n) for n in shape]}},
            "chunk_key_encoding": {"name": "default", "configuration": {"separator": "/"}},
            "fill_value": 0,
            "codecs": codecs,
            "attributes": {},
        }
    )


def _bytes(array: NDArray[Any], *, packed: bool) -> bytes:
    little = np.ascontiguousarray(array, array.dtype.newbyteorder("<"))
    if not packed:
        return little.tobytes()
    squeezed: bytes = blosc.compress(little, _CODEC["cname"].encode(), _CODEC["clevel"], blosc.SHUFFLE)  # type: ignore[attr-defined]
    return squeezed


def _array(file: zipfile.ZipFile, name: str) -> NDArray[Any]:
    metadata = json.loads(file.read(f"{name}/zarr.json"))
    shape, dtype = metadata["shape"], np.dtype(metadata["data_type"]).newbyteorder("<")
    out = np.empty(shape, dtype)
    if not out.size:
        return out
    data = file.read(_chunk(name, len(shape)))
    if len(metadata["codecs"]) == 1:
        return np.frombuffer(data, dtype).reshape(shape).copy()
    blosc.decompress(data, out)
    return out
