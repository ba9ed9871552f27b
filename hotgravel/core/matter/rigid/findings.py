"""What will go wrong with bodies, before a run and as one shows it."""

from collections.abc import Iterator, Mapping

import numpy as np

from hotgravel.core.matter.rigid.cast import Role, begin
from hotgravel.core.matter.rigid.slack import overlapping
from hotgravel.core.matter.rigid.solver import RigidSolver
from hotgravel.core.matter.rigid.state import Bodies
from hotgravel.core.shape.pose import moves
from hotgravel.core.shot import edit
from hotgravel.core.shot.actions import Unpin
from hotgravel.core.shot.copies import Itself, Stacked
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.finding import Finding, Remedy, setting
from hotgravel.core.shot.forces import Gravity
from hotgravel.core.shot.rigid import BEGINS, InPieces
from hotgravel.core.shot.spot import Edited
from hotgravel.core.shot.units import show_quantity

DEEP = 0.02  # of a body's reach: what overlaps less settles without being seen
MOST = 3000  # bodies that are looked at
SEEN, FALLEN = 0.05, 1.0  # m/s: what settles more slowly is not seen to, and what is faster has been let fall
SOON, SURE = 3.0, 1.5  # seconds in which bodies settle that begin where they are to lie; times the frames it took


def findings(shot: Shot, solver: RigidSolver) -> Iterator[Finding]:
    """Of the bodies of a shot, whose solver is built."""
    for role in {role.number: role for role in solver.roles}.values():
        if role.row.begins == "loose" and role.row.single and moves(role.prop):
            said = "Its prop has keys, but it begins loose: from the first frame on they count no more."
            remedy = setting("Let it follow its keys", role.row.id, "begins", "following")
            yield Finding("keys unused", role.row.id, "begins", said, "doubtful", remedy)
        if role.row.begins == "held" and any(row.prop == role.prop.id for row in solver.posed):
            continue  # it is posed, and need never be let go
        if role.row.begins != "loose" and not any(cue.on and any(cue.doing(Unpin)) for cue in shot.cues):
            said = f"It begins {BEGINS[role.row.begins]}, and no cue lets it go."
            loose = setting("Begin loose", role.row.id, "begins", "loose")
            yield Finding("never let go", role.row.id, "begins", said, "doubtful", loose)
    held = {row.prop for row in shot.rigid if row.begins == "held"}
    for posed in (row for row in solver.posed if row.prop not in held):
        said = f"{shot.names()[posed.prop]} does not begin held, so there is nothing to pose."
        mine = next((row for row in shot.rigid if row.prop == posed.prop), None)
        let = setting("Let it begin held in place", mine.id, "begins", "held") if mine else None
        yield Finding("nothing to pose", posed.id, "prop", said, "wrong", let)
    yield from _landless(shot)
    yield from _inside(shot, solver)


def settling(shot: Shot, measured: Mapping[int, Mapping[str, float]]) -> Iterator[Finding]:
    """Of what begins almost as it lies and settles as the shot starts, by the gauges of a run's frames."""
    many = sum(
        row.copies.number for row in shot.rigid if row.begins == "loose" and isinstance(row.copies, Itself | Stacked)
    )
    first = min(measured, default=shot.finish.first)
    lies = next((frame for frame in sorted(measured) if measured[frame].get("asleep", 0) >= many), first)
    if not many or lies == first or shot.pace.lasting(first, lies) > SOON:
        return
    fastest = max(of.get("greatest_speed", 0.0) for frame, of in measured.items() if frame < lies)
    if SEEN < fastest < FALLEN:
        speed = show_quantity(float(f"{fastest:.2g}"), "m/s", shot.dress)
        said = f"It settles as the shot starts, at up to {speed}, and lies still from frame {lies} on."
        wanted = shot.finish.pre_roll + int(np.ceil(SURE * (lies - first)))
        remedy = setting(f"Let it settle in a pre-roll of {wanted} frames", "finish", "pre_roll", wanted)
        yield Finding("settles", "finish", "pre_roll", said, "doubtful", remedy)


def _landless(shot: Shot) -> Iterator[Finding]:
    """Bodies that fall and have nothing to land on."""
    falls = any(isinstance(force, Gravity) and force.on for force in shot.forces)
    if not falls or any(row.on for row in shot.collisions):
        return
    moved = {row.prop for row in shot.rigid}
    stands = [prop for prop in shot.props if prop.id not in moved]
    remedy = None
    if stands:

        def act(shot: Shot) -> Edited:
            made, _ = edit.add_row(shot, "collision", props=[stands[0].id])
            return Edited(made.shot, f"bodies land on {stands[0].name}")

        remedy = Remedy(f"Let them land on {stands[0].name}", act)
    said = "No collision row names a prop, so there is nothing to land on: bodies fall for ever."
    yield Finding("nothing to land on", shot.rigid[0].id, "prop", said, "wrong", remedy)


def _inside(shot: Shot, solver: RigidSolver) -> Iterator[Finding]:
    """Bodies that begin inside one another, by the row of the first of them."""
    first = shot.finish.begins
    poses, scene = solver.setting.row_poses(first), solver.setting.scene(first)
    there = [r for r in solver.roles if r.prop.id in poses]
    bodies = Bodies.blank(0)
    for role in there:
        bodies = bodies.joined(begin(role, poses[role.prop.id], scene, solver.setting.shapes))
    if not 1 < len(bodies) <= MOST:
        return
    bodies.id[:] = np.arange(len(bodies))
    deepest: dict[int, tuple[float, int]] = {}
    parts = {role.number: isinstance(role.row.copies, InPieces) for role in there}
    for i, j, depth in overlapping(solver, bodies):
        number = int(bodies.source[i])
        if bodies.source[i] == bodies.source[j] and parts[number]:
            continue  # hulls of neighbours may overlap: they are let
        if depth > DEEP * min(bodies.radius[i], bodies.radius[j]):
            deepest[number] = max(deepest.get(number, (0.0, 0)), (depth, int(bodies.source[j])))
    for role in {role.number: role for role in there}.values():
        if role.number in deepest:
            depth, other = deepest[role.number]
            yield _overlap(shot, role, depth, next(r for r in there if r.number == other))


def _overlap(shot: Shot, role: Role, depth: float, other: Role) -> Finding:
    copies, shown = role.row.copies, show_quantity(float(f"{depth:.2g}"), "m", shot.dress)
    within = "one another" if other is role else other.prop.name
    said = f"Bodies begin inside {within}, up to {shown} deep: they will be thrown apart."
    remedy = None
    if isinstance(copies, Stacked) and other is role:
        gap = float(f"{copies.gap + 1.2 * depth:.2g}")
        remedy = setting(f"Stack them {show_quantity(gap, 'm', shot.dress)} apart", role.row.id, "copies.gap", gap)
    return Finding("begin inside", role.row.id, "copies", said, "wrong", remedy)
