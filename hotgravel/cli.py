"""The command line. Exit 0; 1 for a fault in the shot, as sentences on stderr; 2 for usage."""

import json
import os
import sys
import time
from collections.abc import Iterable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from hotgravel import __version__
from hotgravel.core.shot.faults import ShotFault

if TYPE_CHECKING:  # at run time only where a command needs it: help and usage come at once
    from hotgravel.core.shot.document import Shot

QUALITIES = click.Choice(["rough", "fair", "fine"])
DEMO = "demo:"


class FrameRange(click.ParamType):
    """A-B, or one frame A."""

    name = "A-B"

    def convert(self, value: Any, param: Any, ctx: Any) -> tuple[int, int]:
        if isinstance(value, tuple):
            return value
        first, _dash, last = value.rpartition("-") if "-" in value[1:] else (value, "", value)
        try:
            span = int(first), int(last)
        except ValueError:
            self.fail(f"{value!r} is no range of frames; write it as 1-120 or 12.", param, ctx)
        if span[0] > span[1]:
            self.fail(f"{value!r} ends before it starts.", param, ctx)
        return span


FRAMES = FrameRange()


def find_shot(name: str) -> "tuple[Shot, Path]":
    """A shot and its folder, from a file's path or demo:NAME. Raises `ShotFault`."""
    from hotgravel.core.shot.document import load
    from hotgravel.demo.shots import demo_path

    path = demo_path(name.removeprefix(DEMO)) if name.startswith(DEMO) else Path(name)
    if path.exists() and not path.is_file():
        raise ShotFault.of(f"{name} is no file. Accepted: a shot's file, or demo:NAME.")
    try:
        return load(path), path.parent
    except (FileNotFoundError, IsADirectoryError):
        raise ShotFault.of(f"There is no shot at {name}.") from None
    except OSError as error:
        raise ShotFault.of(f"{name} cannot be read: {error.strerror}.") from None


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__)
def commands() -> None:
    """Hot Gravel: shots written as plain sentences, computed, looked at, tuned and handed over."""


def _address(command: Any) -> Any:
    port = click.IntRange(0, 65535)
    command = click.option("--port", type=port, default=8321, show_default=True, help="Port to listen at.")(command)
    return click.option("--host", default="127.0.0.1", show_default=True, help="Address to listen at.")(command)


@commands.command()
@_address
def serve(host: str, port: int) -> None:
    """Start the application on the store that HOTGRAVEL_STORE names (./data by default)."""
    from hotgravel.web.serve import serve

    serve(host, port)


@commands.command()
@_address
@click.option("--shot", "names", multiple=True, help="Only this demo shot; may be given again. All by default.")
def demo(host: str, port: int, names: tuple[str, ...]) -> None:
    """Start the application with the demo shots in it; the first start runs them once."""
    from hotgravel.demo.shots import demo_names, demo_path
    from hotgravel.web.serve import serve

    for name in names:
        demo_path(name)
    serve(host, port, demo=names or demo_names())


class RunFolder(click.ParamType):
    """A folder for a run: a new one, an empty one, or one that holds a run of the same shot."""

    name = "DIR"

    def convert(self, value: Any, param: Any, ctx: Any) -> Path:
        if not str(value).strip():
            self.fail("An empty name is no folder. Accepted: a new folder, or one with a run of this shot.", param, ctx)
        return Path(value)


def may_be_filled(folder: Path, shot: "Shot") -> None:
    """Raises `ShotFault` where a run would take the place of something else."""
    from hotgravel.core.run.frames import FrameStore

    if folder.exists() and not folder.is_dir():
        raise ShotFault.of(f"{folder} is no folder. Accepted: a new folder, or one with a run of this shot.")
    if not folder.exists() or not any(folder.iterdir()):
        return
    try:
        name = FrameStore(folder).note("shot.json")["name"]
    except (OSError, ValueError, KeyError, TypeError):
        raise ShotFault.of(
            f"{folder} holds something other than a run; nothing in it was touched. Accepted: a new or empty folder."
        ) from None
    if name != shot.name:
        raise ShotFault.of(
            f"{folder} holds a run of {name!r}; nothing in it was touched. Accepted: another folder for {shot.name!r}."
        )


@commands.command()
@click.argument("shot")
@click.option("--quality", type=QUALITIES, help="Instead of the shot's own.")
@click.option("--frames", type=FRAMES, help="Which frames to keep; those before are computed all the same.")
@click.option("--out", type=RunFolder(), required=True, help="Folder for the run.")
@click.option("--resume", is_flag=True, help="Go on where an earlier run of the same shot stopped in this folder.")
@click.option("--json", "as_json", is_flag=True, help="End with one line of JSON.")
@click.option("--threads", type=click.IntRange(1), help="Threads for kernels; the result is the same.")
def run(
    shot: str,
    quality: Any,
    frames: tuple[int, int] | None,
    out: Path,
    resume: bool,
    as_json: bool,
    threads: int | None,
) -> None:
    """Compute SHOT (a file, or demo:NAME) into a folder."""
    from hotgravel.core.run import execute
    from hotgravel.core.run.frames import CannotKeep
    from hotgravel.core.run.world import beside, build

    document, folder = find_shot(shot)
    finish = document.finish
    if frames and (frames[0] < finish.first or frames[1] > finish.last):
        raise click.UsageError(f"The shot's frames are {finish.first} to {finish.last}.")
    may_be_filled(out, document)
    world = build(document, beside(folder), quality)
    for note in world.setting.notes:
        click.echo(note, err=True)
    first, last = frames or (finish.first, finish.last)
    execute.threads(threads)
    seconds: dict[str, float] = {}
    gauges: dict[str, Any] = {}
    hidden = as_json or not sys.stderr.isatty()
    with click.progressbar(length=last - first + 1, label="Frames", file=sys.stderr, hidden=hidden) as bar:

        def landed(frame: int, measured: dict[str, Any]) -> None:
            gauges.update(measured)
            for part, spent in measured["seconds"].items():
                seconds[part] = seconds.get(part, 0.0) + spent
            bar.update(1)

        try:
            kept = execute.execute(
                world, out, frames=(first, last), landed=landed, resume=resume, clock=time.perf_counter,
                processor=time.process_time,
            )  # fmt: skip
        except CannotKeep as fault:
            raise click.ClickException(str(fault)) from None
    if as_json:
        paths = {"run": str(out), "frames": str(out / "frames"), "shot": str(out / "shot.json")}
        rounded = {part: round(spent, 4) for part, spent in seconds.items()}
        click.echo(json.dumps({"frames": kept, "seconds": rounded, "gauges": gauges, "paths": paths}))
    else:
        click.echo(f"{len(kept)} frames in {out} ({sum(seconds.values()):.1f} s of computing).")


def _kept(folder: Path) -> "tuple[Any, Shot]":
    from hotgravel.core.run.frames import FrameStore
    from hotgravel.core.shot.document import load

    store = FrameStore(folder)
    try:
        return store, load(store.note("shot.json"))
    except OSError:
        raise ShotFault.of(f"{folder} holds no run.") from None


def _folder(command: Any) -> Any:
    kind = click.Path(exists=True, file_okay=False, path_type=Path)
    return click.argument("folder", metavar="DIR", type=kind)(command)


@commands.command()
@_folder
@click.option("--csv", "as_csv", is_flag=True, required=True, help="As comma separated values.")
def gauges(folder: Path, as_csv: bool) -> None:
    """What was measured of every frame of a run."""
    from hotgravel.core.exchange.table import gauges_csv

    store, shot = _kept(folder)
    _print(gauges_csv(shot, ((f, store.gauges(f)) for f in store.frames())))


@commands.command()
@_folder
@click.option("--csv", "as_csv", is_flag=True, required=True, help="As comma separated values.")
def events(folder: Path, as_csv: bool) -> None:
    """Each firing of a cue in a run."""
    from hotgravel.core.exchange.table import events_csv

    store, shot = _kept(folder)
    _print(events_csv(shot, (store.events(f) for f in store.frames())))


def _print(lines: Iterable[str]) -> None:
    for line in lines:
        click.echo(line.rstrip("\r\n"))


class PictureSize(click.ParamType):
    """WIDTHxHEIGHT."""

    name = "WxH"

    def convert(self, value: Any, param: Any, ctx: Any) -> tuple[int, int]:
        if isinstance(value, tuple):
            return value
        width, cross, height = value.partition("x")
        if not (cross and width.isdigit() and height.isdigit()):
            self.fail(f"{value!r} is no size; write it as 1280x720.", param, ctx)
        return int(width), int(height)


# Those of the exchange, told here as well: it takes a while to load.
FORMATS = (
    "ply", "obj", "gltf", "animation", "usd", "usd_nodes", "vdb", "vdb_half", "npz", "exr", "still", "png", "mp4",
    "csv",
)  # fmt: skip


@commands.command()
@_folder
@click.option("--format", "kind", type=click.Choice(FORMATS), required=True)
@click.option("--out", type=click.Path(file_okay=False, path_type=Path), required=True)
@click.option("--frames", type=FRAMES, help="All by default.")
@click.option("--every", type=click.IntRange(1), default=1, help="Only every so many of them.")
@click.option("--unit", type=click.Choice(["m", "cm"]), default="m", show_default=True)
@click.option("--up", type=click.Choice(["y", "z"]), default="y", show_default=True)
@click.option("--pattern", default="{shot}.{frame}", show_default=True, help="Names of the files.")
@click.option("--meshes", type=click.Path(file_okay=False, path_type=Path), help="Folder of imported meshes.")
@click.option("--retimed", is_flag=True, help="As the shot's retime shows the frames, not as they ran.")
@click.option("--size", type=PictureSize(), default=(1280, 720), help="Of pictures and films; 1280x720 by default.")
@click.option("--by", type=click.Choice(["own", "speed", "load"]), default="own", help="What colours in pictures tell.")
@click.option("--eye", type=float, nargs=3, help="Where the camera stands, in metres; all in view by default.")
@click.option("--aim", type=float, nargs=3, help="What the camera looks at; needs --eye.")
def export(
    folder: Path, kind: str, out: Path, frames: tuple[int, int] | None, every: int, unit: Any, up: Any, pattern: str,
    meshes: Path | None, retimed: bool, size: tuple[int, int], by: str, eye: Any,
    aim: Any,
) -> None:  # fmt: skip
    """Hand a run over in an open format."""
    from hotgravel.core.exchange.handing import hand_over
    from hotgravel.core.exchange.take import take_of, wish
    from hotgravel.core.run.world import beside

    if (eye is None) != (aim is None):
        raise click.UsageError("--eye and --aim go together.")
    camera = {"eye": list(eye), "aim": list(aim)} if eye else None
    take = take_of(folder, beside(meshes or folder), camera=camera, retimed=retimed)
    wanted = wish(
        take.store.in_full(take.shot.finish), frames=frames, every=every, unit=unit, up=up, pattern=pattern,
        size=size, by=by,
    )  # fmt: skip
    with click.progressbar(length=100, label="Files", file=sys.stderr, hidden=not sys.stderr.isatty()) as bar:
        written = hand_over(take, wanted, kind, out, lambda share: bar.update(round(100 * share) - bar.pos))
    click.echo(f"{len(written)} file{'s' if len(written) != 1 else ''} in {out}.")


@commands.command()
@click.argument("shot")
def check(shot: str) -> None:
    """Say what is wrong with SHOT, and what in it will come to nothing."""
    from hotgravel.core.preflight.checks import findings
    from hotgravel.core.run.world import beside, build

    document, folder = find_shot(shot)
    world = build(document, beside(folder))
    for note in world.setting.notes:
        click.echo(note)
    found = [str(f) for f in findings(document, world)]
    click.echo("\n".join(found) if found else "Nothing found.")


@commands.command()
@click.argument("shot")
def explain(shot: str) -> None:
    """Print SHOT as a page of sentences."""
    from hotgravel.core.shot.explain import explain

    click.echo(explain(find_shot(shot)[0]))


@commands.command()
def schema() -> None:
    """Print the JSON schema of a shot file."""
    from hotgravel.core.shot.document import Shot

    click.echo(json.dumps(Shot.model_json_schema(), indent=2))


def _compiling(start: float, name: str) -> None:
    click.echo(f"Compiling {name} ({time.time() - start:.0f} s)")


@commands.command()
def warm() -> None:
    """Prepare the kernels, so that no run waits for them."""
    from hotgravel.core.warm import warm_side_by_side
    from hotgravel.kernels import forget_older_kernels

    start = time.perf_counter()
    warm_side_by_side(partial(_compiling, time.time()))
    forget_older_kernels()
    click.echo(f"Kernels are ready ({time.perf_counter() - start:.0f} s).")


LONG = {"kills"}  # benchmarks that run only where they are named


@commands.command()
@click.argument("names", nargs=-1)
def bench(names: tuple[str, ...]) -> None:
    """Run the benchmarks of a source checkout: each prints a ratio to a floor or peer."""
    import subprocess

    folder = Path(__file__).parent.parent / "benchmarks"
    scripts = sorted(folder.glob("[a-z]*.py"))
    chosen = [s for s in scripts if s.stem in (names or {n.stem for n in scripts} - LONG)]
    if not chosen:
        raise click.UsageError(f"No such benchmark in {folder}. There are: {', '.join(s.stem for s in scripts)}.")
    for script in chosen:
        subprocess.run([sys.executable, str(script)], check=True, env=os.environ)


def main() -> None:
    """Entry point: faults of a shot become sentences and exit code 1."""
    try:
        commands(standalone_mode=False)
    except ShotFault as fault:
        click.echo(str(fault), err=True)
        sys.exit(1)
    except PermissionError as fault:
        click.echo(f"{fault.filename} may not be read or written by you.", err=True)
        sys.exit(1)
    except click.ClickException as error:
        error.show()
        sys.exit(error.exit_code)
    except click.Abort:
        sys.exit(130)
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(0)


if __name__ == "__main__":
    main()
