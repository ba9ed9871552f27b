"""Cuttings that are kept, by all that went into them: in memory, and on the disk where a folder is named, so that
other processes need not cut anew. While one is being cut, it can be watched and stopped."""

import os
from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import astuple
from hashlib import sha256
from pathlib import Path
from typing import Any
from zipfile import BadZipFile

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.place import write_whole
from hotgravel.core.shape.cutting import Cutting, Piece, Tiny
from hotgravel.core.shape.facing import Faces
from hotgravel.kernels import core_version

FOLDER = "HOTGRAVEL_CUTTINGS"  # the variable that names the folder
KEPT, ON_DISK = 16, 64  # cuttings in memory and on the disk
SHARED = ("pairs", "areas", "middles", "normals", "seconds", "apart")
_known: OrderedDict[bytes, Cutting] = OrderedDict()
Watch = tuple[Callable[[float], None], Callable[[], float]]
_watch: ContextVar[Watch] = ContextVar("watch", default=(lambda share: None, lambda: 0.0))


@contextmanager
def watched(told: Callable[[float], None], clock: Callable[[], float]) -> Iterator[None]:
    """Within it, `told` hears which share of a cutting is done, and `clock` tells how long each took."""
    token = _watch.set((told, clock))
    try:
        yield
    finally:
        _watch.reset(token)


def tell(share: float) -> None:
    """Let whoever watches know how far a cutting is."""
    _watch.get()[0](share)


def clock() -> float:
    """The seconds on the clock of whoever watches."""
    return _watch.get()[1]()


def known(key: bytes) -> Cutting | None:
    """The cutting of a key, if it is kept."""
    cutting, path = _known.get(key), _path(key)
    if cutting is None and path is not None and path.is_file():
        try:
            cutting = _read(path)
            _remember(key, cutting)
        except (OSError, ValueError, KeyError, BadZipFile):
            path.unlink(missing_ok=True)  # it is damaged, and quickly made again
    return cutting


def is_known(key: bytes) -> bool:
    """Whether the cutting of a key is kept."""
    path = _path(key)
    return key in _known or (path is not None and path.is_file())


def keep(key: bytes, cutting: Cutting) -> None:
    """Keep a cutting. On the disk it is whole or not there."""
    _remember(key, cutting)
    path = _path(key)
    if path is None:
        return
    write_whole(path, lambda file: np.savez(file, allow_pickle=False, **_packed(cutting)), durable=False)
    for old in sorted(path.parent.glob("*.npz"), key=lambda p: p.stat().st_mtime)[:-ON_DISK]:
        old.unlink(missing_ok=True)


def _remember(key: bytes, cutting: Cutting) -> None:
    _known[key] = cutting
    while len(_known) > KEPT:
        _known.popitem(last=False)


def _path(key: bytes) -> Path | None:
    folder = os.environ.get(FOLDER)
    return Path(folder) / f"{sha256(key).hexdigest()[:32]}-{core_version()}.npz" if folder else None


def _packed(cutting: Cutting) -> dict[str, NDArray[Any]]:
    pieces = cutting.pieces
    return {
        "vertices": np.concatenate([p.vertices for p in pieces]), "faces": np.concatenate([p.faces for p in pieces]),
        "inner": np.concatenate([p.inner for p in pieces]), "row": np.array([p.row for p in pieces]),
        "corners": np.array([len(p.vertices) for p in pieces]), "sides": np.array([len(p.faces) for p in pieces]),
        "volume": np.array([p.volume for p in pieces]), "centre": np.array([p.centre for p in pieces]),
        "whole": np.array([cutting.whole]), "tiny": np.array(astuple(cutting.tiny)),
        "took": np.array([cutting.seconds]),
        **{name: getattr(cutting.shared, name) for name in SHARED},
    }  # fmt: skip


def _read(path: Path) -> Cutting:
    with np.load(path, allow_pickle=False) as file:
        told = dict(file)
    ends, sides = np.cumsum(told["corners"])[:-1], np.cumsum(told["sides"])[:-1]
    parts = (np.split(told["vertices"], ends), np.split(told["faces"], sides), np.split(told["inner"], sides))
    numbers = (told["volume"].tolist(), told["centre"], told["row"].tolist())
    pieces = tuple(Piece(*of) for of in zip(*parts, *numbers, strict=True))
    shared = Faces(*(told[name] for name in SHARED))
    joined, left_out, volume = told["tiny"].tolist()
    tiny = Tiny(int(joined), int(left_out), volume)
    return Cutting(pieces, shared, float(told["whole"][0]), tiny, float(told["took"][0]))
