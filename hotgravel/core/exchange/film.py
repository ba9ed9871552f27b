"""Pictures of the stage: one still, one a frame, or a film (H.264 in MP4).

PNG text fields and the film's metadata say where they are from. Sources: the PNG
specification (text chunks), ISO/IEC 14496-14 (MP4) as PyAV writes it.
"""

import io
import tempfile
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from hotgravel.core.exchange.take import Step, Take, Wish
from hotgravel.core.picture.still import pixels_of

QUALITY = "17"  # constant rate factor: about the eye's limit


def write_still(take: Take, wish: Wish) -> Iterator[Step]:
    """The first of the wanted frames."""
    yield wish.name(take, wish.frames[0], ".png"), _png(take, wish, wish.frames[0])


def write_pictures(take: Take, wish: Wish) -> Iterator[Step]:
    """A picture a frame."""
    for frame in wish.frames:
        yield wish.name(take, frame, ".png"), _png(take, wish, frame)


def _pixels(take: Take, wish: Wish, frame: int) -> NDArray[np.uint8]:
    return pixels_of(take.world, take.store, frame, wish.size, take.view)


def _png(take: Take, wish: Wish, frame: int) -> bytes:
    info = PngInfo()
    for name, value in (take.origin | {"frame": str(frame)}).items():
        info.add_itxt(name, value)
    out = io.BytesIO()
    Image.fromarray(_pixels(take, wish, frame)).save(out, "PNG", pnginfo=info)
    return out.getvalue()


def write_film(take: Take, wish: Wish) -> Iterator[Step]:
    """One film of the wanted frames; with every nth frame it runs at an nth of the rate, so that the
    shot keeps its time."""
    import av

    step = wish.frames[1] - wish.frames[0] if len(wish.frames) > 1 else 1
    rate = Fraction(take.shot.finish.rate).limit_denominator(1001) / step
    origin = take.origin
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "film.mp4"
        with av.open(path, "w", options={"movflags": "faststart"}) as file:
            file.metadata.update(title=origin["shot"], comment="; ".join(f"{k}: {v}" for k, v in origin.items()))
            stream: Any = file.add_stream("libx264", rate=rate, options={"crf": QUALITY, "preset": "medium"})
            stream.width, stream.height = wish.size
            stream.pix_fmt = "yuv420p"
            for frame in wish.frames:
                picture = av.VideoFrame.from_ndarray(_pixels(take, wish, frame), format="rgb24")
                file.mux(stream.encode(picture))
                yield None
            file.mux(stream.encode())
        yield wish.name(take, None, ".mp4"), path.read_bytes()
