"""Thresholds of cues that nothing in a shot can come to, from what its rows state."""

from collections.abc import Iterator

from hotgravel.core.drive.value import is_driven, plain
from hotgravel.core.shot import actions as do
from hotgravel.core.shot import conditions as c
from hotgravel.core.shot.cues import Cue
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.finding import Finding, setting
from hotgravel.core.shot.forces import Gravity, LinearDrag, QuadraticDrag
from hotgravel.core.shot.row import varies
from hotgravel.core.shot.units import show_quantity


def out_of_reach(shot: Shot, cue: Cue) -> Iterator[Finding]:
    """Thresholds that nothing in the shot can come to, from what its rows state."""
    when, dress = cue.when, shot.dress

    def far(path: str, said: str, to: float, unit: str) -> Finding:
        shown = show_quantity(to, unit, dress)
        return Finding("out of reach", cue.id, path, said, remedy=setting(f"Set it to {shown}", cue.id, path, to))

    if isinstance(when, c.Older):
        age, longest = plain(when.age, shot.finish.rate), _longest_life(shot)
        if age is not None and age >= longest > 0.0:
            told = show_quantity(float(f"{longest:.3g}"), "s", dress)
            yield far("when.age", f"Nothing gets older than {told} in this shot.", float(f"{0.8 * longest:.2g}"), "s")
    if isinstance(when, c.Inside | c.Enters | c.Leaves) and (plain(when.weight) or 0.0) >= 1.0:
        yield far("when.weight", "No zone weighs over 100 %.", 0.5, "%")
    if isinstance(when, c.ShareIn) and (plain(when.share) or 0.0) >= 1.0:
        yield far("when.share", "A share is never over 100 %.", 0.9, "%")
    if isinstance(when, c.Faster):
        threshold, fastest = plain(when.speed), _fastest(shot)
        if threshold is not None and fastest is not None and threshold >= fastest > 0.0:
            told = show_quantity(float(f"{fastest:.3g}"), "m/s", dress)
            yield far(
                "when.speed", f"Nothing gets faster than {told} in this shot.", float(f"{0.8 * fastest:.2g}"), "m/s"
            )
    if isinstance(when, c.Hotter | c.Cooler):
        threshold, born = plain(when.temperature), born_with(shot, "temperature")
        if threshold is None or born is None:
            return
        hot = isinstance(when, c.Hotter)
        extreme = max(born) if hot else min(born)
        if threshold >= extreme if hot else threshold <= extreme:
            said = f"All are born at {show_quantity(extreme, '°C', dress)} and nothing changes it."
            yield far("when.temperature", said, extreme - 10.0 if hot else extreme + 10.0, "°C")


def _longest_life(shot: Shot) -> float:
    """Seconds that a particle can live for, at the most."""
    whole = shot.pace.at(shot.finish.last)
    lives = []
    for source in (s for s in shot.particle_sources if s.on):
        life, spread = plain(source.life, shot.finish.rate), plain(source.life_spread)
        lives.append(whole if life is None else life * (1.0 + (1.0 if spread is None else spread)))
    return min(whole, max(lives, default=whole))


def _fastest(shot: Shot) -> float | None:
    """The most that any particle's speed can come to, m/s: that at which it leaves, and gravity for the whole shot.
    None where more than that is at work."""
    forces = [force for force in shot.forces if force.on]
    strengths = [plain(force.strength) for force in forces if isinstance(force, Gravity)]
    others = any(not isinstance(force, Gravity | LinearDrag | QuadraticDrag) for force in forces)
    acts = any(any(cue.doing(do.Kick)) for cue in shot.cues if cue.on)
    moved = any(varies(prop) for prop in shot.props) or shot.shaped
    speeds = [(plain(s.speed), plain(s.speed_spread), plain(s.inherit)) for s in shot.particle_sources if s.on]
    if others or acts or moved or None in strengths or any(None in told or told[2] for told in speeds):
        return None
    whole = shot.pace.at(shot.finish.last)
    leaving = max((speed * (1.0 + spread) for speed, spread, _ in speeds), default=0.0)  # type: ignore[operator]
    return leaving + sum(strengths) * whole  # type: ignore[arg-type]


def born_with(shot: Shot, attribute: str) -> list[float] | None:
    """The values that sources give an attribute which nothing changes later; None where it varies."""
    values = [getattr(s, attribute) for s in shot.particle_sources if s.on]
    changed = any(cue.on and any(act.attribute == attribute for act in cue.doing(do.Become)) for cue in shot.cues)
    if changed or not values or any(is_driven(v) for v in values):
        return None
    return [float(v) for v in values]
