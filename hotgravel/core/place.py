"""Where a run is kept: a folder, or an fsspec address (s3://bucket/runs, memory://runs) that all
machines see. Both are used through the same few `pathlib` methods; what differs is here."""

import os
import shutil
from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from threading import get_ident
from typing import IO, Any

from upath import UPath

Place = Any  # Path | UPath: the second has the methods of the first, but is no subclass of it


def place_of(address: str | Path) -> Place:
    """A folder's path, or what stands for an fsspec address."""
    text = str(address)
    if "://" not in text:
        return Path(text)
    return Path(text.removeprefix("file://")) if text.startswith("file://") else UPath(text)


def address_of(place: Place) -> str:
    """The text from which another process finds the same place."""
    return str(place.resolve()) if isinstance(place, Path) else str(place)


def write_whole(path: Place, fill: Callable[[IO[bytes]], object], *, durable: bool = True) -> None:
    """Let `fill` write a file: all there when this returns, as it was before if it does not.

    `durable` also waits until it is on the disk, so that a machine that loses its power keeps it.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    if not isinstance(path, Path):
        made = BytesIO()
        fill(made)
        path.write_bytes(made.getvalue())  # such stores show an object once it is whole
        return
    unfinished = path.with_name(f".{path.name}.{os.getpid()}.{get_ident()}")
    with unfinished.open("wb") as raw:
        fill(raw)
        if durable:
            raw.flush()
            os.fsync(raw.fileno())
    os.replace(unfinished, path)


def write_bytes(path: Place, data: bytes) -> None:
    """A whole file of these bytes, or the file as it was before."""
    write_whole(path, lambda file: file.write(data), durable=False)


def share(source: Place, target: Place) -> None:
    """The same file under another name, if it is there. On a disk it takes no room and outlives the other."""
    if not source.exists():
        return
    target.parent.mkdir(parents=True, exist_ok=True)
    target.unlink(missing_ok=True)
    if isinstance(source, Path):
        os.link(source, target)
    else:
        source.fs.copy(source.path, target.path)


def remove(folder: Place) -> None:
    """A folder with all in it, if it is there."""
    if isinstance(folder, Path):
        shutil.rmtree(folder, ignore_errors=True)
    elif folder.exists():
        folder.fs.rm(folder.path, recursive=True)


def files_in(folder: Place, pattern: str) -> list[Place]:
    """The files of a folder, which need not be there, that match a pattern."""
    return [p for p in folder.glob(pattern) if p.is_file()] if folder.is_dir() else []
