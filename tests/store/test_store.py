"""The store keeps revisions in order, refuses stale edits, and counts what it is told twice once."""

import json

import pytest

from hotgravel.core.shot.document import load
from hotgravel.core.shot.edit import set_text
from hotgravel.demo.shots import demo_path
from hotgravel.store import bin, runs, shots
from hotgravel.store.database import CannotOpen, Database

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
        assert shots.walk(session, shot_id).label == edited.label
        with pytest.raises(shots.Stale, match="revision 2"):
            shots.revise(session, shot_id, 1, SHOT, "late")


def speed_of(session, shot_id):
    return shots.document(session, shot_id).supply[0].speed


def test_undo_and_redo_walk_the_revisions_also_after_a_restart(tmp_path):
    database = Database(tmp_path)
    database.upgrade()
    with database.session() as session:
        shot_id = shots.create(session, SHOT, "new").id
        for seen, speed in ((1, "9"), (2, "11")):
            edited = set_text(shots.document(session, shot_id), "burst", "speed", speed)
            shots.revise(session, shot_id, seen, edited.shot, edited.label)
        shots.step(session, shot_id, 3, on=False)
    database.engine.dispose()
    database = Database(tmp_path)
    database.upgrade()
    with database.session() as session:
        assert speed_of(session, shot_id) == 9
        ways = shots.walk(session, shot_id)
        assert ways.redo == (3, "burst: speed 9 m/s to 11 m/s")
        shots.step(session, shot_id, 2, on=False)
        assert shots.document(session, shot_id) == SHOT
        assert shots.walk(session, shot_id).undo is None
        shots.step(session, shot_id, 1, on=False)  # nothing further back
        shots.step(session, shot_id, 1, on=True)
        shots.step(session, shot_id, 2, on=True)
        assert speed_of(session, shot_id) == 11
        shots.step(session, shot_id, 3, on=False)
        edited = set_text(shots.document(session, shot_id), "burst", "speed", "30")
        assert shots.revise(session, shot_id, 2, edited.shot, edited.label) == 4
        assert shots.walk(session, shot_id).redo is None
        shots.go_back(session, shot_id, 3)  # what was undone is still there
        assert speed_of(session, shot_id) == 11
        assert [r.number for r in shots.history(session, shot_id)] == [5, 4, 3, 2, 1]
        with pytest.raises(shots.Stale):
            shots.step(session, shot_id, 4, on=False)
    database.engine.dispose()


def test_an_older_database_gets_its_parents(tmp_path):
    database = Database(tmp_path)
    database.upgrade("0001")
    with database.engine.begin() as connection:
        connection.exec_driver_sql("INSERT INTO shots VALUES (1, 'old', 2, NULL, '2026-01-01', '2026-01-01')")
        for number in (1, 2):
            connection.exec_driver_sql(
                "INSERT INTO revisions VALUES (?, 1, ?, 'edit', ?, '2026-01-01')",
                (number, number, json.dumps(SHOT.dump())),
            )
    database.upgrade()
    with database.session() as session:
        assert shots.walk(session, 1).undo == (1, "edit")
    database.engine.dispose()


def test_a_failed_block_leaves_nothing(database):
    with pytest.raises(RuntimeError), database.session() as session:
        shots.create(session, SHOT, "new")
        raise RuntimeError
    with database.session() as session:
        assert shots.all_shots(session) == []


def test_a_run_counts_its_frames_once_and_is_told_if_interrupted(database):
    with database.session() as session:
        shot_id = shots.create(session, SHOT, "new").id
        run = runs.create(session, shot_id, 1, SHOT, "print").id
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
        assert runs.identical(session, shot_id, "print") is None  # it did not finish
        assert runs.go_on(session, run).state == "waiting"
        runs.ended(session, run, "finished")
        assert runs.identical(session, shot_id, "print").id == run
        assert runs.identical(session, shot_id, "another") is None


def test_what_is_deleted_waits_in_the_bin_and_comes_back_whole(database):
    with database.session() as session:
        shot_id = shots.create(session, SHOT, "new").id
        run, other = (runs.create(session, shot_id, 1, SHOT, "print").id for _ in range(2))
        for number in (run, other):
            runs.ended(session, number, "finished")
        runs.pin(session, other, True)
        with pytest.raises(runs.Kept, match="pinned"):
            bin.bin_run(session, other)
        bin.bin_run(session, run)
        assert [r.id for r in runs.of_shot(session, shot_id)] == [other]
        assert runs.identical(session, shot_id, "print").id == other
        with pytest.raises(runs.NoSuchRun):
            runs.record(session, run)
        assert [(r.id, s.id) for r, s in bin.binned_runs(session)] == [(run, shot_id)]
        bin.bin_shot(session, shot_id)
        assert shots.all_shots(session) == []
        assert bin.binned_runs(session) == []  # its shot stands for it
        bin.put_back_shot(session, shot_id)
        assert bin.put_back_run(session, run) == shot_id
        assert [r.id for r in runs.of_shot(session, shot_id)] == [other, run]
        bin.bin_shot(session, shot_id)
        assert sorted(bin.empty(session)) == [run, other]
        again = shots.create(session, SHOT, "new").id
        assert again > shot_id  # numbers of what is gone for good are never used again
        assert runs.create(session, again, 1, SHOT, "print").id > other


def test_room_is_made_from_the_bin_then_the_oldest_unpinned_runs(database):
    with database.session() as session:
        one, two = (shots.create(session, SHOT, "new").id for _ in range(2))
        made = [runs.create(session, shot, 1, SHOT, "print").id for shot in (one, one, one, two, two, one)]
        for number in made:
            runs.landed(session, number, 1, {})
            if number != made[5]:
                runs.ended(session, number, "finished")
        runs.pin(session, made[1], True)
        bin.bin_run(session, made[4])
        # The bin first; then the oldest. Not the pinned one, the one going on, nor the latest that has ended.
        assert [r.id for r, _ in bin.oldest_first(session)] == [made[4], made[0]]


def test_emptying_the_bin_takes_a_shot_with_its_runs(database):
    with database.session() as session:
        shot_id = shots.create(session, SHOT, "new").id
        run = runs.create(session, shot_id, 1, SHOT, "print").id
        runs.landed(session, run, 1, {})
        bin.bin_shot(session, shot_id)
        assert bin.empty(session) == [run]
    with database.session() as session:
        assert runs.gauges(session, run) == []
        with pytest.raises(runs.NoSuchRun):
            runs.any_record(session, run)
        with pytest.raises(runs.NoSuchRun):
            runs.record(session, run)
        with pytest.raises(shots.NoSuchShot):
            shots.document(session, shot_id)


def test_an_upgrade_can_be_repeated(tmp_path):
    for _ in range(2):
        database = Database(tmp_path)
        database.upgrade()
        database.engine.dispose()


def test_a_database_of_a_newer_version_is_left_alone(tmp_path):
    database = Database(tmp_path)
    database.upgrade()
    with database.engine.begin() as connection:
        connection.exec_driver_sql("UPDATE alembic_version SET version_num = '9999'")
    database.engine.dispose()
    again = Database(tmp_path)
    with pytest.raises(CannotOpen, match="written by a newer Hot Gravel"):
        again.upgrade()
    with again.engine.begin() as connection:
        assert connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar() == "9999"
    again.engine.dispose()


def test_what_is_no_database_is_told_and_left_alone(tmp_path):
    (tmp_path / "hotgravel.sqlite").write_bytes(b"this is no database, but somebody's notes" * 40)
    with pytest.raises(CannotOpen, match="cannot be used"):
        Database(tmp_path).upgrade()
    assert (tmp_path / "hotgravel.sqlite").read_bytes().startswith(b"this is no database")
    (tmp_path / "file").write_text("in the way")
    with pytest.raises(CannotOpen, match="cannot be made"):
        Database(tmp_path / "file" / "store")


def test_gauges_of_runs_made_when_there_were_only_particles_are_theirs(tmp_path):
    database = Database(tmp_path)
    database.upgrade("0004")
    old = {"particles": 7, "mean_speed": 2.0, "greatest_speed": 3.0, "kinetic_energy": 2.5, "touches": 4, "steps": 2}
    with database.session() as session:
        shot_id = shots.create(session, SHOT, "new").id
        run = runs.create(session, shot_id, 1, SHOT, "f").id
        runs.landed(session, run, 1, old)
    database.upgrade()
    with database.session() as session:
        ((frame, now),) = runs.gauges(session, run)
    assert frame == 1
    assert now["matter"] == {"particles": {"count": 7} | {n: old[n] for n in old if n not in ("particles", "steps")}}
    assert now["steps"] == 2
