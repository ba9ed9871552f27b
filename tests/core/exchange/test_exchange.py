"""Handed-over files, read back by independent readers: plyfile, trimesh, pygltflib, usd-core, Python's csv."""

import csv
import io
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
import trimesh
from PIL import Image
from plyfile import PlyData
from pxr import Usd, UsdGeom, UsdValidation
from pygltflib import GLTF2, TRIANGLES

from hotgravel.core.exchange.take import take_of, wish
from hotgravel.core.exchange.writers import WRITERS
from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from tests.conftest import LOOSE, VENT, document, source


@pytest.fixture(scope="module")
def folder(tmp_path_factory) -> Path:
    """A small run with a dome that moves, turns and grows."""
    from hotgravel.demo.shots import demo_path

    shot = load(demo_path("ember-burst")).dump()
    shot["supply"][0]["emit"]["count"] = 150
    shot["finish"]["last"] = 12
    keys = {"kind": "keys", "keys": [{"frame": 1, "value": 0}, {"frame": 12, "value": 2}]}
    grown = keys | {"keys": [{"frame": 1, "value": 1.5}]}
    shot["set"][1] |= {"position": [0, keys, 1], "rotation": [0, 40, 10], "scale": grown}
    made = tmp_path_factory.mktemp("handover")
    execute(build(load(shot), beside(Path())), made)
    return made


def written(folder: Path, kind: str, revision=7, **how) -> dict[str, bytes]:
    take = take_of(folder, beside(Path()), revision)
    return dict(filter(None, WRITERS[kind][1](take, wish(take.store.frames(), **how))))


def z_up(points: np.ndarray) -> np.ndarray:
    return np.stack([points[:, 0], -points[:, 2], points[:, 1]], axis=1)


def dome_corners(folder: Path, frame: int) -> np.ndarray:
    take = take_of(folder, beside(Path()))
    vertices, _ = take.triangles(take.shot.set[1])
    return take.world.poses(frame)["vent-dome"].to_world(vertices)


@pytest.mark.parametrize(("unit", "up", "scale", "turn"), [("m", "y", 1, lambda p: p), ("cm", "z", 100, z_up)])
def test_ply_holds_the_particles(folder, unit, up, scale, turn):
    files = written(folder, "ply", frames=(3, 9), every=3, unit=unit, up=up)
    assert list(files) == ["ember-burst.0003.ply", "ember-burst.0006.ply", "ember-burst.0009.ply"]
    read, kept = PlyData.read(io.BytesIO(files["ember-burst.0006.ply"])), FrameStore(folder).particles(6)
    v = read["vertex"]
    at, going = (np.stack([v[n] for n in names], axis=1) for names in (("x", "y", "z"), ("vx", "vy", "vz")))
    assert at == pytest.approx(turn(kept["position"]) * scale, rel=1e-6)
    assert going == pytest.approx(turn(kept["velocity"]) * scale, rel=1e-6)
    assert v["radius"] == pytest.approx(kept["radius"] * scale, rel=1e-6)
    for name in ("age", "id", "state", "source", "mass", "temperature", "parent"):
        assert v[name].tolist() == kept[name].tolist()
    states = load(FrameStore(folder).note("shot.json")).states
    named = [states[s].colour for s in kept["state"]]
    assert [f"#{r:02X}{g:02X}{b:02X}" for r, g, b in zip(v["red"], v["green"], v["blue"], strict=True)] == named
    assert "shot: Ember burst" in read.comments
    assert "revision: 7" in read.comments
    assert "states: 0 flight, 1 falling" in read.comments
    assert any(c.startswith("fingerprint: ") and len(c) == 77 for c in read.comments)


def test_obj_holds_props_and_particles(folder):
    files = written(folder, "obj", frames=(6, 6), unit="cm", up="z")
    text = files["ember-burst.0006.obj"].decode()
    points = np.array([line.split()[1:] for line in text.splitlines() if line.startswith("v ")], float)
    kept = FrameStore(folder).particles(6)["position"]
    assert points[-150:] == pytest.approx(100 * z_up(kept), rel=1e-5, abs=1e-4)
    assert sum(line.startswith("p ") for line in text.splitlines()) == 150
    scene = trimesh.load_scene(io.BytesIO(files["ember-burst.0006.obj"]), file_type="obj", split_objects=True)
    corners = 100 * z_up(dome_corners(folder, 6))
    low, high = scene.geometry["vent-dome"].bounds
    assert low == pytest.approx(corners.min(axis=0), abs=1e-3)
    assert high == pytest.approx(corners.max(axis=0), abs=1e-3)
    assert "# revision: 7" in text


@pytest.mark.parametrize(("unit", "up"), [("m", "y"), ("cm", "z")])
def test_gltf_holds_props_and_particles_with_their_attributes_always_in_metres(folder, unit, up):
    data = written(folder, "gltf", frames=(6, 6), unit=unit, up=up)["ember-burst.0006.glb"]
    file = GLTF2.load_from_bytes(data)
    assert file.asset.version == "2.0"
    assert file.asset.extras["revision"] == "7"
    kept = FrameStore(folder).particles(6)
    cloud = file.meshes[-1].primitives[0]
    assert cloud.mode == 0
    blob = file.binary_blob()

    def read(accessor: int, width: int) -> np.ndarray:
        a, view = file.accessors[accessor], file.bufferViews[file.accessors[accessor].bufferView]
        return np.frombuffer(blob, "<f4", a.count * width, view.byteOffset).reshape(a.count, width)

    assert (read(cloud.attributes.POSITION, 3) == kept["position"]).all()
    assert (read(cloud.attributes._VELOCITY, 3) == kept["velocity"]).all()
    assert (read(cloud.attributes._RADIUS, 1)[:, 0] == kept["radius"]).all()
    assert (read(cloud.attributes._ID, 1)[:, 0] == kept["id"]).all()
    assert (read(cloud.attributes._TEMPERATURE, 1)[:, 0] == kept["temperature"]).all()
    states = load(FrameStore(folder).note("shot.json")).states
    first = int(states[kept["state"][0]].colour[1:3], 16) / 255  # as light, by IEC 61966-2-1
    assert read(cloud.attributes.COLOR_0, 3)[0, 0] == pytest.approx(((first + 0.055) / 1.055) ** 2.4, abs=1e-5)
    scene = trimesh.load_scene(io.BytesIO(data), file_type="glb")  # trimesh applies the nodes' transforms
    corners = dome_corners(folder, 6)
    node = next(n for n in scene.graph.nodes_geometry if scene.graph[n][1] == "vent dome")
    matrix, name = scene.graph[node]
    shown = trimesh.transform_points(scene.geometry[name].vertices, matrix)
    assert shown.min(axis=0) == pytest.approx(corners.min(axis=0), rel=1e-4, abs=1e-3)
    assert shown.max(axis=0) == pytest.approx(corners.max(axis=0), rel=1e-4, abs=1e-3)


@pytest.mark.parametrize(("unit", "up"), [("m", "y"), ("cm", "z")])
def test_usd_holds_all_frames_in_one_file(folder, tmp_path, unit, up):
    files = written(folder, "usd", unit=unit, up=up)
    assert list(files) == ["ember-burst.usdc"]
    path = tmp_path / "ember-burst.usdc"
    path.write_bytes(files["ember-burst.usdc"])
    stage = Usd.Stage.Open(str(path))
    scale, turn = (100, z_up) if up == "z" else (1, lambda p: p)
    assert UsdGeom.GetStageMetersPerUnit(stage) == 1 / scale
    assert UsdGeom.GetStageUpAxis(stage) == up.upper()
    assert (stage.GetStartTimeCode(), stage.GetEndTimeCode(), stage.GetTimeCodesPerSecond()) == (1, 12, 24)
    assert stage.GetRootLayer().customLayerData["revision"] == "7"
    cloud = UsdGeom.Points(stage.GetPrimAtPath("/shot/particles"))
    assert cloud.GetPointsAttr().GetTimeSamples() == list(range(1, 13))
    for frame in (1, 12):
        kept = FrameStore(folder).particles(frame)
        assert np.array(cloud.GetPointsAttr().Get(frame)) == pytest.approx(turn(kept["position"]) * scale, rel=1e-5)
        assert np.array(cloud.GetVelocitiesAttr().Get(frame)) == pytest.approx(turn(kept["velocity"]) * scale, rel=1e-5)
        assert np.array(cloud.GetWidthsAttr().Get(frame)) == pytest.approx(2 * scale * kept["radius"], rel=1e-5)
        assert list(cloud.GetIdsAttr().Get(frame)) == kept["id"].tolist()
        told = UsdGeom.PrimvarsAPI(cloud)
        assert np.array(told.GetPrimvar("mass").Get(frame)) == pytest.approx(kept["mass"])
        assert len(told.GetPrimvar("displayColor").Get(frame)) == len(kept["id"])
        dome = UsdGeom.Mesh(stage.GetPrimAtPath("/shot/set/vent_dome"))
        matrix = np.array(dome.ComputeLocalToWorldTransform(frame))
        points = np.array(dome.GetPointsAttr().Get())
        shown = points @ matrix[:3, :3] + matrix[3, :3]
        assert shown == pytest.approx(turn(dome_corners(folder, frame)) * scale, rel=1e-4, abs=1e-4 * scale)


def test_usd_passes_the_librarys_own_validators(folder, tmp_path):
    path = tmp_path / "it.usdc"
    path.write_bytes(written(folder, "usd")["ember-burst.usdc"])
    stage = Usd.Stage.Open(str(path))
    registry = UsdValidation.ValidationRegistry()
    names = registry.GetAllValidatorMetadata()
    validators = registry.GetOrLoadValidatorsByName([m.name for m in names if not m.isSuite])
    assert len(validators) > 3
    errors = UsdValidation.ValidationContext(validators).Validate(stage)
    assert [e.GetErrorAsString() for e in errors] == []


def test_gauges_csv_has_a_line_a_frame_with_units(folder):
    files, store = written(folder, "csv"), FrameStore(folder)
    rows = list(csv.DictReader(io.StringIO(files["ember-burst.gauges.csv"].decode(), newline="")))
    assert [int(r["frame"]) for r in rows] == list(range(1, 13))
    assert float(rows[6]["mean_speed [m/s]"]) == store.gauges(7)["matter"]["particles"]["mean_speed"]
    assert sum(int(r["fired slow embers fall"]) for r in rows) == sum(len(store.events(f)) for f in store.frames())
    assert int(rows[-1]["in flight"]) + int(rows[-1]["in falling"]) == 150


def test_events_csv_tells_each_firing(ember_run):
    rows = list(csv.DictReader(io.StringIO(written(ember_run, "csv")["ember-burst.events.csv"].decode())))
    assert len({r["particle"] for r in rows}) == len(rows) > 300
    assert all(float(r["value"]) < 5 for r in rows)
    assert {(r["from"], r["to"]) for r in rows} == {("flight", "falling")}
    times = [float(r["time [s]"]) for r in rows]
    assert times == sorted(times)


def test_names_that_a_spreadsheet_would_run_are_defused(ember_run):
    from hotgravel.core.exchange.table import events_csv

    store = FrameStore(ember_run)
    shot = load(store.note("shot.json")).dump()
    shot["matter"] = [m | ({"name": f"={n}+1"} if m["kind"] == "state" else {}) for n, m in enumerate(shot["matter"])]
    rows = list(csv.DictReader(io.StringIO("".join(events_csv(load(shot), (store.events(f) for f in store.frames()))))))
    assert rows[0]["from"].startswith("'=")


@pytest.mark.parametrize(("how", "said"), [
    ({"frames": (50, 60)}, "Kept: 1 to 12"), ({"every": 0}, "Accepted: 1 for all"),
    ({"pattern": "../{frame}"}, "no pattern"), ({"pattern": "{shot.__class__}{frame}"}, "no pattern"),
    ({"pattern": "same"}, "one with {frame}"), ({"pattern": ""}, "no pattern"),
])  # fmt: skip
def test_what_cannot_be_granted_is_told(folder, how, said):
    with pytest.raises(ShotFault, match=said.replace("{", r"\{")):
        written(folder, "ply", **how)


def test_names_follow_the_pattern(folder):
    assert list(written(folder, "ply", frames=(2, 2), pattern="{frame} of {shot}")) == ["0002 of ember-burst.ply"]
    assert list(written(folder, "usd", pattern="{shot}_v2_{frame}")) == ["ember-burst_v2.usdc"]


def test_pictures_say_where_they_are_from_and_show_the_camera(folder):
    files = written(folder, "png", frames=(3, 9), every=3, size=(160, 90))
    assert list(files) == ["ember-burst.0003.png", "ember-burst.0006.png", "ember-burst.0009.png"]
    picture = Image.open(io.BytesIO(files["ember-burst.0006.png"]))
    assert picture.size == (160, 90)
    assert (picture.text["shot"], picture.text["revision"], picture.text["frame"]) == ("Ember burst", "7", "6")
    assert len(picture.text["fingerprint"]) > 20
    still = written(folder, "still", frames=(6, 9), size=(160, 90))
    assert list(still) == ["ember-burst.0006.png"]
    assert (np.asarray(Image.open(io.BytesIO(still["ember-burst.0006.png"]))) == np.asarray(picture)).all()
    take = take_of(folder, beside(Path()), 7, {"eye": [0, 300, 1], "aim": [0, 0, 0]})
    seen = dict(WRITERS["still"][1](take, wish([6], size=(160, 90))))["ember-burst.0006.png"]
    assert (np.asarray(Image.open(io.BytesIO(seen))) != np.asarray(picture)).mean() > 0.5
    for light in ({"light": "working"}, {"exposure": 2.0}):
        bright = take_of(folder, beside(Path()), 7, light=light)
        shown = dict(WRITERS["still"][1](bright, wish([6], size=(160, 90))))["ember-burst.0006.png"]
        assert np.asarray(Image.open(io.BytesIO(shown))).mean() > 1.5 * np.asarray(picture).mean()


def test_a_sequence_keeps_its_camera(folder):
    """The whole run is framed once, so what stands still is the same in every picture."""
    made = written(folder, "png", every=4, size=(160, 90)).values()
    pictures = np.stack([np.asarray(Image.open(io.BytesIO(data)), int) for data in made])
    assert (np.ptp(pictures[:, :36, :9], axis=0) == 0).all()  # sky and ground at the side, with the horizon between
    assert np.ptp(pictures, axis=0).max() > 50  # while something moves


@pytest.mark.parametrize(("every", "rate", "count"), [(1, 24, 12), (3, 8, 4)])
def test_a_film_is_read_back_with_its_rate_size_and_frames(folder, every, rate, count):
    ((name, data),) = written(folder, "mp4", every=every, size=(160, 90)).items()
    assert name == "ember-burst.mp4"
    with av.open(io.BytesIO(data)) as film:
        stream = film.streams.video[0]
        assert (stream.codec_context.name, stream.width, stream.height) == ("h264", 160, 90)
        assert stream.average_rate == Fraction(rate)
        assert film.metadata["title"] == "Ember burst"
        assert "revision: 7" in film.metadata["comment"]
        shown = [f.to_ndarray(format="rgb24") for f in film.decode(stream)]
    assert len(shown) == count
    stills = written(folder, "png", every=every, size=(160, 90)).values()
    for picture, still in zip(shown, stills, strict=True):
        off = picture.astype(float) - np.asarray(Image.open(io.BytesIO(still)), float)
        assert np.abs(off).mean() < 4.0  # of 255; what H.264 with halved colour loses


@pytest.fixture(scope="module")
def wrapped(tmp_path_factory) -> Path:
    """A few particles in a skin, on a prop that takes another's place."""
    pair = [{"kind": "prop", "id": i, "name": i, "shape": {"kind": "box"}} for i in ("whole", "cracked")]
    swap = {"kind": "swap", "prop": "whole", "by": "cracked"}
    shot = document(
        set=[VENT | {"shape": {"kind": "sphere", "radius": 0.5}}, *pair],
        matter=[
            LOOSE | {"colour": "#FF8000"},
            {"kind": "skin", "id": "wax", "radius": 1.0, "cell": 0.08, "blend": 0.05},
        ],
        supply=[source(emit={"kind": "burst", "count": 40, "frame": 1}, radius=0.2, speed=3)],
        cues=[{"kind": "cue", "id": "crack", "when": {"kind": "at_frame", "frame": 3}, "then": swap}],
        finish={"last": 5},
    )
    folder = tmp_path_factory.mktemp("wrapped")
    execute(build(load(shot), beside(folder)), folder)
    return folder


def test_skins_are_handed_over_with_colour_and_velocity(wrapped, tmp_path):
    kept = FrameStore(wrapped).skin(4, "wax")
    assert len(kept["faces"]) > 500
    obj = written(wrapped, "obj", frames=(4, 4))["a-test.0004.obj"]
    mesh = trimesh.load_scene(io.BytesIO(obj), file_type="obj", split_objects=True).geometry["wax"]
    assert len(mesh.faces) == len(kept["faces"])
    assert mesh.bounds == pytest.approx(
        np.array([kept["vertices"].min(axis=0), kept["vertices"].max(axis=0)]), abs=1e-4
    )
    glb = written(wrapped, "gltf", frames=(4, 4), unit="m", up="y")["a-test.0004.glb"]
    wax = trimesh.load_scene(io.BytesIO(glb), file_type="glb").geometry["wax"]
    assert len(wax.vertices) == len(kept["vertices"])
    drawn = {m.name: m.primitives[0] for m in GLTF2.load_from_bytes(glb).meshes}
    assert all(p.attributes.NORMAL is not None for p in drawn.values() if p.mode == TRIANGLES)
    own = trimesh.Trimesh(kept["vertices"], kept["faces"], process=False).vertex_normals  # weighted by angles
    assert (wax.vertex_normals * own).sum(axis=1).mean() > 0.99
    told = [line.split()[1:] for line in obj.decode().split("o wax\n")[1].splitlines() if line.startswith("vn ")]
    assert np.array(told, float)[: len(own)] == pytest.approx(wax.vertex_normals, abs=1e-3)
    colour = np.asarray(wax.visual.vertex_attributes["color"], float)[:, :3]
    assert colour.mean(axis=0) / colour.max() == pytest.approx([1, 0.2158, 0], abs=0.01)  # 0x80 as light is 0.216
    path = tmp_path / "it.usdc"
    path.write_bytes(written(wrapped, "usd")["a-test.usdc"])
    stage = Usd.Stage.Open(str(path))
    skin = UsdGeom.Mesh(stage.GetPrimAtPath("/shot/skins/wax"))
    assert np.array(skin.GetPointsAttr().Get(4)) == pytest.approx(kept["vertices"], abs=1e-5)
    assert np.array(skin.GetVelocitiesAttr().Get(4)) == pytest.approx(kept["velocity"], abs=1e-5)
    assert np.array(skin.GetNormalsAttr().Get(4)) == pytest.approx(wax.vertex_normals, abs=1e-3)
    assert np.array(skin.GetDisplayColorPrimvar().Get(4))[0] == pytest.approx([1, 0.2158, 0], abs=1e-3)
    validators = UsdValidation.ValidationRegistry()
    chosen = [m.name for m in validators.GetAllValidatorMetadata() if not m.isSuite]
    told = UsdValidation.ValidationContext(validators.GetOrLoadValidatorsByName(chosen)).Validate(stage)
    assert [e.GetErrorAsString() for e in told] == []


def test_a_prop_that_another_takes_the_place_of_is_gone_in_every_format(wrapped, tmp_path):
    for frame, there, gone in ((2, "whole", "cracked"), (4, "cracked", "whole")):
        obj = written(wrapped, "obj", frames=(frame, frame))[f"a-test.000{frame}.obj"].decode()
        assert f"o {there}" in obj.splitlines()
        assert f"o {gone}" not in obj.splitlines()
        glb = written(wrapped, "gltf", frames=(frame, frame))[f"a-test.000{frame}.glb"]
        assert {m.name for m in GLTF2.load_from_bytes(glb).meshes} == {"vent", there, "wax", "particles"}
    path = tmp_path / "it.usdc"
    path.write_bytes(written(wrapped, "usd")["a-test.usdc"])
    stage = Usd.Stage.Open(str(path))
    seen = [UsdGeom.Mesh(stage.GetPrimAtPath("/shot/set/whole")).ComputeVisibility(f) for f in (2, 4)]
    assert seen == ["inherited", "invisible"]


def test_streaks_are_handed_over_as_lines_through_where_each_was(tmp_path):
    streaks = {"kind": "streaks", "id": "lines", "frames": 3}
    shot = document(
        matter=[LOOSE, streaks], supply=[source(emit={"kind": "burst", "count": 4, "frame": 1})], finish={"last": 6}
    )
    execute(build(load(shot), beside(tmp_path)), tmp_path)
    store = FrameStore(tmp_path)
    path = np.array([store.particles(f)["position"] for f in (6, 5, 4, 3)]).transpose(1, 0, 2)
    text = written(tmp_path, "obj", frames=(6, 6))["a-test.0006.obj"].decode().splitlines()
    points = np.array([line.split()[1:4] for line in text if line.startswith("v ")], float)
    lines = [[int(i) for i in line.split()[1:]] for line in text if line.startswith("l ")]
    assert np.array([points[np.array(line) - 1] for line in lines]) == pytest.approx(path, abs=1e-5)
    glb = GLTF2.load_from_bytes(written(tmp_path, "gltf", frames=(6, 6))["a-test.0006.glb"])
    drawn = next(m for m in glb.meshes if m.name == "lines").primitives[0]
    held = [
        (glb.accessors[a], glb.bufferViews[glb.accessors[a].bufferView])
        for a in (drawn.indices, drawn.attributes.POSITION)
    ]
    ends, places = (
        np.frombuffer(glb.binary_blob(), t, a.count * n, v.byteOffset)
        for (a, v), t, n in zip(held, ("<u4", "<f4"), (1, 3), strict=True)
    )
    assert drawn.mode == 1  # LINES
    chords = places.reshape(-1, 3)[ends].reshape(4, 3, 2, 3)
    assert chords == pytest.approx(np.stack([path[:, :-1], path[:, 1:]], axis=2), abs=1e-6)
    file = tmp_path / "it.usdc"
    file.write_bytes(written(tmp_path, "usd")["a-test.usdc"])
    stage = Usd.Stage.Open(str(file))
    curves = UsdGeom.BasisCurves(stage.GetPrimAtPath("/shot/streaks/lines"))
    assert list(curves.GetCurveVertexCountsAttr().Get(6)) == [4] * 4
    assert np.array(curves.GetPointsAttr().Get(6)).reshape(4, 4, 3) == pytest.approx(path, abs=1e-5)
