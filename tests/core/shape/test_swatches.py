"""Palettes from pictures whose colours are known."""

import io

import numpy as np
import pytest
from PIL import Image

from hotgravel.core.shape.swatches import NoPicture, swatches_of


def png(pixels) -> bytes:
    out = io.BytesIO()
    Image.fromarray(np.asarray(pixels, np.uint8)).save(out, "PNG")
    return out.getvalue()


def test_a_picture_of_two_colours_gives_them_by_their_shares():
    pixels = np.zeros((60, 80, 3), np.uint8)
    pixels[:, :60], pixels[:, 60:] = (0xC8, 0x43, 0x1B), (0x26, 0x28, 0x2B)
    assert swatches_of(png(pixels), 2) == [("#26282B", 0.25), ("#C8431B", 0.75)]


def test_swatches_run_from_dark_to_light_and_their_weights_fill_the_picture():
    noise = np.random.default_rng(1).integers(0, 255, (50, 50, 3))
    found = swatches_of(png(noise), 6)
    light = [0.2126 * int(c[1:3], 16) + 0.7152 * int(c[3:5], 16) + 0.0722 * int(c[5:], 16) for c, _ in found]
    assert light == sorted(light)
    assert sum(w for _, w in found) == pytest.approx(1.0, abs=0.01)


@pytest.mark.parametrize("data", [b"", b"no picture", png(np.zeros((4, 4, 3)))[:40]])
def test_what_is_no_picture_says_so(data):
    with pytest.raises(NoPicture, match="no picture"):
        swatches_of(data)
