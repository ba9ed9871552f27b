"""Cloth that tears."""

import numpy as np
import pytest

from hotgravel.core.matter.drape import draped as laid
from tests.core.matter.rigid.scenes import DOWN, GRAVITY, prop
from tests.core.matter.soft.scenes import SHEET, cloth, draped, jelly, pins

TOP = pins((0, 4, 0), (1, 0.02, 1))
DRAG = {"kind": "linear_drag", "id": "drag", "rate": 4}
SLOW = {"kind": "keys", "keys": [{"frame": 1, "value": 0.0}, {"frame": 49, "value": GRAVITY["strength"]}]}


def hung(tear, **more):
    """A strip 2 m long that hangs and is let grow heavy slowly."""
    strip = prop("strip", {"kind": "plane", "width": 0.4, "depth": 2.0}, (0, 3, 0), rotation=[90, 0, 0])
    row = cloth("strip", segments=16, weight=0.5, stretch=50.0, shear=20.0, bend=0.0, pins="pins", tear=tear)
    return draped([strip, TOP, *more.get("props", [])], [row], 65, forces=[DOWN | {"strength": SLOW}, DRAG])


def parts_of(film):
    """A frame's mesh as it lies, and the ends of edges that only one face has."""
    kept = {name: getattr(film.last, name) for name in ("vertex", "position", "velocity", "colour", "corners")}
    (mesh,) = next(solver for solver in film.world.solvers.values()).meshes()
    made = laid(mesh, kept)
    faces = made["faces"]
    edges = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    known, many = np.unique(edges, axis=0, return_counts=True)
    return made, known[many == 1]


def test_a_strip_tears_where_its_weight_stretches_it_by_more_than_it_takes():
    # At its top it is stretched by rho g L / E (Timoshenko and Goodier, Theory of Elasticity, article 96).
    top = 0.5 * GRAVITY["strength"] * 2.0 / 50.0
    held, torn = hung(1.3 * top), hung(0.75 * top)
    assert not held.last.corners.any()
    assert held.last.position[:, 1].min() > 1.5
    first = next(p for p in torn.frames.values() if p.corners.any())
    assert first.position[first.corners > 0, 1].min() > 3.7  # near its top, where the pull is
    assert torn.last.position[:, 1].min() < 0.1  # on the ground


def test_what_is_torn_keeps_its_mass_and_all_its_faces_and_ids_stay_in_order():
    whole, film = hung(10.0), hung(0.15)
    assert film.last.mass.sum() == pytest.approx(whole.last.mass.sum(), rel=1e-12)
    assert (np.diff(film.last.id) > 0).all()
    (made, rim), (before, hem) = parts_of(film), parts_of(whole)
    assert len(made["faces"]) == len(before["faces"])
    assert len(rim) > len(hem) + 4  # a tear has two sides
    assert len(film.last) == len(made["vertices"])


def test_a_seam_that_is_weaker_tears_first():
    seam = {
        "kind": "zone", "id": "seam", "name": "seam", "edge": 0.0,
        "shape": {"kind": "block", "at": [0, 3, 0], "size": [1, 0.3, 1]},
    }  # fmt: skip
    film = hung({"kind": "within", "zone": "seam", "inside": 0.05, "outside": 10.0}, props=[seam])
    torn = film.last.rest[film.last.corners > 0][:, 2]
    assert len(torn)
    assert np.abs(torn).max() < 0.35


def test_a_cue_takes_cloth_apart_in_a_zone_and_leaves_jelly_as_it_is():
    props = [prop("sheet", SHEET, (0, 2, 0)), prop("block", {"kind": "box", "width": 0.3}, (0, 2, 0))]
    middle = {
        "kind": "zone", "id": "middle", "name": "middle", "edge": 0.0,
        "shape": {"kind": "block", "at": [0, 2, 0], "size": [0.2, 1, 2]},
    }  # fmt: skip
    cue = {
        "kind": "cue", "id": "rips", "when": {"kind": "older", "age": 0.1}, "within": "middle", "then": {"kind": "part"},
    }  # fmt: skip
    rows = [cloth("sheet", begins="held"), jelly("block", begins="held")]
    film = draped([*props, middle], rows, 13, cues=[cue])
    torn = film.last.corners > 0
    assert torn.any()
    assert np.abs(film.last.rest[torn, 0]).max() < 0.11
    assert (film.last.source[torn] == film.last.source[film.last.corners > 0][0]).all()
    assert film.last.mass.sum() == pytest.approx(film.frames[1].mass.sum(), rel=1e-12)


def test_a_balloon_that_bursts_has_no_air():
    ball = prop("ball", {"kind": "sphere", "radius": 0.4}, (0, 3, 0))
    row = {"kind": "balloon", "id": "balloon", "prop": "ball", "segments": 6, "pressure": 100.0, "air": "held"}
    whole, burst = (draped([ball], [row | {"tear": tear}], 25, forces=[]) for tear in (10.0, 0.06))
    assert whole.last.stretch.mean() > 0.07  # p r = 2 k (a - 1) / a^2
    assert burst.last.corners.any()
    assert burst.last.stretch.mean() < 0.03  # nothing pushes any longer
