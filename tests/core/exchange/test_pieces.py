"""Bodies handed over: read back by independent readers, where they stood and how they moved."""

import csv
import io
from pathlib import Path

import numpy as np
import pytest
import trimesh
from plyfile import PlyData
from pxr import Usd, UsdGeom, UsdShade, UsdValidation
from pygltflib import GLTF2
from scipy.spatial.transform import Rotation

from hotgravel.core.exchange.take import take_of, wish
from hotgravel.core.exchange.writers import WRITERS
from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.core.matter.rigid.scenes import UNIT_BOX, body, prop, scene, stacked

FRAMES = list(range(4, 11))


@pytest.fixture(scope="module")
def folder(tmp_path_factory) -> Path:
    made = tmp_path_factory.mktemp("pieces")
    crate = prop("crate", UNIT_BOX | {"height": 0.5}, (0, 3, 0), rotation=[10, 20, 30], colour="#8A6A48")
    rows = [body("crate", copies=stacked(2, 2, gap=0.3, turn="any", size_spread=0.3))]
    execute(build(load(scene([crate], rows, 12)), beside(Path())), made)
    return made


def written(folder: Path, kind: str, **how) -> dict[str, bytes]:
    take = take_of(folder, beside(Path()), 7)
    return dict(step for step in WRITERS[kind][1](take, wish(FRAMES, **how)) if step is not None)


def corners_of(folder: Path, frame: int, i: int) -> np.ndarray:
    """Where the corners of a body are, from the frame store."""
    store = FrameStore(folder)
    p, mesh = store.elements(frame, "rigid"), store.meshes("rigid")[0]
    turned = Rotation.from_quat(p["turn"][i]).apply(mesh["vertices"])
    return turned * p["scale"][i] + p["position"][i]


def test_a_frame_as_gltf_has_a_node_for_each_body(folder):
    files = written(folder, "gltf")
    scene_ = trimesh.load_scene(io.BytesIO(files["a-test.0006.glb"]), file_type="glb")
    names = sorted(n for n in scene_.graph.nodes_geometry if n.startswith("crate"))
    assert len(names) == 4
    for i, name in enumerate(names):
        turned, geometry = scene_.graph.get(name)
        box = trimesh.transform_points(scene_.geometry[geometry].vertices, turned)
        assert box.min(axis=0) == pytest.approx(corners_of(folder, 6, i).min(axis=0), abs=1e-4)
    material = GLTF2.load_from_bytes(files["a-test.0006.glb"]).materials
    crate = next(m for m in material if m.name == "crate").pbrMetallicRoughness
    assert crate.baseColorFactor[0] == pytest.approx(0.254, abs=2e-3)  # 0x8A as light (IEC 61966-2-1)


def test_an_animation_moves_its_nodes_as_the_bodies_moved(folder):
    ((_, data),) = written(folder, "animation").items()
    file = GLTF2.load_from_bytes(data)
    (animation,) = file.animations
    nodes = {n.name: number for number, n in enumerate(file.nodes)}

    def track(body_: int, path: str) -> np.ndarray:
        channel = next(
            c for c in animation.channels if c.target.node == nodes[f"crate body {body_}"] and c.target.path == path
        )
        accessor = file.accessors[animation.samplers[channel.sampler].output]
        view, blob = file.bufferViews[accessor.bufferView], file.binary_blob()
        width = {"VEC3": 3, "VEC4": 4}[accessor.type]
        return np.frombuffer(blob, "<f4", accessor.count * width, view.byteOffset).reshape(-1, width)

    store = FrameStore(folder)
    for i in range(4):
        kept = [store.elements(f, "rigid") for f in FRAMES]
        assert track(i, "translation") == pytest.approx(np.array([p["position"][i] for p in kept]), abs=1e-5)
        turns = np.array([p["turn"][i] for p in kept])
        assert np.abs((track(i, "rotation") * turns).sum(axis=1)) == pytest.approx(1, abs=1e-5)


@pytest.mark.parametrize(("unit", "up", "factor"), [("m", "y", 1.0), ("cm", "z", 100.0)])
def test_usd_holds_a_point_instancer_that_validates(folder, tmp_path, unit, up, factor):
    path = tmp_path / "it.usdc"
    path.write_bytes(written(folder, "usd", unit=unit, up=up)["a-test.usdc"])
    stage = Usd.Stage.Open(str(path))
    crowd = UsdGeom.PointInstancer(stage.GetPrimAtPath("/shot/rigid"))
    p = FrameStore(folder).elements(6, "rigid")
    there = np.array(crowd.ComputeInstanceTransformsAtTime(6, 6))
    mesh = np.array(UsdGeom.Mesh(stage.GetPrimAtPath("/shot/rigid/prototypes/crate")).GetPointsAttr().Get())
    for i in range(4):
        box = (np.c_[mesh, np.ones(len(mesh))] @ there[i])[:, :3] / factor
        ours = corners_of(folder, 6, i)
        ours = ours if up == "y" else np.stack([ours[:, 0], -ours[:, 2], ours[:, 1]], axis=1)
        assert box.min(axis=0) == pytest.approx(ours.min(axis=0), abs=1e-4)
    spin = np.array(crowd.GetAngularVelocitiesAttr().Get(6))
    assert np.linalg.norm(spin, axis=1) == pytest.approx(np.degrees(np.linalg.norm(p["spin"], axis=1)), rel=1e-4)
    bound = UsdShade.MaterialBindingAPI(stage.GetPrimAtPath("/shot/rigid/prototypes/crate")).ComputeBoundMaterial()[0]
    assert bound
    assert faults_of(stage) == []


def faults_of(stage) -> list[str]:
    validators = UsdValidation.ValidationRegistry()
    chosen = [m.name for m in validators.GetAllValidatorMetadata() if not m.isSuite]
    told = UsdValidation.ValidationContext(validators.GetOrLoadValidatorsByName(chosen)).Validate(stage)
    return [e.GetErrorAsString() for e in told]


@pytest.mark.parametrize(("unit", "up", "factor"), [("m", "y", 1.0), ("cm", "z", 100.0)])
def test_usd_holds_each_body_as_a_node_that_moves(folder, tmp_path, unit, up, factor):
    path = tmp_path / "it.usdc"
    path.write_bytes(written(folder, "usd_nodes", unit=unit, up=up)["a-test.usdc"])
    stage = Usd.Stage.Open(str(path))
    for frame in (6, 9):
        for i in range(4):
            mesh = UsdGeom.Mesh(stage.GetPrimAtPath(f"/shot/rigid/crate_body_{i}"))
            corners = np.array(mesh.GetPointsAttr().Get())
            moved = np.c_[corners, np.ones(len(corners))] @ np.array(mesh.ComputeLocalToWorldTransform(frame))
            ours = corners_of(folder, frame, i)
            ours = ours if up == "y" else np.stack([ours[:, 0], -ours[:, 2], ours[:, 1]], axis=1)
            assert moved[:, :3] / factor == pytest.approx(ours, abs=1e-4)
            speed = np.linalg.norm(FrameStore(folder).elements(frame, "rigid")["velocity"][i])
            velocity = UsdGeom.PrimvarsAPI(mesh).GetPrimvar("velocity").Get(frame)
            assert np.linalg.norm(velocity) == pytest.approx(factor * speed, rel=1e-5)
    drawn = [p.GetPath().pathString for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)]
    assert len([p for p in drawn if p.startswith("/shot/rigid")]) == 4  # what they repeat is not drawn itself
    assert faults_of(stage) == []


def test_ply_holds_each_body_as_a_mesh_and_as_a_row(folder):
    read = PlyData.read(io.BytesIO(written(folder, "ply", unit="cm")["a-test.0006.rigid.ply"]))
    v, p = read["vertex"], FrameStore(folder).elements(6, "rigid")
    at = np.stack([v["x"], v["y"], v["z"]], axis=1)
    for i in range(4):
        assert at[v["body"] == i] == pytest.approx(100 * corners_of(folder, 6, i), abs=1e-2)
    assert [c.tolist() for c in read["face"]["vertex_indices"][:2]] == FrameStore(folder).meshes("rigid")[0]["faces"][
        :2
    ].tolist()
    assert read["body"]["mass"] == pytest.approx(p["mass"])
    assert read["body"]["wx"] == pytest.approx(p["spin"][:, 0])
    assert v["red"][0] == 0x8A


def test_a_tinted_body_is_handed_over_in_its_own_colour(folder, tmp_path):
    shot = load(FrameStore(folder).note("shot.json")).dump()
    tint = {"kind": "tint", "id": "tint", "palette": [["#FF0000", 1]]}
    shot["matter"].append(tint)
    execute(build(load(shot), beside(Path())), tmp_path)
    file = GLTF2.load_from_bytes(written(tmp_path, "gltf")["a-test.0006.glb"])
    node = next(n for n in file.nodes if n.name == "crate body 0")
    material = file.materials[file.meshes[node.mesh].primitives[0].material]
    assert material.pbrMetallicRoughness.baseColorFactor == [1, 0, 0, 1]
    assert node.extras["mass"] == pytest.approx(float(FrameStore(tmp_path).elements(6, "rigid")["mass"][0]))


def test_obj_and_csv_hold_each_body(folder):
    obj = written(folder, "obj")["a-test.0006.obj"]
    made = trimesh.load_scene(io.BytesIO(obj), file_type="obj", split_objects=True).geometry
    for i in range(4):
        assert made[f"crate-body-{i}"].bounds[0] == pytest.approx(corners_of(folder, 6, i).min(axis=0), abs=1e-4)
    rows = list(csv.DictReader(io.StringIO(written(folder, "csv")["a-test.rigid.csv"].decode(), newline="")))
    p = FrameStore(folder).elements(6, "rigid")
    mine = [r for r in rows if r["frame"] == "6"]
    assert [float(r["y [m]"]) for r in mine] == pytest.approx(p["position"][:, 1], rel=1e-5)
    assert [float(r["mass [kg]"]) for r in mine] == pytest.approx(p["mass"], rel=1e-5)


def test_between_frames_bodies_turn_the_short_way(folder):
    """A retime at half the pace shows turns half way between those of the frames, by SciPy's Slerp."""
    from scipy.spatial.transform import Slerp

    from hotgravel.core.run.retimed import Retimed

    shot = load(FrameStore(folder).note("shot.json"))
    half = {"kind": "keys", "keys": [{"frame": 1, "value": 1, "ease": "linear"}, {"frame": 12, "value": 6.5}]}
    slow = Retimed(folder, load(shot.dump() | {"finish": shot.dump()["finish"] | {"retime": half}}))
    shown = slow.elements(6, "rigid", ("turn", "position"))  # frame 3.5 of the run
    before, after = (FrameStore(folder).elements(f, "rigid") for f in (3, 4))
    for i in range(4):
        middle = Slerp([0, 1], Rotation.from_quat([before["turn"][i], after["turn"][i]]))([0.5])[0].as_quat()
        assert abs(middle @ shown["turn"][i]) == pytest.approx(1, abs=1e-6)
