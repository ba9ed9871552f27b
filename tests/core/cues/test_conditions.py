"""The kernel that finds whom a cue fires on, which passes over blocks and shares pieces among threads, against
the rule as one would write it down for one particle after another."""

import numpy as np
import pytest

from hotgravel.core.cues.conditions import BLOCK, _firing, places_of

N, PIECES = 40 * BLOCK + 17, 3


def crowd(seed, threshold, rare):
    """Columns as the kernel takes them; where few are near, most blocks hold none."""
    rng = np.random.default_rng(seed)
    value = threshold + rng.normal(size=N) - (4.0 if rare else 0.0)
    words = [rng.integers(0, 2**63, N).astype(np.uint64) for _ in range(2)]
    return {
        "value": value, "age": rng.uniform(-0.1, 2.0, N), "life": np.where(rng.random(N) < 0.02, -np.inf, 9.0),
        "state": rng.integers(0, 3, N).astype(np.int16), "left": rng.integers(0, 2, N).astype(np.int16),
        "fired": words[0], "held": words[1], "looked": (rng.random(N) < 0.9).astype(np.uint8),
    }  # fmt: skip


def plainly(c, way, threshold, crossing, once, edge, whom, source, bit):
    """Whom it fires on, the nearest, and the two words, one particle after another."""
    fired, held, who, best = c["fired"].copy(), c["held"].copy(), [], -np.inf
    mine = np.uint64(1 << bit)
    for i in range(N):
        if c["age"][i] < 0 or c["life"][i] < 0:
            continue
        concerned = whom in (-1, c["state"][i]) and source in (-1, c["left"][i])
        true, was = way * c["value"][i] > way * threshold, edge and bool(held[i] & mine)
        if edge:
            held[i] = held[i] | mine if true and (concerned or crossing) else held[i] & ~mine
        if not concerned:
            continue
        if not (once and not edge and true and fired[i] & mine):  # what is over does not come nearer
            best = max(best, way * c["value"][i])
        if true and not was and not (once and fired[i] & mine) and not (crossing and not c["looked"][i]):
            fired[i] |= mine
            who.append(i)
    return who, way * best, fired, held


@pytest.mark.parametrize("rare", [False, True])
@pytest.mark.parametrize(("whom", "source"), [(-1, -1), (1, -1), (-1, 0), (2, 1)])
@pytest.mark.parametrize(("crossing", "once", "edge"), [
    (False, True, False), (False, False, False), (False, False, True), (True, False, True), (True, True, True),
])  # fmt: skip
@pytest.mark.parametrize("way", [1, -1])
def test_it_fires_on_those_that_the_plain_rule_names(way, crossing, once, edge, whom, source, rare):
    c = crowd(5, 0.7, rare and way > 0)
    told = plainly(c, way, 0.7, crossing, once, edge, whom, source, 41)
    out = np.empty(N, np.int64)
    count, nearest = _firing(
        PIECES, way, 0.7, c["value"], crossing, once, edge, whom, source, 41, c["age"], c["life"], c["state"], c["left"],
        c["fired"], c["held"], c["looked"], out,
    )  # fmt: skip
    assert out[:count].tolist() == told[0]
    assert nearest == told[1]
    assert np.array_equal(c["fired"], told[2])
    assert np.array_equal(c["held"], told[3])


@pytest.mark.parametrize("dead", [[], [0], [3, 4, 9], [19]])
def test_ids_are_found_where_they_stand(dead):
    there = np.delete(np.arange(40, 60), dead)
    asked = np.arange(30, 70)
    place, found = places_of(there, asked)
    assert found.tolist() == np.isin(asked, there).tolist()
    assert there[place].tolist() == there.tolist()
    assert not places_of(there[:0], asked)[1].any()
