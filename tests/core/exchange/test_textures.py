"""Textures stay on what deforms: by the file that it came from, or else on the sides of its box."""

import io

import numpy as np
import pytest
import trimesh
from pxr import Usd, UsdGeom

from hotgravel.core.exchange.take import take_of, wish
from hotgravel.core.exchange.writers import WRITERS
from hotgravel.core.run.execute import execute
from hotgravel.core.run.world import beside, build
from hotgravel.core.shape.unwrapping import boxed
from hotgravel.core.shot.document import load
from tests.core.matter.rigid.scenes import prop, scene
from tests.core.matter.soft.scenes import cloth, jelly

SIDES = {(axis, way): 0.3 * axis + 0.15 * (way > 0) for axis in range(3) for way in (-1, 1)}  # of a texture, from left


def on_its_side(corners):
    """Where corners (F, 3, 3) of faces of a box about the origin lie in the file of `painted`."""
    axis = np.abs(corners.mean(axis=1)).argmax(axis=1)
    way = np.sign(corners[np.arange(len(corners)), 0, axis])
    flat = np.stack([np.delete(c, a, axis=1) for c, a in zip(corners, axis, strict=True)]) + 0.5
    left = np.array([SIDES[a, w] for a, w in zip(axis.tolist(), way.tolist(), strict=True)])
    return np.stack([left[:, None] + 0.1 * flat[..., 0], 0.2 + 0.1 * flat[..., 1]], axis=2)


def painted():
    """A box with the sides of its texture apart from each other, as its corners lie in them."""
    box = trimesh.creation.box()
    corners = box.triangles
    return trimesh.Trimesh(
        corners.reshape(-1, 3), np.arange(36).reshape(-1, 3), process=False,
        visual=trimesh.visual.TextureVisuals(uv=on_its_side(corners).reshape(-1, 2)),
    )  # fmt: skip


def handed(folder, shot, find=None):
    """The run of a shot, as each format has it: OBJ, GLB and USD of its last frame."""
    find = beside(find or folder)
    execute(build(load(shot), find), folder / "run")
    take = take_of(folder / "run", find)
    last = wish(take.store.frames()[-1:])
    files = {kind: dict(filter(None, WRITERS[kind][1](take, last))) for kind in ("obj", "gltf", "usd")}
    return take, {kind: next(iter(of.values())) for kind, of in files.items()}


@pytest.mark.parametrize("kind", ["obj", "glb"])
def test_an_imported_mesh_keeps_its_texture_where_it_is_divided_and_deformed(tmp_path, kind):
    painted().export(tmp_path / f"box.{kind}")
    props = [prop("box", {"kind": "mesh", "file": f"box.{kind}"}, (0, 0.7, 0))]
    take, _ = handed(tmp_path, scene(props, [jelly("box", segments=3)], 6))
    ((_, made),) = take.draped("soft", 6)
    assert len(made["faces"]) > 100
    uv = made["uv"][made["uv_at"]]
    assert uv == pytest.approx(on_its_side(made["rest"][made["faces"]]), abs=1e-5)


def test_what_has_no_texture_lies_on_the_sides_of_its_box_alike_in_all_formats(tmp_path):
    props = [prop("ball", {"kind": "sphere", "radius": 0.5}, (0, 0.7, 0))]
    take, files = handed(tmp_path, scene(props, [jelly("ball", segments=5)], 6))
    ((_, made),) = take.draped("soft", 6)
    uv = made["uv"][made["uv_at"]]
    assert uv.min() > 0.0 and uv.max() < 1.0  # noqa: PT018
    on_it = 0.5 * np.abs(np.linalg.det(np.diff(uv, axis=1)))
    share = on_it / trimesh.Trimesh(made["rest"], made["faces"], process=False).area_faces
    assert share.min() > share.max() / np.sqrt(3.0) - 1e-6  # a face is seen at 55 degrees at most on its side of a box
    lines = files["obj"].decode().split("o ball")[-1].splitlines()
    assert sum(line.startswith("v ") for line in lines) == len(made["vertices"])  # no seam parts its faces
    file = trimesh.load_scene(io.BytesIO(files["gltf"]), file_type="glb").geometry
    (ball,) = (g for name, g in file.items() if len(g.faces) == len(made["faces"]))
    assert ball.visual.uv[ball.faces] == pytest.approx(uv, abs=1e-5)
    assert ball.vertices[ball.faces] == pytest.approx(made["vertices"][made["faces"]], abs=1e-5)
    (tmp_path / "out.usdc").write_bytes(files["usd"])
    stage = Usd.Stage.Open(str(tmp_path / "out.usdc"))
    (mesh,) = (m for m in stage.Traverse() if m.IsA(UsdGeom.Mesh) and UsdGeom.PrimvarsAPI(m).HasPrimvar("st"))
    st = UsdGeom.PrimvarsAPI(mesh).GetPrimvar("st")
    assert st.GetInterpolation() == "faceVarying"
    assert np.array(st.ComputeFlattened(6)).reshape(-1, 3, 2) == pytest.approx(uv, abs=1e-5)


def test_each_of_several_copies_lies_on_its_own_texture(tmp_path):
    row = {"kind": "balloon", "id": "balloons", "prop": "ball", "segments": 6,
           "copies": {"kind": "stacked", "across": 2, "turn": "any", "size_spread": 0.3}}  # fmt: skip
    take, _ = handed(tmp_path, scene([prop("ball", {"kind": "sphere", "radius": 0.3}, (0, 3, 0))], [row], 2))
    made = [mesh for _, mesh in take.draped("soft", 2)]
    assert len(made) > 1
    for mesh in made:
        assert mesh["uv"].min() > 0.0 and mesh["uv"].max() < 1.0  # noqa: PT018
        assert len(np.unique(np.floor(mesh["uv"][mesh["uv_at"]].mean(axis=1) * [3, 2]), axis=0)) == 6


def test_the_six_sides_of_a_box_do_not_overlap_nor_are_mirrored():
    corners = trimesh.creation.box().triangles + 0.5
    uv = boxed(corners)
    u, v = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    assert (u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0] > 0.0).all()  # as seen from outside
    assert len({tuple(np.floor(at.mean(axis=0) * [3, 2]).astype(int)) for at in uv}) == 6


def test_a_plain_is_its_texture_seen_from_above_with_no_seam(tmp_path):
    props = [prop("sheet", {"kind": "plane", "width": 2.0, "depth": 1.0}, (0, 1, 0))]
    take, _ = handed(tmp_path, scene(props, [cloth("sheet", segments=4)], 3))
    ((_, made),) = take.draped("soft", 3)
    assert (made["uv_at"] == made["faces"]).all()
    assert made["uv"] == pytest.approx(made["rest"][:, [0, 2]] / [2.0, -1.0] + 0.5, abs=1e-6)
