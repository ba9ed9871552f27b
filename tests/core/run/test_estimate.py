"""Estimates follow the work, know their spread, and are honest where nothing has run."""

import pytest

from hotgravel.core.run.estimate import Estimate, Spent, counts_at, estimate, in_words, size_in_words, spent
from hotgravel.core.shot.document import load
from tests.conftest import document, play, source

BURST = {"kind": "burst", "count": 1000, "frame": 1}


def shot(count=1000, last=25, quality="rough"):
    burst = source(emit=BURST | {"count": count})
    return load(document(supply=[burst], finish={"last": last, "quality": quality}))


def test_twice_the_work_takes_about_twice_the_time():
    past = [Spent(work=1e6, elements=5e5, seconds=2.0, bytes=1e7)]
    one, two = estimate(shot(1_000_000), past), estimate(shot(2_000_000), past)
    assert two.most / one.most == pytest.approx(2, rel=0.01)
    assert estimate(shot(1_000_000, quality="fine"), past).most / one.most == pytest.approx(4, rel=0.01)
    assert two.bytes / one.bytes == pytest.approx(2)


def test_a_pre_roll_takes_time_but_no_room():
    past = [Spent(work=1e6, elements=5e5, seconds=2.0, bytes=1e7)]
    burst = [source(emit=BURST | {"frame": -24})]
    whole, rolled = (
        estimate(load(document(supply=burst, finish={"last": 25} | more)), past)
        for more in ({"first": -24}, {"pre_roll": 25})
    )
    assert rolled.most == pytest.approx(whole.most)
    assert rolled.bytes == pytest.approx(whole.bytes / 2)


def test_the_spread_is_that_of_the_runs():
    slow, fast = Spent(1e6, 5e5, 3.0, 1e7), Spent(1e6, 5e5, 1.0, 1e7)
    told = estimate(shot(), [slow, fast])
    assert told.most / told.least == pytest.approx(3 * 1.15**2)
    assert told.runs == 2
    unknown = estimate(shot(), [])
    assert unknown.runs == 0
    assert unknown.most > 10 * unknown.least


def test_the_same_run_again_lies_within_its_own_estimate():
    of = {"particles": {"count": 1000}}
    gauges = [{"matter": of, "steps": 2, "seconds": {"particles": 0.02, "writing": 0.01}}] * 24
    gauges = [{"matter": of, "steps": 0, "seconds": {"particles": 0.02}}, *gauges]
    took = spent(shot(), enumerate(gauges, 1), 7e5)
    told = estimate(shot(), [took])
    assert told.least < took.seconds < told.most
    assert told.bytes == pytest.approx(7e5)


def test_smoke_that_filled_a_tenth_of_its_box_is_expected_to_again():
    gas = {"kind": "smoke", "id": "smoke", "size": [6.4, 6.4, 6.4], "cell": 0.1}
    made = load(document(matter=[gas], supply=[], finish={"last": 25}))
    blocks = 0.1 * counts_at(made, 1)["smoke"]
    took = spent(
        made,
        ((n, {"matter": {"smoke": {"count": blocks}}, "steps": 2, "seconds": {"smoke": 0.1}}) for n in range(1, 26)),
        1e6,
    )
    told = estimate(made, [took])
    assert told.least < took.seconds < told.most
    assert told.bytes == pytest.approx(1e6, rel=0.01)
    assert told.memory == estimate(made, []).memory  # it may yet fill it


def test_what_no_run_has_told_goes_by_the_matter():
    """A block of smoke is 512 cells of a dozen numbers, a particle is one row of them."""
    gas = {"kind": "smoke", "id": "smoke", "size": [6.4, 6.4, 6.4], "cell": 0.1}
    told = estimate(load(document(matter=[gas], supply=[])), [])
    sparks = estimate(shot(512), [])
    assert 50 * sparks.memory < told.memory < 1000 * sparks.memory
    assert told.bytes > 50 * sparks.bytes
    thin = load(document(matter=[gas], supply=[], finish={"last": 25, "every": 6}))
    assert estimate(thin, []).bytes == pytest.approx(told.bytes / 5)


def test_particles_are_counted_as_the_sources_give_them():
    made = document(
        supply=[
            source(emit=BURST | {"frame": 3}),
            source(id="more", emit={"kind": "stream", "rate": 48, "start": 5, "end": 15}),
        ]
    )
    film = play(made)
    for frame in (1, 3, 8, 25):
        assert counts_at(load(made), frame)["particles"] == pytest.approx(len(film.frames[frame]), abs=1)


@pytest.mark.parametrize(("told", "words"), [
    (Estimate(0.2, 0.6, 900, 1), "under 1 s, 900 B"), (Estimate(3.2, 4.4, 3.2e7, 2), "about 3 to 4 s, 32 MB"),
    (Estimate(9000, 17000, 2e12, 1), "about 2 to 5 h, 2.0 TB"), (Estimate(4.1, 4.2, 1.25e9, 1), "about 4 s, 1.2 GB"), (Estimate(100, 400, 0, 1), "about 2 to 7 min, 0 B"),
])  # fmt: skip
def test_an_estimate_is_words(told, words):
    assert in_words(told) == words


def test_sizes_are_words():
    assert [size_in_words(s) for s in (0, 12, 9_940, 32e6, 4e12)] == ["0 B", "12 B", "9.9 kB", "32 MB", "4.0 TB"]
