"""A front that creeps, against shortest paths and circles."""

import io
from pathlib import Path

import numpy as np
import pytest
import trimesh
from plyfile import PlyData
from pxr import Usd, UsdGeom
from pygltflib import GLTF2
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from hotgravel.core.exchange.take import take_of, wish
from hotgravel.core.exchange.writers import WRITERS
from hotgravel.core.matter.drape import LEFT, draped
from hotgravel.core.matter.front.skin import crept, skin_of
from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.execute import execute
from hotgravel.core.run.world import beside, build
from hotgravel.core.shape.mesh import mesh_of
from hotgravel.core.shape.welding import in_parts
from hotgravel.core.shot.document import load
from hotgravel.core.shot.props import Box
from tests.conftest import play
from tests.core.matter.front.scenes import BOARD, MIDDLE, burning, front
from tests.core.matter.rigid.scenes import prop, scene
from tests.core.matter.soft.scenes import cloth


def test_it_comes_by_the_shortest_path():
    skin = skin_of(*in_parts(*map(np.asarray, mesh_of(Box(width=1, height=0.5, depth=0.7))[:2]), 12), 1.0, 0.2, False)
    n = len(skin.place)
    rate = np.random.default_rng(3).uniform(0.2, 1.0, n)
    arrived, gone = np.full(n, -1.0), np.zeros(n)
    arrived[5], dt, steps = 0.0, 0.07, 14
    for _ in range(steps):
        crept(skin.ends, skin.near, skin.off, rate, arrived, gone, np.ones(n, bool), dt)
    rows = np.repeat(np.arange(n), np.diff(skin.ends))
    wanted = dijkstra(csr_matrix((skin.off / rate[rows], (rows, skin.near)), shape=(n, n)), indices=5)
    there = arrived >= 0.0
    assert (there == (wanted <= dt * steps)).all()
    assert 0.2 < there.mean() < 1.0
    assert dt * steps - arrived[there] == pytest.approx(wanted[there], abs=1e-9)


def test_on_a_plane_it_is_a_circle():
    made = burning(front(burns=None))
    p = made.last
    away = np.linalg.norm(p.position[:, [0, 2]], axis=1)
    reached = p.arrived >= 0.0
    second = 0.5  # m: half a metre a second, for a second
    assert away[reached].max() == pytest.approx(second, rel=0.1)
    assert away[~reached].min() > 0.9 * second
    turn = np.arctan2(p.position[:, 2], p.position[:, 0])
    rim = [away[reached & (np.abs(turn - way) < 0.2)].max() for way in np.linspace(-2.9, 2.9, 12)]
    assert np.ptp(rim) < 0.15 * second


def test_it_stays_on_its_skin_or_goes_over_gaps():
    two = np.array([[x, y, z] for y in (0, 0.05) for x in (0, 1) for z in (0, 1)], float)
    faces = np.array([[0, 1, 3], [0, 3, 2], [4, 5, 7], [4, 7, 6]])
    for gaps in (False, True):
        skin = skin_of(*in_parts(two, faces, 10), 1.0, 0.2, gaps)
        n = len(skin.place)
        arrived, gone = np.full(n, -1.0), np.zeros(n)
        arrived[0] = 0.0
        for _ in range(50):
            crept(skin.ends, skin.near, skin.off, np.ones(n), arrived, gone, np.ones(n, bool), 0.05)
        assert (arrived[skin.place[:, 1] == skin.place[0, 1]] >= 0.0).all()
        assert (arrived[skin.place[:, 1] != skin.place[0, 1]] >= 0.0).all() == gaps


def test_what_is_eaten_is_cut_out_along_a_clean_rim():
    made = burning(front(burns=0.5))
    kept = {name: getattr(made.last, name) for name in ("vertex", "position", "velocity", "colour", "left")}
    cut = draped(made.world.solvers["front"].meshes()[0], kept)
    a, b, c = (cut["vertices"][cut["faces"][:, n]].astype(float) for n in range(3))
    area = 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)
    # Where the front came so long ago that a tenth is left: a circle that is as much smaller.
    hole = 0.5 * (1.0 - (1.0 - LEFT) * 0.5)
    assert area.min() > 0.0
    assert 4.0 - area.sum() == pytest.approx(np.pi * hole**2, rel=0.05)
    away = np.linalg.norm(cut["vertices"][:, [0, 2]], axis=1)
    assert away.min() == pytest.approx(hole, abs=0.03)


def test_files_tell_when_it_came_and_end_where_it_has_eaten(tmp_path):
    shot = scene([prop("board", BOARD, (0, 1, 0)), MIDDLE], [front(burns=0.5)], 25, forces=[])
    execute(build(load(shot), beside(tmp_path)), tmp_path)
    take = take_of(tmp_path, beside(tmp_path))
    files = {
        kind: next(s for s in WRITERS[kind][1](take, wish([25])) if s)[1] for kind in ("ply", "gltf", "obj", "usd")
    }
    rim = PlyData.read(io.BytesIO(files["ply"]))["vertex"]
    near = np.hypot(rim["x"], rim["z"]) < 0.3
    assert 0 < near.sum() < 0.2 * len(near)
    assert rim["arrived"][near] == pytest.approx((1.0 - LEFT) * 0.5, abs=0.06)  # seconds ago
    assert (rim["arrived"] < 0.0).any()  # it has not come everywhere
    glb = GLTF2.load_from_bytes(files["gltf"])
    told = next(m for m in glb.meshes if m.name == "board" and m.primitives[0].attributes.COLOR_0 is not None)
    assert glb.accessors[told.primitives[0].attributes._ARRIVED].count == len(near)
    # The board lies still: where each corner is at rest, and on a texture, follows from where it is.
    place = np.stack([rim[n] for n in "xyz"], axis=1)
    assert np.stack([rim[n] for n in ("rx", "ry", "rz")], axis=1) == pytest.approx(place - [0, 1, 0], abs=1e-5)
    flat = np.stack([0.5 + place[:, 0] / BOARD["width"], 0.5 - place[:, 2] / BOARD["depth"]], axis=1)
    assert np.stack([rim["s"], rim["t"]], axis=1) == pytest.approx(flat, abs=1e-5)
    board = trimesh.load_scene(io.BytesIO(files["obj"]), file_type="obj", split_objects=True).geometry["board"]
    assert board.visual.uv[:, 0] == pytest.approx(0.5 + board.vertices[:, 0] / BOARD["width"], abs=1e-4)
    assert board.visual.uv[:, 1] == pytest.approx(0.5 - board.vertices[:, 2] / BOARD["depth"], abs=1e-4)
    (tmp_path / "it.usdc").write_bytes(files["usd"])
    stage = Usd.Stage.Open(str(tmp_path / "it.usdc"))
    mesh = UsdGeom.PrimvarsAPI(stage.GetPrimAtPath("/shot/front/board"))
    assert np.array(mesh.GetPrimvar("st").Get(25)) == pytest.approx(flat, abs=1e-5)
    assert len(mesh.GetPrimvar("rest").Get(25)) == glb.accessors[told.primitives[0].attributes.TEXCOORD_0].count


def test_it_warms_cools_and_fires_cues():
    cue = {
        "kind": "cue",
        "id": "chars",
        "when": {"kind": "reached", "time": 0.25},
        "then": {"kind": "enter", "state": "char"},
    }
    char = {"kind": "state", "id": "char", "name": "char", "of": "front"}
    props = [prop("board", BOARD, (0, 1, 0)), MIDDLE]
    shot = scene(props, [front(heat=620, cooling=0.5, burns=None), char], 25, forces=[], cues=[cue])
    made = play(shot, "rough", matter="front")
    p = made.last
    since = np.maximum(p.arrived, 0.0)
    wanted = np.where(p.arrived >= 0.0, 20.0 + 600.0 * np.exp(-since / 0.5), 20.0)
    assert p.temperature == pytest.approx(wanted)
    assert set(made.events.particle) == set(p.id[p.arrived >= 0.25])


def test_a_leaf_that_it_comes_to_gets_as_hot_and_lets_go():
    leaf = prop("leaf", {"kind": "plane", "width": 0.8, "depth": 0.8}, (0, 1.01, 0))
    cue = {"kind": "cue", "id": "lets-go", "when": {"kind": "hotter", "temperature": 400}, "then": {"kind": "unpin"}}
    rows = [front(burns=None, warms=0.06, heat=700.0), cloth("leaf", segments=16, begins="held")]
    shot = scene([prop("board", BOARD, (0, 1, 0)), leaf, MIDDLE], rows, 13, forces=[], cues=[cue])
    made = play(shot, "rough", matter="soft")
    off = np.hypot(*made.last.rest[:, [0, 2]].T)
    come = 0.5 * 12 / 24 + 0.03  # m: at its speed, from the rim of the spark
    hot = made.last.temperature > 400.0
    assert made.last.temperature[off > come + 0.06].max() == 20.0
    assert hot[off < come - 0.06].all()
    assert (made.last.pinned[hot] == 0).mean() > 0.9  # cues look once a frame
    assert (made.last.pinned[~hot] > 0).all()


def test_what_will_not_burn_is_told():
    for row, check in ((front(lit=None), "not lit"), (front(reach=0.01), "reaches nothing")):
        shot = load(scene([prop("board", BOARD, (0, 1, 0)), MIDDLE], [row], 2))
        assert check in {f.check for f in findings(shot, build(shot, beside(Path())))}
