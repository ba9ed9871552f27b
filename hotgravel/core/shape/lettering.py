"""Words as solid, bevelled letters.

The words are drawn large by FreeType, their outline's distance field is given a depth and a rounded
edge, and its surface is drawn by marching cubes (Lewiner et al. 2003, in scikit-image): closed
whatever the letters are.
"""

from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image, ImageDraw, ImageFont
from scipy.ndimage import distance_transform_edt, gaussian_filter, zoom

from hotgravel.core.shape.mesh import Imported, MeshFault, mesh_from
from hotgravel.core.shot.props import Lettering

FONTS = Path(__file__).parent / "fonts"
ACROSS = 40  # cells over the height of a capital
OVER = 6  # pixels of the drawing for each of them


@lru_cache(maxsize=8)
def lettered(shape: Lettering) -> Imported:
    """The mesh of some words, in metres: their middle at the origin, facing z. Raises `MeshFault`."""
    step = shape.height / ACROSS
    flat = _outline(shape) * step
    bevel = min(shape.bevel, 0.49 * shape.depth)
    half = 0.5 * shape.depth
    layers = int(np.ceil(half / step)) + 2
    z = (np.arange(2 * layers + 1) - layers) * step
    # A rounded extrusion: the distance to the outline and to the faces, met in a quarter circle.
    out, over = flat[:, :, None] + bevel, np.abs(z)[None, None, :] - half + bevel
    field = np.minimum(np.maximum(out, over), 0.0) + np.hypot(np.maximum(out, 0.0), np.maximum(over, 0.0)) - bevel
    if not (field < 0.0).any():
        raise MeshFault(
            f"{shape.words!r} leaves no solid letters. Accepted: words, with a bevel thinner than their strokes."
        )
    vertices, faces = _surface(field)
    rows, columns, _ = field.shape
    place = np.stack(
        [vertices[:, 1] - 0.5 * (columns - 1), 0.5 * (rows - 1) - vertices[:, 0], vertices[:, 2] - layers], axis=1
    )
    made = mesh_from(shape.words, place * step, faces)
    return made if made.flipped == 0 else mesh_from(shape.words, place * step, faces[:, ::-1])


def _surface(field: Any) -> tuple[Any, Any]:
    from skimage.measure import marching_cubes

    vertices, faces, _normals, _values = marching_cubes(field, 0.0)
    return vertices.astype(np.float64), faces


def _outline(shape: Lettering) -> Any:
    """Signed distances to the words' outline, in cells, less than zero inside; rows go down."""
    font = ImageFont.truetype(str(FONTS / f"{shape.font}.woff2"), 8 * ACROSS)
    font.set_variation_by_axes([shape.weight])
    _, top, _, bottom = font.getbbox("H")
    font = ImageFont.truetype(str(FONTS / f"{shape.font}.woff2"), round(8 * ACROSS * OVER * ACROSS / (bottom - top)))
    font.set_variation_by_axes([shape.weight])
    left, top, right, bottom = (int(n) for n in font.getbbox(shape.words))
    border = 3 * OVER
    size = (right - left + 2 * border, bottom - top + 2 * border)
    if size[0] * size[1] > 60_000_000:
        raise MeshFault(f"{shape.words!r} is too long to be made into letters. Accepted: about sixty of them.")
    drawn = Image.new("L", (size[0] // OVER * OVER, size[1] // OVER * OVER))
    ImageDraw.Draw(drawn).text((border - left, border - top), shape.words, fill=255, font=font)
    ink = np.asarray(drawn) > 127
    far = distance_transform_edt(~ink) - distance_transform_edt(ink)
    far = zoom(gaussian_filter(far, 0.5 * OVER), 1 / OVER, order=1, grid_mode=True, mode="nearest") / OVER
    return far
