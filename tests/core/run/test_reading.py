"""What driven numbers of a row are asked for: the elements that it acts on, of whatever matter they are."""

from pathlib import Path

import pytest

from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.ranges import range_in
from hotgravel.core.run.reading import asked_for
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.conftest import GRAVITY, LOOSE, at, document, source

BOX = {"kind": "prop", "id": "box", "name": "box", "shape": {"kind": "box"}, "position": [0, 40, 0]}
BODY = {"kind": "rigid", "id": "body", "prop": "box", "state": "rocks", "temperature": 700, "begins": "held"}
ROCKS = {"kind": "state", "id": "rocks", "name": "rocks", "of": "rigid"}
POSED = {"kind": "posed", "id": "posed", "prop": "box"}
DRAGS = [{"kind": "linear_drag", "id": f"drag-{whom}", "whom": whom} for whom in ("loose", "rocks")]


@pytest.fixture(scope="module")
def run(tmp_path_factory):
    folder = tmp_path_factory.mktemp("run")
    shot = document(
        set=[*at(30.0), BOX], matter=[LOOSE, ROCKS, BODY, POSED], forces=[GRAVITY, *DRAGS],
        supply=[source(emit={"kind": "burst", "count": 5, "frame": 1}, temperature=300)], finish={"last": 3},
    )  # fmt: skip
    world = build(load(shot), beside(Path()))
    execute(world, folder)
    return world, FrameStore(folder)


@pytest.mark.parametrize(("row", "found"), [
    ("gravity", [300] * 5 + [700]), ("drag-loose", [300] * 5), ("drag-rocks", [700]), ("posed", [700]),
    (None, [300] * 5 + [700]),
])  # fmt: skip
def test_an_attribute_is_read_of_what_a_row_acts_on(run, row, found):
    world, store = run
    of = next((r for r in world.shot.rows() if r.id == row), None)
    assert sorted(asked_for(world, store, 2, of, "temperature").tolist()) == found


def test_a_range_is_that_of_what_a_row_acts_on(run):
    world, store = run
    high = {row.id: range_in(world, store, "height", row) for row in world.shot.forces}
    assert high["drag-loose"] == (29.0, 30.0)
    assert high["drag-rocks"] == (40.0, 41.0)
    assert high["gravity"] == (29.0, 41.0)
