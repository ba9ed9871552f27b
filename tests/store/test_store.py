"""The store keeps revisions in order, refuses stale edits, and counts what it is told twice once."""

import pytest

from hotgravel.core.shot.document import load
from hotgravel.core.shot.edit import set_text
from hotgravel.demo.shots import demo_path
from hotgravel.store import runs, shots
from hotgravel.store.database import Database

SHOT = load(demo_path("ember-burst"))


@pytest.fixture
def database(tmp_path):
    made = Database(tmp_path)
    made.upgrade()
    yield made
    made.engine.dispose()


def test_edits_are_revisions_that_can_be_read_again(database):
    edited = set_text(SHOT, "burst", "speed", "9")
    with database.session() as session:
        shot_id = shots.create(session, SHOT, "new").id
        assert shots.revise(session, shot_id, 1, edited.shot, edited.label) == 2
    with database.session() as session:
        assert shots.document(session, shot_id) == edited.shot
        assert shots.document(session, shot_id, 1) == SHOT
        assert shots.latest_label(session, shot_id) == edited.label
        with pytest.raises(shots.Stale, match="revision 2"):
            shots.revise(session, shot_id, 1, SHOT, "late")


def test_a_failed_block_leaves_nothing(database):
    with pytest.raises(RuntimeError), database.session() as session:
        shots.create(session, SHOT, "new")
        raise RuntimeError
    with database.session() as session:
        assert shots.all_shots(session) == []


def test_a_run_counts_its_frames_once_and_is_told_if_interrupted(database):
    with database.session() as session:
        shot_id = shots.create(session, SHOT, "new").id
        run = runs.create(session, shot_id, 1, SHOT).id
        assert runs.latest(session, shot_id, with_frames=True) is None
        for frame in (1, 2, 2):
            runs.landed(session, run, frame, {"particles": frame})
    with database.session() as session:
        assert runs.gauges(session, run) == [(1, {"particles": 1}), (2, {"particles": 2})]
        there = runs.record(session, run)
        assert (there.state, there.landed) == ("running", 2)
        assert [r.id for r in runs.interrupted(session)] == [run]
        assert "2 frames are kept" in there.message
        assert runs.interrupted(session) == []


def test_deleting_a_shot_takes_its_runs_with_it(database):
    with database.session() as session:
        shot_id = shots.create(session, SHOT, "new").id
        run = runs.create(session, shot_id, 1, SHOT).id
        runs.landed(session, run, 1, {})
        shots.delete(session, shot_id)
    with database.session() as session:
        assert runs.gauges(session, run) == []
        with pytest.raises(runs.NoSuchRun):
            runs.record(session, run)
        with pytest.raises(shots.NoSuchShot):
            shots.document(session, shot_id)


def test_an_upgrade_can_be_repeated(tmp_path):
    for _ in range(2):
        database = Database(tmp_path)
        database.upgrade()
        database.engine.dispose()
