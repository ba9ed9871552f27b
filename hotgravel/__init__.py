"""Hot Gravel: shots written as plain sentences, computed by solvers of our own."""

from hotgravel.kernels import keep_compiled_kernels, let_threads_sleep
from hotgravel.memory import keep_freed_memory

__version__ = "0.1.0"

keep_compiled_kernels()
let_threads_sleep()
keep_freed_memory()
