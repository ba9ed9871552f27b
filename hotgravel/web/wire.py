"""The wire: arrays for the stage, packed in one way whatever they are.

Bytes 0 to 3 hold the head's length n (uint32, little endian), 4 to n + 3 the head as JSON: the frame, and groups, each
with its name, what else is to be said of it, and its arrays by name, type, numbers per element, count and byte offset
behind the head. Arrays start at multiples of 4; what lies between them has no meaning.
"""

import json
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from fastapi.responses import Response
from starlette.exceptions import HTTPException

from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.frames import FrameStore

# Floats hardly compress: the stated identity keeps the compressing middleware off them.
UNTOUCHED = {"Cache-Control": "no-cache", "Content-Encoding": "identity"}


def _head(frame: int, groups: list[dict[str, Any]]) -> bytes:
    head = json.dumps({"frame": frame, "groups": groups}).encode()
    head += b" " * (-len(head) % 4)
    return np.uint32(len(head)).tobytes() + head


def packed(
    frame: int, groups: Mapping[str, Mapping[str, Any]], said: Mapping[str, Mapping[str, Any]] | None = None
) -> bytes:
    """Groups of arrays, each one after another; `said` has what else is to be told of a group."""
    told, parts, at = [], [], 0
    for group, arrays in groups.items():
        entries = []
        for name, array in arrays.items():
            width = array.size // len(array) if len(array) else 1
            entries.append({"name": name, "type": array.dtype.name, "width": width, "count": len(array), "offset": at})
            data = array.tobytes()
            parts.append(data + b"\0" * (-len(data) % 4))
            at += len(parts[-1])
        told.append({"name": group, **(said or {}).get(group, {}), "arrays": entries})
    return _head(frame, told) + b"".join(parts)


def packed_frame(store: FrameStore, frame: int, most: int | None = None) -> bytes | memoryview:
    """The elements of all matters that are shown at a kept frame, as the stage draws them: the part of a frame's file
    that holds their arrays is sent as it stands. Of a matter of points that has more than `most`, every nth is sent,
    and its group tells `every`. Raises `KeyError`, `DamagedFrame`."""
    spans, path = store.drawn(frame)
    frame = store.shown(frame)
    every = {
        matter: max(1, -(-of[0].shape[0] // most)) if most and of and MATTERS[matter].kind == "points" else 1
        for matter, of in spans.items()
    }
    if any(n > 1 for n in every.values()):
        kept = {matter: store.elements(frame, matter, [s.name for s in of]) for matter, of in spans.items()}
        groups = {matter: {name: a[:: every[matter]] for name, a in of.items()} for matter, of in kept.items()}
        said = {matter: {"kind": MATTERS[matter].kind, "every": every[matter]} for matter in kept}
        return packed(frame, groups, said)
    there = [span for of in spans.values() for span in of if span.size]
    low = min((span.start for span in there), default=0)
    high = max((span.start + span.size for span in there), default=0)
    groups = [
        {
            "name": matter, "kind": MATTERS[matter].kind,
            "arrays": [
                {
                    "name": s.name, "type": s.dtype, "width": s.shape[1] if len(s.shape) > 1 else 1,
                    "count": s.shape[0], "offset": max(s.start - low, 0),
                }
                for s in of
            ],
        }
        for matter, of in spans.items()
    ]  # fmt: skip
    head = _head(frame, groups)
    body = np.empty(len(head) + high - low, np.uint8)  # not cleared first, which would cost as much as the reading
    body[: len(head)] = np.frombuffer(head, np.uint8)
    with path.open("rb", buffering=0) as file:
        file.seek(low)
        file.readinto(memoryview(body)[len(head) :])
    return body.data


def answer(frame: int, what: str, pack: Callable[[], bytes | memoryview]) -> Response:
    """What was packed, or why it cannot be had. Raises `DamagedFrame`."""
    try:
        body = pack()
    except KeyError:
        said = f"Frame {frame} of this run has no {what}." if what else f"Frame {frame} is not kept in this run."
        raise HTTPException(404, said) from None
    return Response(body, media_type="application/octet-stream", headers=UNTOUCHED)
