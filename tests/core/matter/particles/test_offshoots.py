"""What comes off other particles, sources through zones, along edges and from fixed places."""

import numpy as np
import pytest

from hotgravel.core.shot.faults import ShotFault
from tests.conftest import GRAVITY, LOOSE, VENT, at, document, play, source

SPARK = {"kind": "state", "id": "spark", "name": "spark"}


def trail(**fields):
    plain = {"kind": "offshoot", "id": "trail", "whom": "loose", "emit": {"kind": "trail", "rate": 60}, "state": "spark",
             "speed": 0, "speed_spread": 0, "radius": 0.01}  # fmt: skip
    return plain | fields


def filmed(*supply, quality="fair", **more):
    return play(document(set=at(2.0), matter=[LOOSE, SPARK], supply=supply, **more), quality)


def test_a_trail_gives_its_rate_and_stays_where_it_was_left():
    film = filmed(source(), trail())
    sparks = film.last.state == 1
    assert sparks.sum() == pytest.approx(60, abs=1)  # a second of flight
    x = np.sort(film.last.position[sparks, 0])
    assert np.diff(x) == pytest.approx(10 / 60, abs=1e-6)  # straight flight at 10 m/s
    assert (film.last.parent[sparks] == 0).all()
    assert np.abs(film.last.velocity[sparks]).max() == 0


@pytest.mark.parametrize("share", [0.0, 0.4, 1.0])
def test_offshoots_take_a_stated_share_of_the_velocity(share):
    film = filmed(source(), trail(inherit=share))
    assert film.last.velocity[film.last.state == 1] == pytest.approx(
        np.array([10 * share, 0, 0] * 60).reshape(60, 3), abs=1e-9
    )


def test_a_trail_is_the_same_at_any_number_of_steps_where_flight_is_straight():
    counts = {q: len(filmed(source(), trail(), quality=q).last) for q in ("rough", "fair", "fine")}
    assert len(set(counts.values())) == 1


def test_a_harder_hit_gives_off_more():
    chips = trail(emit={"kind": "asked", "count": 10, "per": 1e-2})
    hit = {
        "kind": "cue", "id": "hit", "whom": "loose", "when": {"kind": "touches", "prop": "ground"},
        "then": {"kind": "shed", "offshoot": "trail"},
    }  # fmt: skip
    lands = {"kind": "collision", "id": "lands", "props": ["ground"], "bounce": 0.0}

    def given(mass):
        shot = document(
            set=at(1.0), matter=[LOOSE, SPARK, lands], supply=[source(speed=0, mass=mass), chips], forces=[GRAVITY],
            cues=[hit],
        )  # fmt: skip
        return (play(shot, "fair").last.state == 1).sum()  # fmt: skip

    speed = np.sqrt(2 * 9.81 * 1.0)
    for mass in (0.002, 0.02, 0.1):
        assert given(mass) == pytest.approx(10 * mass * speed / 1e-2, rel=0.01, abs=1.0)


def test_what_has_died_leaves_nothing():
    film = filmed(source(life=0.5), trail(), finish={"last": 25})
    assert (film.last.state == 1).sum() == pytest.approx(30, abs=3)


def test_onward_and_ring_point_where_they_say():
    onward = filmed(source(), trail(aim={"kind": "onward", "cone": 0}, speed=3)).last
    assert onward.velocity[onward.state == 1] == pytest.approx(np.tile([3.0, 0, 0], ((onward.state == 1).sum(), 1)))
    ring = filmed(
        source(emit={"kind": "burst", "count": 400, "frame": 1}, aim={"kind": "ring", "axis": [0, 2, 0], "cone": 0}),
        finish={"last": 2},
    ).last
    assert ring.velocity[:, 1] == pytest.approx(np.zeros(400), abs=1e-9)
    turn = np.sort(np.arctan2(ring.velocity[:, 0], ring.velocity[:, 2]))
    assert np.diff(turn).max() < 0.15


def test_edges_of_a_box_are_its_twelve():
    box = VENT | {"shape": {"kind": "box", "width": 2, "height": 1, "depth": 1}}
    film = play(
        document(
            set=[box],
            supply=[source(part="edges", emit={"kind": "burst", "count": 3000, "frame": 1})],
            finish={"last": 2},
        )
    )
    p = np.abs(film.frames[1].position)
    on = np.isclose(p, [1, 0.5, 0.5], atol=1e-6).sum(axis=1)
    assert (on >= 2).all()
    along_x = (~np.isclose(p[:, 0], 1, atol=1e-6)).mean()
    assert along_x == pytest.approx(4 * 2 / (4 * 2 + 8 * 1), abs=0.03)  # four edges of 2 m, eight of 1 m


def test_a_zone_masks_by_weight_and_by_threshold():
    ball = {"kind": "zone", "id": "hole", "name": "hole", "shape": {"kind": "ball", "radius": 1.0}, "edge": 0.0}
    sheet = VENT | {"shape": {"kind": "disc", "radius": 2.0}}
    crowd = source(emit={"kind": "burst", "count": 8000, "frame": 1}, through="hole")

    def born(**fields):
        made = play(document(set=[sheet, ball | fields.pop("zone", {})], supply=[crowd | fields], finish={"last": 2}))
        assert made.last.id.tolist() == list(range(len(made.last)))
        return made.frames[1].position

    inside = born()
    assert len(inside) == pytest.approx(2000, rel=0.06)  # a quarter of the disc
    assert np.linalg.norm(inside, axis=1).max() <= 1.0
    soft = [len(born(zone={"edge": 1.5, "falloff": "straight"}, over=over)) for over in (0.2, 0.8)]
    assert soft[0] > soft[1] > 0


def test_few_places_make_jets():
    crowd = {"kind": "burst", "count": 500, "frame": 1}
    film = play(
        document(
            set=[VENT | {"shape": {"kind": "disc", "radius": 2.0}}],
            supply=[source(emit=crowd, places=5)],
            finish={"last": 2},
        )
    )
    assert len(np.unique(film.frames[1].position, axis=0)) == 5


def test_offshoots_are_the_same_bytes_after_a_resume(tmp_path):
    from pathlib import Path

    from hotgravel.core.run.execute import execute
    from hotgravel.core.run.frames import FrameStore
    from hotgravel.core.run.world import beside, build
    from hotgravel.core.shot.document import load

    shot = load(document(set=at(2.0), matter=[LOOSE, SPARK], supply=[source(), trail()], forces=[GRAVITY]))
    world = build(shot, beside(Path()))
    whole, cut = tmp_path / "whole", tmp_path / "cut"
    execute(world, whole)
    seen = []

    def stop(frame, gauges):
        seen.append(frame)

    execute(world, cut, landed=stop, cancelled=lambda: len(seen) >= 17)
    assert 17 <= len(seen) < 25
    execute(world, cut, resume=True)
    assert [FrameStore(whole).path(f).read_bytes() for f in range(1, 26)] == [
        FrameStore(cut).path(f).read_bytes() for f in range(1, 26)
    ]


def test_trails_that_leave_trails_are_stopped_with_a_sentence():
    with pytest.raises(ShotFault, match="give off the same again"):
        filmed(source(), trail(state="loose", emit={"kind": "trail", "rate": 3000}))
