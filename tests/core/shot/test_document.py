"""A shot loads whole or not at all; every fault names its row and field and says what would do."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hotgravel.core.shot.document import ROWS, Shot, fingerprint, load
from hotgravel.core.shot.explain import explain
from hotgravel.core.shot.faults import ShotFault
from hotgravel.core.shot.row import sentence
from hotgravel.core.shot.units import Dress
from hotgravel.demo.shots import demo_names, demo_path
from tests.conftest import GRAVITY, GROUND, LOOSE, VENT, document, landing, source

KEYS = {"kind": "keys", "keys": [{"frame": 1, "value": 2}, {"frame": 9, "value": 3, "ease": "step"}]}


def whole():
    return document(
        set=[GROUND | {"position": [0, 0, 0]}, VENT | {"scale": 1}], matter=[LOOSE, landing()], forces=[GRAVITY | {"direction": [0, -1, 0]}], supply=[source(speed=KEYS)],
        cues=[{"kind": "cue", "id": "cue", "when": {"kind": "slower", "speed": 6}, "then": {"kind": "remove"}}],
    )  # fmt: skip


def put(shot, path, value):
    here = shot
    *walk, last = path.split(".")
    for step in walk:
        here = here[int(step) if step.isdigit() else step]
    here[int(last) if last.isdigit() else last] = value
    return shot


def refused(shot) -> str:
    with pytest.raises(ShotFault) as fault:
        load(shot)
    return str(fault.value)


def test_a_shot_survives_its_file():
    shot = load(whole())
    assert load(json.dumps(shot.dump())) == shot
    assert shot.supply[0].speed.at(9) == 3


@pytest.mark.parametrize(("path", "value", "row", "field", "said"), [
    ("supply.0.speed", -1, "source", "speed", "too low. Accepted: a number from 0 m/s"),
    ("supply.0.speed", "fast", "source", "speed", "no number"),
    ("supply.0.speed", float("nan"), "source", "speed", "no number"),
    ("supply.0.speed", float("inf"), "source", "speed", "no number"),
    ("supply.0.speed.keys.1.value", -4, "source", "speed", "too low"),
    ("supply.0.speed.keys", [], "source", "speed.keys", "at least 1"),
    ("supply.0.speed.keys.1.frame", 1, "source", "speed.keys", "one key"),
    ("supply.0.speed.keys.1.ease", "bouncy", "source", "speed.keys.1.ease", "'step', 'linear', 'smooth' or 'handles'"),
    ("supply.0.speed.kind", "magic", "source", "speed", "Accepted kinds: 'keys', 'wave'"),
    ("supply.0.emit.count", 0, "source", "emit.count", "whole number from 1"),
    ("supply.0.emit.count", 2.5, "source", "emit.count", "whole number"),
    ("supply.0.emit.count", 10**9, "source", "emit.count", "up to 5 000 000"),
    ("supply.0.emit", {"kind": "stream", "start": 9, "end": 8}, "source", "emit.end", "Accepted: 9 or later"),
    ("supply.0.emit", {"kind": "drip"}, "source", "emit", "'burst', 'stream'"),
    ("supply.0.emit", {}, "source", "emit", "'kind'"),
    ("supply.0.aim.direction", [0, 0, 0], "source", "aim.direction", "points nowhere"),
    ("supply.0.aim.direction", [0, 1], "source", "aim.direction.2", "missing"),
    ("supply.0.state", "nope", "source", "state", "Accepted: loose"),
    ("supply.0.state", "ground", "source", "state", "'ground' is a prop"),
    ("supply.0.state", None, "source", "state", "does not fit"),
    ("supply.0.sped", 3, "source", "sped", "no such field"),
    ("supply.0.id", "Not An Id", "Not An Id", "id", "does not have the form"),
    ("supply.0.id", "ground", "ground", "id", "needs its own"),
    ("matter.1.props", [], "landing", "props", "at least 1"),
    ("matter.1.props", ["ground", "moon"], "landing", "props", "no row 'moon'"),
    ("matter.1.bounce", 1.5, "landing", "bounce", "too high. Accepted: a number from 0 up to 1"),
    ("matter.1.thickness", 0, "landing", "thickness", "too low"),
    ("matter.1.kind", "glue", "landing", "", "'state', 'rigid', 'bonds'"),
    ("forces.0.strength", [9.81], "gravity", "strength", "no number"),
    ("forces.0.whom", "late", "gravity", "whom", "no row 'late'"),
    ("cues.0.when.speed", {"kind": "keys"}, "cue", "when.speed.keys", "missing"),
    ("cues.0.then", {"kind": "enter", "state": "moon"}, "cue", "then.state", "Accepted: loose"),
    ("cues.0.on", "maybe", "cue", "on", "boolean"),
    ("set.0.shape", {"kind": "sphere", "radius": 0}, "ground", "shape.radius", "above 0 m"),
    ("set.0.shape", {"kind": "torus", "radius": 1, "tube": 1}, "ground", "shape.tube", "less than 1 m"),
    ("set.0.shape", {"kind": "mesh", "file": "../secret.obj"}, "ground", "shape.file", "form"),
    ("set.0.shape", {"kind": "mesh"}, "ground", "shape.file", "missing"),
    ("set.0.colour", "red", "ground", "colour", "form"),
    ("set.0.name", "", "ground", "name", "one character at least"),
    ("set.0.position", "here", "ground", "position", "tuple"),
    ("finish.last", 0, "finish", "last", "before the first"),
    ("finish.last", 1_000_000, "finish", "last", "Too many frames"),
    ("finish.rate", 0, "finish", "rate", "from 1 fps"),
    ("finish.rate", KEYS, "finish", "rate", "no number"),
    ("finish.quality", "superb", "finish", "quality", "'rough', 'fair' or 'fine'"),
    ("name", "", "", "name", "one character at least"),
    ("version", 99, "", "version", "newer Hot Gravel"),
    ("version", None, "", "version", "Accepted: 1 to 4"),
    ("format", "other", "", "format", "not a shot file"),
    ("extra", [], "", "extra", "no such field"),
])  # fmt: skip
def test_a_fault_names_its_row_and_field_and_what_would_do(path, value, row, field, said):
    with pytest.raises(ShotFault) as fault:
        load(put(whole(), path, value))
    found = [f for f in fault.value.faults if (f.row, f.field) == (row, field)]
    assert found, str(fault.value)
    assert said in found[0].message


def test_all_faults_are_told_at_once():
    text = refused(put(put(whole(), "supply.0.radius", -1), "matter.1.friction", 99))
    assert "'radius'" in text
    assert "'friction'" in text


@pytest.mark.parametrize(("text", "said"), [
    ("", "Not JSON"), ("{", "line 1"), ("[]", "JSON object"), ("[" * 100_000, "deep"), (b"\xff\xfe\x00", "UTF-8"),
    ("x" * (33 * 2**20), "MiB"),
])  # fmt: skip
def test_what_is_no_shot_at_all_is_said_to_be_none(text, said):
    assert said in refused(text)


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3),
    max_leaves=8,
)
PATHS = [
    "set", "set.0", "set.0.shape", "set.0.position", "set.0.position.1", "set.1.scale", "matter", "matter.1.props",
    "matter.1.bounce", "supply.0.emit", "supply.0.speed", "supply.0.speed.keys", "supply.0.speed.keys.0", "forces.0",
    "forces.0.direction", "cues.0.when", "cues.0.then", "finish", "finish.rate", "name", "version",
]  # fmt: skip


@given(st.sampled_from(PATHS), JSON)
def test_whatever_stands_in_a_field_it_loads_or_is_a_fault(path, value):
    try:
        shot = load(put(whole(), path, value))
    except ShotFault as fault:
        told = [f.message for f in fault.faults]
    else:
        told = ["it loads"] if load(shot.dump()) == shot else []
    assert told
    assert all(told)


def test_the_fingerprint_sees_what_matters_and_nothing_else():
    plain = fingerprint(load(whole()))
    assert fingerprint(load(put(whole(), "name", "another"))) == plain
    assert fingerprint(load(put(whole(), "set.0.colour", "#000000"))) == plain
    assert fingerprint(load(put(whole(), "supply.0.seed", 2))) != plain
    assert fingerprint(load(put(whole(), "matter.1.thickness", 0.1))) != plain
    assert fingerprint(load(whole()), "fine") != plain


def test_every_row_has_a_sentence_a_purpose_and_help_for_each_dial():
    from hotgravel.core.shot.dials import dials_of

    for cls in ROWS:
        assert cls.does.endswith(".")
        assert cls.phrase.endswith(".")
        for described in dials_of(cls).values():
            assert described.label
            assert described.help.endswith(".")


@pytest.mark.parametrize("name", demo_names())
def test_the_demo_reads_as_a_page(name):
    shot = load(demo_path(name))
    page = explain(shot)
    told = [page.index(title) for title in ("Set", "Matter", "Supply", "Forces", "Cues", "Finish") if title in page]
    assert told == sorted(told)
    assert len(told) >= (3 if name == "totem" else 4)  # without dynamics nothing is given, pushes or sets off
    assert "{" not in page


def test_sentences_say_their_values_in_the_shots_unit():
    shot = load(put(whole(), "finish", {"lengths": "cm"}))
    said = sentence(shot.supply[0], shot.dress, shot.names())
    assert "200 to 300 cm/s (keyed)" in said
    assert "1 cm in radius" in said
    said = sentence(shot.cues[0], Dress(), shot.names())
    assert said == "When one of all gets slower than 6 m/s, it is removed."


def test_the_schema_knows_every_kind_of_row_and_its_help():
    schema = json.dumps(Shot.model_json_schema())
    for cls in ROWS:
        assert f'"{cls.model_fields["kind"].default}"' in schema
    assert "Another number is another throw of the dice" in schema


def test_what_has_no_effect_is_neither_said_nor_offered():
    from hotgravel.web.render import dials_in

    patches = {"kind": "zone", "id": "mask", "name": "mask", "shape": {"kind": "patches"}}
    ball = patches | {"id": "ball", "name": "ball", "shape": {"kind": "ball"}}
    both = patches | {
        "id": "both",
        "name": "both",
        "shape": {"kind": "both", "first": "ball", "second": "mask", "how": "times"},
    }
    broken = both | {"id": "broken", "name": "broken", "shape": both["shape"] | {"how": "broken up by"}}
    shot = load({"format": "hotgravel.shot", "version": 2, "name": "zones", "set": [patches, ball, both, broken]})
    for row, edged in (("mask", False), ("ball", True), ("both", False), ("broken", True)):
        said = sentence(shot.row(row), shot.dress, shot.names())
        offered = {dial.name for dial in dials_in(shot, shot.row(row))}
        assert ("soft edge" in said) == edged
        assert ({"edge", "falloff"} <= offered) == edged
    assert "by" in {dial.name for dial in dials_in(shot, shot.row("broken"))}
    assert "by" not in {dial.name for dial in dials_in(shot, shot.row("both"))}
