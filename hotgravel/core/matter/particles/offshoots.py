"""Particles that come off other particles: trails along their way, and bursts that cues set off."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.chance import uniforms
from hotgravel.core.drive.value import each, one
from hotgravel.core.matter.aims import headings
from hotgravel.core.matter.contract import Openings, Splashes
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.particles.emitter import MOST, Tally, equipped
from hotgravel.core.matter.particles.state import Particles
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.sources import Asked, Crown, Offshoot, Opening, Trail

Array = NDArray[np.float64]
HOLLOW, STEEP = 1.5, 1.7  # of a drop's width: how far its rim is; its way up over its way out (60 degrees)


@dataclass(frozen=True)
class Shoot:
    """An offshoot with its references made numbers: whom it comes off (-1 for all), the state it begins in."""

    source: Offshoot
    number: int
    whom: int
    state: int


def trail_step(shoot: Shoot, tally: Tally, parents: Elements, scene: Scene, dt: float, next_id: int) -> Particles:
    """What particles leave along their way in a step of `dt` seconds, each at its own moment.

    A parent's own age is its clock, set off by chance, so that crowds of one age do not give in step.
    """
    emit = shoot.source.emit
    if not isinstance(emit, Trail):
        return Particles.blank(0)
    alive = parents.age >= 0.0
    there = parents.where(alive if shoot.whom < 0 else alive & (parents.state == shoot.whom))
    rate = np.broadcast_to(each(emit, "rate", asking(there, scene)), len(there))
    phase = uniforms(there.id.astype(np.uint64), 1, seed=shoot.source.seed, who=shoot.source.id, purpose=1)[:, 0]
    before = np.floor(rate * there.age + phase)
    count = (np.floor(rate * (there.age + dt) + phase) - before).astype(np.int64)
    tally.afford(int(count.sum()))
    who = np.repeat(np.arange(len(there)), count)
    nth = np.arange(len(who)) - np.repeat(np.cumsum(count) - count, count)
    given = rate[who]
    delay = np.clip((before[who] + 1.0 + nth - phase[who]) / np.maximum(given, 1e-300) - there.age[who], 0.0, dt)
    return _off(shoot, tally, there, who, delay, scene, next_id)


def burst_off(
    shoot: Shoot, tally: Tally, parents: Elements, who: NDArray[np.int64], cue: int, scene: Scene, next_id: int
) -> Particles:  # fmt: skip
    """What bursts off some particles at once, because a cue says so."""
    emit = shoot.source.emit
    assert isinstance(emit, Asked)
    if shoot.whom >= 0:
        who = who[parents.state[who] == shoot.whom]
    count = np.full(len(who), emit.count)
    if emit.per is not None:
        due = emit.count * parents.read_of_body("impulse")[who] / emit.per
        key = parents.id[who].astype(np.uint64) + np.uint64(tally.born) * np.uint64(1 << 32)
        chance = uniforms(key, 1, seed=shoot.source.seed, who=shoot.source.id, purpose=4)[:, 0]
        count = np.floor(np.minimum(due, MOST + 1.0) + chance).astype(np.int64)
    tally.afford(int(count.sum()))
    new = _off(shoot, tally, parents, np.repeat(who, count), np.zeros(int(count.sum())), scene, next_id)
    new.cause[:] = cue
    return new


def opening_step(
    shoot: Shoot, tally: Tally, faces: Openings, scene: Scene, dt: float, lasts: float, number: int, next_id: int
) -> Particles:
    """What leaves the faces between pieces that part, in a step of `dt` seconds with a number in the run, for as many
    seconds as it `lasts` after they did."""
    emit = shoot.source.emit
    assert isinstance(emit, Opening)
    open_ = (faces.since <= lasts) & (faces.speed > one(emit, "faster", scene.ask))
    if shoot.whom >= 0:
        open_ &= faces.state == shoot.whom
    due = np.where(open_, one(emit, "rate", scene.ask) * faces.area * dt, 0.0)
    key = np.arange(len(due), dtype=np.uint64) + np.uint64(number) * np.uint64(1 << 24)
    chance = uniforms(key, 1, seed=shoot.source.seed, who=shoot.source.id, purpose=2)[:, 0]
    count = np.floor(due + chance).astype(np.int64)
    tally.afford(int(count.sum()))
    who = np.repeat(np.arange(len(due)), count)
    index = tally.take(len(who))
    u = uniforms(index, 3, seed=shoot.source.seed, who=shoot.source.id, purpose=3)
    new = Particles.blank(len(who))
    new.position[:] = faces.place[who] + np.einsum("nk,nki->ni", 2.0 * u[:, :2] - 1.0, faces.across[who])
    new.velocity[:] = faces.velocity[who]
    new.rest[:] = new.position
    new.temperature[:] = faces.temperature[who]
    new.age[:] = -dt * u[:, 2]
    new.parent[:] = faces.ids[who]
    return equipped(shoot.source, shoot.number, new, faces.normal[who], index, shoot.state, scene, next_id)


def crown_step(shoot: Shoot, tally: Tally, drops: Splashes, scene: Scene, dt: float, next_id: int) -> Particles:
    """What drops that fall on water in a step of `dt` seconds throw up: outward and up, from the rim of the hollow that
    each makes."""
    emit = shoot.source.emit
    assert isinstance(emit, Crown)
    who = np.repeat(np.flatnonzero(drops.wide > emit.least), emit.count)
    index = tally.take(len(who))
    u = uniforms(index, 2, seed=shoot.source.seed, who=shoot.source.id, purpose=5)
    nth = np.arange(len(who)) % emit.count
    around = 2.0 * np.pi * (nth + u[:, 0]) / emit.count
    out = np.stack([np.cos(around), np.zeros(len(who)), np.sin(around)], axis=1)
    new = Particles.blank(len(who))
    new.position[:] = drops.place[who] + HOLLOW * drops.wide[who, None] * out
    new.rest[:] = new.position
    new.age[:] = -dt * u[:, 1]
    up = (out + np.array([0.0, STEEP, 0.0])) / np.hypot(1.0, STEEP)
    return equipped(shoot.source, shoot.number, new, up, index, shoot.state, scene, next_id)


def _off(
    shoot: Shoot, tally: Tally, parents: Elements, who: NDArray[np.int64], delay: Array, scene: Scene, next_id: int
) -> Particles:  # fmt: skip
    new = Particles.blank(len(who))
    velocity = parents.velocity[who]
    new.position[:] = parents.position[who] + delay[:, None] * velocity
    new.velocity[:] = velocity
    new.rest[:] = new.position
    new.temperature[:] = parents.temperature[who]
    new.age[:] = -delay
    new.parent[:] = parents.id[who]
    index = tally.take(len(who))
    return equipped(shoot.source, shoot.number, new, headings(velocity), index, shoot.state, scene, next_id)
