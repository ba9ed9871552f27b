"""Which frame a run is known by."""

from hotgravel.core.run.gauges import telling_frame


def gauges(particles: int, speed: float, size: float) -> dict:
    of = {"particles": {"count": particles, "mean_speed": speed}}
    return {"matter": of, "bounds": [[0, 0, 0], [size, 0, 0]] if particles else None}


def test_it_is_the_first_in_which_much_goes_on():
    rise = {frame: gauges(10, 2.0, float(min(frame, 8))) for frame in range(1, 20)}
    assert telling_frame(rise) == 7  # 49 / 64 of the most; 36 / 64 is too little


def test_more_of_each_counts():
    calm = {frame: gauges(10, 1.0, 1.0) for frame in range(1, 10)}
    for more in (gauges(20, 1.0, 1.0), gauges(10, 2.0, 1.0), gauges(10, 1.0, 1.5)):
        assert telling_frame(calm | {5: more}) == 5


def test_before_anything_is_born_or_moves_it_is_the_first():
    assert telling_frame({3: gauges(0, 0.0, 0.0), 4: gauges(0, 0.0, 0.0)}) == 3
    assert telling_frame({1: gauges(5, 0.0, 1.0), 2: gauges(5, 0.0, 1.0)}) == 1
    assert telling_frame({1: gauges(0, 0.0, 0.0), 2: gauges(5, 1.0, 1.0)}) == 2
