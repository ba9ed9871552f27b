"""Words and drawings as solid, bevelled letters and shapes.

They are drawn large, words by FreeType, their outline's distance field is given a depth and a rounded
edge, and its surface is drawn by marching cubes (Lewiner et al. 2003, in scikit-image): closed
whatever the letters are.
"""

import io
from collections.abc import Callable, Iterator
from contextlib import suppress
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageChops, ImageDraw, ImageFont
from scipy.ndimage import distance_transform_edt, gaussian_filter, zoom

from hotgravel.core.shape.counting import Endless, shapes_in
from hotgravel.core.shape.mesh import Imported, MeshFault, mesh_from
from hotgravel.core.shot.props import Lettering, Outline

FONTS = Path(__file__).parent / "fonts"
FONT_FORMATS = ("ttf", "otf", "woff2", "woff")
MOST_SHAPES = 5000
LARGEST_DRAWING = 4 * 2**20
MOST_PIXELS, MOST_CELLS = 60_000_000, 60_000_000
WIDEST = 60  # times as wide as high
BENDS = 24
ACROSS = 40  # cells over the height of a capital
OVER = 6  # pixels of the drawing for each of them


def lettered(shape: Lettering, find_file: Callable[[str], Any]) -> Imported:
    """The mesh of some words, in metres: their middle at the origin, facing z. Raises `MeshFault`."""
    return _lettered(shape, read_file(find_file(shape.file)) if shape.file else None)


def outlined(shape: Outline, find_file: Callable[[str], Any]) -> Imported:
    """The mesh of what an SVG drawing's paths enclose, likewise. Raises `MeshFault`."""
    return _outlined(shape, read_file(find_file(shape.file)))


def read_file(path: Any) -> bytes:
    try:
        data: bytes = path.read_bytes()
    except OSError:
        raise MeshFault(f"{path.name} is not there. Import it again.") from None
    return data


@lru_cache(maxsize=8)
def _lettered(shape: Lettering, font: bytes | None) -> Imported:
    return extruded(shape.words, _words(shape, font), shape)


@lru_cache(maxsize=8)
def _outlined(shape: Outline, drawing: bytes) -> Imported:
    ink = drawn(shape.file, drawing)
    return extruded(shape.file, ink, shape)


def extruded(name: str, ink: NDArray[np.bool_], shape: Lettering | Outline) -> Imported:
    """The solid of what is inked, `OVER` pixels to a cell and `ACROSS` cells to the height."""
    step = shape.height / ACROSS
    far = distance_transform_edt(~ink) - distance_transform_edt(ink)
    far = zoom(gaussian_filter(far, 0.5 * OVER), 1 / OVER, order=1, grid_mode=True, mode="nearest") / OVER
    flat = far * step
    bevel = min(shape.bevel, 0.49 * shape.depth)
    half = 0.5 * shape.depth
    layers = int(np.ceil(half / step)) + 2
    if far.size * (2 * layers + 1) > MOST_CELLS:
        raise MeshFault(f"{name!r} would be far deeper than it is high. Accepted: a depth of a few times its height.")
    z = (np.arange(2 * layers + 1) - layers) * step
    # A rounded extrusion: the distance to the outline and to the faces, met in a quarter circle.
    out, over = flat[:, :, None] + bevel, np.abs(z)[None, None, :] - half + bevel
    field = np.minimum(np.maximum(out, over), 0.0) + np.hypot(np.maximum(out, 0.0), np.maximum(over, 0.0)) - bevel
    if not (field < 0.0).any():
        raise MeshFault(f"{name!r} leaves nothing solid. Accepted: shapes thicker than twice the bevel.")
    vertices, faces = _surface(field)
    rows, columns, _ = field.shape
    place = np.stack(
        [vertices[:, 1] - 0.5 * (columns - 1), 0.5 * (rows - 1) - vertices[:, 0], vertices[:, 2] - layers], axis=1
    )
    made = mesh_from(name, place * step, faces)
    return made if made.flipped == 0 else mesh_from(name, place * step, faces[:, ::-1])


def _surface(field: Any) -> tuple[Any, Any]:
    from skimage.measure import marching_cubes

    vertices, faces, _normals, _values = marching_cubes(field, 0.0)
    return vertices.astype(np.float64), faces


def _font(shape: Lettering, font: bytes | None, size: float) -> Any:
    source = io.BytesIO(font) if font is not None else str(FONTS / f"{shape.font}.woff2")
    try:
        made = ImageFont.truetype(source, round(size))
    except (OSError, ValueError):
        raise MeshFault(f"{shape.file} is no font that can be read. Accepted: {', '.join(FONT_FORMATS)}.") from None
    with suppress(OSError):  # a font with one weight only
        made.set_variation_by_axes([shape.weight])
    return made


def _words(shape: Lettering, font: bytes | None) -> NDArray[np.bool_]:
    """The words in ink, a capital `ACROSS` times `OVER` pixels high; rows go down."""
    _, top, _, bottom = _font(shape, font, 8 * ACROSS).getbbox("H")
    large = _font(shape, font, min(8 * ACROSS * OVER * ACROSS / max(bottom - top, 1), 64 * ACROSS * OVER))
    left, top, right, bottom = (int(n) for n in large.getbbox(shape.words))
    border = 3 * OVER
    size = (right - left + 2 * border, bottom - top + 2 * border)
    if size[0] * size[1] > MOST_PIXELS:
        raise MeshFault(f"{shape.words!r} is too long to be made into letters. Accepted: about sixty of them.")
    picture = Image.new("L", (size[0] // OVER * OVER, size[1] // OVER * OVER))
    ImageDraw.Draw(picture).text((border - left, border - top), shape.words, fill=255, font=large)
    return np.asarray(picture) > 127


def drawn(name: str, drawing: bytes) -> NDArray[np.bool_]:
    """What the paths of an SVG drawing enclose, in ink, by the even-odd rule. Raises `MeshFault`."""
    from svgelements import SVG, Path, Shape

    if len(drawing) > LARGEST_DRAWING or b"<!ENTITY" in drawing:
        raise MeshFault(f"{name} is no plain drawing. Accepted: SVG up to {LARGEST_DRAWING // 2**20} MiB, no entities.")
    try:
        count = shapes_in(drawing)
    except Endless as fault:
        raise MeshFault(f"{name} cannot be used. {fault}") from None
    if count > MOST_SHAPES:
        raise MeshFault(f"{name} draws {count} shapes, counting each as often as it is used. Accepted: {MOST_SHAPES}.")
    try:
        shapes = [e for e in SVG.parse(io.BytesIO(drawing)).elements() if isinstance(e, Shape)]
        paths = [np.array(sub, float) for shape in shapes for sub in _flattened(Path(shape))]
    except Exception as error:  # the reader raises many kinds
        raise MeshFault(
            f"{name} cannot be read as SVG ({type(error).__name__}). Accepted: a plain SVG drawing."
        ) from None
    paths = [p for p in paths if len(p) > 2 and np.isfinite(p).all()]
    if not paths:
        raise MeshFault(f"{name} draws nothing that encloses anything. Accepted: closed paths; make text into paths.")
    low, high = np.concatenate(paths).min(axis=0), np.concatenate(paths).max(axis=0)
    scale = OVER * ACROSS / max(high[1] - low[1], 1e-12)
    border = 3 * OVER
    size = np.ceil((high - low) * scale / OVER).astype(np.int64) * OVER + 2 * border
    if high[0] - low[0] > WIDEST * (high[1] - low[1]):
        raise MeshFault(f"{name} is far wider than it is high. Accepted: up to about sixty times.")
    ink = Image.new("1", (int(size[0]), int(size[1])))
    for path in paths:
        layer = Image.new("1", ink.size)
        ImageDraw.Draw(layer).polygon([tuple(p) for p in (path - low) * scale + border], fill=1)
        ink = ImageChops.logical_xor(ink, layer)
    return np.asarray(ink)


def _flattened(path: Any) -> Iterator[list[tuple[float, float]]]:
    """The subpaths as points; a curve as `BENDS` chords."""
    from svgelements import Line, Move

    for sub in path.as_subpaths():
        points: list[tuple[float, float]] = []
        for segment in sub:
            if isinstance(segment, Move):
                continue
            steps = [1.0] if isinstance(segment, Line) else np.linspace(0.0, 1.0, BENDS + 1)[1:]
            start = [] if points else [segment.point(0.0)]
            points += [(p.x, p.y) for p in (*start, *(segment.point(t) for t in steps))]
        yield points
