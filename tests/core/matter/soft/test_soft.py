"""What is soft, against closed forms of elastic bodies."""

from pathlib import Path

import numpy as np
import pytest
from scipy.integrate import solve_bvp
from scipy.optimize import brentq
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from hotgravel.core.matter.soft.bending import plates_of
from hotgravel.core.matter.soft.grids import filled, held_by, sheet
from hotgravel.core.matter.soft.model import grouped
from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.execute import threads
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from tests.conftest import play
from tests.core.matter.rigid.scenes import DOWN, GRAVITY, UNIT_BOX, body, prop, scene
from tests.core.matter.soft.scenes import SHEET, cloth, draped, jelly, pins

G = GRAVITY["strength"]
STILL = [DOWN, {"kind": "linear_drag", "id": "drag", "rate": 4}]
BLOCK = {"kind": "box", "width": 0.25, "height": 1.0, "depth": 0.25}


@pytest.mark.parametrize("quality", ["rough", "fine"])
def test_a_strip_let_go_swings_about_its_length_under_its_own_weight(quality):
    # About rho g L^2 / 2 E (a bar under its own weight; Timoshenko and Goodier, Theory of Elasticity, article 96), in
    # the time that a wave takes for four lengths (a bar held at one end; Rayleigh, Theory of Sound, article 150).
    stretch, weight, long = 50.0, 0.5, 2.0
    strip = prop("strip", {"kind": "plane", "width": 0.4, "depth": long}, (0, 3, 0), rotation=[90, 0, 0])
    row = cloth("strip", segments=16, weight=weight, stretch=stretch, shear=20.0, bend=0.0, pins="pins", damping=0.0)
    made = draped([strip, pins((0, 4, 0), (1, 0.02, 1))], [row], 81, quality, forces=[DOWN])
    longer = 4.0 - np.array([made.frames[frame].position[:, 1].min() for frame in range(1, 82)]) - long
    exact, period = weight * G * long**2 / (2 * stretch), 4.0 * long / np.sqrt(stretch / weight)
    past = np.flatnonzero((longer[:-1] < exact) & (longer[1:] >= exact))
    times = (past + (exact - longer[past]) / (longer[past + 1] - longer[past])) / 24.0
    assert len(past) == 4
    assert np.diff(times) == pytest.approx([period] * 3, rel=0.02)
    assert longer[: round(24 * 4 * period)].mean() == pytest.approx(exact, rel=0.02)


@pytest.mark.parametrize("segments", [12, 60])
def test_a_sheet_hangs_as_long_however_finely_it_is_divided(segments):
    # By rho g L^2 / 2 E, as above; what each vertex weighs is 25 times less where there are 60 segments.
    hung = prop("sheet", SHEET | {"width": 2, "depth": 2}, (0, 3, 0), rotation=[90, 0, 0])
    row = cloth("sheet", segments=segments, weight=0.3, stretch=2000.0, pins="pins", meets="props")
    made = draped([hung, pins((0, 4, 0), (3, 0.02, 1))], [row], 37, forces=[DOWN])
    longer = 2.0 - np.array([p.position[:, 1].min() for p in made.frames.values()])
    assert longer[12:].mean() == pytest.approx(0.3 * G * 2.0**2 / (2 * 2000.0), rel=0.2)
    assert longer.max() < 0.01


def elastica(load, stiff, long):
    """How far the end of a clamped strip hangs under its own weight: the heavy elastica, by its own equation."""
    s, guess = np.linspace(0, long, 100), np.zeros((2, 100))
    for share in np.linspace(0.1, 1.0, 10):
        slope = lambda s, y: [y[1], -share * load * (long - s) * np.cos(y[0]) / stiff]  # noqa: E731, B023
        guess = solve_bvp(slope, lambda a, b: [a[0], b[1]], s, guess, max_nodes=10_000).sol(s)
    return np.trapezoid(np.sin(guess[0]), s)


@pytest.mark.parametrize("bend", [0.1, 0.01])
def test_a_clamped_strip_bends_as_an_elastica(bend):
    strip = prop("strip", {"kind": "plane", "width": 0.5, "depth": 0.1}, (0, 3, 0))
    sags = []
    for quality, weave in (("rough", "regular"), ("fine", "regular"), ("rough", "alternating")):
        row = cloth("strip", segments=20, weight=0.2, stretch=2000.0, bend=bend, pins="pins", damping=0.02, weave=weave)
        made = draped([strip, pins((-0.2, 3, 0), (0.101, 1, 1))], [row], 49, quality, forces=STILL)
        sags.append(3.0 - made.last.position[:, 1].min())
    assert sags[0] == pytest.approx(elastica(0.2 * G, bend, 0.4), rel=0.12)
    assert sags[1:] == pytest.approx([sags[0]] * 2, rel=0.15)  # steps and diagonals change little


def test_a_sheet_bent_evenly_holds_the_same_whichever_way_its_mesh_runs():
    curve = 0.5
    for weave in ("regular", "alternating", "scattered"):
        place, faces = sheet(1.0, 1.0, 12, weave)
        plates = plates_of(place, faces, 3.0)
        inner = np.repeat((np.abs(place[faces].mean(axis=1)[:, [0, 2]]) < 0.3).all(axis=1), 3)
        for way in np.linspace(0, np.pi, 7):
            bent = place.copy()
            bent[:, 1] = 0.5 * curve * (place @ [np.cos(way), 0, np.sin(way)]) ** 2
            out = (plates.weights[:, :, None] * bent[plates.nodes]).sum(axis=1)
            held = 0.5 * (plates.stiff[:, None] * (plates.curved @ out) ** 2).sum(axis=1)[: len(inner)][inner].sum()
            room = plates.stiff[: len(inner)][inner][::3].sum() / 3.0
            assert held == pytest.approx(0.5 * 3.0 * curve**2 * room, rel=1e-6)


def test_a_chain_of_cloth_is_a_catenary():
    # y = a cosh(x / a) between two ends (Johann Bernoulli 1691; common practice).
    long, apart = 2.0, 1.4
    strip = prop("strip", {"kind": "plane", "width": long, "depth": 0.1}, (0, 3, 0))
    corners = [[0.5 * way * long, 3, 0.05 * side] for way in (-1, 1) for side in (-1, 0, 1)]
    ends = {"kind": "strokes", "points": corners, "radius": 0.02}
    goes = {
        "kind": "keys",
        "keys": [{"frame": 1, "value": 1.0, "ease": "linear"}, {"frame": 25, "value": apart / long}],
    }
    row = cloth("strip", segments=40, weight=0.3, stretch=5e3, bend=0.0, pins="pins", damping=0.01)
    made = draped(
        [strip | {"scale": goes}, pins((0, 0, 0), (1, 1, 1)) | {"shape": ends}], [row], 145, "fair", forces=STILL
    )
    a = brentq(lambda a: 2 * a * np.sinh(apart / (2 * a)) - long, 0.1, 5.0)
    x, y = made.last.position[:, 0], made.last.position[:, 1]
    off = np.abs(y - y.min() - a * (np.cosh(x / a) - 1.0))
    assert np.quantile(off, 0.95) < 0.02 * long  # a few corners beside the pins crumple


def test_a_bar_of_jelly_is_pulled_long_and_thins_by_poissons_ratio():
    stiff, ratio = 1e5, 0.3
    row = jelly("bar", segments=8, stiffness=stiff, squash=ratio, pins="pins", damping=0.01)
    made = draped([prop("bar", BLOCK, (0, 3, 0)), pins((0, 3.5, 0), (1, 0.02, 1))], [row], 37, "fair", forces=STILL)
    rest, at = made.last.rest, made.last.position
    longer = 3.5 - at[:, 1].min() - 1.0
    assert longer == pytest.approx(1000 * G / (2 * stiff), rel=0.08)
    middle = np.abs(rest[:, 1]) < 0.2
    along = np.polyfit(rest[middle, 1], at[middle, 1], 1)[0] - 1.0
    across = np.polyfit(rest[middle, 0], at[middle, 0], 1)[0] - 1.0
    assert -across / along == pytest.approx(ratio, rel=0.1)


def test_a_bar_of_jelly_swings_as_long_as_a_rod_does():
    # A rod fixed at one end: f = sqrt(E / rho) / 4 L along itself (Timoshenko, Vibration Problems in Engineering).
    stiff, long = 4e4, 1.0
    row = jelly("bar", segments=12, stiffness=stiff, squash=0.0, pins="pins", damping=0.0)
    made = draped([prop("bar", BLOCK, (0, 3, 0)), pins((0, 3.5, 0), (1, 0.02, 1))], [row], 43, "fair", forces=[DOWN])
    low = np.array([p.position[:, 1].min() for p in made.frames.values()])
    turns = np.flatnonzero(np.diff(np.sign(np.diff(low))) != 0)
    half = np.diff(turns).mean() / 24.0
    assert 0.5 / half == pytest.approx(np.sqrt(stiff / 1000.0) / (4.0 * long), rel=0.05)


def test_a_clamped_bar_of_jelly_bends_as_euler_and_bernoulli_found_the_better_the_more_blocks_it_has():
    # w L^4 / 8 E I, and for its shear w L^2 / 2 k G A with k = 5/6 (Timoshenko, Strength of Materials, part I).
    stiff, long, thick, down = 5e5, 0.4, 0.1, 5.0
    bar, load = prop("bar", {"kind": "box", "width": long, "height": thick, "depth": thick}, (0, 3, 0)), 1000 * down
    exact = 1.5 * load * long**4 / (stiff * thick**2) + 1.2 * load * long**2 / stiff
    sags = []
    for segments in (8, 16):
        row = jelly("bar", segments=segments, stiffness=stiff, squash=0.0, pins="pins", damping=0.02, meets="props")
        made = draped(
            [bar, pins((-long / 2, 3, 0), (0.002, 1, 1))], [row], 25, forces=[DOWN | {"strength": down}, STILL[1]]
        )
        sags.append((3.0 - made.last.position[made.last.rest[:, 0] > 0.49 * long, 1].mean()) / exact)
    assert 0.5 < sags[0] < sags[1]
    assert sags[1] == pytest.approx(1.0, abs=0.15)


def test_jelly_as_stiff_as_a_tyre_holds_still_where_it_is_clamped():
    bar = prop("bar", {"kind": "box", "width": 0.5, "height": 0.1, "depth": 0.1}, (0, 3, 0))
    row = jelly("bar", segments=12, stiffness=5e6, squash=0.45, pins="pins", meets="props")
    made = draped([bar, pins((-1.05, 3, 0), (1.8, 1, 1))], [row], 13, forces=STILL)
    assert made.last.speed.max() < 0.1  # 50 m/s where small steps are too long for so stiff a thing


def test_what_gives_for_good_stays_pressed_and_keeps_its_volume():
    weight = {
        "kind": "keys",
        "keys": [{"frame": 1, "value": 60.0}, {"frame": 20, "value": 60.0}, {"frame": 21, "value": 0.0}],
    }
    block = prop("block", {"kind": "box", "width": 0.4, "height": 0.4, "depth": 0.4}, (0, 0.21, 0))
    high, volume = {}, {}
    for gives in (1.0, 0.05):
        row = jelly("block", stiffness=5e4, gives=gives, damping=0.05)
        down = DOWN | {"strength": weight}
        made = draped([block], [row], 49, forces=[down, {"kind": "linear_drag", "id": "drag", "rate": 4}])
        high[gives] = np.ptp(made.last.position[:, 1])
        tets = made.world.solvers["soft"].model.tets.nodes
        x = made.last.position
        volume[gives] = np.abs(np.linalg.det(x[tets[:, 1:]] - x[tets[:, :1]])).sum() / 6.0
    assert high[1.0] == pytest.approx(0.4, abs=0.04)
    assert high[0.05] < 0.9 * high[1.0]
    assert volume[0.05] == pytest.approx(0.4**3, rel=0.05)


def test_thrown_up_it_flies_as_a_whole_and_loses_no_momentum():
    block = prop("block", {"kind": "box", "width": 0.4, "height": 0.4, "depth": 0.4}, (0, 5, 0), rotation=[20, 30, 0])
    made = draped([block], [jelly("block")], 13)
    mass = made.last.mass
    middle = (mass[:, None] * made.last.position).sum(axis=0) / mass.sum()
    assert middle[[0, 2]] == pytest.approx([0.0, 0.0], abs=1e-6)
    assert 5.0 - middle[1] == pytest.approx(0.5 * G * 0.5**2, rel=0.05)  # half a second
    assert made.last.velocity == pytest.approx(np.tile([0.0, -0.5 * G, 0.0], (len(mass), 1)), abs=1e-6)


def test_energy_never_grows_where_nothing_gives_any_and_dies_away():
    # What is stretched holds some too, never less than nothing: so motion and height together never pass the start.
    flag = prop("flag", SHEET, (0, 3, 0))
    bar = prop("bar", BLOCK, (3, 3, 0), rotation=[0, 0, 70])
    rows = [cloth("flag", pins="pins", damping=0.01), jelly("bar", pins="pins", stiffness=2e5, damping=0.01)]
    made = draped([flag, bar, pins((-0.5, 3, 0), (0.05, 1, 2))], rows, 73, forces=[DOWN])
    held = [(p.mass * (0.5 * p.speed**2 + G * p.position[:, 1])).sum() for p in made.frames.values()]
    at_first = held[0] - held[-1]
    assert max(held) - held[0] < 1e-6 * at_first
    assert at_first > 0.0


def test_cloth_lies_on_a_ball_and_on_the_ground_and_nothing_is_in_them():
    ball = prop("ball", {"kind": "sphere", "radius": 0.5}, (0, 0.5, 0))
    row = cloth("sheet", segments=24, thickness=0.02, stretch=5000.0, damping=0.01)
    made = draped([ball, prop("sheet", SHEET | {"width": 2, "depth": 2}, (0, 1.4, 0))], [row], 49,
                  landing={"props": ["ground", "ball"]})  # fmt: skip
    for p in made.frames.values():
        off = np.linalg.norm(p.position - [0, 0.5, 0], axis=1) - 0.5
        assert min(off.min(), p.position[:, 1].min()) > 0.01 - 0.002  # a tenth of its thickness
    assert made.last.position[:, 1].max() > 0.99
    assert made.last.stretch.max() < 0.15
    assert np.median(made.last.stretch) < 0.02
    assert made.last.speed.mean() < 0.2


def test_a_sheet_that_has_fallen_on_a_smooth_ball_is_stretched_by_little_more_than_its_weight_and_presses_by_that():
    """0.3 %: what hangs, over the girth and the stiffness of what lies on top."""
    ball = prop("ball", {"kind": "sphere", "radius": 0.4}, (0, 1.2, 0))
    drag = {"kind": "linear_drag", "id": "air", "rate": 3}
    row = cloth("sheet", segments=40, meets="props", weight=0.3, stretch=2000.0, friction=0.0)
    made = draped([ball, prop("sheet", SHEET | {"width": 2, "depth": 2}, (0, 2.7, 0))], [row], 61,
                  landing={"props": ["ball"]}, forces=[DOWN, drag])  # fmt: skip
    p, top, weight = made.last, np.linalg.norm(made.last.rest, axis=1) < 0.3, 0.3 * 4 * 9.81
    off = p.position - [0, 1.2, 0]
    out = off / np.linalg.norm(off, axis=1)[:, None]
    assert np.median(np.linalg.norm(off, axis=1)[top]) < 0.41
    assert p.stretch[top].mean() < 4.0 * weight / (2 * np.pi * 0.3) / 2000.0
    assert weight < (p.pressure * 0.05**2 * out[:, 1]).sum() < 1.4 * weight


@pytest.mark.parametrize(("size", "turn"), [((0.4, 0.4, 0.4), 20), ((0.06, 0.06, 1.0), 0), ((0.05, 0.4, 0.05), 30)],
                         ids=["box", "rail", "post"])  # fmt: skip
def test_edges_hardly_show_through_cloth_and_no_post_comes_between_its_vertices(size, turn):
    """In segments of 62 mm. Met at vertices alone, edges come 13 to 25 mm deep, 1 to 7 % of the cloth is over 3 mm
    deep in them, and the sheet falls past the post."""
    shape, at = dict(zip(("width", "height", "depth"), size, strict=True)), np.array([0.013, 0.4, 0.017])
    block = prop("block", {"kind": "box", **shape}, at.tolist(), rotation=[0, turn, 0])
    row = cloth("sheet", segments=16, meets="props", damping=0.02)
    made = draped([block, prop("sheet", SHEET, (0, 0.7, 0))], [row], 31, landing={"props": ["block"]})
    faces, sixths = sheet(1.0, 1.0, 16, "alternating")[1], [(i, j, 6 - i - j) for i in range(7) for j in range(7 - i)]
    for frame in (20, 31):
        points = np.einsum("sk,tkc->stc", np.array(sixths) / 6, made.frames[frame].position[faces]).reshape(-1, 3)
        local = Rotation.from_euler("y", -turn, degrees=True).apply(points - at)
        deep = (0.5 * np.array(size) - np.abs(local)).min(axis=1)
        assert deep.max() < 0.008
        assert (deep > 0.003).mean() < 2e-3
        assert points[:, 1].max() > 0.4 + 0.5 * size[1]


def crossings(place, faces):
    """How many pairs of an edge and a triangle there are that it goes through."""
    edges = np.unique(np.sort(faces[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1), axis=0)
    middles, ends = place[faces].mean(axis=1), place[edges]
    reach = (
        np.linalg.norm(place[faces] - middles[:, None], axis=2).max()
        + np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).max()
    )
    near = cKDTree(ends.mean(axis=1)).query_ball_tree(cKDTree(middles), reach)
    e = np.repeat(np.arange(len(edges)), [len(of) for of in near])
    t = np.concatenate([np.array(of, int) for of in near])
    apart = (edges[e][:, :, None] != faces[t][:, None, :]).all(axis=(1, 2))
    e, t = e[apart], t[apart]
    a, b, c = (place[faces[t, n]] for n in range(3))
    sides = np.stack([ends[e, 1] - ends[e, 0], a - b, a - c], axis=2)
    whole = np.abs(np.linalg.det(sides)) > 1e-14
    share = np.linalg.solve(sides[whole], (a - ends[e, 0])[whole][..., None])[..., 0]
    inside = (share > 0.0).all(axis=1) & (share[:, 0] < 1.0) & (share[:, 1] + share[:, 2] < 1.0)
    return int(inside.sum())


def test_a_sheet_that_falls_in_a_heap_never_goes_through_itself_and_lies_still():
    upright = prop("sheet", SHEET, (0, 0.75, 0), rotation=[85, 0, 35])
    made = draped([upright], [cloth("sheet", segments=24, thickness=0.01, damping=0.01)], 49)
    _, faces = sheet(1.0, 1.0, 24, "alternating")
    assert not any(crossings(p.position, faces) for p in made.frames.values())
    assert made.last.position[:, 1].max() > 0.06  # it lies in layers
    assert made.last.speed.mean() < 0.05  # and has come to rest


def test_sheets_that_come_down_together_fast_lie_on_each_other_not_in_each_other():
    # At 7.7 m/s both reach the ground within one small step, in which neither comes nearer to the other by itself.
    props = [prop("low", SHEET, (0, 3, 0)), prop("high", SHEET, (0, 3.01, 0), rotation=[0, 20, 0])]
    made = draped(props, [cloth(name, segments=6, thickness=0.004, damping=0.01) for name in ("low", "high")], 30)
    above = made.last.position[made.last.source == 1, 1]
    assert above.min() > made.last.position[made.last.source == 0, 1].max() + 0.8 * 0.004


def crushed(to, **row):
    """A sheet of a metre in a hollow that shrinks to a share of itself within a second, and whether it ever crosses."""
    shrinks = {"kind": "keys", "keys": [{"frame": 1, "value": 1.0}, {"frame": 25, "value": to}]}
    hollow = prop("hollow", {"kind": "sphere", "radius": 0.75}, (0, 1, 0), scale=shrinks)
    made = draped([hollow, prop("sheet", SHEET, (0, 1, 0), rotation=[60, 0, 20])],
                  [cloth("sheet", damping=0.01, **row)], 30, landing={"props": ["hollow"], "side": "inside"})  # fmt: skip
    _, faces = sheet(1.0, 1.0, row["segments"], "alternating")
    return made.last, any(crossings(p.position, faces) for p in made.frames.values())


def test_a_sheet_that_a_hollow_crushes_never_goes_through_itself():
    last, crosses = crushed(0.25, segments=16, thickness=0.006)
    assert not crosses
    assert np.linalg.norm(last.position - [0, 1, 0], axis=1).max() < 0.75 * 0.25 + 0.01  # and all is in it


def test_a_sheet_crushed_to_a_tenth_never_goes_through_itself_rather_than_fit():
    assert not crushed(0.1, segments=12, thickness=0.001)[1]


def test_jelly_lies_on_jelly():
    box = {"kind": "box", "width": 0.4, "height": 0.4, "depth": 0.4}
    rows = [jelly(name, stiffness=5e4, damping=0.02) for name in ("low", "high")]
    made = draped([prop("low", box, (0, 0.25, 0)), prop("high", box, (0, 0.7, 0))], rows, 25)
    low, high = (made.last.source == number for number in (0, 1))
    assert made.last.position[high, 1].min() > made.last.position[low, 1].max() - 0.03
    assert made.last.position[high, 1].max() == pytest.approx(0.8, abs=0.08)


def test_a_ball_that_comes_fast_is_caught_by_a_thin_sheet():
    goes = {"kind": "keys", "keys": [{"frame": 1, "value": 4.0, "ease": "linear"}, {"frame": 3, "value": -0.2}]}
    ball = prop("ball", {"kind": "sphere", "radius": 0.3}, (0, goes, 0))  # 50 m/s
    row = cloth("sheet", segments=12, stretch=5e4, thickness=0.02)
    made = draped(
        [ball, prop("sheet", SHEET, (0, 2, 0))], [row], 4, landing={"props": ["ball"]}, ground={"position": [0, -9, 0]}
    )
    met = np.linalg.norm(made.last.rest[:, [0, 2]], axis=1) < 0.2
    assert (made.last.position[met, 1] < -0.2).all()  # it is before the ball, not left behind it
    assert np.linalg.norm(made.last.position - [0, -0.2, 0], axis=1).min() > 0.3


def test_pins_go_as_their_prop_does_until_a_cue_lets_them_go():
    goes = {"kind": "keys", "keys": [{"frame": 1, "value": 2.0, "ease": "linear"}, {"frame": 13, "value": 3.0}]}
    sheet_ = prop("sheet", SHEET, (0, goes, 0))
    cue = {"kind": "cue", "id": "go", "when": {"kind": "at_frame", "frame": 8}, "then": {"kind": "unpin"}}
    held = draped([sheet_, pins((0, 2, -0.5), (1.2, 0.5, 0.1))], [cloth("sheet", pins="pins")], 13)
    led = held.last.rest[:, 2] < -0.49
    assert held.last.position[led, 1] == pytest.approx(3.0)
    assert (held.last.position[~led, 1] < 3.0).all()
    gone = draped([sheet_, pins((0, 2, -0.5), (1.2, 0.5, 0.1))], [cloth("sheet", pins="pins")], 13, cues=[cue])
    assert (gone.last.position[led, 1] < 2.9).all()


def test_cloth_that_is_pinned_to_a_body_goes_and_turns_with_it():
    crate = prop("crate", UNIT_BOX, (0, 5, 0))
    spun = {
        "kind": "cue",
        "id": "spun",
        "when": {"kind": "at_frame", "frame": 1},
        "then": {"kind": "spin", "rate": 90, "axis": [0, 1, 0]},
    }
    rows = [cloth("sheet", pins="pins", to="crate", stretch=2e4), body("crate")]
    made = draped(
        [prop("sheet", SHEET, (1.0, 5, 0)), crate, pins((0.5, 5, 0), (0.1, 1, 2))],
        rows,
        13,
        "fine",
        cues=[spun],
        forces=[DOWN],
    )
    held, now = made.last.pinned > 0, made.last.position
    assert 0 < held.sum() < len(now) / 4
    turn = Rotation.from_euler("y", 45, degrees=True)  # half a second on, fallen by g t^2 / 2
    there = turn.apply(made.frames[1].position[held] - [0, 5, 0]) + np.array([0, 5 - 0.5 * G * 0.5**2, 0])
    assert now[held] == pytest.approx(there, abs=0.01)  # it is led by where the body will come: off by g dt^2 at most


def test_what_is_pulled_to_its_shape_hangs_below_it_by_its_weight_over_the_spring():
    # A spring of angular frequency w holds a mass g / w² below its rest (common practice).
    row = cloth("sheet", follow=8.0, stretch=0.0, shear=0.0, bend=0.0)
    made = draped([prop("sheet", SHEET, (0, 2, 0))], [row], 49, forces=STILL)
    assert 2.0 - made.last.position[:, 1] == pytest.approx(np.full(81, G / 64), rel=0.01)


def test_stiffness_can_differ_by_zone_and_over_time():
    half = {"kind": "zone", "id": "half", "name": "half", "edge": 0.0,
            "shape": {"kind": "block", "at": [-0.5, 2, 0], "size": [1, 9, 9]}}  # fmt: skip
    within = {"kind": "within", "zone": "half", "inside": 1000.0, "outside": 50.0}
    props = [prop("sheet", SHEET, (0, 2, 0)), pins((0, 2, -0.5), (1.2, 9, 0.05)), half]
    made = draped(props, [cloth("sheet", pins="pins", weight=1.0, shear=0.0, stretch=within)], 25, forces=STILL)
    left = made.last.rest[:, 0] < -0.2
    right = made.last.rest[:, 0] > 0.2
    assert made.last.stretch[right].max() > 4 * made.last.stretch[left].max()


def test_wind_takes_hold_straight_on():
    wind = {"kind": "wind", "id": "wind", "speed": 4, "direction": [1, 0, 0], "grip": 3}
    across, along = (
        draped([prop("sheet", SHEET, (0, 3, 0), rotation=turn)], [cloth("sheet", catch=0.0)], 7, forces=[wind])
        for turn in ([0, 0, 90], [0, 0, 0])
    )
    # All of it takes on the wind's speed as a particle does, or none.
    assert across.last.velocity[:, 0].mean() == pytest.approx(4 * (1 - np.exp(-3 * 0.25)), rel=0.03)
    assert np.abs(along.last.velocity).max() < 1e-6


def test_what_lies_on_the_ground_is_pressed_by_its_weight():
    block = prop("block", {"kind": "box", "width": 0.4, "height": 0.4, "depth": 0.4}, (0, 0.21, 0))
    made = draped([block], [jelly("block", damping=0.05)], 49)
    area = made.world.solvers["soft"].areas[made.last.vertex]
    skin = np.isfinite(area)
    held = made.last.pressure[skin] @ area[skin]
    assert held == pytest.approx(made.last.mass.sum() * G, rel=0.1)  # what rubs presses too


def test_a_body_that_falls_on_a_sheet_gives_it_what_it_loses():
    """All that comes from above goes on below: without gravity the momentum of both together stays (Newton)."""
    stone = {"kind": "rigid", "id": "stone-body", "prop": "stone", "density": 500.0, "begins": "following"}
    goes = {"kind": "keys", "keys": [{"frame": 1, "value": 2.5, "ease": "linear"}, {"frame": 5, "value": 2.2}]}
    let = {"kind": "cue", "id": "go", "when": {"kind": "at_frame", "frame": 3}, "then": {"kind": "unpin"}}
    ball = prop("stone", {"kind": "sphere", "radius": 0.1}, (0, goes, 0))
    shot = scene(
        [ball, prop("sheet", SHEET, (0, 2, 0))], [stone, cloth("sheet", stretch=500.0, thickness=0.02)], 13, forces=[],
        landing={"props": ["stone"]}, cues=[let],
    )  # fmt: skip
    soft, body = (play(shot, "fair", matter=matter) for matter in ("soft", "rigid"))
    total = []
    for frame in (4, 8, 13):
        p, b = soft.frames[frame], body.frames[frame]
        total.append((p.mass * p.velocity[:, 1]).sum() + b.mass[0] * b.velocity[0, 1])
    assert total == pytest.approx([total[0]] * 3, rel=0.03)
    assert abs(body.last.velocity[0, 1]) < 0.9 * abs(body.frames[4].velocity[0, 1])  # it has been slowed


def test_a_stone_sinks_into_jelly_and_stays_on_it():
    block = prop("block", {"kind": "box", "width": 0.6, "height": 0.3, "depth": 0.6}, (0, 0.16, 0))
    ball = prop("stone", {"kind": "sphere", "radius": 0.1}, (0, 0.45, 0))
    stone = {"kind": "rigid", "id": "stone-body", "prop": "stone", "density": 2000.0}
    rows = [stone, jelly("block", segments=6, damping=0.02)]
    made = play(scene([ball, block], rows, 49, landing={"props": ["ground", "stone"]}), "rough", matter="rigid")
    high = made.last.position[0, 1]
    assert 0.3 < high < 0.41  # a little deeper than on something hard
    assert made.last.speed[0] < 0.15


def test_one_thread_and_two_give_the_same_places():
    ball = prop("ball", {"kind": "sphere", "radius": 0.5}, (0, 0.5, 0))
    block = prop("block", {"kind": "box", "width": 0.4, "height": 0.4, "depth": 0.4}, (1, 0.5, 0), rotation=[20, 30, 0])
    found = []
    for many in (1, 2):
        threads(many)
        rows = [cloth("sheet", segments=16), jelly("block")]
        made = draped([ball, block, prop("sheet", SHEET, (0, 1.1, 0))], rows, 13)
        found.append(made.last.position.tobytes())
    assert found[0] == found[1]


def test_blocks_fill_a_shape_and_no_two_energies_of_a_group_meet():
    ball = lambda points: np.linalg.norm(points, axis=1) - 1.0  # noqa: E731
    nodes, tets, share = filled(-np.ones(3), np.ones(3), 12, ball)
    sides = nodes[tets[:, 1:]] - nodes[tets[:, :1]]
    volume = np.linalg.det(sides) / 6.0
    assert (volume > 0.0).all()
    assert (volume * share).sum() == pytest.approx(4 / 3 * np.pi, rel=0.02)
    dice = np.random.default_rng(1).normal(size=(50, 3))
    points = 0.9 * dice / np.linalg.norm(dice, axis=1, keepdims=True)
    held, shares = held_by(points, nodes, tets)
    assert (shares > -1e-9).all()  # in it
    assert np.einsum("pn,pnc->pc", shares, nodes[held]) == pytest.approx(points)
    of = grouped(tets, np.zeros((len(tets), 1)), len(nodes))
    for start, end in zip(of.groups[:-1], of.groups[1:], strict=True):
        used = of.nodes[start:end].ravel()
        assert len(np.unique(used)) == len(used)


def test_what_cannot_be_is_told():
    with pytest.raises(ShotFault, match=r"no inside to be filled.*closed shape"):
        draped([prop("sheet", SHEET, (0, 2, 0))], [jelly("sheet")], 2)
    with pytest.raises(ShotFault, match=r"vertices in all. Accepted: 100000"):
        draped([prop("sheet", SHEET, (0, 2, 0))], [cloth("sheet", segments=400)], 2)
    cube = prop("cube", {"kind": "box", "width": 1.0, "height": 1.0, "depth": 1.0}, (0, 2, 0))
    with pytest.raises(ShotFault, match=r"more than 262144 vertices"):  # told before its blocks are made
        draped([cube], [jelly("cube", segments=64)], 2)


def test_what_will_go_wrong_is_told_before():
    ball = prop("ball", {"kind": "sphere", "radius": 0.5}, (0, 2, 0))
    sheet_, rows = prop("sheet", SHEET, (0, 2.2, 0)), [cloth("sheet", pins="pins")]
    shot = load(scene([ball, sheet_, pins((0, 9, 0), (1, 1, 1))], rows, 2, landing={"props": ["ground", "ball"]}))
    told = {f.check: f for f in findings(shot, build(shot, beside(Path()))) if f.row == "sheet-cloth"}
    assert "nothing is pinned" in told["pins nothing"].message
    assert "begins inside ball, up to 0.3 m deep" in told["begins inside"].message
    shot = load(scene([sheet_], [cloth("sheet", to="sheet")], 2))
    (found,) = (f for f in findings(shot, build(shot, beside(Path()))) if f.check == "pinned to none")
    assert "sheet is soft itself" in found.message
    assert found.remedy.act(shot).shot.soft[0].to is None
    big = ball | {"shape": {"kind": "sphere", "radius": 2}}
    shot = load(scene([big, sheet_], [cloth("sheet")], 2, landing={"props": ["ball"]}))
    hollow = next(f for f in findings(shot, build(shot, beside(Path()))) if f.check == "met as solid")
    mended = hollow.remedy.act(shot).shot
    assert not [f for f in findings(mended, build(mended, beside(Path()))) if f.check == "met as solid"]
    pole = prop("pole", {"kind": "cylinder", "radius": 0.02, "height": 1.0}, (0, 0.5, 0))
    shot = load(scene([pole, sheet_], [cloth("sheet")], 2, landing={"props": ["pole"]}))
    (thin,) = (f for f in findings(shot, build(shot, beside(Path()))) if f.check == "comes between")
    assert "pole is only 0.04 m across. It meets things at points 0.062 m apart" in thin.message
    finer = thin.remedy.act(shot).shot
    assert finer.soft[0].segments == 11
    assert not [f for f in findings(finer, build(finer, beside(Path()))) if f.check == "comes between"]
    shot = load(scene([ball, sheet_ | {"position": [0, 3, 0]}], [cloth("sheet")], 2, landing={"props": ["ball"]}))
    assert not [f for f in findings(shot, build(shot, beside(Path()))) if f.row == "sheet-cloth"]


RISING = {"kind": "keys", "keys": [{"frame": 13, "value": 0.0, "ease": "linear"}, {"frame": 73, "value": 30.0}]}
SLAB = {"kind": "box", "width": 0.4, "height": 0.2, "depth": 0.4}


@pytest.mark.parametrize(
    ("shape", "height", "row", "weight"),
    [
        (SHEET, 0.01, cloth("it", weight=0.5, sticks=5.0), 0.5),
        (SHEET, 0.01, cloth("it", weight=0.5, sticks=0.0), 0.5),
        (SLAB, 0.106, jelly("it", density=1000.0, stiffness=2e5, sticks=1000.0), 200.0),
    ],
)
def test_what_sticks_comes_off_where_the_pull_on_it_passes_that(shape, height, row, weight):
    """Lying on the ground it is pulled up by more and more: it goes when the pull less its weight is over what it
    sticks by (statics)."""
    up = {"kind": "gravity", "id": "up", "direction": [0, 1, 0], "strength": RISING}
    made = draped([prop("it", shape, (0, height, 0))], [row], 73, forces=[DOWN, up])
    low = {frame: p.position[:, 1].min() for frame, p in made.frames.items()}
    off = next(frame for frame in range(13, 74) if low[frame] > low[13] + 0.001)
    assert off == pytest.approx(13 + (9.81 + row["sticks"] / weight) * 2.0, abs=2.5)
