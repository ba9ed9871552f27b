"""How the process asks the system for memory.

A step makes its arrays anew. By default the C library hands the larger ones back to the system as soon as they
are freed, and the system clears every page that it hands out again: about a tenth of a step went to that.
"""

import ctypes

M_TRIM_THRESHOLD, M_MMAP_THRESHOLD, M_ARENA_MAX = -1, -3, -8  # glibc's <malloc.h>
KEPT = 512 << 20  # bytes that may lie free before any are handed back
LARGE = 32 << 20  # bytes from which an array has pages of its own; glibc takes no more


def keep_freed_memory() -> bool:
    """Let freed memory be used again instead of handing it back. Must run before the first thread starts: all
    then share one heap, so that what one has freed another can use. Returns whether the C library could be
    told: only glibc can."""
    try:
        tell = ctypes.CDLL(None).mallopt
    except (AttributeError, OSError, TypeError):
        return False
    told = [tell(M_ARENA_MAX, 1), tell(M_MMAP_THRESHOLD, LARGE), tell(M_TRIM_THRESHOLD, KEPT)]
    return all(told)
