"""Randomness that is a function of who asks, not of when.

Every draw is addressed by a key (seed and row) and a counter (entity, frame, purpose), so it
does not matter in which order or on how many threads draws are made.

Source: Salmon, Moraes, Dror and Shaw, "Parallel random numbers: as easy as 1, 2, 3" (2011),
the generator Philox 4x64 with ten rounds.
"""

import zlib

import numpy as np
from numba import njit, prange, uint64
from numpy.typing import NDArray

M0 = np.uint64(0xD2E7470EE14C6C93)
M1 = np.uint64(0xCA5A826395121157)
W0 = np.uint64(0x9E3779B97F4A7C15)
W1 = np.uint64(0xBB67AE8584CAA73B)
LOW = np.uint64(0xFFFFFFFF)
HALF = np.uint64(32)
UNIT = 1.0 / 9007199254740992.0  # 2**-53


@njit(inline="always")
def _high_word(a, b):
    a0, a1 = a & LOW, a >> HALF
    b0, b1 = b & LOW, b >> HALF
    middle = a1 * b0 + ((a0 * b0) >> HALF)
    carry = (middle & LOW) + a0 * b1
    return a1 * b1 + (middle >> HALF) + (carry >> HALF)


@njit(cache=True)
def philox(c0, c1, c2, c3, k0, k1):
    """Ten rounds of Philox 4x64: four counter words and two key words (uint64) to four uint64."""
    c0, c1, c2, c3 = uint64(c0), uint64(c1), uint64(c2), uint64(c3)
    k0, k1 = uint64(k0), uint64(k1)
    for _ in range(10):
        h0, l0 = _high_word(M0, c0), M0 * c0
        h1, l1 = _high_word(M1, c2), M1 * c2
        c0, c1, c2, c3 = h1 ^ c1 ^ k0, l1, h0 ^ c3 ^ k1, l0
        k0 += W0
        k1 += W1
    return c0, c1, c2, c3


@njit(cache=True, parallel=True, nogil=True)
def _fill(out, ids, frame, purpose, k0, k1):
    n, m = out.shape
    for i in prange(n):
        for block in range((m + 3) // 4):
            words = philox(ids[i], frame, purpose, block, k0, k1)
            for lane in range(min(4, m - 4 * block)):
                out[i, 4 * block + lane] = (words[lane] >> np.uint64(11)) * UNIT


def uniforms(
    ids: NDArray[np.uint64], columns: int, *, seed: int, who: str, frame: int = 0, purpose: int = 0
) -> NDArray[np.float64]:
    """Numbers in [0, 1) for each entity.

    `ids` (n,) names the entities; `seed` and `who` (a row's id) make the key; `frame` and
    `purpose` separate draws of one entity. Returns (n, columns) float64.
    """
    out = np.empty((len(ids), columns))
    _fill(out, ids.astype(np.uint64), uint64(frame), uint64(purpose), uint64(seed), key_of(who))
    return out


def key_of(who: str) -> np.uint64:
    """A key word from a row's id; stable across processes, unlike `hash`."""
    return np.uint64(zlib.crc32(who.encode()))
