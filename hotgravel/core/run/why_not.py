"""Why a cue has not happened to a particle: the nearest that each of its conditions came."""

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from hotgravel.core.cues.conditions import Look, Watch, told
from hotgravel.core.cues.record import Events
from hotgravel.core.drive.value import one
from hotgravel.core.matter.contract import elements_of
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.reading import matter_of
from hotgravel.core.run.world import World
from hotgravel.core.shape.setting import ANY_PROP
from hotgravel.core.shot import conditions as c
from hotgravel.core.shot.cues import Cue
from hotgravel.core.shot.units import show_quantity

MOST_FRAMES = 240  # looked back through, evenly


def nearest_of(cue: Cue, measured: Mapping[int, dict[str, Any]]) -> tuple[float | None, int]:
    """The nearest that a condition came in all frames, from their gauges, and in which."""
    found = [(g["nearest"][cue.id], f) for f, g in measured.items() if cue.id in g.get("nearest", {})]
    if not found:
        return None, 0
    choose = min if cue.when.side == c.UNDER else max
    return choose(found, key=lambda pair: pair[0])


def why_not(world: World, store: FrameStore, events: Events, particle: int, cue: str, frame: int) -> list[str]:
    """Sentences, the plainest first. `events` are those up to the frame. Raises `KeyError` for a cue that is
    off or not there."""
    watch = next((w for w in world.watched if w.cue.id == cue), None)
    if watch is None:
        raise KeyError(cue)
    shot, row = world.shot, watch.cue
    mine = np.flatnonzero((events.particle == particle) & (events.cue == watch.number) & (events.frame <= frame))
    if len(mine):
        return [f"It has happened, at frame {int(events.frame[mine[0]])}."]
    looks = list(_looks(world, store, particle, frame))
    if not looks:
        return ["It was not there at any kept frame."]
    said = []
    states = {int(look.elements.state[0]) for _, look in looks}
    if watch.whom >= 0 and watch.whom not in states:
        there = ", ".join(shot.states[s].name for s in sorted(states))
        said.append(f"It was never in {shot.states[watch.whom].name}, only in {there}.")
    if watch.source >= 0 and int(looks[0][1].elements.source[0]) != watch.source:
        said.append(f"It did not leave {shot.origins[watch.source].id}.")
    concerned = [(f, look) for f, look in looks if watch.whom < 0 or int(look.elements.state[0]) == watch.whom]
    if isinstance(row.when, c.Touches | c.ShareIn) or watch.bit != ANY_PROP:
        said += _of_all(world, watch, store, frame)
    else:
        said += _nearest(world, watch, concerned or looks, bool(concerned))
    if row.within is not None:
        weights = [float(look.scene.weight_in(row.within, look.elements.position)[0]) for _, look in concerned or looks]
        if max(weights) <= 0.5:
            told_ = show_quantity(float(f"{max(weights):.3g}"), "%", shot.dress)
            said.append(f"It was never within {shot.names()[row.within]}: at most it weighed {told_} there.")
    chance = one(row, "chance", looks[-1][1].ask)
    if chance < 1.0 and not said:
        said.append(f"Its chance of {show_quantity(chance, '%', shot.dress)} was not drawn.")
    return said or ["All its conditions held at a kept frame: another cue, before it in the page, took it first."]


def _looks(world: World, store: FrameStore, particle: int, frame: int) -> Iterator[tuple[int, Look]]:
    frames = [f for f in store.frames() if f <= frame]
    matter = None
    for f in frames[:: max(1, len(frames) // MOST_FRAMES)]:
        matter = matter or matter_of(store, f, particle)
        if matter is None:
            continue
        kept = store.elements(f, matter)
        found = np.flatnonzero(kept["id"] == particle)
        if len(found):
            alone = elements_of(MATTERS[matter], {name: column[found] for name, column in kept.items()})
            yield f, Look(alone, world.scene(float(f), gone=store.gauges(f)["absent"]), f, {})


def _of_all(world: World, watch: Watch, store: FrameStore, frame: int) -> list[str]:
    """How near any came, for what is not kept of each: touches lie between frames, a share is of all."""
    when, dress = watch.cue.when, world.shot.dress
    unit = when.unit
    wants = one(when, when.threshold, world.shot.clock.at(frame))
    most, at = nearest_of(watch.cue, {f: store.gauges(f) for f in reversed(store.frames()) if f <= frame})
    wanted = show_quantity(wants, unit, dress)
    if isinstance(when, c.ShareIn):
        told_ = (
            "nobody was there" if most is None else f"at most {show_quantity(most, unit, dress)} were, at frame {at}"
        )
        return [f"Of all, {told_}; the cue wants over {wanted}."] if most is None or most <= wants else []
    if most is None or most < 0.0:
        return ["Nothing that it concerns has touched it."]
    return [
        f"It did not touch it at {wanted} or more, as the cue wants; the greatest touch of all was "
        f"{show_quantity(most, unit, dress)} at frame {at}. How hard each touched is not kept."
    ]


def _nearest(world: World, watch: Watch, looks: list[tuple[int, Look]], concerned: bool) -> list[str]:
    """How near the number came to its threshold, and when."""
    when, dress = watch.cue.when, world.shot.dress
    if isinstance(when, c.AtFrame | c.Every):
        frames = (
            f"frame {when.frame}" if isinstance(when, c.AtFrame) else f"every {when.frames} frames from {when.start}"
        )
        return [f"It looks at {frames} only, and this one was not there then."]
    if isinstance(when, c.After):
        return [f"{when.cue} has not fired on {'it' if when.whose == 'it' else 'any'} while it was there."]
    best: tuple[float, int, float] | None = None
    for frame, look in looks:
        found = told(watch, look)
        if found is None:
            continue
        way, threshold, value = found
        short = (threshold - float(value[0])) * way
        if best is None or short < best[0]:
            best = short, frame, float(value[0])
            limit, side = threshold, "over" if way == c.OVER else "under"
    if best is None:
        return []
    unit = when.unit
    came, wants = (show_quantity(float(f"{n:.3g}"), unit, dress) for n in (best[2], limit))
    then = "" if concerned else " (in another state)"
    if best[0] <= 0.0:
        return []
    return [f"The nearest it came was {came} at frame {best[1]}{then}; the cue wants {side} {wants}."]
