"""The same arrays are the same file, however threads run; the same kernel gives the same numbers, fresh or cached."""

import hashlib
import os
import subprocess
import sys

import numpy as np

from hotgravel.core.noise import curl_at
from hotgravel.core.run.zarr_file import write_groups
from hotgravel.kernels import CORE

SCRIPT = """
import hashlib, numpy as np
from hotgravel.core.noise import curl_at
made = curl_at(np.random.default_rng(3).uniform(-9, 9, (20_000, 3)), size=1.3, time=2.7, octaves=3, seed=5)
print(hashlib.sha256(made.tobytes()).hexdigest())
"""


def test_a_large_array_is_compressed_to_the_same_bytes_every_time(tmp_path):
    steps = np.random.default_rng(0).integers(0, 9, (400_000, 3))
    faces = np.cumsum(steps, axis=0).astype(np.int32)  # many blocks, which several threads end in any order
    made = set()
    for _ in range(12):
        write_groups(tmp_path / "it.zip", {"skins": {"faces": faces}}, {})
        made.add(hashlib.sha256((tmp_path / "it.zip").read_bytes()).hexdigest())
    assert len(made) == 1


def test_a_kernel_just_compiled_gives_the_numbers_of_one_from_the_cache(tmp_path):
    empty = os.environ | {"HOTGRAVEL_KERNELS": str(tmp_path)}
    fresh, cached = (
        subprocess.run(
            [sys.executable, "-c", SCRIPT], env=empty, capture_output=True, text=True, check=True
        ).stdout.strip()
        for _ in range(2)
    )
    assert fresh == cached
    here = curl_at(np.random.default_rng(3).uniform(-9, 9, (20_000, 3)), size=1.3, time=2.7, octaves=3, seed=5)
    assert hashlib.sha256(here.tobytes()).hexdigest() == fresh


def test_no_kernel_may_regroup_its_sums():
    """Each place that a kernel is compiled into would round in its own way, and which one runs hangs on the cache."""
    assert not [str(p) for p in sorted(CORE.rglob("*.py")) if "fastmath" in p.read_text()]
