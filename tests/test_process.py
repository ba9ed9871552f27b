"""What the process asks of the system, as the system tells it: that freed memory is used again, by the pages that
had to be cleared; that threads sleep where they wait, by what the OpenMP library says of itself."""

import os
import platform
import subprocess
import sys

import numba
import pytest

MAKE_ANEW = """
import resource
import numpy as np
for turn in range(60):
    arrays = [np.ones(500_000) for _ in range(3)]  # 4 MB each, as a step of 160,000 particles makes them
    del arrays
    if turn == 9:
        before = resource.getrusage(resource.RUSAGE_SELF).ru_minflt
print(resource.getrusage(resource.RUSAGE_SELF).ru_minflt - before)
"""
SIDE_BY_SIDE = f"""
import threading
thread = threading.Thread(target=lambda: exec({MAKE_ANEW!r}, {{}}))
thread.start()
thread.join()
"""


def faults(script: str) -> int:
    run = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    return int(run.stdout)


@pytest.mark.skipif(platform.libc_ver()[0] != "glibc", reason="only glibc can be told")
@pytest.mark.parametrize("script", [MAKE_ANEW, SIDE_BY_SIDE])
def test_what_a_step_frees_the_next_uses_again(script):
    assert faults("import hotgravel\n" + script) < 0.05 * faults(script)


def test_tests_load_the_kernels_that_set_up_has_prepared():
    """Were Numba imported before the application, each process of the tests would compile all of them for itself."""
    assert os.environ["NUMBA_CACHE_DIR"] == numba.config.CACHE_DIR
    assert numba.config.THREADING_LAYER_PRIORITY[0] == "omp"


KERNEL = "import hotgravel, numpy as np; from hotgravel.core.lengths import FEW, lengths; lengths(np.ones((FEW, 3)))"


@pytest.mark.skipif(platform.system() != "Linux", reason="another OpenMP library may stand in elsewhere")
@pytest.mark.parametrize(("asked", "policy"), [(None, "PASSIVE"), ("active", "ACTIVE")])
def test_threads_sleep_where_they_wait_unless_told_otherwise(asked, policy):
    others = {name: value for name, value in os.environ.items() if name != "OMP_WAIT_POLICY"}
    told = others | {"OMP_DISPLAY_ENV": "true"} | ({"OMP_WAIT_POLICY": asked} if asked else {})
    run = subprocess.run([sys.executable, "-c", KERNEL], capture_output=True, text=True, check=True, env=told)
    assert f"OMP_WAIT_POLICY = '{policy}'" in run.stderr
