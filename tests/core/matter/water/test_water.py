"""Wide water, against the papers of its spectra and waves in closed form."""

from pathlib import Path

import numpy as np
import pytest
from scipy.ndimage import map_coordinates

from hotgravel.core.matter.water.rain import classes, drops_in, fall_speed, ringed
from hotgravel.core.matter.water.shores import Shores
from hotgravel.core.matter.water.spectrum import DEEP, density_of, speed_of, towards
from hotgravel.core.matter.water.waves import Square, Wind, carried, stepped, velocity_in
from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.frame import first_frame, next_frame
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from tests.conftest import play
from tests.core.matter.rigid.scenes import DOWN, body, prop, scene

G = 9.80665
ROUND = np.linspace(0.0, 2.0 * np.pi, 200, endpoint=False)


def still():
    return 0.0


def lake(rows=(), props=(), supply=(), last=13, **water):
    """A shot of calm water."""
    row = {"kind": "water", "id": "water", "size": 8.0, "cell": 0.1, "wind": 0.0} | water
    return scene(list(props), [row, *rows], last, supply=list(supply), ground={"position": [0, -5, 0]}, forces=[DOWN])


@pytest.mark.parametrize("wind", [5.0, 10.0, 15.0])
def test_grown_seas_are_as_high_as_pierson_and_moskowitz_have_them(wind):
    # Hs = 0.21 U^2 / g with U at 19.5 m, and w_p = 0.877 g / U (Pierson and Moskowitz 1964; Stewart, 16.4).
    w = np.linspace(0.02, 60.0, 600_000)
    s = density_of(w, wind, None, DEEP, G)
    above = 1.026 * wind
    assert 4.0 * np.sqrt(np.trapezoid(s, w)) == pytest.approx(0.21 * above**2 / G, rel=0.02)
    assert w[np.argmax(s)] == pytest.approx(0.877 * G / above, rel=0.01)


def test_jonswap_is_three_times_as_high_at_its_peak_and_grows_with_its_fetch():
    w = np.linspace(0.05, 20.0, 400_000)
    s = density_of(w, 10.0, 20_000.0, DEEP, G)
    peak = 22.0 * (G**2 / (10.0 * 20_000.0)) ** (1 / 3)  # Hasselmann and others 1973
    assert w[np.argmax(s)] == pytest.approx(peak, rel=0.01)
    plain = 0.076 * (100.0 / (20_000.0 * G)) ** 0.22 * G**2 / peak**5 * np.exp(-1.25)
    assert s.max() == pytest.approx(3.3 * plain, rel=0.01)
    assert np.trapezoid(density_of(w, 10.0, 80_000.0, DEEP, G), w) > 2.0 * np.trapezoid(s, w)
    assert np.trapezoid(density_of(w, 10.0, 20_000.0, 2.0, G), w) < 0.5 * np.trapezoid(s, w)  # over shallow ground


def test_directions_sum_up_to_one():
    angle = np.linspace(-np.pi, np.pi, 20_001)
    for together in (1.0, 8.0, 30.0):
        assert np.trapezoid(towards(angle, together), angle) == pytest.approx(1.0, rel=1e-6)


def test_a_square_of_sea_is_four_times_the_root_of_its_variance_high():
    square = Square(256, 1.0, DEEP, G)
    wind = Wind.over(square, 7.0, 0.3, None, 8.0, None, 1, "sea")
    w = np.linspace(0.02, np.sqrt(G * np.pi), 200_000)
    known = 4.0 * np.sqrt(np.trapezoid(density_of(w, 7.0, None, DEEP, G), w))
    found = [4.0 * wind.at(t)[0].std() for t in np.linspace(0.0, 60.0, 16)]
    assert np.mean(found) == pytest.approx(known, rel=0.03)


@pytest.mark.parametrize("depth", [0.3, 2.0, DEEP])
def test_a_wave_goes_by_its_dispersion_and_comes_round_exactly(depth):
    # w^2 = g k tanh(k h) (Lamb, Hydrodynamics, article 228).
    square = Square(64, 0.25, depth, G)
    k = 3 * 2.0 * np.pi / square.side
    w = np.sqrt(G * k * np.tanh(k * min(depth, 1e3)))
    x = np.arange(64) * 0.25
    high = np.repeat(0.05 * np.cos(k * x)[:, None], 64, axis=1)
    potential = np.repeat(0.05 * G / w * np.sin(k * x)[:, None], 64, axis=1)
    quiet = Square(64, 0.25, depth, G)
    quiet.__dict__["rim"] = np.zeros((64, 64))
    many = 7
    a, b = high, potential
    for _ in range(many):
        a, b = stepped(quiet, a, b, np.zeros((64, 64)), 0.0, 0.4 / many)
    assert a[:, 5] == pytest.approx(0.05 * np.cos(k * x - w * 0.4), abs=1e-9)
    flow = velocity_in(square, a, b)
    assert flow[:, 5, 1] == pytest.approx(0.05 * w * np.sin(k * x - w * 0.4), abs=1e-9)
    assert speed_of(np.array([k]), depth, G)[0] == pytest.approx(w, rel=1e-9)


def test_what_presses_on_it_is_borne_and_no_water_is_lost():
    square = Square(64, 0.1, 1.0, G)
    high, potential = np.zeros((64, 64)), np.zeros((64, 64))
    press = np.zeros((64, 64))
    press[28:36, 28:36] = 0.02 * G
    for _ in range(400):
        high, potential = stepped(square, high, potential, press, 1.0, 0.05)
    assert high[30:34, 30:34].mean() == pytest.approx(-0.02, rel=0.15)


@pytest.mark.parametrize(("depth", "thick"), [(0.2, 0.16), (DEEP, 0.16), (DEEP, 8.0)])
def test_a_shore_throws_rings_back_as_their_mirror_image_would_come(depth, thick):
    square, quiet = Square(160, 0.08, depth, G), np.zeros((160, 160))
    x = (np.arange(160) - 79.5) * 0.08
    nodes = np.stack(np.meshgrid(x, 0.0, x, indexing="ij"), axis=-1).reshape(160, 160, 3)
    across = np.array([np.cos(np.radians(30.0)), 0.0, -np.sin(np.radians(30.0))])  # of a wall that is turned by that
    shape = {"kind": "box", "width": thick, "height": 4.0, "depth": 40.0}
    wall = prop("wall", shape, position=[*((1.0 + 0.5 * thick) * across)], rotation=[0, 30, 0])
    setting = build(load(lake(props=[wall])), beside(Path())).setting
    shores = Shores.of([(setting.shapes["wall"], setting.at_first["wall"])], nodes, 0.08)

    def ring(away):
        return -0.01 * np.exp(-((nodes - away * across) ** 2).sum(axis=-1) / (2.0 * 0.3**2))

    def move(high, potential):
        return stepped(square, high, potential, quiet, 0.0, 1.0 / 48.0)

    waves, pair = (quiet, ring(-0.5)), (quiet, ring(-0.5) + ring(2.5))  # the wall's face is 1 m from the middle
    for _ in range(60):
        waves, pair = shores.stepped(move, *waves), move(*pair)
    here = (nodes @ across < 1.0) & (np.hypot(nodes[..., 0], nodes[..., 2]) < 4.0)
    off = np.sqrt(np.mean((waves[0] - pair[0])[here] ** 2) / np.mean(pair[0][here] ** 2))
    assert off < 0.015
    assert np.abs(waves[0][nodes @ across > 1.0 + thick + 0.1]).max(initial=0.0) < 1e-4


def test_what_stands_in_it_is_a_shore_and_makes_no_dip():
    post = prop("post", {"kind": "cylinder", "radius": 0.5, "height": 3.0})
    banks = {"kind": "collision", "id": "banks", "props": ["post"]}
    for moves in (False, True):
        keyed = {"kind": "keys", "keys": [{"frame": 1, "value": 0.0}, {"frame": 3, "value": 0.1}]}
        there = post | {"position": [keyed if moves else 0.0, 0.0, 0.0]}
        film = play(lake(props=[there], rows=[banks], last=3), matter="water")
        assert (film.state.arrays["high"].min() < -0.1) == moves
    big = prop("island", {"kind": "cylinder", "radius": 9.0, "height": 3.0})
    rain = {"kind": "rain", "id": "rain", "rate": 200.0}
    for met in ([], ["island"]):
        film = play(
            lake(props=[big], rows=[banks | {"props": met}] if met else [], supply=[rain], last=3), matter="water"
        )
        assert film.state.arrays["potential"].any() == (not met)


def test_rings_widen_as_fast_as_groups_of_waves_do():
    # The fastest of a ring over shallow ground goes at sqrt(g h) (Lamb, article 170).
    square = Square(256, 0.05, 0.2, G)
    high, potential = np.zeros((256, 256)), np.zeros((256, 256))
    x = (np.arange(256) - 127.5) * 0.05
    potential -= 0.01 * np.exp(-(x[:, None] ** 2 + x[None, :] ** 2) / (2 * 0.4**2))
    radii = []
    for _ in range(2):
        high, potential = stepped(square, high, potential, np.zeros_like(high), 0.0, 0.9)
        radii.append(abs(x[np.argmax(np.abs(high[128]) * np.sqrt(np.abs(x)))]))
    assert (radii[1] - radii[0]) / 0.9 == pytest.approx(np.sqrt(G * 0.2), rel=0.15)


def test_drops_fall_as_gunn_and_kinzer_measured():
    # Diameter in mm, terminal velocity in m/s (Gunn and Kinzer 1949, table 2; from memory).
    told = {1.0: 4.03, 2.0: 6.49, 3.0: 8.06, 4.0: 8.83, 5.0: 9.09}
    for mm, speed in told.items():
        assert fall_speed(np.array([mm / 1000.0]))[0] == pytest.approx(speed, rel=0.05)


def test_drops_are_as_many_as_marshall_and_palmer_say_and_bring_the_rain():
    # N = 8000 e^(-4.1 R^-0.21 D) a cubic metre and mm (Marshall and Palmer 1948).
    assert drops_in(5.0, np.array([0.002]))[0] == pytest.approx(8e6 * np.exp(-4.1 * 5.0**-0.21 * 2.0))
    wide, many = classes(10.0, 1e-4)
    rate = (many * np.pi / 6.0 * wide**3).sum() * 1000.0 * 3600.0  # mm/h
    assert rate == pytest.approx(10.0, rel=0.2)


def test_foam_goes_as_far_as_the_flow_and_stays_what_it_was():
    x = np.arange(64) - 32.0
    patch = np.exp(-(x[:, None] ** 2 + x[None, :] ** 2) / 18.0)
    flow, made = np.full((64, 64, 2), [0.3, -0.2]), patch
    for _ in range(40):
        made = carried(made, flow, 0.75)  # 9 cells along x, 6 back along z
    assert np.abs(made - np.roll(patch, (9, -6), (0, 1))).max() < 0.01
    assert made.sum() == pytest.approx(patch.sum(), rel=1e-6)


def test_a_ragged_ring_has_the_same_push_and_differs_round_about():
    square, turn, here = Square(128, 6.4 / 128, DEEP, G), np.array([0.4]), np.array([64.0])
    pushes, unlike = [], []
    for ragged in (0.0, 0.5):
        potential = np.zeros((128, 128))
        ringed(potential, here, here, np.array([1e-3]), np.array([2.0]), ragged, turn)
        pushes.append(potential.sum())
        high, _ = stepped(square, np.zeros((128, 128)), potential, np.zeros((128, 128)), 0.0, 0.5)
        around = 64.0 - 0.5 + 16.0 * np.stack([np.cos(ROUND), np.sin(ROUND)])
        ring = map_coordinates(high, around, order=3)
        unlike.append(ring.std() / np.abs(ring).mean())
    assert pushes[1] == pytest.approx(pushes[0], rel=1e-3)
    assert unlike[0] < 0.05
    assert unlike[1] > 0.15


def test_drops_of_rain_throw_up_crowns_where_they_fall():
    rain = {"kind": "rain", "id": "rain", "rate": 60, "least": 0.004, "rings": 50}
    crown = {"kind": "offshoot", "id": "crown", "emit": {"kind": "crown", "count": 9, "least": 0.0045}, "state": "drop"}
    crown |= {"aim": {"kind": "onward", "cone": 0}, "speed": 2.0, "speed_spread": 0.0}
    made = play(lake([{"kind": "state", "id": "drop", "name": "drop"}], supply=[rain, crown], last=3), "rough")
    new = made.last.where(made.last.travelled < 0.05)
    assert len(made.last) % 9 == 0 < len(new)
    assert np.abs(new.position[:, 1]).max() < 0.1
    assert (new.velocity[:, 1] / new.speed).min() > 0.7
    across = made.last.velocity[:, [0, 2]].reshape(-1, 9, 2)
    assert np.hypot(*across.mean(axis=1).T).max() < 0.2 < np.linalg.norm(across, axis=2).min()  # all round


def test_a_block_on_it_floats_as_deep_as_archimedes_said(tmp_path):
    block = prop("block", {"kind": "box", "width": 0.8, "height": 0.4, "depth": 0.8}, (0, 0.1, 0))
    meets = {"kind": "collision", "id": "floats", "props": ["block"]}
    rows = [body("block", density=600), meets]
    world = build(load(lake(rows, [block], last=145, drag=3.0, calms=1.0)), beside(tmp_path), "rough")
    now, _ = first_frame(world, still)
    found = []
    while now.frame < 145:
        next_frame(world, now, still)
        solver = world.solvers["water"]
        seen = solver.seen(now.states["water"]).place[..., 1]
        n = len(seen) // 2
        found.append(seen[n - 2 : n + 2, n - 2 : n + 2].mean() - (now.crowds["rigid"].position[0, 1] - 0.2))
    # The water under it lies as deep as the block is sunk, and the water at rest as high as the block's line.
    sunk = -(now.crowds["rigid"].position[0, 1] - 0.2)
    assert sunk == pytest.approx(0.6 * 0.4, abs=0.06)
    assert np.ptp(found[-12:]) < 0.05


def test_loops_come_round(tmp_path):
    square = Square(64, 0.5, DEEP, G)
    wind = Wind.over(square, 6.0, 0.0, 2000.0, 8.0, 4.0, 1, "sea")
    assert wind.at(4.25)[0] == pytest.approx(wind.at(0.25)[0], abs=1e-9)


def test_what_cannot_be_and_what_will_come_to_nothing_is_told(tmp_path):
    with pytest.raises(ShotFault, match="cells along each side"):
        build(load(lake(size=400.0, cell=0.1)), beside(tmp_path))
    with pytest.raises(ShotFault, match="another place"):
        build(load(lake(rows=[{"kind": "water", "id": "more"}])), beside(tmp_path))
    for told, water in (("flat water", {}), ("waves too long", {"wind": 20.0})):
        world = build(load(lake(**water)), beside(tmp_path))
        assert told in {f.check for f in findings(world.shot, world)}
    dry = lake(supply=[{"kind": "rain", "id": "rain", "rate": 0.0}])
    world = build(load(dry), beside(tmp_path))
    assert "no rain" in {f.check for f in findings(world.shot, world)}
