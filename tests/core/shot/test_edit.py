"""Edits change what they name and nothing else, say so in words, and never make a shot that does not load."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hotgravel.core.drive.value import one
from hotgravel.core.shot import edit, vary
from hotgravel.core.shot.dials import dials_of
from hotgravel.core.shot.document import ROWS, load
from hotgravel.core.shot.explain import differences, row_sentence
from hotgravel.core.shot.faults import ShotFault
from hotgravel.core.shot.totals import told_of
from hotgravel.demo.shots import demo_path

_TUNED = load(demo_path("ember-burst")).dump()
_TUNED["supply"][0] |= {"speed": 21, "speed_spread": 0.85, "aim": {"kind": "outward", "cone": 38}}
_TUNED["cues"][0]["when"]["speed"] = 5
SHOT = load(_TUNED)  # the demo with the numbers that these tests name, however it is tuned


@pytest.mark.parametrize(("row", "path", "text", "label"), [
    ("slow-embers-fall", "when.speed", "450 cm/s", "slow embers fall: threshold 5 m/s to 4.5 m/s"),
    ("slow-embers-fall", "when.kind", "older", "slow embers fall: when gets slower than to gets older than"),
    ("slow-embers-fall", "whom", "", "slow embers fall: whom flight to all"),
    ("burst", "emit.count", "20k", "burst: count 10 000 to 20 000"),
    ("burst", "life", "2 s", "burst: life the whole shot to 2 s"),
    ("burst", "speed_spread", "50 %", "burst: speed spread 85 % to 50 %"),
    ("vent-dome", "position.1", "30 cm", "vent dome: position y 0 m to 0.3 m"),
    ("vent-dome", "shape.kind", "box", "vent dome: shape a dome to a box"),
    ("vent-dome", "name", " old  dome ", "old dome: name vent dome to old dome"),
    ("flight", "colour", "#112233", "flight: colour #FFA23A to #112233"),
    ("landing", "side", "inside", "landing: met from outside to from inside"),
    ("finish", "quality", "fine", "finish: quality rough to fine"),
])  # fmt: skip
def test_a_field_is_set_from_what_was_typed(row, path, text, label):
    edited = edit.set_text(SHOT, row, path, text)
    assert edited.label == label
    assert edited.shot != SHOT
    changed = [a.id for a, b in zip(SHOT.rows(), edited.shot.rows(), strict=True) if a != b]
    assert changed == [row]


@pytest.mark.parametrize(("row", "path", "text", "said"), [
    ("burst", "speed", "-3", "-3 m/s is too low"), ("burst", "speed", "quick", "not a number"),
    ("burst", "emit.count", "5.5", "whole number"), ("burst", "state", "", "does not fit"),
    ("burst", "prop", "flight", "wanted here"), ("burst", "nothing", "1", "no such field"),
    ("gone", "speed", "1", "no such row"), ("burst", "emit.kind", "drip", "Accepted: burst, stream"),
    ("finish", "last", "-5", "before the first"), ("flight", "colour", "blue", "form"),
    ("vent-dome", "position.7", "1", "no such field"), ("vent-dome", "position", "1", "no such field"),
])  # fmt: skip
def test_a_refused_edit_says_why(row, path, text, said):
    with pytest.raises(ShotFault, match=said):
        edit.set_text(SHOT, row, path, text)


def test_another_kind_keeps_what_both_have():
    longer = edit.set_text(SHOT, "slow-embers-fall", "when.speed", "7").shot
    faster = edit.set_text(longer, "slow-embers-fall", "when.kind", "faster").shot
    assert faster.cues[0].when.speed == 7
    assert edit.set_text(SHOT, "burst", "aim.kind", "toward").shot.supply[0].aim.cone == 38


def test_keys_are_read_in_the_shots_unit_and_undone_to_the_number_at_a_frame():
    keyed = vary.set_keys(SHOT, "vent-dome", "position.1", [("1", "0", "linear"), ("21", "200 cm", "smooth")])
    assert keyed.label == "vent dome: position y 0 m to 0 to 2 m (keyed)"
    assert keyed.shot.set[1].position[1].at(11) == 1
    assert vary.undrive(keyed.shot, "vent-dome", "position.1", 6).shot.set[1].position[1] == 0.5
    driven = vary.drive(SHOT, "burst", "speed").shot.supply[0].speed
    assert [k.value for k in driven.keys] == [21, 21]
    with pytest.raises(ShotFault, match="Key 2: 'much' is not a number"):
        vary.set_keys(SHOT, "burst", "speed", [("1", "2", "step"), ("9", "much", "step")])
    with pytest.raises(ShotFault, match="cannot be driven"):
        vary.set_keys(SHOT, "burst", "seed", [("1", "2", "step")])


@pytest.mark.parametrize("kind", [cls.model_fields["kind"].default for cls in ROWS])
def test_every_kind_of_row_can_be_added_duplicated_switched_off_and_removed(kind):
    before = edit.add_row(SHOT, "field", file="air.npz")[0].shot if kind == "follow" else SHOT
    added, row_id = edit.add_row(before, kind, **({"file": "air.npz"} if kind == "field" else {}))
    assert added.shot.row(row_id).kind == kind
    doubled, copy_id = edit.duplicate_row(added.shot, row_id)
    assert doubled.shot.row(copy_id).id != row_id
    off = edit.switch(doubled.shot, copy_id, False).shot
    assert not off.row(copy_id).on
    assert edit.remove_row(edit.remove_row(off, copy_id).shot, row_id).shot == before


def test_what_comes_in_with_a_file_says_so_and_is_not_offered_without():
    with pytest.raises(ShotFault, match="file"):
        edit.add_row(SHOT, "field")
    with pytest.raises(ShotFault, match="Add a field first"):
        edit.add_row(SHOT, "follow")
    assert "field" not in [cls.model_fields["kind"].default for cls in edit.rows_of("set")]


def test_two_shots_compare_as_changed_sentences():
    after = edit.set_text(SHOT, "burst", "speed", "9").shot
    after = edit.set_text(after, "landing", "thickness", "5 cm").shot
    after = edit.add_row(after, "wind")[0].shot
    after = edit.remove_row(after, "air-drag").shot
    told = {d.row: d for d in differences(SHOT, after)}
    assert set(told) == {"burst", "landing", "wind", "air-drag"}
    assert "at 21 m/s" in told["burst"].before
    assert "at 9 m/s" in told["burst"].after
    assert "thickness" not in told["landing"].before  # it stands at its default
    assert told["landing"].after.endswith("; thickness 0.05 m.")
    assert told["wind"].before is None
    assert told["air-drag"].after is None
    assert differences(SHOT, SHOT) == []


def test_a_row_that_others_name_is_not_removed():
    with pytest.raises(ShotFault, match="Still named by landing, burst"):
        edit.remove_row(SHOT, "vent-dome")


def test_a_row_that_needs_another_says_which():
    bare = load({"format": "hotgravel.shot", "version": 1, "name": "bare"})
    with pytest.raises(ShotFault, match="needs a state"):
        edit.add_row(bare, "source")


PLACES = [(row.id, name) for row in SHOT.rows() for name in dials_of(type(row))] + [
    ("burst", "emit.kind"), ("burst", "emit.count"), ("burst", "aim.cone"), ("slow-embers-fall", "when.speed"),
    ("slow-embers-fall", "then.kind"), ("vent-dome", "position.0"), ("vent-dome", "shape.kind"), ("vent-dome", "shape.radius"),
]  # fmt: skip


@given(
    st.sampled_from(PLACES),
    st.text(max_size=12) | st.sampled_from(["0", "-1", "1e300", "12 f", "flight", "remove", "box"]),
)
def test_no_text_makes_a_shot_that_does_not_load(place, text):
    try:
        edited = edit.set_text(SHOT, *place, text)
    except ShotFault as fault:
        told = str(fault)
    else:
        told = edited.label if load(edited.shot.dump()) == edited.shot else ""
    assert told


def test_frames_stay_frames_whatever_the_rate():
    shot = edit.set_text(SHOT, "burst", "life", "15 f").shot
    assert "life 15 f" in row_sentence(shot, shot.row("burst"))
    for rate in ("24", "30"):
        shot = edit.set_text(shot, "finish", "rate", rate).shot
        assert one(shot.row("burst"), "life", shot.clock.at(1)) == 15 / float(rate)
    with pytest.raises(ShotFault, match="too low"):
        edit.set_text(shot, "burst", "life", "0 f")


def test_rows_without_a_name_are_called_by_their_sentences():
    shot = SHOT
    for kind in ("cue", "cue", "gravity"):
        shot = edit.add_row(shot, kind)[0].shot
    shot = edit.set_text(shot, "cue", "when.kind", "older").shot
    shot = edit.set_text(shot, "cue", "when.age", "15 f").shot
    shot = edit.set_text(shot, "cue", "whom", "flight").shot
    called = [shot.names()[row] for row in ("cue", "cue-2", "gravity-2")]
    assert called == ["flight older than 15 f", "any slower than 3 m/s", "gravity"]
    assert edit.set_text(shot, "cue", "name", "lets go").shot.names()["cue"] == "lets go"
    with pytest.raises(ShotFault, match="Another state is called falling"):
        edit.set_text(shot, "flight", "name", "Falling")


def groups(shot):
    return [(row.id, row.group, row.on) for row in shot.matter]


def test_rows_stand_under_titles_that_move_and_switch_together():
    shot = edit.group_row(edit.group_row(SHOT, "flight", "embers").shot, "landing", "embers").shot
    assert groups(shot) == [("flight", "embers", True), ("landing", "embers", True), ("falling", None, True)]
    assert groups(edit.switch_group(shot, "matter", "embers", False).shot)[1] == ("landing", "embers", False)
    assert groups(edit.move_row(shot, "falling", -1).shot)[1] == ("falling", "embers", True)
    assert groups(edit.move_row(shot, "landing", 1).shot)[2] == ("landing", None, True)
    with pytest.raises(ShotFault, match="no group"):
        edit.switch_group(shot, "forces", "embers", False)


def test_a_response_takes_the_range_of_its_attribute():
    assert vary.drive(SHOT, "burst", "radius", "response").shot.supply[0].radius.attribute == "age"  # none has a life
    shot = vary.drive(edit.set_text(SHOT, "burst", "life", "2 s").shot, "burst", "radius", "response").shot
    assert (shot.supply[0].radius.attribute, shot.supply[0].radius.end) == ("fraction of life", 1.0)
    points = shot.supply[0].radius.points
    shot = edit.set_text(shot, "burst", "radius.attribute", "speed", {"speed": (0.0, 23.0)}).shot
    assert (shot.supply[0].radius.end, shot.supply[0].radius.points) == (23.0, points)


def test_a_stream_tells_what_it_gives_in_all():
    shot = edit.set_text(SHOT, "burst", "emit.kind", "stream").shot
    for path, text in (("rate", "every 12 frames"), ("end", "40")):
        shot = edit.set_text(shot, "burst", f"emit.{path}", text).shot
    assert told_of(shot) == {"burst": "4 in all"}  # at frames 1, 13, 25 and 37
