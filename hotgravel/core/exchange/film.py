"""Pictures of the stage: one still, one a frame, or a film (H.264 in MP4).

PNG text fields and the film's metadata say where they are from. Sources: the PNG
specification (text chunks), ISO/IEC 14496-14 (MP4) as PyAV writes it.
"""

import io
import tempfile
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from hotgravel.core.exchange.take import Step, Take, Wish
from hotgravel.core.picture.still import Painter

Pixels = NDArray[np.uint8]
AT_ONCE = 2  # frames that are drawn side by side
QUALITY = "17"  # constant rate factor: about the eye's limit


def write_still(take: Take, wish: Wish) -> Iterator[Step]:
    """The first of the wanted frames."""
    frame = wish.frames[0]
    yield wish.name(take, frame, ".png"), _png(take, frame, _painter(take, wish).pixels(frame, wish.size))


def write_pictures(take: Take, wish: Wish) -> Iterator[Step]:
    """A picture a frame."""
    for frame, data in _drawn(take, wish, lambda frame, pixels: _png(take, frame, pixels)):
        yield wish.name(take, frame, ".png"), data


def _painter(take: Take, wish: Wish) -> Painter:
    """One for all frames, so that the camera stays where it is."""
    return Painter(take.world, take.store, take.view, wish.by)


def _drawn(take: Take, wish: Wish, finish: Callable[[int, Pixels], Any]) -> Iterator[tuple[int, Any]]:
    """Each frame in order, drawn and finished, while the next are being drawn: parts of it keep one processor only."""
    painter = _painter(take, wish)
    painter.seen_from_where()
    with ThreadPoolExecutor(AT_ONCE) as pool:
        going: deque[tuple[int, Future[Any]]] = deque()
        for frame in wish.frames:
            going.append((frame, pool.submit(lambda f: finish(f, painter.pixels(f, wish.size)), frame)))
            if len(going) > AT_ONCE:
                done, result = going.popleft()
                yield done, result.result()
        for done, result in going:
            yield done, result.result()


def _png(take: Take, frame: int, pixels: Pixels) -> bytes:
    info = PngInfo()
    for name, value in (take.origin | {"frame": str(frame)}).items():
        info.add_itxt(name, value)
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", pnginfo=info)
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
            stream: Any = file.add_stream("libx264", rate=rate, options={"crf": QUALITY, "preset": "faster"})
            stream.width, stream.height = wish.size
            stream.pix_fmt = "yuv420p"
            for _, pixels in _drawn(take, wish, lambda _frame, pixels: pixels):
                file.mux(stream.encode(av.VideoFrame.from_ndarray(pixels, format="rgb24")))
                yield None
            file.mux(stream.encode())
        yield wish.name(take, None, ".mp4"), path.read_bytes()
