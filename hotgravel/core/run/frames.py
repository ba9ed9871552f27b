"""The frame store: one file a frame, each all there or not there at all.

A frame is a Zarr 3 group in a zip file: a group for the elements of each matter, one for what else its
solver records, one for the events and one for each mesh around elements; one chunk an array, with the
gauges as attributes. It is written beside its place and moved into it, so that no reader and no killed
process ever leaves half a frame.
"""

import copy
import json
import zipfile
import zlib
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from hotgravel.core.cues.record import COLUMNS, Events
from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.elements import NOBODY
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.place import Place, files_in, write_bytes
from hotgravel.core.run.gauges import upgraded
from hotgravel.core.run.zarr_file import Span, plain_spans, read_arrays, read_attributes, write_groups
from hotgravel.core.shot.finish import Finish

SUFFIX = ".zarr.zip"
FAULTS = (OSError, ValueError, KeyError, RuntimeError, EOFError, zipfile.BadZipFile, zlib.error)
MESH = ("vertices", "faces", "normals", "inner", "colour", "outline")
SKIN = {"vertices": np.float32, "faces": np.int32, "colour": np.uint32, "velocity": np.float32}
FILM = {"thin": np.float32}  # of skins that have films on them


class DamagedFrame(ValueError):
    """A frame that is there but cannot be read."""


class CannotKeep(ValueError):
    """A frame or note could not be written; what was kept before is still there."""


REMEDY = "make room, or put the folder right, and let the run go on."
# What a stage draws is kept uncompressed, so that a frame is sent as it stands.
LATER = {
    "events": ("matter", "other"),
    "rigid": ("partner", "faded"),
    "particles": ("faded",),
}  # columns that came after frames told theirs
HAPPENED = frozenset({"breaks"})  # records of what happened on the way to a frame, and not of how all is at it
DRAWN = frozenset(n for matter in MATTERS.values() for n, column in matter.columns.items() if column.drawn)
PROCESSOR = "processor"  # seconds that processors worked on a frame, whatever else the machine did


@contextmanager
def telling(what: str, kept: str = "", to: str = "") -> Iterator[None]:
    """Turn the system's refusal to write into `CannotKeep`: what, why, and what is kept all the same."""
    try:
        yield
    except OSError as error:
        reason = (error.strerror or type(error).__name__).lower()
        raise CannotKeep(f"{what} could not be written{to} ({reason}). {kept}".strip()) from error


class FrameStore:
    """The frames of one run, in a folder."""

    def __init__(self, folder: Place) -> None:
        self.folder = folder
        self.frames_folder = folder / "frames"

    def path(self, frame: int) -> Place:
        return self.frames_folder / f"{frame:+07d}{SUFFIX}"

    def frames(self) -> list[int]:
        """The frames that are kept, in order."""
        return sorted(int(p.name[: -len(SUFFIX)]) for p in files_in(self.frames_folder, f"*{SUFFIX}"))

    def whole(self, first: int) -> list[int]:
        """The frames from `first` on that are kept without a hole and can be opened."""
        kept = []
        for expected, frame in enumerate(self.frames(), first):
            if frame != expected:
                break
            with self.path(frame).open("rb") as file:
                if not zipfile.is_zipfile(file):
                    break
            kept.append(frame)
        return kept

    def write(
        self, frame: int, columns: Mapping[str, Mapping[str, Array]], events: Events, gauges: dict[str, Any],
        surfaces: Mapping[str, Mapping[str, Array]] | None = None,
        records: Mapping[str, Mapping[str, Array]] | None = None, shown: int | None = None,
    ) -> None:  # fmt: skip
        """Land a frame, whole: the columns of each matter, meshes around elements by their rows, and other records by
        name. The seconds that gauges tell stay out of it, so that the same frame is the same bytes. One that is not
        kept in full has no columns and names the frame that is shown in its place."""
        measured = {name: value for name, value in gauges.items() if name not in ("seconds", PROCESSOR)}
        groups: dict[str, dict[str, Array]] = {name: dict(arrays) for name, arrays in columns.items()}
        groups["events"] = {name: getattr(events, name) for name in COLUMNS}
        groups |= {name: dict(arrays) for name, arrays in (records or {}).items()}
        if surfaces:
            groups["skins"] = {}
            for row, arrays in surfaces.items():
                groups[f"skins/{row}"] = {
                    n: arrays[n].astype(t, copy=False) for n, t in (SKIN | FILM).items() if n in arrays
                }
        attributes = {
            "frame": frame,
            "matters": list(columns),
            "columns": {group: list(arrays) for group, arrays in groups.items()},
            "gauges": measured,
        }
        if shown is not None:
            attributes["shown"] = shown
        with telling(f"Frame {frame}", f"The frames before it are kept: {REMEDY}"):
            write_groups(self.path(frame), groups, attributes, plain=DRAWN)

    def run_frame(self, frame: int) -> float:
        """The frame of the run that is shown at a frame. Raises `KeyError`, `DamagedFrame`."""
        return float(self.shown(frame))

    def shown(self, frame: int) -> int:
        """The frame whose elements are shown at a frame: itself, or the last before it that is kept in full. Raises
        `KeyError`, `DamagedFrame`."""
        return int(self._told(frame).get("shown", frame))

    def in_full(self, finish: Finish) -> list[int]:
        """The frames that a run with this finish keeps in full, in order."""
        return [frame for frame in self.frames() if finish.in_full(frame)[0] == frame]

    def write_seconds(self, frame: int, seconds: dict[str, float], processor: float) -> None:
        """How long each part of a frame took, and how long processors worked on all of it; kept beside it."""
        self.write_note(f"seconds/{frame:+07d}.json", seconds | {PROCESSOR: processor})

    def elements(self, frame: int, matter: str, names: Iterable[str] | None = None) -> dict[str, Array]:
        """Columns of a matter's elements at a frame, by name; empty where the run has none of it. Raises `KeyError`,
        `DamagedFrame`."""
        columns, frame = MATTERS[matter].columns, self.shown(frame)
        names = tuple(columns) if names is None else tuple(names)
        there = matter in self.matters(frame)
        found = self._read(frame, matter, self._kept(frame, matter, names)) if there else {}
        if len(found) < len(names):
            blank = MATTERS[matter].elements.blank(len(next(iter(found.values()), ())))
            found |= {name: getattr(blank, name).astype(columns[name].dtype) for name in names if name not in found}
        return found

    def _kept(self, frame: int, group: str, names: Iterable[str]) -> list[str]:
        """Those of the columns that a frame has: runs of earlier times had fewer."""
        told = self._told(frame)
        if "columns" in told:
            return [name for name in names if name in told["columns"][group]]
        later = LATER.get(group, ())
        return [name for name in names if name not in later or (name == "matter" and "matters" in told)]

    def particles(self, frame: int, names: Iterable[str] | None = None) -> dict[str, Array]:
        """Columns of the particles at a frame."""
        return self.elements(frame, "particles", names)

    def matters(self, frame: int) -> list[str]:
        """The matters that a frame has elements of. Raises `KeyError`, `DamagedFrame`."""
        told: list[str] = self._told(self.shown(frame)).get("matters", ["particles"])
        return told

    def _told(self, frame: int) -> dict[str, Any]:
        """What a frame's file says of it beside its arrays."""
        path = self._there(frame)
        try:
            return _attributes(path, _stamp(path))
        except FAULTS as error:
            raise self._damaged(frame) from error

    def drawn(self, frame: int) -> tuple[dict[str, tuple[Span, ...]], Place]:
        """Where in which file the arrays that a stage draws lie, by matter. Raises `KeyError`, `DamagedFrame`.

        Their checksums are verified when a file is first asked for, and again when it has changed.
        """
        path = self._there(self.shown(frame))
        try:
            return _spans(path, _stamp(path), tuple(self.matters(frame))), path
        except FAULTS as error:
            raise self._damaged(frame) from error

    def record(self, frame: int, name: str, names: Iterable[str]) -> dict[str, Array]:
        """Arrays of another record of a frame, such as contacts. Raises `KeyError`, `DamagedFrame`."""
        return self._read(frame if name in HAPPENED else self.shown(frame), name, names)

    def write_meshes(self, matter: str, meshes: list[dict[str, Array]]) -> None:
        """Keep the meshes that a matter's pieces are drawn with, once a run: one after another in one group, with
        how many rows (M, k) of each array belong to each."""
        names = tuple(meshes[0]) if meshes else MESH
        sizes = np.array([[len(mesh[name]) for name in names] for mesh in meshes]).reshape(-1, len(names))
        group = {name: np.concatenate([mesh[name] for mesh in meshes]) for name in names} if meshes else {}
        with telling("The meshes of pieces", to=f" to {self.folder}"):
            told = {"count": len(meshes), "together": True, "names": list(names)}
            write_groups(self._meshes(matter), {"meshes": group | {"sizes": sizes}}, told)

    def meshes(self, matter: str) -> list[dict[str, Array]]:
        """The meshes that a matter's pieces are drawn with, as `Solver.meshes` has them; outlines only where they are
        kept."""
        path = self._meshes(matter)
        if not path.is_file():
            return []
        told = read_attributes(path)
        if told.get("together"):
            names = told.get("names", MESH)
            kept = read_arrays(path, "meshes", (*names, "sizes")) if told["count"] else {}
            cuts = {name: np.cumsum(kept["sizes"][:-1, k]) for k, name in enumerate(names)} if kept else {}
            parts = {name: np.split(kept[name], cut) for name, cut in cuts.items()}
            return [{name: parts[name][n] for name in names} for n in range(told["count"])]
        names = told.get("names", [n for n in MESH if n not in ("inner", "outline")])
        return [read_arrays(path, str(number), names) for number in range(told["count"])]

    def _meshes(self, matter: str) -> Place:
        return self.folder / f"meshes-{matter}{SUFFIX}"

    def skin(self, frame: int, row: str) -> dict[str, Array]:
        """A skin of a frame: vertices (V, 3), faces (F, 3), colour (V,) as 0xrrggbb, velocity (V, 3); with a film,
        how thin it is (V,): 0 is a body of it, 1 nothing. Raises `KeyError`, `DamagedFrame`."""
        group, frame = f"skins/{row}", self.shown(frame)
        return self._read(frame, group, self._told(frame).get("columns", {}).get(group, SKIN))

    def events(self, frame: int) -> Events:
        """What happened on the way to a frame."""
        kept = self._read(frame, "events", self._kept(frame, "events", COLUMNS))
        if "matter" not in kept:  # a run of the time when there were only particles
            kept["matter"] = np.where(kept["particle"] < 0, -1, 0).astype(np.int8)
        kept.setdefault("other", np.full(len(kept["cue"]), NOBODY))
        return Events(**kept)

    def gauges(self, frame: int) -> dict[str, Any]:
        """The gauges of a frame. Raises `KeyError`, `DamagedFrame`."""
        gauges: dict[str, Any] = copy.deepcopy(self._told(frame)["gauges"])
        try:
            seconds = self.note(f"seconds/{frame:+07d}.json")
        except (OSError, ValueError):
            seconds = {}
        return upgraded(gauges) | {PROCESSOR: seconds.pop(PROCESSOR, 0.0), "seconds": seconds}

    def _read(self, frame: int, group: str, names: Iterable[str]) -> dict[str, Array]:
        path = self._there(frame)
        try:
            return read_arrays(path, group, names)
        except FAULTS as error:
            raise self._damaged(frame) from error

    def _there(self, frame: int) -> Place:
        path = self.path(frame)
        if not path.is_file():
            raise KeyError(frame)
        return path

    def _damaged(self, frame: int) -> DamagedFrame:
        return DamagedFrame(f"Frame {frame} is kept but damaged. Run the shot again to make it anew.")

    def write_note(self, name: str, content: dict[str, Any]) -> None:
        """A small JSON file beside the frames (the shot, the run's facts), all there or not at all."""
        with telling(name, to=f" to {self.folder}"):
            write_bytes(self.folder / name, json.dumps(content, indent=1).encode())

    def note(self, name: str) -> dict[str, Any]:
        """Read it back. Raises `FileNotFoundError`."""
        result: dict[str, Any] = json.loads((self.folder / name).read_text())
        return result


def _stamp(path: Place) -> Any:
    """What changes when a file does."""
    if not isinstance(path, Path):
        return path.fs.ukey(path.path)
    told = path.stat()
    return told.st_mtime_ns, told.st_size, told.st_ino


@lru_cache(maxsize=20_000)
def _spans(path: Place, _stamp: Any, matters: tuple[str, ...]) -> dict[str, tuple[Span, ...]]:
    return {
        name: plain_spans(path, name, (n for n, column in MATTERS[name].columns.items() if column.drawn))
        for name in matters
    }


@lru_cache(maxsize=2_000)
def _attributes(path: Place, _stamp: Any) -> dict[str, Any]:
    return read_attributes(path)
