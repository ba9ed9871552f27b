"""Where compiled kernels are kept between starts, and how their threads wait.

Numba notices a change in a kernel's own file but not in the files it calls, so the folder
is named after a hash of all kernels: an edited kernel can never be answered from an
older compilation.
"""

import hashlib
import os
import shutil
from functools import cache
from pathlib import Path

CORE = Path(__file__).parent / "core"


def _hash_of(holding: bytes) -> str:
    digest = hashlib.sha256()
    for source in sorted(CORE.rglob("*.py")):
        text = source.read_bytes()
        if holding in text:
            digest.update(source.relative_to(CORE).as_posix().encode())
            digest.update(text)
    return digest.hexdigest()[:16]


@cache
def core_version() -> str:
    """A hash of the whole core: what a result depends on beside the shot."""
    return _hash_of(b"")


@cache
def kernel_folder() -> Path:
    """The folder for this very version of the kernels; it may not exist yet."""
    root = os.environ.get("HOTGRAVEL_KERNELS") or str(Path(__file__).parent.parent / ".kernels")
    return Path(root) / _hash_of(b"njit")


def keep_compiled_kernels() -> None:
    """Point numba at the folder. Must run before numba is imported for the first time."""
    os.environ.setdefault("NUMBA_CACHE_DIR", str(kernel_folder()))


def let_threads_sleep() -> None:
    """Let a kernel's threads soon sleep where they wait for one another. Must run before the first kernel.

    By default they spin; where a browser draws beside a run on the same cores, a thread that is kept from them
    is then waited for at full load, and a run took more than twice as long. Only OpenMP's threads can be told so;
    others that may lie about on a machine are not taken before them.
    """
    os.environ.setdefault("NUMBA_THREADING_LAYER_PRIORITY", "omp tbb workqueue")
    if "OMP_WAIT_POLICY" not in os.environ:
        os.environ["OMP_WAIT_POLICY"] = "passive"
        os.environ.setdefault("GOMP_SPINCOUNT", "10000")  # a moment first: the next kernel often comes at once


def forget_older_kernels(keep: int = 3) -> None:
    """Remove the compiled kernels of all but the newest few versions of the core."""
    here = Path(os.environ["NUMBA_CACHE_DIR"])
    if here != kernel_folder() or not here.parent.is_dir():
        return
    folders = sorted((f for f in here.parent.iterdir() if f.is_dir()), key=lambda f: f.stat().st_mtime)
    for old in folders[:-keep]:
        if old != here:
            shutil.rmtree(old, ignore_errors=True)
