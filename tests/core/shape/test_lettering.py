"""Letters and outlines as solids, against the areas of plain figures."""

from pathlib import Path

import numpy as np
import pytest

from hotgravel.core.shape.lettering import FONTS
from hotgravel.core.shape.mesh import MeshFault, solid
from hotgravel.core.shot.props import Lettering, Outline

SQUARE_WITH_HOLE = """<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 40">
<path d="M0 0 H40 V40 H0 Z M10 10 H30 V30 H10 Z"/></svg>"""
DISC = '<svg xmlns="http://www.w3.org/2000/svg"><g transform="translate(5,7) scale(3)"><circle cx="9" cy="4" r="10"/></g></svg>'


def cut(tmp_path, text, **fields):
    (tmp_path / "it.svg").write_text(text)
    return solid(Outline(file="it.svg", bevel=0.0, **fields), lambda name: tmp_path / name)


def volume(mesh) -> float:
    a, b, c = (mesh.vertices[mesh.faces[:, i]] for i in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


def test_an_outline_has_the_volume_of_its_figure(tmp_path):
    disc = cut(tmp_path, DISC, height=2.0, depth=0.5)
    assert disc.closed
    assert volume(disc) == pytest.approx(np.pi * 0.5, rel=0.02)
    assert np.ptp(disc.vertices, axis=0) == pytest.approx([2, 2, 0.5], abs=0.06)
    assert disc.vertices.mean(axis=0) == pytest.approx([0, 0, 0], abs=0.05)


def test_a_path_within_a_path_is_a_hole(tmp_path):
    assert volume(cut(tmp_path, SQUARE_WITH_HOLE, height=1.0, depth=0.2)) == pytest.approx(0.75 * 0.2, rel=0.04)


@pytest.mark.parametrize(("text", "said"), [
    ("not a drawing", "cannot be read as SVG"), ('<svg xmlns="http://www.w3.org/2000/svg"/>', "draws nothing"),
    ('<!DOCTYPE a [<!ENTITY b "c">]><svg xmlns="http://www.w3.org/2000/svg"/>', "no entities"),
    ('<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0 H900 V1 H0 Z"/></svg>', "far wider"),
])  # fmt: skip
def test_a_drawing_that_makes_no_solid_says_why(tmp_path, text, said):
    with pytest.raises(MeshFault, match=said):
        cut(tmp_path, text)


def test_a_font_of_your_own_is_used_and_a_file_that_is_none_is_told(tmp_path):
    (tmp_path / "own.woff2").write_bytes((FONTS / "mono.woff2").read_bytes())
    (tmp_path / "bad.ttf").write_bytes(b"no font")
    find = lambda name: tmp_path / name  # noqa: E731
    own = solid(Lettering(words="Ash", file="own.woff2"), find)
    shipped = solid(Lettering(words="Ash", font="mono"), lambda name: Path("nowhere"))
    assert own.vertices == pytest.approx(shipped.vertices)
    assert not np.array_equal(own.vertices.shape, solid(Lettering(words="Ash"), find).vertices.shape)
    with pytest.raises(MeshFault, match="no font that can be read"):
        solid(Lettering(words="Ash", file="bad.ttf"), find)
    with pytest.raises(MeshFault, match="is not there"):
        solid(Lettering(words="Ash", file="gone.ttf"), find)
