"""Zarr 3 groups in zip files, written and read without the overhead of a general store.

Source: the Zarr version 3 core specification (zarr-specs.readthedocs.io is its home), with
the `bytes` and `blosc` codecs. Every array is one chunk, which a frame store always
wants whole; any Zarr 3 reader opens the file.
"""

import json
import os
import zipfile
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

import numpy as np
from numcodecs import blosc
from numpy.typing import NDArray

_CODEC = {"cname": "lz4", "clevel": 1, "blocksize": 0}


def write_groups(path: Path, groups: Mapping[str, Mapping[str, NDArray[Any]]], attributes: Mapping[str, Any]) -> None:
    """A root group with attributes, and groups of arrays.

    It is written beside its place and moved into it: all there, and on the disk, when this
    returns; as it was before, if it does not.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    unfinished = path.with_name(f".{path.name}.{os.getpid()}")
    with unfinished.open("wb") as raw:
        with zipfile.ZipFile(raw, "w", zipfile.ZIP_STORED) as file:
            _put(file, "zarr.json", _json(_group(attributes)))
            for group, arrays in groups.items():
                _put(file, f"{group}/zarr.json", _json(_group({})))
                for name, array in arrays.items():
                    _put(file, f"{group}/{name}/zarr.json", _json(_metadata(array)))
                    if array.size:
                        chunk = "/".join(["c"] + ["0"] * array.ndim)
                        _put(file, f"{group}/{name}/{chunk}", _packed(array))
        raw.flush()
        os.fsync(raw.fileno())
    os.replace(unfinished, path)


def read_arrays(path: Path, group: str, names: Iterable[str]) -> dict[str, NDArray[Any]]:
    """Some arrays of a group. Raises `KeyError` for one that is not there."""
    with zipfile.ZipFile(path) as file:
        return {name: _array(file, f"{group}/{name}") for name in names}


def read_attributes(path: Path) -> dict[str, Any]:
    """The attributes of the root group."""
    with zipfile.ZipFile(path) as file:
        attributes: dict[str, Any] = json.loads(file.read("zarr.json"))["attributes"]
        return attributes


def _put(file: zipfile.ZipFile, name: str, data: bytes) -> None:
    # A fixed date: the same frame must give the same bytes.
    file.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), data)


def _json(document: Mapping[str, Any]) -> bytes:
    return json.dumps(document).encode()


def _group(attributes: Mapping[str, Any]) -> dict[str, Any]:
    return {"zarr_format": 3, "node_type": "group", "attributes": dict(attributes)}


def _metadata(array: NDArray[Any]) -> dict[str, Any]:
    size = array.dtype.itemsize
    codecs: list[dict[str, Any]] = [
        {"name": "bytes"} if size == 1 else {"name": "bytes", "configuration": {"endian": "little"}}
    ]
    codecs.append({"name": "blosc", "configuration": {**_CODEC, "shuffle": "shuffle", "typesize": size}})
    return {
        "zarr_format": 3,
        "node_type": "array",
        "shape": list(array.shape),
        "data_type": array.dtype.name,
        "chunk_grid": {"name": "regular", "configuration": {"chunk_shape": [max(1, n) for n in array.shape]}},
        "chunk_key_encoding": {"name": "default", "configuration": {"separator": "/"}},
        "fill_value": 0,
        "codecs": codecs,
        "attributes": {},
    }


def _packed(array: NDArray[Any]) -> bytes:
    little = np.ascontiguousarray(array, array.dtype.newbyteorder("<"))
    packed: bytes = blosc.compress(little, _CODEC["cname"].encode(), _CODEC["clevel"], blosc.SHUFFLE)  # type: ignore[attr-defined]
    return packed


def _array(file: zipfile.ZipFile, name: str) -> NDArray[Any]:
    metadata = json.loads(file.read(f"{name}/zarr.json"))
    shape, dtype = metadata["shape"], np.dtype(metadata["data_type"]).newbyteorder("<")
    out = np.empty(shape, dtype)
    if out.size:
        blosc.decompress(file.read("/".join([name, "c"] + ["0"] * len(shape))), out)
    return out
