"""Counter-based randomness against NumPy's own Philox, and for evenness."""

import numpy as np
from scipy import stats

from hotgravel.core.chance import key_of, philox, uniforms


def test_words_are_those_of_numpys_philox():
    # NumPy's Philox 4x64-10 is an independent implementation of Salmon et al. 2011. It counts
    # up before it draws, so its first block is that of counter + 1.
    rng = np.random.default_rng(0)
    for _ in range(20):
        counter = rng.integers(0, 2**63, 4, dtype=np.uint64)
        key = rng.integers(0, 2**63, 2, dtype=np.uint64)
        theirs = np.random.Philox(counter=counter, key=key).random_raw(4)
        ours = philox(counter[0] + np.uint64(1), *counter[1:], *key)
        assert [int(w) for w in ours] == [int(w) for w in theirs]


def test_numbers_are_even_and_do_not_depend_on_who_else_asks():
    ids = np.arange(40_000, dtype=np.uint64)
    u = uniforms(ids, 6, seed=3, who="burst")
    for column in u.T:
        counts = np.histogram(column, bins=64, range=(0, 1))[0]
        assert stats.chisquare(counts).pvalue > 1e-4  # one in ten thousand, for a fixed seed
    assert np.abs(np.corrcoef(u.T) - np.eye(6)).max() < 0.02
    assert (uniforms(ids[100:110], 6, seed=3, who="burst") == u[100:110]).all()


def test_seed_row_frame_and_purpose_each_give_other_numbers():
    ids = np.arange(8, dtype=np.uint64)
    plain = uniforms(ids, 4, seed=1, who="a")
    for other in (
        uniforms(ids, 4, seed=2, who="a"),
        uniforms(ids, 4, seed=1, who="b"),
        uniforms(ids, 4, seed=1, who="a", frame=1),
        uniforms(ids, 4, seed=1, who="a", purpose=1),
    ):
        assert not (other == plain).any()
    assert key_of("burst") == key_of("burst")
