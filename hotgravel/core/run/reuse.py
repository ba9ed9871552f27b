"""Frames that an edit cannot have changed: up to when two shots run alike, and how one takes over
the other's frames.

Only what is plainly late counts: a key moved at frame 80, a burst or a cue at frame 60, a stream
that starts or ends later, another last frame. Any other difference means from the start.
"""

from typing import Any

from hotgravel.core.place import Place, share
from hotgravel.core.run import checkpoint
from hotgravel.core.run.execute import RUN, facts_of
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import World
from hotgravel.core.shot.document import ROW_SECTIONS, Shot, paint_kept

NEVER, ALWAYS = float("-inf"), float("inf")
UNSEEN = ("name", "group", "colour", "shine", "seen", "look", "shown")


def same_until(before: Shot, after: Shot) -> float:
    """The last frame (it may be fractional, or infinite either way) up to which both run alike."""
    a, b = before.dump(), after.dump()
    kept = paint_kept(before) | paint_kept(after)
    until = ALWAYS
    for section in ROW_SECTIONS:
        a[section], b[section] = ([r for r in x[section] if r["kind"] != "streaks"] for x in (a, b))
        if [r["id"] for r in a[section]] != [r["id"] for r in b[section]]:
            return NEVER
        for was, now in zip(a[section], b[section], strict=True):
            until = min(until, _row(section, was, now, was["id"] in kept))
    return min(until, _finish(a["finish"], b["finish"]))


def _row(section: str, was: dict[str, Any], now: dict[str, Any], painted: bool) -> float:
    unseen = [name for name in UNSEEN if not (painted and name == "colour")]
    was, now = ({k: v for k, v in row.items() if k not in unseen} for row in (was, now))
    if was == now:
        return ALWAYS
    if section == "supply":
        return max(_values(was, now), _source(was, now))
    if section == "cues" and was["when"]["kind"] == now["when"]["kind"] == "at_frame":
        return float(min(was["when"]["frame"], now["when"]["frame"]) - 1)
    return _values(was, now)


def _source(was: dict[str, Any], now: dict[str, Any]) -> float:
    """A source gives nothing before its start, whatever changed in it; a stream that only ends at another frame gives
    the same until then. What has no start of its own may matter at once."""
    emits = [row.get("emit", {}) for row in (was, now)]
    if any(e.get("kind") not in ("stream", "burst") for e in emits):
        return NEVER
    streams = all(e["kind"] == "stream" for e in emits)
    if streams and was | {"emit": emits[0] | {"end": 0}} == now | {"emit": emits[1] | {"end": 0}}:
        return float(min(e["end"] for e in emits) + 1)
    return float(min(e["start"] if e["kind"] == "stream" else e["frame"] - 1 for e in emits))


def _finish(was: dict[str, Any], now: dict[str, Any]) -> float:
    ignored = {
        "last": 0,
        "lengths": "m",
        "retime": None,
        "light": "dusk",
        "exposure": 0.0,
        "focus": None,
        "aperture": 0.1,
    }
    scales = was["time_scale"], now["time_scale"]
    if was | ignored | {"time_scale": 1.0} != now | ignored | {"time_scale": 1.0}:
        return NEVER
    held = 0 if was["every"] == 1 else 1  # a last frame is kept in full, whichever it is
    until = ALWAYS if was["last"] == now["last"] else float(min(was["last"], now["last"]) - held)
    return min(until, _values(*scales))


def _values(was: Any, now: Any) -> float:
    """Two values of a row, down to its keys."""
    if was == now:
        return ALWAYS
    if isinstance(was, dict) and isinstance(now, dict) and was.keys() == now.keys():
        if was.get("kind") == now.get("kind") == "keys" and was | {"keys": 0} == now | {"keys": 0}:
            return _keys(was["keys"], now["keys"]) if was.get("outside") == "hold" else NEVER
        return min(_values(was[name], now[name]) for name in was)
    if isinstance(was, list) and isinstance(now, list) and len(was) == len(now):
        return min(_values(x, y) for x, y in zip(was, now, strict=True))
    return NEVER


def _keys(was: list[dict[str, Any]], now: list[dict[str, Any]]) -> float:
    """Curves are alike up to the last key before the first that differs: the way from there leads to it."""
    alike = 0
    while alike < min(len(was), len(now)) and was[alike] == now[alike]:
        alike += 1
    return float(was[alike - 1]["frame"]) if alike else NEVER


def take_over(old: Place, new: Place, world: World, until: float) -> list[int]:
    """Give a new run's folder the frames and checkpoints of an old one up to a frame, if both are of
    the same program, meshes and quality. Returns the frames; a resumed run goes on behind them."""
    kept_by = FrameStore(old)
    try:
        note = kept_by.note(RUN)
    except (OSError, ValueError):
        return []
    first = world.shot.finish.first
    if note.get("basis") != world.basis or note.get("first") != first:
        return []
    frames = [f for f in kept_by.whole(first) if f <= until]
    usable = [f for f in checkpoint.kept(old) if frames and f <= frames[-1]]
    if not usable or max(usable) <= first:
        return []  # nothing to gain
    store = FrameStore(new)
    for frame in frames:
        share(kept_by.path(frame), store.path(frame))
        share(old / "seconds" / f"{frame:+07d}.json", new / "seconds" / f"{frame:+07d}.json")
    for frame in usable:
        share(checkpoint.path_of(old, frame), checkpoint.path_of(new, frame))
    store.write_note(RUN, facts_of(world, first, world.shot.finish.last))
    return frames
