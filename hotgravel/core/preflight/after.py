"""What a finished run shows: cues that never fired, particles lost or left inside, slow frames, jumps."""

from collections.abc import Iterator, Mapping
from itertools import pairwise
from typing import Any

import numpy as np

from hotgravel.core.drive.value import is_driven
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.frames import PROCESSOR, FrameStore
from hotgravel.core.run.why_not import nearest_of
from hotgravel.core.run.world import World
from hotgravel.core.shot import conditions as c
from hotgravel.core.shot import edit
from hotgravel.core.shot.cues import Cue
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.finding import Finding, Remedy, setting
from hotgravel.core.shot.spot import Edited
from hotgravel.core.shot.units import show_quantity

SLOW, JUMP = 5.0, 8.0  # times the median; times the frame before


def in_run(shot: Shot, world: World, store: FrameStore, measured: Mapping[int, dict[str, Any]]) -> Iterator[Finding]:
    """Findings about a run of this very shot, from the gauges of its frames."""
    if not measured:
        return
    yield from never_fired(shot, measured)
    for name, matter in MATTERS.items():
        yield from matter.after(shot, {f: g["matter"][name] for f, g in measured.items() if name in g["matter"]})
    yield from _lost(shot, world, measured)
    yield from _left_inside(shot, world, store, max(measured))
    yield from _slow(measured)
    yield from _jumps(measured)


def never_fired(shot: Shot, measured: Mapping[int, dict[str, Any]]) -> Iterator[Finding]:
    for cue in (cue for cue in shot.cues if cue.on):
        if any(g["firings"].get(cue.id, 0) for g in measured.values()):
            continue
        nearest, frame = nearest_of(cue, measured)
        meets = isinstance(cue.when, c.MEETING)
        if nearest is None or not cue.when.extreme or (meets and nearest < 0.0):
            said = "It never fired: nobody touched." if meets else "It never fired: it concerned nobody."
            yield Finding("never fired", cue.id, "when", said, "doubtful")
            continue
        unit, threshold = cue.when.unit, getattr(cue.when, cue.when.threshold)
        came = show_quantity(float(f"{nearest:.3g}"), unit, shot.dress)
        wants = "" if is_driven(threshold) else f", the cue wants {show_quantity(threshold, unit, shot.dress)}"
        said = f"It never fired: {cue.when.extreme} {came} (frame {frame}){wants}."
        yield Finding(
            "never fired", cue.id, f"when.{cue.when.threshold}", said, "doubtful", _reached(cue, nearest, shot)
        )


def _reached(cue: Cue, nearest: float, shot: Shot) -> Remedy | None:
    when = cue.when
    if is_driven(getattr(when, when.threshold)):
        return None
    to = float(f"{nearest * (1.1 if (when.side == c.UNDER) == (nearest >= 0) else 0.9):.3g}")
    return setting(f"Set it to {show_quantity(to, when.unit, shot.dress)}", cue.id, f"when.{when.threshold}", to)


def _lost(shot: Shot, world: World, measured: Mapping[int, dict[str, Any]]) -> Iterator[Finding]:
    """Particles far below everything, or farther off than anyone would frame."""
    frames = [(f, np.array(g["bounds"])) for f, g in measured.items() if g["bounds"]]
    poses = world.poses(shot.finish.first)
    if not frames or not poses:
        return
    floors, size = [], 1.0
    for prop, pose in poses.items():
        box = pose.to_world(np.stack(world.setting.shapes[prop].box))
        floors.append(box[:, 1].min())
        size = max(size, float(np.ptp(box, axis=0).max()))
    below = [f for f, b in frames if b[0, 1] < min(floors) - 1.0]
    if below:
        said = f"From frame {below[0]} on some are over a metre below all props: they fall for ever."
        yield Finding("left the bounds", "", "", said, "doubtful")
    far = [f for f, b in frames if np.abs(b).max() > 20.0 * size]
    if far:
        yield Finding(
            "left the bounds",
            "",
            "",
            f"From frame {far[0]} on some are twenty times farther off than the set is wide.",
            "doubtful",
        )


def _left_inside(shot: Shot, world: World, store: FrameStore, frame: int) -> Iterator[Finding]:
    try:
        kept = store.particles(frame, ("position", "radius", "state"))
        gone = store.gauges(frame)["absent"]
    except KeyError:
        return
    scene = world.scene(float(frame), gone=gone)
    position = kept["position"].astype(float)
    for row in (r for r in shot.collisions if r.on and r.side == "outside"):
        who = np.ones(len(position), bool) if row.whom is None else kept["state"] == world.states[row.whom]
        for prop in row.props:
            if prop not in scene.poses or not world.setting.shapes[prop].has_volume or not who.any():
                continue
            deep = -scene.distance_to(prop, position[who])
            count = int((deep > 0.5 * kept["radius"][who] + 1e-4).sum())
            if count:
                most = show_quantity(float(f"{deep.max():.2g}"), "m", shot.dress)
                said = f"At frame {frame} {count} are inside {shot.names()[prop]}, up to {most} deep."
                yield Finding("left inside", row.id, "props", said, "doubtful", _let_go(prop, row.whom))


def _let_go(prop: str, whom: str | None) -> Remedy:
    """Remove what gets inside a prop: whatever brought it there, it would show."""

    def act(shot: Shot) -> Edited:
        called = shot.names()[prop]
        inside = {"kind": "near", "prop": prop, "side": "inside", "reach": 1e6}
        zoned, zone = edit.add_row(shot, "zone", name=f"inside {called}", shape=inside, edge=0.0)
        when = {"kind": "inside", "zone": zone, "weight": 0.5}
        made, _ = edit.add_row(zoned.shot, "cue", when=when, then={"kind": "remove"}, whom=whom)
        return Edited(made.shot, f"what gets inside {called} is removed")

    return Remedy("Remove what gets inside", act)


def _slow(measured: Mapping[int, dict[str, Any]]) -> Iterator[Finding]:
    # The first frame also waits for kernels to be loaded, which says nothing of the shot.
    took = {f: sum(g["seconds"].values()) for f, g in measured.items() if g.get("seconds") and f != min(measured)}
    if len(took) < 5:
        return
    usual = float(np.median(list(took.values())))
    worked = {f: measured[f].get(PROCESSOR, 0.0) for f in took}
    work = float(np.median(list(worked.values())))
    # A frame that took longer without as much more work waited for something else on the machine.
    slow = [
        f
        for f, seconds in took.items()
        if seconds > max(SLOW * usual, 0.5) and (not work or worked[f] > work * max(SLOW, 0.5 * seconds / usual))
    ]
    if slow:
        worst = max(slow, key=lambda f: took[f])
        parts = measured[worst]["seconds"]
        part = max(parts, key=lambda name: parts[name])
        said = (
            f"Frame {worst} took {took[worst]:.1f} s, {took[worst] / usual:.0f} times the usual, most of it in {part}."
        )
        yield Finding("slow frame", "", "", said, "doubtful")


def _jumps(measured: Mapping[int, dict[str, Any]]) -> Iterator[Finding]:
    """Energy from one frame to the next that no birth and no cue explains."""
    for before, after in pairwise(sorted(measured)):
        for name, was in measured[before]["matter"].items():
            now = measured[after]["matter"].get(name)
            if now is None or "kinetic_energy" not in now or was["count"] != now["count"]:
                continue
            energy, then = now["kinetic_energy"], was["kinetic_energy"]
            if any(measured[after]["firings"].values()) or then < 1e-3 or energy <= max(JUMP * then, 0.5):
                continue
            more = f"{energy / then:.0f} times that of the frame before"
            said = f"At frame {after} the energy is {more}: something explodes."
            yield Finding("gauge jumps", "", "", said, "doubtful")
            return
