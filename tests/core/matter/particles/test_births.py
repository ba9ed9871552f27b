"""What leaves a source: how many, when, where, which way."""

import numpy as np
import pytest
from scipy import stats

from hotgravel.core.chance import uniforms
from hotgravel.core.matter.aims import within_cone
from tests.conftest import VENT, at, document, play, source

ALL_WAYS = {"kind": "anywhere"}


def test_a_burst_is_there_at_its_frame_and_only_once():
    film = play(document(set=at(2.0), supply=[source(emit={"kind": "burst", "count": 7, "frame": 3})]))
    assert [len(p) for p in film.frames.values()][:5] == [0, 0, 7, 7, 7]
    assert film.frames[3].age.tolist() == [0] * 7
    assert film.frames[4].age == pytest.approx(1 / 24)


def test_a_stream_gives_its_rate_between_its_frames():
    emit = {"kind": "stream", "rate": 100, "start": 3, "end": 15}
    film = play(document(set=at(2.0), supply=[source(emit=emit)]))
    counts = [len(p) for p in film.frames.values()]
    assert counts[:3] == [0, 0, 0]
    assert counts[-1] == 50  # half a second
    assert np.diff(counts)[2:14].tolist() == pytest.approx([100 / 24] * 12, abs=1)


def test_a_stream_leaves_no_gaps_within_a_step():
    # Straight flight: what left dt apart stands v dt apart, across the borders of steps and frames.
    emit = {"kind": "stream", "rate": 240, "start": 1, "end": 25}
    film = play(document(set=at(2.0), supply=[source(emit=emit)]), "rough")
    x = np.sort(film.last.position[:, 0])
    assert np.diff(x) == pytest.approx(10 / 240, abs=4e-6)  # the vent is two micrometres wide


def test_a_keyed_rate_gives_its_integral():
    keys = {"kind": "keys", "keys": [{"frame": 1, "value": 0, "ease": "linear"}, {"frame": 25, "value": 2400}]}
    film = play(
        document(set=at(2.0), supply=[source(emit={"kind": "stream", "rate": keys, "start": 1, "end": 25})]), "fine"
    )
    assert len(film.last) == pytest.approx(1200, rel=0.01)  # steps hold the rate: a 192nd of the way early


@pytest.mark.parametrize("degrees", [5, 60, 180])
def test_directions_are_even_within_their_cone(degrees):
    u = uniforms(np.arange(30_000, dtype=np.uint64), 2, seed=5, who="test")
    aim = np.array([0.3, -0.8, 0.52])
    aim /= np.linalg.norm(aim)
    ways = within_cone(np.broadcast_to(aim, (30_000, 3)), degrees, u)
    assert np.linalg.norm(ways, axis=1) == pytest.approx(1.0)
    cosine = ways @ aim
    least = np.cos(np.radians(degrees))
    counts = np.histogram((cosine - least) / (1 - least), bins=30, range=(0, 1))[0]  # a cap's area goes as its height
    assert counts.sum() == 30_000
    assert stats.chisquare(counts).pvalue > 1e-4


def test_speed_life_and_radius_spread_evenly_about_their_middle():
    burst = {"kind": "burst", "count": 20_000, "frame": 1}
    film = play(document(set=at(2.0), finish={"last": 1}, supply=[
        source(emit=burst, aim=ALL_WAYS, speed=10, speed_spread=0.5, radius=0.02, radius_spread=0.25, life=2, life_spread=0.1)
    ]))  # fmt: skip
    for values, low, high in ((film.last.speed, 5, 15), (film.last.radius, 0.015, 0.025), (film.last.life, 1.8, 2.2)):
        counts = np.histogram(values, bins=20, range=(low, high))[0]
        assert counts.sum() == 20_000
        assert stats.chisquare(counts).pvalue > 1e-4


def test_all_ways_out_of_a_dome_are_straight_off_it():
    dome = {
        "kind": "prop", "id": "vent", "name": "dome", "shape": {"kind": "hemisphere", "radius": 2},
        "rotation": [0, 0, 90],
    }  # fmt: skip
    film = play(document(set=[dome], finish={"last": 1}, supply=[
        source(emit={"kind": "burst", "count": 500, "frame": 1}, aim={"kind": "outward", "cone": 0})
    ]))  # fmt: skip
    p = film.last
    assert (p.position * p.velocity).sum(axis=1) == pytest.approx(2 * 10)
    assert p.position[:, 0].max() < 1e-9  # turned a quarter about z, the dome opens to -x


def test_a_source_follows_its_moving_prop():
    keys = {"kind": "keys", "keys": [{"frame": 1, "value": 0, "ease": "linear"}, {"frame": 25, "value": 24}]}
    film = play(document(
        set=[VENT | {"position": [keys, 0, 0]}], supply=[source(speed=0, emit={"kind": "stream", "rate": 240, "start": 1, "end": 25})]
    ))  # fmt: skip
    assert np.diff(np.sort(film.last.position[:, 0])) == pytest.approx(24 / 240, rel=1e-3)


def test_a_source_keeps_its_dice_when_others_are_added():
    burst = {"kind": "burst", "count": 50, "frame": 1}
    one = source(emit=burst, aim=ALL_WAYS)
    other = source(id="other", emit=burst, aim=ALL_WAYS)
    alone = play(document(set=at(2.0), supply=[one], finish={"last": 2})).last
    both = play(document(set=at(2.0), supply=[other, one], finish={"last": 2})).last
    assert (both.position[both.source == 1] == alone.position).all()
    assert len(set(both.id.tolist())) == 100
