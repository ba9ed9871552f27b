"""A steady plume widens and thins as plumes in still air do."""

from pathlib import Path

import numpy as np
import pytest

from hotgravel.core.run.execute import still
from hotgravel.core.run.frame import first_frame, next_frame
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.core.matter.smoke.scenes import DOWN, fume, smoky

CELL, WIDE, TALL = 0.15, 4.8, 6.0
STIRS = {"kind": "turbulence", "id": "stirs", "speed": 1, "size": 0.6, "grip": 0.2, "change": 1}


def test_a_plume_keeps_its_heat_and_widens_and_cools_with_height_as_is_measured():
    # Morton, Taylor and Turner (1956): the flow of heat through each level is that of the source, the radius grows as
    # 6/5 of what is drawn in, 0.08 to 0.13 by experiments (from memory), times the height, and the middle cools with
    # its power -5/3. The curls only make it turbulent: they are weak and lift nothing.
    box = {"at": [0, TALL / 2, 0], "size": [WIDE, TALL, WIDE], "cell": CELL, "room": "whole"}
    shot = smoky(box, [fume(temperature=60, end=999)], forces=[DOWN, STIRS], last=191)
    world = build(load(shot), beside(Path()))
    now, _ = first_frame(world, still)
    heat, flow, frames = 0.0, 0.0, 0
    while now.frame < 191:
        next_frame(world, now, still)
        if now.frame > 110:
            a = now.states["smoke"].arrays
            up = 0.5 * (a["v"][:, 1:] + a["v"][:, :-1])
            heat, flow, frames = heat + a["heat"].astype(float), flow + (a["heat"] * up).sum(axis=(0, 2)), frames + 1
    heat, flow = heat / frames, flow / frames
    height = CELL * (np.arange(len(flow)) + 0.5)
    fully = (height > 1.2) & (height < 4.2)
    assert flow[fully] == pytest.approx(flow[fully].mean(), rel=0.1)
    x = CELL * (np.arange(len(heat)) + 0.5) - WIDE / 2
    across = np.where(heat < 0.05 * heat.max(axis=(0, 2), keepdims=True), 0.0, heat)
    share = across / across.sum(axis=(0, 2), keepdims=True)
    spread = [of @ x**2 - (of @ x) ** 2 for of in (share.sum(axis=2).T, share.sum(axis=0))]
    widens, begins = np.polyfit(height[fully], np.sqrt(spread[0] + spread[1])[fully], 1)
    source = -begins / widens
    cools, _ = np.polyfit(np.log(height[fully] - source), np.log(heat.max(axis=(0, 2))[fully]), 1)
    print(f"widens by {widens:.3f} of the height above {source:.2f} m, cools with its power {cools:.2f}")
    assert 6 / 5 * 0.08 < widens < 6 / 5 * 0.13
    assert cools == pytest.approx(-5 / 3, abs=0.25)
