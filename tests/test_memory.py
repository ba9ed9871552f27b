"""That freed memory is used again, told by the pages that the system had to clear."""

import platform
import subprocess
import sys

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
