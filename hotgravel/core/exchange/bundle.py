"""A shot with its meshes in one zip: `shot.json`, and the mesh files under `meshes/`.

What comes in is read with limits on how many files there are, on what each unpacks to and on
all together, whatever the archive says of itself; nothing is unpacked to the disk.
"""

import io
import json
import zipfile
import zlib
from collections.abc import Iterator

from hotgravel.core.shape import grid
from hotgravel.core.shape.lettering import FONT_FORMATS
from hotgravel.core.shape.mesh import FORMATS, LARGEST_BYTES
from hotgravel.core.shape.setting import FindMesh
from hotgravel.core.shot.document import Shot, load
from hotgravel.core.shot.faults import ShotFault

SHOT, MESHES = "shot.json", "meshes/"
BESIDE = (*FORMATS, *FONT_FORMATS, "svg", grid.FORMAT)  # what may lie beside a shot
MOST_FILES = 200
MOST_BYTES = 2 * LARGEST_BYTES  # unpacked, all together
MOST_SHOT_BYTES = 32 * 2**20


def write_bundle(shot: Shot, find_mesh: FindMesh) -> bytes:
    """The zip. Raises `ShotFault` if a mesh is not there."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
        file.writestr(SHOT, json.dumps(shot.dump(), indent=1))
        for name in shot.files():
            path = find_mesh(name)
            if not path.is_file():
                raise ShotFault.of(
                    f"The mesh file {name} is not beside the shot, so the shot cannot be packed with it."
                )
            file.writestr(MESHES + name, path.read_bytes())
    return out.getvalue()


def read_bundle(data: bytes) -> tuple[Shot, dict[str, bytes]]:
    """The shot and the bytes of its meshes by name. Raises `ShotFault`."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as file:
            found = dict(_members(file))
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, OSError, ValueError) as error:
        if isinstance(error, ShotFault):
            raise
        raise ShotFault.of(f"The zip cannot be read ({error}). Nothing was taken from it.") from None
    if SHOT not in found:
        raise ShotFault.of(f"The zip holds no {SHOT}. Accepted: a zip that Hot Gravel made of a shot.")
    shot = load(found.pop(SHOT))
    meshes = {name.removeprefix(MESHES): content for name, content in found.items()}
    missing = [name for name in shot.files() if name not in meshes]
    if missing:
        raise ShotFault.of(f"The zip lacks {', '.join(missing)}, which the shot uses.")
    return shot, meshes


def _members(file: zipfile.ZipFile) -> Iterator[tuple[str, bytes]]:
    entries = [e for e in file.infolist() if not e.is_dir()]
    if len(entries) > MOST_FILES:
        raise ShotFault.of(f"The zip holds {len(entries)} files. Accepted: up to {MOST_FILES}.")
    left = MOST_BYTES
    for entry in entries:
        name = entry.filename
        bare = name.removeprefix(MESHES)
        is_mesh = name.startswith(MESHES) and "/" not in bare and bare.rpartition(".")[2].lower() in BESIDE
        if name != SHOT and not is_mesh:
            raise ShotFault.of(f"The zip holds {name!r}. Accepted: {SHOT}, and {', '.join(BESIDE)} files in {MESHES}.")
        most = min(left, MOST_SHOT_BYTES if name == SHOT else LARGEST_BYTES)
        with file.open(entry) as opened:
            content = opened.read(most + 1)
        if len(content) > most:
            raise ShotFault.of(f"{name} in the zip unpacks to over {most // 2**20} MiB. Nothing was taken from it.")
        left -= len(content)
        yield name, content
