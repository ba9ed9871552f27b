"""Bonds at work: lumps move as one, break where theory has it, and give on what they had."""

import json
from pathlib import Path

import numpy as np
import pytest
from pxr import Usd, UsdGeom
from scipy.spatial.transform import Rotation

from hotgravel.core.exchange.table import write_csv
from hotgravel.core.exchange.take import take_of, wish
from hotgravel.core.exchange.writers import WRITERS
from hotgravel.core.matter.rigid.holding import after
from hotgravel.core.matter.rigid.lumps import Forces, lumps_of, movers_of
from hotgravel.core.picture.camera import View
from hotgravel.core.picture.still import Painter
from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.execute import execute, threads
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.story import story_of
from hotgravel.core.run.world import beside
from hotgravel.core.shot.faults import ShotFault
from tests.conftest import GRAVITY, GROUND, document, play
from tests.core.run.test_execute import bytes_of

DOWN = GRAVITY | {"direction": [0, -1, 0]}
PLANK = {"kind": "prop", "id": "plank", "name": "plank", "position": [0, 3, 0],
         "shape": {"kind": "box", "width": 4, "height": 0.4, "depth": 0.5}}  # fmt: skip
CUT = {"kind": "cut", "id": "cut", "prop": "plank", "manner": {"kind": "random", "pieces": 40}}
SLABS = CUT | {"manner": {"kind": "layers", "axis": [1, 0, 0], "layers": 16, "uneven": 0}}
END = {"kind": "zone", "id": "end", "name": "end", "shape": {"kind": "block", "at": [-2, 3, 0], "size": [0.4, 2, 2]},
       "edge": 0}  # fmt: skip
HAMMER = {"kind": "prop", "id": "hammer", "name": "hammer", "position": [1.5, 4, 0],
          "shape": {"kind": "sphere", "radius": 0.2}}  # fmt: skip
STRONG = {"kind": "strong", "tension": 1e6, "shear": 2e6, "stiffness": 5e9}


def cue(frame, then, **more):
    return {"kind": "cue", "id": f"at-{frame}", "when": {"kind": "at_frame", "frame": frame}, "then": then} | more


def film(set_=(), rigid=None, bonds=None, forces=(), cues=(), last=25, more=(), quality="rough"):
    body = {"kind": "rigid", "id": "body", "prop": "plank", "density": 2400, "copies": {"kind": "pieces"}}
    glue = {"kind": "bonds", "id": "bonds", "prop": "plank", "hold": {"kind": "glued"}, "spread": 0}
    landing = {"kind": "collision", "id": "landing", "props": ["ground"]}
    made = document(
        set=[GROUND, PLANK, *(set_ or [CUT])], matter=[body | (rigid or {}), glue | (bonds or {}), landing, *more],
        supply=[], forces=list(forces), cues=list(cues), finish={"last": last},
    )  # fmt: skip
    return play(made, quality, matter="rigid")


def test_a_lump_falls_spins_and_lands_as_one_body():
    spin = cue(1, {"kind": "spin", "rate": 90, "axis": [0, 1, 0]}, second={"kind": "kick", "speed": 2, "aim": {
        "kind": "toward", "direction": [0, 1, 0], "cone": 0}})  # fmt: skip
    made = film(forces=[DOWN], cues=[spin], last=13)
    t, b = 12 / 24, made.frames[13]
    centre = (b.mass[:, None] * b.position).sum(axis=0) / b.mass.sum()
    assert centre == pytest.approx([0, 3 + 2 * t - 9.81 / 2 * t**2, 0], abs=1e-9)
    assert b.spin == pytest.approx(np.tile([0, np.pi / 2, 0], (len(b), 1)), abs=1e-6)
    first = made.frames[1]
    apart = [np.linalg.norm(f.position[:, None] - f.position, axis=2) for f in (first, b)]
    assert apart[0] == pytest.approx(apart[1], abs=1e-9)  # no piece moves against another


def moments(movers):
    """Momentum, angular momentum about the origin, and energy of motion of what moves."""
    turned = Rotation.from_quat(movers.turn).as_matrix()
    own = np.einsum("nij,nj,nkj,nk->ni", turned, movers.inertia, turned, movers.spin)
    momentum = movers.mass[:, None] * movers.velocity
    angular = (own + np.cross(movers.place, momentum)).sum(axis=0)
    return momentum.sum(axis=0), angular, 0.5 * (momentum * movers.velocity).sum() + 0.5 * (own * movers.spin).sum()


def test_a_lump_that_splits_keeps_its_momentum_and_its_energy():
    spin = cue(1, {"kind": "spin", "rate": 400, "axis": [1, 3, 2]}, second={"kind": "kick", "speed": 7})
    made = film(cues=[spin], last=4)
    bodies, solver = made.last, made.world.solvers["rigid"]
    pairs = solver.bonds.pairs
    near = (bodies.position[pairs, 0] < 0).all(axis=1)
    nothing = np.zeros(len(bodies))
    forces = Forces(*(np.zeros((len(bodies), 3)), nothing) * 2, np.zeros((len(bodies), 3)))
    told = [
        moments(movers_of(lumps_of(bodies, bonded), bodies, solver.inertia(bodies), forces, 0.01))
        for bonded in (pairs, pairs[near], pairs[:0])  # whole, half of it apart, all apart
    ]
    for momentum, angular, energy in told[1:]:
        assert momentum == pytest.approx(told[0][0], rel=1e-9, abs=1e-9 * np.abs(told[0][0]).max())
        assert angular == pytest.approx(told[0][1], rel=1e-9, abs=1e-9 * np.abs(told[0][1]).max())
        assert energy == pytest.approx(told[0][2], rel=1e-9)


@pytest.mark.parametrize(("share", "stands"), [(0.95, True), (1.05, False)])
@pytest.mark.parametrize(("deep", "off"), [(1, 1e-3), (6, 0.02)])
def test_a_cantilever_breaks_at_its_root_where_the_moment_over_the_section_passes_the_strength(
    deep, off, share, stands
):
    # M = w L^2 / 2 at the first joint beside what is anchored, W = b h^2 / 6 (Timoshenko, part I).
    free, section = 4 * 15 / 16, 0.5 * 0.4**2 / 6
    density = 1e6 * section / (9.81 * 0.5 * 0.4 * free**2 / 2)
    finer = CUT | {"id": "deep", "manner": {"kind": "layers", "axis": [0, 1, 0], "layers": deep, "uneven": 0}}
    made = film(
        set_=[SLABS, END] + [finer] * (deep > 1), forces=[DOWN], last=3, rigid={"density": share * density},
        bonds={"hold": STRONG, "support": {"kind": "in_zone", "zone": "end"}},
    )  # fmt: skip
    assert (made.last.lost.sum() == 0) == stands
    if stands:
        assert made.last.load.max() == pytest.approx(share, rel=off)
    else:
        root = made.last.position[:, 0] < -1.7
        assert (made.last.lost[root] > 0).any()


@pytest.mark.parametrize(("share", "stands"), [(0.95, True), (1.05, False)])
def test_a_bar_in_tension_breaks_at_its_weakest_section(share, stands):
    # It hangs along x from its end. A fifth of the strength is left between 0.25 and 0.5 m: 1.75 m hang on that.
    weak = END | {"id": "weak", "name": "weak", "shape": {"kind": "block", "at": [0.375, 3, 0], "size": [0.2, 2, 2]}}
    made = film(
        set_=[SLABS, END, weak], forces=[GRAVITY | {"direction": [1, 0, 0]}], last=2,
        rigid={"density": share * 0.2e6 / (9.81 * 1.75)},
        bonds={"hold": STRONG, "strength": {"kind": "within", "zone": "weak", "inside": 0.2, "outside": 1.0},
               "support": {"kind": "in_zone", "zone": "end"}},
    )  # fmt: skip
    lost = np.sort(made.last.position[made.last.lost > 0][:, 0])
    assert lost == pytest.approx([] if stands else [0.125, 0.375], abs=0.05)


def test_a_strength_that_falls_lets_it_break_when_it_passes_the_load():
    section = 0.5 * 0.4**2 / 6
    half = 0.5 * 1e6 * section / (9.81 * 0.5 * 0.4 * (4 * 15 / 16) ** 2 / 2)  # it bears half its strength
    falls = {
        "kind": "keys",
        "keys": [{"frame": 1, "value": 1, "ease": "linear"}, {"frame": 21, "value": 0, "ease": "linear"}],
    }
    made = film(
        set_=[SLABS, END], forces=[DOWN], last=14, rigid={"density": half},
        bonds={"hold": STRONG, "strength": falls, "support": {"kind": "in_zone", "zone": "end"}},
    )  # fmt: skip
    whole = [f.lost.sum() == 0 for f in made.frames.values()]
    assert whole[:10] == [True] * 10  # up to frame 10 it has 0.55 of its strength, at frame 12 it has 0.45
    assert not whole[11]


def test_held_pieces_do_not_move_a_bit_and_go_on_as_their_prop_moved():
    slide = {
        "kind": "keys",
        "keys": [{"frame": 1, "value": 0, "ease": "linear"}, {"frame": 25, "value": 2, "ease": "linear"}],
    }
    made = film(set_=[CUT], rigid={"begins": "held"}, forces=[DOWN], last=9)
    assert (made.last.position == made.frames[1].position).all()
    keyed = document(
        set=[GROUND, PLANK | {"position": [slide, 3, 0]}, CUT],
        matter=[{"kind": "rigid", "id": "body", "prop": "plank", "copies": {"kind": "pieces"}, "begins": "following"},
                {"kind": "bonds", "id": "bonds", "prop": "plank", "hold": {"kind": "glued"}}],
        supply=[], cues=[cue(12, {"kind": "unpin"})], finish={"last": 20},
    )  # fmt: skip
    b = play(keyed, "rough", matter="rigid").last
    assert b.velocity == pytest.approx(np.tile([2.0, 0, 0], (len(b), 1)), abs=0.05)  # 2 m in 24 frames of 1/24 s


def hammered(**bonds):
    """A plank anchored at its left end, struck at the other."""
    body = {"kind": "rigid", "id": "blow", "prop": "hammer", "density": 7900}
    push = cue(
        2, {"kind": "kick", "speed": 12, "aim": {"kind": "toward", "direction": [0, -1, 0], "cone": 0}}, source="blow"
    )
    return {
        "set_": [CUT, END | {"shape": END["shape"] | {"size": [1.2, 2, 2]}}, HAMMER], "more": [body], "forces": [DOWN], "cues": [push], "last": 12,
        "bonds": {"hold": STRONG | {"tension": 4e6, "shear": 8e6}, "support": {"kind": "in_zone", "zone": "end"}} | bonds,
    }  # fmt: skip


def test_a_blow_breaks_what_it_meets_and_is_passed_on_to_it():
    made = film(**hammered())
    struck = made.last.source == made.world.setting.shot.origins.index(made.world.setting.shot.rigid[1])
    pieces = ~struck
    assert made.last.lost[pieces].sum() > 0
    assert (made.last.supported[pieces] > 0).any()  # the anchored end still stands
    gone = pieces & (made.last.supported == 0)
    assert made.last.velocity[gone, 1].min() < -2.0
    assert made.last.velocity[struck, 1][0] < 0.0  # it goes on downward: it has not hit a wall
    unhurt = film(**hammered(strength=500.0))
    assert unhurt.last.lost.sum() == 0
    assert unhurt.last.velocity[struck, 1][0] > -4.0


def test_pieces_at_a_hundred_metres_a_second_do_not_pass_a_thin_wall():
    wall = {"kind": "prop", "id": "wall", "name": "wall", "position": [5, 3, 0], "shape": {"kind": "box", "width": 0.05, "height": 90, "depth": 90}}  # fmt: skip
    push = cue(1, {"kind": "kick", "speed": 100, "aim": {"kind": "toward", "direction": [1, 0, 0], "cone": 0}})
    met = {"kind": "collision", "id": "met", "props": ["wall"]}
    made = film(set_=[CUT, wall], cues=[push], more=[met], bonds={"hold": STRONG}, last=9)
    assert made.last.position[:, 0].max() < 5.0
    assert made.last.lost.sum() > 0


@pytest.fixture(scope="module")
def run(tmp_path_factory):
    """The blow as a run, with its world."""
    folder, world = tmp_path_factory.mktemp("blow"), film(**hammered()).world
    execute(world, folder)
    return folder, world


def test_a_break_is_resumed_to_the_same_bytes_with_any_number_of_threads(run, tmp_path):
    folder, world = run
    told: list[int] = []
    execute(world, tmp_path / "cut", landed=lambda f, g: told.append(f), cancelled=lambda: len(told) >= 5)
    anew = film(**hammered() | {"last": 2}).world.setting.shot.finish.last  # other factors are at hand meanwhile
    assert anew == 2
    execute(film(**hammered()).world, tmp_path / "cut", resume=True)
    assert bytes_of(tmp_path / "cut") == bytes_of(folder)
    for many in (1, 2):
        assert threads(many) == many
        execute(world, tmp_path / str(many))
        assert bytes_of(tmp_path / str(many)) == bytes_of(folder)


def test_every_released_piece_knows_why(run):
    folder, world = run
    store, shot = FrameStore(folder), world.setting.shot
    bodies = store.elements(12, "rigid")
    gone = bodies["id"][(bodies["supported"] == 0) & (bodies["source"] == bodies["source"][0])]
    assert len(gone) > 5
    for body in gone[:: max(1, len(gone) // 6)].tolist():
        said = " ".join(reason.text for reason in story_of(shot, store, body, 12).chain)
        assert "hit by body" in said or "in tension" in said or "in shear" in said
    for frame in store.frames():
        broken = store.record(frame, "breaks", ("bore", "strength"))
        assert (broken["bore"] >= 0.99 * broken["strength"]).all()


def test_bonds_are_handed_over_with_names_that_say_prop_and_piece(run, tmp_path):
    folder, _ = run
    take = take_of(folder, beside(Path()))
    files = dict(write_csv(take, wish(range(1, 13))))
    bonds = next(data for name, data in files.items() if "bonds" in name).decode().splitlines()
    bodies = next(data for name, data in files.items() if "rigid" in name).decode()
    assert "bore [MPa]" in bonds[0]
    assert len(bonds) > 5
    assert "plank piece 1," in bodies
    assert "hammer," in bodies
    ((_, whole),) = (step for step in WRITERS["gltf"][1](take, wish((12,))) if step)
    told = json.loads(whole[20 : 20 + int.from_bytes(whole[12:16], "little")])
    materials = {material["name"] for material in told["materials"]}
    assert {"plank piece 1", "plank piece 1 inside", "hammer"} <= materials
    pieces = [mesh for mesh in told["meshes"] if mesh["name"].startswith("plank piece")]
    assert [len(mesh["primitives"]) for mesh in pieces] == [2] * len(pieces)
    ((_, lines),) = (step for step in WRITERS["obj"][1](take, wish((12,))) if step)
    assert lines.count(b"g inside") == lines.count(b"g skin") == 40
    ((_, stage),) = (step for step in WRITERS["usd"][1](take, wish((12,))) if step)
    (tmp_path / "run.usd").write_bytes(stage)
    opened = Usd.Stage.Open(str(tmp_path / "run.usd"))
    piece = next(p for p in opened.TraverseAll() if p.IsA(UsdGeom.Mesh) and p.GetName() == "plank_piece_1")
    (inside,) = UsdGeom.Subset.GetAllGeomSubsets(UsdGeom.Imageable(piece))
    faces = len(UsdGeom.Mesh(piece).GetFaceVertexCountsAttr().Get())
    assert inside.GetPrim().GetName() == "inside"
    assert 0 < len(inside.GetIndicesAttr().Get()) < faces


def test_preflight_and_the_finished_run_tell_what_holds():
    def told(**more):
        world = film(**{"last": 2} | more).world
        return [f for f in findings(world.setting.shot, world) if f.row == "bonds"]

    assert told(forces=[DOWN])[0].message == "Nothing holds plank: all of it will fall at frame 1."
    nowhere = END | {"shape": END["shape"] | {"at": [0, 9, 0]}}
    held = {"hold": STRONG, "support": {"kind": "in_zone", "zone": "end"}}
    assert "No piece of plank lies there" in told(set_=[SLABS, nowhere], bonds=held)[0].message
    weak = {"hold": STRONG | {"tension": 2e5}, "support": held["support"]}
    heavy = told(set_=[SLABS, END], forces=[DOWN], bonds=weak)[0]
    assert "it breaks at frame 1" in heavy.message
    grows = {"kind": "response", "attribute": "age", "begin": 0, "end": 1, "low": 1, "high": 9.81}
    assert told(set_=[SLABS, END], forces=[DOWN | {"strength": grows}], bonds=weak)[0].message == heavy.message
    better = heavy.remedy.act(film(set_=[SLABS, END], bonds=weak, last=1).world.setting.shot).shot
    assert [f for f in better.bonds if f.strength > 1.0]
    shot = film(set_=[SLABS, END], bonds=held, last=1).world.setting.shot
    said = next(after(shot, {1: {"greatest_load": 0.0}, 31: {"greatest_load": 0.275}}))
    assert said.message == "Nothing broke: the bond nearest to it bore 0.28 MPa of 1 MPa, at frame 31."
    assert said.remedy.act(shot).shot.bonds[0].strength == pytest.approx(0.25)
    two = shot.model_copy(update={"matter": (*shot.matter, shot.bonds[0].model_copy(update={"id": "more"}))})
    assert "of all bonds, the one nearest to it bore 28 %" in next(after(two, {31: {"greatest_load": 0.275}})).message


def test_pictures_by_load_are_brightest_where_bonds_bear_most(tmp_path):
    made = film(
        set_=[SLABS, END], forces=[DOWN], last=3,
        bonds={"hold": STRONG, "support": {"kind": "in_zone", "zone": "end"}, "strength": 4.0},
    )  # fmt: skip
    execute(made.world, tmp_path)
    view = View(np.array([0.0, 3.0, 7.0]), np.array([0.0, 3.0, 0.0]))
    shown = Painter(made.world, FrameStore(tmp_path), view, by="load").pixels(3, (160, 90)).astype(float)
    light = shown[43:47].mean(axis=(0, 2))  # along the plank
    root, tip = light[38:46].mean(), light[110:118].mean()
    assert root > 2.0 * tip
    assert (np.diff(light[44:110:11]) < 0.0).all()  # it falls from the root on, as the moment does


def test_a_prop_is_swapped_for_its_pieces_without_a_jump():
    whole = PLANK | {"id": "whole", "name": "whole"}
    swap = cue(5, {"kind": "swap", "prop": "whole", "by": "plank"})
    made = film(set_=[CUT, whole], cues=[swap], forces=[DOWN], last=12)
    assert len(made.frames[4]) == 0
    born = made.frames[6] if len(made.frames[6]) else made.frames[7]
    centre = (born.mass[:, None] * born.position).sum(axis=0) / born.mass.sum()
    assert centre == pytest.approx([0, 3, 0], abs=0.02)
    assert made.last.lost.sum() == 0
    assert made.last.speed.std() < 1e-9  # it falls as one


def test_what_cannot_be_bonded_is_told():
    with pytest.raises(ShotFault, match="no body in its pieces"):
        film(rigid={"copies": {"kind": "itself"}})
    with pytest.raises(ShotFault, match="bonds of another row too"):
        film(more=[{"kind": "bonds", "id": "again", "prop": "plank"}])
    for field, value in (("tension", 0), ("shear", float("inf"))):
        with pytest.raises(ShotFault):
            film(bonds={"hold": STRONG | {field: value}})
