"""What is measured of a film, one number each, where a dial is turned."""

from typing import Any

import numpy as np
import trimesh

from hotgravel.core.matter.particles.skins import skins_of
from tests.conftest import Film

AS_IS = "as it is"  # a dial that is not turned: the scene without it is run once for all dials that are turned from it


def skin_of(f: Film) -> Any:
    made = skins_of(f.world.setting, f.last, f.world.scene(2, 0.5))["s"]
    return trimesh.Trimesh(made["vertices"], made["faces"], process=False)


def shed(f: Film) -> Any:
    return f.last.position[f.last.parent >= 0] - np.array([0, 10, 0])


# fmt: off
def area(f: Film) -> float: return float(skin_of(f).area)
def away(f: Film) -> float: return float(f.last.position.sum())
def born_depth(f: Film) -> float: return float(np.ptp(f.frames[1].position[:, 2]))
def born_height(f: Film) -> float: return float(np.ptp(f.frames[1].position[:, 1]))
def born_on_the_lid(f: Film) -> float: return float((f.frames[1].position[:, 1] > 1.9999).mean())
def born_tall(f: Film) -> float: return float(np.ptp(f.frames[1].position[:, 1]))
def born_width(f: Film) -> float: return float(np.ptp(f.frames[1].position[:, 0]))
def born_x(f: Film) -> float: return float(f.frames[1].position[:, 0].mean())
def born_y(f: Film) -> float: return float(f.frames[1].position[:, 1].mean())
def colours(f: Film) -> float: return float(len(np.unique(f.last.colour)))
def count(f: Film) -> float: return float(len(f.last))
def different(f: Film) -> float: return float(np.abs(f.last.position).sum() + 1e3 * f.last.state.sum())
def drop(f: Film) -> float: return float(f.last.velocity[:, 1].mean())
def east(f: Film) -> float: return float(f.last.position[:, 0].mean())
def ever(f: Film) -> float: return float(sum((p.state == 1).sum() for p in f.frames.values()))  # how many particle frames are spent in the other state
def first_inside(f: Film) -> float: return float((f.frames[1].state == 1).sum())
def first_seen(f: Film) -> float: return float(min(frame for frame, p in f.frames.items() if len(p)))
def frames(f: Film) -> float: return len(f.frames)
def held(f: Film) -> float: return float(f.frames[3].pinned.sum())
def hot(f: Film) -> float: return float(f.last.temperature.mean())
def inside(f: Film) -> float: return float((f.last.state == 1).sum())  # how many have ever been in the zone
def low(f: Film) -> float: return float(f.last.position[-1, 1])
def many(f: Film) -> float: return float(len(f.last))
def mean_x(f: Film) -> float: return float(f.last.position[:, 0].mean())
def mean_z(f: Film) -> float: return float(f.last.position[:, 2].mean())
def others(f: Film) -> float: return float((f.last.state == 1).sum())
def reach(f: Film) -> float: return float(np.hypot(f.last.position[:, 0], f.last.position[:, 2]).mean())
def redness(f: Film) -> float: return float((f.last.colour >> 16 & 255).mean())
def rest(f: Film) -> float: return float(np.quantile(f.last.position[:, 1], 0.05))
def scattered(f: Film) -> float: return float(f.last.velocity.std(axis=0).sum())  # how far velocities differ from those of all
def shed_east(f: Film) -> float: return float(f.last.velocity[f.last.parent >= 0, 0].mean())
def shed_height(f: Film) -> float: return float(np.ptp(shed(f)[:, 1]))
def shed_range(f: Film) -> float: return float(np.ptp(np.linalg.norm(f.last.velocity[f.last.parent >= 0], axis=1)))
def shed_speed(f: Film) -> float: return float(np.linalg.norm(f.last.velocity[f.last.parent >= 0], axis=1).mean())
def size_now(f: Film) -> float: return float(f.last.radius.mean())
def size_range(f: Film) -> float: return float(np.ptp(f.frames[1].radius))
def slid(f: Film) -> float: return float(f.last.position[:, 0].mean())
def speed(f: Film) -> float: return float(f.last.speed.mean())
def speed_range(f: Film) -> float: return float(np.ptp(f.frames[1].speed))
def spread(f: Film) -> float: return float(np.linalg.norm(f.last.velocity[:, 1:], axis=1).mean())
def steps(f: Film) -> float: return len(set(f.events.time.tolist()))  # steps show as the moments at which cues can fire
def top(f: Film) -> float: return max(p.position[:, 1].max(initial=-9) for p in f.frames.values())
def travelled(f: Film) -> float: return float(f.last.travelled.mean())
def triangles(f: Film) -> float: return float(len(skin_of(f).faces))
def turned(f: Film) -> float: return float(np.abs(f.frames[2].turn[:, :3]).max())
def volume(f: Film) -> float: return float(skin_of(f).volume)
def when(f: Film) -> float: return float(f.events.time.mean())
def when_fired(f: Film) -> float: return float(f.events.time.mean()) if len(f.events) else 99.0
def where_inside(f: Film) -> float: return float(f.last.position[f.last.state == 1].sum())
