"""Gauges and events as CSV (RFC 4180), with units in the head."""

import csv
import io
from collections.abc import Iterable, Iterator
from typing import Any

from hotgravel.core.cues.record import Events
from hotgravel.core.exchange.take import Step, Take, Wish
from hotgravel.core.matter.elements import hit_by
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.gauges import named
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.row import sentence


def write_csv(take: Take, wish: Wish) -> Iterator[Step]:
    """Tables of gauges, events, pieces, and what each matter has of its own. Units and axes are in their heads, and
    always metres and y up."""
    store, shot = take.store, take.shot
    yield (
        wish.name(take, None, ".gauges.csv"),
        "".join(gauges_csv(shot, ((f, store.gauges(f)) for f in wish.frames))).encode(),
    )
    yield (
        wish.name(take, None, ".events.csv"),
        "".join(events_csv(shot, (store.events(f) for f in wish.frames))).encode(),
    )
    for matter in store.matters(wish.frames[0]):
        if MATTERS[matter].kind == "pieces":
            yield wish.name(take, None, f".{matter}.csv"), "".join(_pieces_csv(take, wish, matter)).encode()
        for table in MATTERS[matter].tables(shot, store, wish.frames):
            lines = (_line(list(line)) for line in (table.head, *table.lines))
            yield wish.name(take, None, f".{table.name}.csv"), "".join(lines).encode()


POSES = ("position", "turn", "velocity", "spin")


def _pieces_csv(take: Take, wish: Wish, matter: str) -> Iterator[str]:
    """A line for each piece at each frame."""
    axes = {"position": "x y z", "turn": "qx qy qz qw", "velocity": "vx vy vz", "spin": "wx wy wz"}
    units = {"position": " [m]", "turn": "", "velocity": " [m/s]", "spin": " [rad/s]"}
    yield _line([
        "frame", "id", "prop", *(f"{axis}{units[n]}" for n in POSES for axis in axes[n].split()), "scale", "mass [kg]",
        "asleep",
    ])  # fmt: skip
    for frame in wish.frames:
        p = take.store.elements(frame, matter)
        for i in range(len(p["id"])):
            poses = [f"{x:.6g}" for name in POSES for x in p[name][i].tolist()]
            yield _line([
                frame, int(p["id"][i]), take.piece_name(matter, int(p["piece"][i])), *poses, f"{p['scale'][i]:.6g}",
                f"{p['mass'][i]:.6g}", int(p["asleep"][i]),
            ])  # fmt: skip


def gauges_csv(shot: Shot, frames: Iterable[tuple[int, dict[str, Any]]]) -> Iterator[str]:
    """A line a frame: the gauges, counts by state, firings by cue, bounds, seconds by part."""
    rows = list(frames)
    parts = sorted({part for _, g in rows for part in g["seconds"]})
    names = shot.names()
    there = {name for _, g in rows for name in g["matter"]}
    gauges = list(named(matter for name, matter in MATTERS.items() if name in there))
    head = ["frame"] + [f"{shown} [{gauge.unit}]" if gauge.unit else shown for _, _, shown, gauge in gauges] + ["steps"]
    head += [f"in {names[s.id]}" for s in shot.states] + [f"fired {names[c.id]}" for c in shot.cues]
    head += [f"{end} {axis} [m]" for end in ("least", "greatest") for axis in "xyz"]
    head += [f"{part} [seconds of computing]" for part in parts]
    yield _line(head)
    for frame, g in rows:
        bounds = [n for corner in g["bounds"] for n in corner] if g["bounds"] else [""] * 6
        counts = [g["by_state"].get(s.id, 0) for s in shot.states] + [g["firings"].get(c.id, 0) for c in shot.cues]
        seconds = [g["seconds"].get(part, 0.0) for part in parts]
        measured = [g["matter"].get(matter, {}).get(name, "") for matter, name, _, _ in gauges]
        yield _line([frame, *measured, g["steps"], *counts, *bounds, *seconds])


def events_csv(shot: Shot, parts: Iterable[Events]) -> Iterator[str]:
    """A line an event, in the order they happened."""
    states = {i: s.name for i, s in enumerate(shot.states)} | {-1: "removed"}
    said = [sentence(c, shot.dress, shot.names()) for c in shot.cues]
    yield _line(
        ["frame", "time [s]", "particle", "cue", "x [m]", "y [m]", "z [m]", "value", "hit by", "from", "to", "sentence"]
    )
    for e in parts:
        for i in range(len(e)):
            cue = int(e.cue[i])
            yield _line([
                int(e.frame[i]), f"{e.time[i]:.6f}", int(e.particle[i]), shot.names()[shot.cues[cue].id],
                *(f"{x:.6g}" for x in e.place[i]), f"{e.value[i]:.6g}", hit_by(shot, int(e.other[i])),
                states.get(int(e.before[i]), ""), states.get(int(e.after[i]), ""), said[cue],
            ])  # fmt: skip


def _line(cells: list[Any]) -> str:
    out = io.StringIO()
    csv.writer(out).writerow([_safe(cell) for cell in cells])
    return out.getvalue()


def _safe(cell: Any) -> Any:
    """Text that a spreadsheet would take for a formula is quoted with an apostrophe."""
    return f"'{cell}" if isinstance(cell, str) and cell[:1] in ("=", "+", "@") else cell
