"""What will go wrong with what is soft, before a run."""

from collections.abc import Iterator

import numpy as np

from hotgravel.core.matter.soft.making import Thing
from hotgravel.core.matter.soft.model import Model
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.finding import Finding
from hotgravel.core.shot.units import show_quantity

SUNK = 0.5  # of a skin's thickness: so deep it may begin in what it meets


def before(shot: Shot, setting: Setting, model: Model, things: tuple[Thing, ...]) -> Iterator[Finding]:
    """What holds nothing, and what begins inside something."""
    scene, names = setting.beginning(), shot.names()
    for thing, surface in zip(things, model.surfaces, strict=True):
        row, pose = thing.row, setting.at_first[thing.prop.id]
        if row.pins is not None:
            there = pose.to_world(model.place[thing.first : thing.end])
            if not (scene.weight_in(row.pins, there) >= 0.5).any():
                said = f"No vertex of it lies in {names[row.pins]} at the first frame, so nothing is pinned."
                yield Finding("pins nothing", row.id, "pins", f"{said} Move the zone, or take more segments.", "wrong")
        skin = pose.to_world(np.einsum("vn,vnc->vc", surface.shares, model.place[surface.nodes]))
        for prop in dict.fromkeys(p for c in shot.collisions if c.on and c.side == "outside" for p in c.props):
            if prop == thing.prop.id or prop not in scene.poses or prop in setting.solvers_place:
                continue
            inside = -scene.distance_to(prop, skin)
            if setting.shapes[prop].has_volume and inside.max() > SUNK * row.thickness:
                deep = show_quantity(float(f"{inside.max():.2g}"), "m", shot.dress)
                said = f"It begins inside {names[prop]}, up to {deep} deep: it will be thrown out. Move one of them."
                yield Finding("begins inside", row.id, "prop", said, "wrong")
