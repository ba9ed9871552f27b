"""What will go wrong with what is soft, before a run."""

from collections.abc import Iterator
from itertools import groupby

import numpy as np
from scipy.spatial import cKDTree

from hotgravel.core.drive.value import is_driven, one
from hotgravel.core.matter.soft.edges import edges_of, rim_of
from hotgravel.core.matter.soft.making import MOST_VERTICES, Thing
from hotgravel.core.matter.soft.model import Array, Ints, Model
from hotgravel.core.matter.soft.sewing import Stitches, begun
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shot.dials import Quantity, dials_of
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.finding import Finding
from hotgravel.core.shot.finding import setting as setting_to
from hotgravel.core.shot.soft import Balloon, Cloth, Soft
from hotgravel.core.shot.units import show_quantity

SUNK = 0.5  # of a skin's thickness: so deep it may begin in what it meets


def before(
    shot: Shot, setting: Setting, model: Model, things: tuple[Thing, ...], stitches: Stitches
) -> Iterator[Finding]:
    """What holds nothing, what swells without end, and what begins inside something."""
    scene, names, there = setting.beginning(), shot.names(), begun(setting, model, things)
    yield from _unsewn(shot, model, things, stitches, there)
    surfaces = iter(model.surfaces)
    for _, copies in groupby(things, lambda thing: thing.number):
        mine = list(copies)
        row, prop, pose = mine[0].row, mine[0].prop.id, setting.at_first[mine[0].prop.id]
        if row.pins is not None:
            at_rest = pose.to_world(model.place[mine[0].first : mine[-1].end])
            if not (scene.weight_in(row.pins, at_rest) >= 0.5).any():
                said = f"No vertex of it lies in {names[row.pins]} at the first frame, so nothing is pinned."
                yield Finding("pins nothing", row.id, "pins", f"{said} Move the zone, or take more segments.", "wrong")
        yield from _led_by_none(row, shot)
        if isinstance(row, Balloon) and row.air == "held":
            yield from _swells(row, shot, pose.scale * np.ptp(model.place[mine[0].first : mine[0].end], axis=0))
        first = next(surfaces)
        place = first.at(there)
        skin = np.concatenate([place, *(next(surfaces).at(there) for _ in mine[1:])])
        met = dict.fromkeys(p for c in shot.collisions if c.on and c.side == "outside" for p in c.props)
        if isinstance(row, Cloth | Balloon):
            firm = [p for p in met if p not in {r.prop for r in shot.soft}]
            yield from _comes_between(row, shot, setting, firm, place, edges_of(first.faces))
        for other in met:
            if other == prop or other not in scene.poses or other in setting.solvers_place:
                continue
            inside = -scene.distance_to(other, skin)
            if setting.shapes[other].has_volume and inside.max() > SUNK * row.thickness:
                deep = show_quantity(float(f"{inside.max():.2g}"), "m", shot.dress)
                said = f"It begins inside {names[other]}, up to {deep} deep: it will be thrown out. Move one of them"
                if (inside > 0.0).all():
                    by = next(c for c in shot.collisions if c.on and c.side == "outside" and other in c.props)
                    remedy = setting_to("Meet it from inside", by.id, "side", "inside") if len(by.props) == 1 else None
                    said += f", or, if {names[other]} is a hollow that holds it, let it be met from inside."
                    yield Finding("met as solid", row.id, "prop", said, "wrong", remedy)
                else:
                    yield Finding("begins inside", row.id, "prop", f"{said}.", "wrong")


def _comes_between(
    row: Cloth | Balloon, shot: Shot, setting: Setting, met: list[str], place: Array, edges: Ints
) -> Iterator[Finding]:
    """Props so narrow that they may come through cloth, or the skin of a balloon, which meets them at its vertices and
    half way between these: its points lie at `place` (V, 3), with edges (E, 2) between them. What is long and lies
    across those is met nonetheless."""
    half = 0.5 * float(np.median(np.linalg.norm(place[edges[:, 1]] - place[edges[:, 0]], axis=1)))
    for other in met:
        sizes = np.sort(setting.at_first[other].scale * np.diff(setting.shapes[other].box, axis=0)[0])
        narrow = float(sizes[1]) + row.thickness
        if narrow >= half:
            continue
        wide, apart = (show_quantity(float(f"{size:.2g}"), "m", shot.dress) for size in (sizes[1], half))
        said = f"{shot.names()[other]} is only {wide} across. It meets things at points {apart} apart, and what is "
        said += "narrower may come through between them."
        enough = int(row.segments * half / narrow) + 1
        dial = dials_of(type(row))["segments"]
        taken = isinstance(dial, Quantity) and dial.complaint(enough) is None
        if taken and len(place) * (enough / row.segments) ** 2 < MOST_VERTICES:
            remedy = setting_to(f"Take {enough} segments", row.id, "segments", enough)
            yield Finding("comes between", row.id, "segments", f"{said} Take {enough} segments.", "doubtful", remedy)
        else:
            yield Finding("comes between", row.id, "segments", f"{said} Make it wider, unseen.", "doubtful")


def _led_by_none(row: Soft, shot: Shot) -> Iterator[Finding]:
    """A row that is pinned to a prop which is soft itself or many bodies, so that it has no one pose."""
    soft, many = {r.prop for r in shot.soft}, {r.prop for r in shot.rigid if not r.single}
    if row.to in soft | many:
        called = "is soft itself" if row.to in soft else "is many bodies"
        said = f"{shot.names()[row.to]} {called}: nothing can be pinned to it. Accepted: a prop that stands, that its "
        own = setting_to("Pin it to its own prop", row.id, "to", None)
        yield Finding("pinned to none", row.id, "to", f"{said}keys move, or that is one body.", "wrong", own)


def _unsewn(shot: Shot, model: Model, things: tuple[Thing, ...], stitches: Stitches, there: Array) -> Iterator[Finding]:
    """A seam that has no stitch, and why; vertices begin `there` (n, 3)."""
    names = shot.names()
    by_prop = {thing.prop.id: number for number, thing in enumerate(things)}
    for number, row in enumerate(shot.seams):
        if (stitches.row == number).any():
            continue
        one, other, field = by_prop.get(row.prop), by_prop.get(row.other), "prop"
        if one is None or not isinstance(things[one].row, Cloth) or not len(rim_of(model.surfaces[one].faces)):
            why = f"{names[row.prop]} is no cloth with a rim. Accepted: a prop that is cloth and open."
        elif other is None:
            field, why = "other", f"{names[row.other]} is not soft: to such props, cloth is pinned instead."
        elif one == other:
            field, why = "other", "It is sewn to itself. Accepted: two props."
        else:
            from_, to = model.surfaces[one], model.surfaces[other]
            points = from_.at(there)[np.unique(rim_of(from_.faces))]
            far = cKDTree(to.at(there)).query(points)[0].min()
            apart = show_quantity(float(f"{far:.2g}"), "m", shot.dress)
            field, why = "near", f"The nearest of its rim begins {apart} from a corner of {names[row.other]}"
            outside = row.zone is not None and far <= row.near
            why += ", and must be in the zone." if outside else ". Allow more, or move one."
        yield Finding("sews nothing", row.id, field, f"Nothing is sewn. {why}", "wrong")


def _swells(row: Balloon, shot: Shot, box: Array) -> Iterator[Finding]:
    """A pressure that a skin cannot hold: p r = 2 k (a - 1) / a², where it is a times as wide, is at most k / 2."""
    times = [shot.clock.at(frame) for frame in range(shot.finish.begins, shot.finish.last + 1)]
    if is_driven(row.stretch):
        return
    radius, stretch = 0.5 * float(box.max()), one(row, "stretch", times[0])
    if max(one(row, "pressure", t) * one(row, "size", t) for t in times) * radius > 0.5 * stretch:
        most = show_quantity(float(f"{0.5 * stretch / radius:.2g}"), "Pa", shot.dress)
        said = f"Its skin holds no more than {most} at its own size: a pump would swell it without end. Shut it in, "
        yield Finding("swells", row.id, "pressure", f"{said}lower the pressure or raise its stretch.", "wrong")
