"""Why something did not happen: the nearest that it came, in numbers that closed forms give."""

import pytest

from hotgravel.core.cues.record import all_events
from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.why_not import why_not
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.conftest import GRAVITY, LOOSE, at, document, landing, source
from tests.core.cues.test_cues import LATE, cue


def asked(folder, when, frame=25, particle=0, **fields):
    """What is told of one particle that falls from 2 m, none of its speed kept where it lands."""
    shot = load(document(
        set=at(2.0), matter=[LOOSE, LATE, landing()], forces=[GRAVITY], supply=[source(speed=0)],
        cues=[cue(when, **fields)],
    ))  # fmt: skip
    world, store = build(shot, beside(folder)), FrameStore(folder)
    execute(world, folder)
    return why_not(world, store, all_events([store.events(f) for f in store.frames()]), particle, "cue", frame)


def test_the_nearest_of_a_number_is_told_with_its_frame(tmp_path):
    # Fifteen frames at 24 a second before it lands: v = 9.81 * 15 / 24 = 6.13 m/s at frame 16
    assert asked(tmp_path, {"kind": "faster", "speed": 9}) == [
        "The nearest it came was 6.13 m/s at frame 16; the cue wants over 9 m/s."
    ]


def test_a_touch_too_soft_tells_the_greatest_of_all(tmp_path):
    (told,) = asked(tmp_path, {"kind": "touches", "prop": "ground", "speed": 9})
    assert "at 9 m/s or more, as the cue wants; the greatest touch of all was 6.2" in told  # sqrt(2 g h)
    assert "at frame 17" in told


def test_a_touch_of_nothing_says_so(tmp_path):
    assert asked(tmp_path, {"kind": "touches", "prop": "ground"}, frame=10) == [
        "Nothing that it concerns has touched it."
    ]


def test_a_share_tells_the_most_there_was(tmp_path):
    assert asked(tmp_path, {"kind": "share_in", "state": "late", "share": 0.5}) == [
        "Of all, at most 0 % were, at frame 25; the cue wants over 50 %."
    ]


@pytest.mark.parametrize(("fields", "said"), [
    ({"whom": "late"}, "It was never in late, only in loose."),
    ({"within": "far"}, "It was never within far"),
    ({"chance": 0.0}, "Its chance of 0 % was not drawn."),
])  # fmt: skip
def test_what_else_stood_in_the_way_is_told(tmp_path, fields, said):
    shot = document(
        set=[*at(2.0), {"kind": "zone", "id": "far", "name": "far", "shape": {"kind": "ball", "at": [90, 0, 0]}}],
        matter=[LOOSE, LATE], supply=[source()], cues=[cue({"kind": "older", "age": 0.2}, **fields)],
    )  # fmt: skip
    world, store = build(load(shot), beside(tmp_path)), FrameStore(tmp_path)
    execute(world, tmp_path)
    told = why_not(world, store, all_events([store.events(f) for f in store.frames()]), 0, "cue", 25)
    assert told[0].startswith(said)


def test_one_that_was_never_there_and_a_cue_that_is_off_are_told_apart(tmp_path):
    assert asked(tmp_path / "a", {"kind": "older", "age": 9}, particle=99) == ["It was not there at any kept frame."]
    with pytest.raises(KeyError):
        asked(tmp_path / "b", {"kind": "older", "age": 9}, on=False)
