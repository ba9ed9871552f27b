"""What is prepared at set-up is all that a run may need, so that no run waits for a kernel."""

import subprocess
import sys

LEFT = """
import importlib, pkgutil
import hotgravel.core
from hotgravel.core.warm import warm
from numba.core.registry import CPUDispatcher
warm()
for found in pkgutil.walk_packages(hotgravel.core.__path__, "hotgravel.core."):
    module = importlib.import_module(found.name)
    for kernel in vars(module).values():
        if isinstance(kernel, CPUDispatcher) and kernel.py_func.__module__ == found.name:
            if kernel.targetoptions.get("parallel") and not kernel.signatures:
                print(found.name, kernel.py_func.__name__)
"""


def test_every_kernel_that_runs_by_itself_is_prepared():
    """Kernels within others are compiled with them; those that run side by side never stand within another."""
    done = subprocess.run([sys.executable, "-c", LEFT], capture_output=True, text=True, timeout=600)
    assert done.returncode == 0, done.stderr
    assert done.stdout == ""
