"""What is prepared at set-up is all that a run may need, so that no run waits for a kernel."""

import os
import subprocess
import sys

from hotgravel.core.shape.shelf import FOLDER

PLAIN = {name: value for name, value in os.environ.items() if name != FOLDER}  # no cutting is kept from before

CHECK = """
import ast, importlib, inspect, pkgutil, sys
from pathlib import Path
import hotgravel.core
from numba.core import event
from numba.core.registry import CPUDispatcher
from hotgravel.core.run.execute import execute
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.warm import warm
from hotgravel.demo.shots import FOLDER, demo_names, demo_path
warm()
for found in pkgutil.walk_packages(hotgravel.core.__path__, "hotgravel.core."):
    module = importlib.import_module(found.name)
    for function in ast.walk(ast.parse(inspect.getsource(module))):
        if isinstance(function, ast.FunctionDef) and "njit" not in str(list(map(ast.unparse, function.decorator_list))):
            for name in {node.id for node in ast.walk(function) if isinstance(node, ast.Name)}:
                kernel = vars(module).get(name)
                if isinstance(kernel, CPUDispatcher) and not kernel.signatures:
                    print("not prepared:", found.name, name)
class Told(event.Listener):
    def on_start(self, happening):
        print("compiled:", happening.data["dispatcher"].py_func.__name__, happening.data["args"])
    def on_end(self, happening):
        pass
event.register("numba:compile", Told())
for name in demo_names():
    shot = load(demo_path(name)).dump()
    shot["finish"]["last"] = shot["finish"]["first"] + 2
    execute(build(load(shot), beside(FOLDER), "rough"), Path(sys.argv[1]) / name)
"""


def test_every_kernel_is_prepared_and_no_demo_shot_waits_for_one(tmp_path):
    """Each kernel that a function of plain Python calls; those within others are compiled with them. Numba compiles a
    kernel anew where an array lies otherwise in memory or may not be written."""
    command = [sys.executable, "-c", CHECK, str(tmp_path)]
    done = subprocess.run(command, capture_output=True, env=PLAIN, text=True, timeout=600)
    assert done.returncode == 0, done.stderr
    assert done.stdout == ""
