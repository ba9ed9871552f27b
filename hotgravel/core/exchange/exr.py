"""Wide water as OpenEXR pictures, a file a frame: heights, where the surface is shifted to, normals and foam.

A pixel is a cell of the water at rest, the first row its far side (least z), so that pictures of a sea without wakes
join at their rims, and loop as often as the row says. Channels: `height` above the water at rest and `shift.x`,
`shift.z` in the wanted unit; `normal.X`, `normal.Y`, `normal.Z` with the wanted axis up; `foam` from 0 to 1, in 255
steps, as the frame's colours hold it. Lengths of a cell and the side are in the head.
"""

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.colour import rgb_of, screen_of
from hotgravel.core.exchange.take import Step, Take, Wish
from hotgravel.core.shot.water import Water

Array = NDArray[Any]


def write_exr(take: Take, wish: Wish) -> Iterator[Step]:
    """One file a frame, for shots with wide water."""
    for frame in wish.frames if take.shot.waters else ():
        row = take.shot.waters[0]
        yield (
            wish.name(take, frame, ".exr"),
            exr_of(channels(take.store.skin(frame, row.id), row, wish), take, row, wish),
        )


def channels(skin: dict[str, Array], row: Water, wish: Wish) -> dict[str, Array]:
    """What a picture holds, by its channels (n, n), 32 bits each."""
    n = round(len(skin["vertices"]) ** 0.5)
    cell = row.size / n
    along = (np.arange(n) + 0.5 - 0.5 * n) * cell
    off = skin["vertices"].reshape(n, n, 3) - np.array(row.at)
    off[..., 0] -= along[:, None]
    off[..., 2] -= along[None, :]
    place = skin["vertices"].reshape(n, n, 3).astype(float)
    normal = np.cross(np.gradient(place, axis=1), np.gradient(place, axis=0))
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    own = screen_of(row.colour)
    painted = rgb_of(skin["colour"]).reshape(n, n, 3)
    foam = ((painted - own).sum(axis=-1) / max(float((1.0 - own).sum()), 1e-6)).clip(0.0, 1.0)
    turned = wish.turned(normal.reshape(-1, 3)).reshape(n, n, 3)
    found = {
        "height": off[..., 1] * wish.scale, "shift.x": off[..., 0] * wish.scale, "shift.z": off[..., 2] * wish.scale,
        "normal.X": turned[..., 0], "normal.Y": turned[..., 1], "normal.Z": turned[..., 2], "foam": foam,
    }  # fmt: skip
    return {name: np.ascontiguousarray(array.T, np.float32) for name, array in found.items()}


def exr_of(planes: dict[str, Array], take: Take, row: Water, wish: Wish) -> bytes:
    """A file's bytes."""
    import tempfile
    from pathlib import Path

    import OpenEXR

    side = row.size * wish.scale
    head = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, "side": side}
    head |= {"cell": side / len(planes["height"])} | {name.replace(" ", "_"): of for name, of in take.origin.items()}
    with tempfile.TemporaryDirectory() as folder:  # the library writes to files alone
        path = Path(folder) / "water.exr"
        OpenEXR.File(head, planes).write(str(path))
        return path.read_bytes()
