"""All that preflight says of a shot, the wrong before the doubtful."""

from hotgravel.core.preflight.before import in_rows
from hotgravel.core.preflight.placed import Limits, in_place, within_limits
from hotgravel.core.run.estimate import Estimate
from hotgravel.core.run.world import World
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.finding import Finding


def findings(
    shot: Shot, world: World | None = None, told: Estimate | None = None, limits: Limits | None = None
) -> list[Finding]:  # fmt: skip
    """From the rows; with the built world from where things stand; with an estimate from what it will take."""
    found = list(in_rows(shot))
    if world is not None:
        found += in_place(shot, world)
        for matter in world.matters:
            found += matter.findings(shot, world.solvers[matter.name])
    if told is not None:
        found += within_limits(shot, told, limits or Limits())
    return in_order(found)


def in_order(found: list[Finding]) -> list[Finding]:
    return sorted(found, key=lambda f: f.severity != "wrong")
