"""Forces on particles, gathered before the step.

A force adds to four columns of a table; together they make a particle's equation of motion,

    dv/dt = pull + rate (aim - v) - bite |v| v

where `rate * aim` is kept as one column, so that several winds and drags add up. The table has a
row for each state where no force differs between particles of one state, else one for each particle.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.chance import uniforms
from hotgravel.core.drive.ask import Ask
from hotgravel.core.drive.value import by_element, each, is_driven, one, three
from hotgravel.core.lengths import lengths
from hotgravel.core.matter.aims import unit
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.neighbours import around
from hotgravel.core.matter.swirls import air_of, strewn
from hotgravel.core.noise import curl_at
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot import forces as f
from hotgravel.core.shot.document import Shot

Array = NDArray[np.float64]
WHOLLY = 1e4  # steps' worth of grip: no motion of its own is left


@dataclass(frozen=True)
class ForceTable:
    """For S states, or n particles: pull (S, 3) m/s², rate (S,) 1/s, drift (S, 3) = rate * aim, bite (S,) 1/m."""

    pull: Array
    rate: Array
    drift: Array
    bite: Array
    by_element: bool = False


@dataclass(frozen=True)
class Asked:
    """What a force needs to know: the particles it may act on, where all is, the question, and the step's length."""

    elements: Elements
    scene: Scene
    ask: Ask
    dt: float
    props: dict[int, str]

    @cached_property
    def points(self) -> Array:
        """Where particles will be half way through the step, which makes it one of second order."""
        return self.elements.position + 0.5 * self.dt * self.elements.velocity


def gravity(table: ForceTable, force: f.Gravity, share: Array, asked: Asked) -> None:
    table.pull[:] += (share * each(force, "strength", asked.ask))[:, None] * unit(three(force, "direction", asked.ask))


def linear_drag(table: ForceTable, force: f.LinearDrag, share: Array, asked: Asked) -> None:
    table.rate[:] += share * each(force, "rate", asked.ask)


def quadratic_drag(table: ForceTable, force: f.QuadraticDrag, share: Array, asked: Asked) -> None:
    table.bite[:] += share * each(force, "strength", asked.ask)


def wind(table: ForceTable, force: f.Wind, share: Array, asked: Asked) -> None:
    grip = share * each(force, "grip", asked.ask)
    table.rate[:] += grip
    blown = grip * each(force, "speed", asked.ask)
    table.drift[:] += blown[:, None] * unit(three(force, "direction", asked.ask))


def turbulence(table: ForceTable, force: f.Turbulence, share: Array, asked: Asked) -> None:
    ask = asked.ask
    air = curl_at(
        asked.points, size=one(force, "size", ask), time=force.change * float(ask.times[0]) + 0.5,
        octaves=force.octaves, seed=force.seed,
    )  # fmt: skip
    _carry(table, air * each(force, "speed", ask)[:, None], share * each(force, "grip", ask))


def follow(table: ForceTable, force: f.Follow, share: Array, asked: Asked) -> None:
    air, hold = asked.scene.air_in(force.field, asked.points)
    if force.grip is None:  # beyond the field there is nothing that moves them
        _carry(table, hold[:, None] * air, share * WHOLLY / asked.dt)
    else:
        _carry(table, air, share * hold * each(force, "grip", asked.ask))


def vortex(table: ForceTable, force: f.Vortex, share: Array, asked: Asked) -> None:
    """Air going round at one speed; a pull of v²/radius keeps what goes round with it on its circle."""
    ask = asked.ask
    axis = unit(three(force, "axis", ask))
    away = asked.points - three(force, "at", ask)
    away = away - (away @ axis)[:, None] * axis
    radius = lengths(away)
    out = away / np.maximum(radius, 1e-9)[:, None]
    speed = each(force, "speed", ask) * _within(force, asked, radius)
    round_ = np.cross(axis, out)
    _carry(table, speed[:, None] * round_, share * each(force, "grip", ask))
    with_it = np.clip(
        np.einsum("ij,ij->i", asked.elements.velocity, round_), np.minimum(speed, 0.0), np.maximum(speed, 0.0)
    )
    tight = np.minimum(with_it**2 / np.maximum(radius, 1e-9), np.abs(with_it) / asked.dt)
    table.pull[:] -= (share * tight)[:, None] * out


def swirls(table: ForceTable, force: f.Swirls, share: Array, asked: Asked) -> None:
    ask, points = asked.ask, np.ascontiguousarray(asked.points)
    places, axes, strong = strewn(
        force.count, force.life, float(ask.times[0]), force.upright, seed=force.seed, who=force.id
    )
    places = three(force, "at", ask) + 0.5 * np.array(force.spread) * places
    air, hold = np.empty((len(points), 3)), np.empty(len(points))
    air_of(points, places, axes, strong, one(force, "size", ask), air, hold)
    _carry(table, air * each(force, "speed", ask)[:, None], share * hold * each(force, "grip", ask))


def attraction(table: ForceTable, force: f.Attraction, share: Array, asked: Asked) -> None:
    ask, points, to = asked.ask, asked.points, force.to
    if isinstance(to, f.ToSurface):
        gap, toward = asked.scene.toward(to.prop, points)
        if to.side != "both":
            share = share * ((gap > 0.0) if to.side == "outside" else (gap < 0.0))
        away = np.abs(gap)
    else:
        aim = three(to, "at", ask)[None, :]
        if isinstance(to, f.ToLine):
            along = three(to, "to", ask) - aim[0]
            place = np.clip((points - aim) @ along / max(float(along @ along), 1e-30), 0.0, 1.0)
            aim = aim + place[:, None] * along
        toward = aim - points
        away = lengths(toward)
        toward = toward / np.maximum(away, 1e-9)[:, None]
    pull = share * each(force, "strength", ask) * _within(force, asked, away)
    # Nearer than a step of it reaches, it would only throw particles to the other side.
    limit = np.where(pull > 0.0, 2.0 * away / asked.dt**2, np.inf)
    table.pull[:] += np.minimum(pull, limit)[:, None] * toward


def jitter(table: ForceTable, force: f.Jitter, share: Array, asked: Asked) -> None:
    p = asked.elements
    when = round(asked.ask.frame * 4096)
    u = uniforms(p.id.astype(np.uint64), 4, seed=force.seed, who=force.id, frame=when & 0xFFFFFFFF, purpose=1)
    away = np.sqrt(-2.0 * np.log(1.0 - u[:, :2]))  # Box and Muller (1958)
    knock = np.stack([away[:, 0] * np.cos(2 * np.pi * u[:, 2]), away[:, 0] * np.sin(2 * np.pi * u[:, 2]),
                      away[:, 1] * np.cos(2 * np.pi * u[:, 3])], axis=1)  # fmt: skip
    table.pull[:] += (share * each(force, "strength", asked.ask) / np.sqrt(3.0 * asked.dt))[:, None] * knock


def hold(table: ForceTable, force: f.Hold, share: Array, asked: Asked) -> None:
    """Air that moves as the place of birth does, and towards it."""
    p, scene, ask = asked.elements, asked.scene, asked.ask
    place, moved = p.rest.copy(), np.zeros_like(p.rest)
    for number, prop in asked.props.items():
        mine = p.source == number
        if prop in scene.poses:
            place[mine] = scene.poses[prop].to_world(p.rest[mine])
            moved[mine] = (scene.soon[prop].to_world(p.rest[mine]) - place[mine]) / asked.dt
    rate = np.minimum(each(force, "rate", ask), 1.0 / asked.dt)
    _carry(table, moved + rate[:, None] * (place - p.position), share * each(force, "grip", ask))


def cohesion(table: ForceTable, force: f.Cohesion, share: Array, asked: Asked) -> None:
    p, reach = asked.elements, one(force, "reach", asked.ask)
    place, _, number = around(p.position, p.velocity, share > 0.0, reach)
    toward = np.where(number[:, None] > 0, place - p.position, 0.0) / reach
    table.pull[:] += (share * each(force, "strength", asked.ask))[:, None] * toward


def alignment(table: ForceTable, force: f.Alignment, share: Array, asked: Asked) -> None:
    p = asked.elements
    _, going, number = around(p.position, p.velocity, share > 0.0, one(force, "reach", asked.ask))
    _carry(table, going, share * (number > 0) * each(force, "grip", asked.ask))


def _carry(table: ForceTable, air: Array, grip: Array) -> None:
    table.rate[:] += grip
    table.drift[:] += grip[:, None] * air


def _within(force: f.Vortex | f.Attraction, asked: Asked, away: Array) -> Array:
    """1 at no distance, 0 from the force's reach on, smoothly; 1 everywhere without a reach."""
    if force.reach is None:
        return np.ones(len(away))
    u = np.clip(1.0 - away / one(force, "reach", asked.ask), 0.0, 1.0)
    share: Array = u * u * (3.0 - 2.0 * u)
    return share


ADD: dict[type, Callable[..., None]] = {
    f.Gravity: gravity, f.LinearDrag: linear_drag, f.QuadraticDrag: quadratic_drag, f.Wind: wind,
    f.Turbulence: turbulence, f.Follow: follow, f.Vortex: vortex, f.Swirls: swirls, f.Attraction: attraction,
    f.Jitter: jitter, f.Hold: hold, f.Cohesion: cohesion, f.Alignment: alignment,
}  # fmt: skip
PLAIN = (f.Gravity, f.LinearDrag, f.QuadraticDrag, f.Wind)  # those that may act alike on all of a state


def alike(force: f.Force) -> bool:
    """Whether a force does the same to all particles of a state."""
    if not isinstance(force, PLAIN) or force.zone is not None:
        return False
    return not any(is_driven(v) and v.by_element for v in dict(force).values())


def acting_on(shot: Shot, switched: Mapping[str, bool]) -> list[f.Force]:
    """The forces that are on, and that no cue has stopped or has yet to start."""
    return [force for force in shot.forces if force.on and switched.get(force.id, True)]


def pull_on_all(forces: Iterable[f.Gravity], ask: Ask) -> Array:
    """The pull (3,) of gravity, m/s², where all have the same: a strength that differs from one to the next counts as
    the most that it states."""
    pull = np.zeros(3)
    for force in forces:
        differs = by_element(force.strength)
        strength = max(force.strength.stated()) if differs else one(force, "strength", ask)  # type: ignore[union-attr]
        pull += strength * unit(three(force, "direction", ask))
    return pull


def gather(
    forces: Sequence[f.Force], states: dict[str, int], scene: Scene, elements: Elements, dt: float,
    props: dict[int, str],
) -> ForceTable:  # fmt: skip
    """The table for a step from the scene's moment. `states` maps a state's id to its row, `props` a
    source's number to its prop."""
    acting = [force for force in forces if force.acts_at(scene.ask.frame)]
    by_state = _blank(len(states) + 1)  # the last is for those that are in no state
    plain = Asked(elements, scene, scene.ask, dt, props)
    for force in acting:
        if alike(force):
            ADD[type(force)](by_state, force, _share_of_states(force, states, len(by_state.rate)), plain)
    varied = [force for force in acting if not alike(force)]
    if not varied or not len(elements):
        return by_state
    s = elements.state
    table = ForceTable(by_state.pull[s], by_state.rate[s], by_state.drift[s], by_state.bite[s], by_element=True)
    asked = Asked(elements, scene, asking(elements, scene), dt, props)
    for force in varied:
        share = elements.in_state(states.get(force.whom or "", -1)).astype(float)
        if force.zone is not None:
            share = share * asked.ask.read("weight in", force.zone)
        ADD[type(force)](table, force, share, asked)
    return table


def _blank(n: int) -> ForceTable:
    return ForceTable(np.zeros((n, 3)), np.zeros(n), np.zeros((n, 3)), np.zeros(n))


def _share_of_states(force: f.Force, states: dict[str, int], n: int) -> Array:
    share = np.ones(n) if force.whom is None else np.zeros(n)
    if force.whom is not None:
        share[states[force.whom]] = 1.0
    return share
