"""A palette from a picture: its main colours, each as heavy as the share of the picture it takes."""

import io
import warnings

from PIL import Image

LARGEST_PICTURE = 16 * 2**20  # bytes
MOST_PIXELS = 64_000_000


class NoPicture(ValueError):
    """Why there is nothing to take colours from, as a sentence."""


def swatches_of(data: bytes, count: int = 6) -> list[tuple[str, float]]:
    """Up to `count` (#rrggbb, weight) from dark to light, by median cut. Raises `NoPicture`."""
    if len(data) > LARGEST_PICTURE:
        raise NoPicture(f"The picture is over {LARGEST_PICTURE // 2**20} MiB.")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            picture = Image.open(io.BytesIO(data))
            if picture.width * picture.height > MOST_PIXELS:
                raise NoPicture(f"The picture has over {MOST_PIXELS // 10**6} million pixels.")
            picture.thumbnail((200, 200))
            cut = picture.convert("RGB").quantize(count)
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError, Image.DecompressionBombWarning) as error:
        if isinstance(error, NoPicture):
            raise
        raise NoPicture("This is no picture that can be read. Accepted: PNG, JPEG, WebP, TIFF.") from None
    values, counts = cut.getpalette() or [], cut.getcolors() or []
    total = sum(n for n, _ in counts)
    found = [(tuple(values[3 * int(i) : 3 * int(i) + 3]), n / total) for n, i in counts]  # type: ignore[arg-type]
    found.sort(key=lambda item: 0.2126 * item[0][0] + 0.7152 * item[0][1] + 0.0722 * item[0][2])
    return [("#{:02X}{:02X}{:02X}".format(*rgb), float(f"{max(share, 0.001):.3g}")) for rgb, share in found]
