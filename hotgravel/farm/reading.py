"""Files from outside, read for the first time in a process of their own, with limits of time and memory, so that none
of them can hold up or bring down the application."""

import multiprocessing
import resource
from pathlib import Path
from typing import Any

import psutil
from pydantic import TypeAdapter

from hotgravel.core.run.world import beside
from hotgravel.core.shape import grid
from hotgravel.core.shape.mesh import MeshFault, solid
from hotgravel.core.shot.faults import ShotFault
from hotgravel.core.shot.props import Shape

SECONDS = 60.0
SHARE_OF_MEMORY = 0.25  # of the machine's, that reading one file may take
ACCEPTED = "Accepted: fewer triangles, outlines or cells."
# Processes are forked from one that has loaded the readers, and has no threads.
_context = multiprocessing.get_context("forkserver")
_context.set_forkserver_preload(["__main__", __name__])


def look(path: Path, shape: dict[str, Any] | None, seconds: float = SECONDS, share: float = SHARE_OF_MEMORY) -> None:
    """Read a file to see that it can be: as the shape it is to make, or as a velocity field if it is to make none.
    Raises `ShotFault`."""
    hears, tells = _context.Pipe(duplex=False)
    process = _context.Process(target=_read, args=(tells, path, shape, share), daemon=True)
    process.start()
    tells.close()
    try:
        over = not hears.poll(seconds)
        said = f"{path.name} took over {seconds:g} s to read. {ACCEPTED}" if over else hears.recv()
    except EOFError:  # the system has ended it
        said = _too_large(path)
    finally:
        process.kill()
        process.join()
    if said:
        raise ShotFault.of(said)


def _read(tells: Any, path: Path, shape: dict[str, Any] | None, share: float) -> None:
    """Called in a process of its own: tells why a file cannot be read, or nothing."""
    loaded = psutil.Process().memory_info().vms
    most = loaded + int(share * psutil.virtual_memory().total)
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    said = ""
    try:
        if shape is None:
            grid.read_grid(path.name, beside(path.parent))
        else:
            solid(TypeAdapter(Shape).validate_python(shape), beside(path.parent))
    except (MeshFault, grid.GridFault) as fault:
        short = isinstance(fault.__cause__, MemoryError)
        said = _too_large(path) if short else str(fault)
    except MemoryError:
        said = _too_large(path)
    tells.send(said)


def _too_large(path: Path) -> str:
    return f"{path.name} takes more memory to read than a file may. {ACCEPTED}"
