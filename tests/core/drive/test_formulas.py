"""Formulas: the arithmetic of Python's own evaluation, and nothing else gets in."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from hotgravel.core.drive.ask import Ask, Clock, Rows
from hotgravel.core.drive.formulas import NAMES, Formula, Wrong, parsed

CROWD = Rows({"age": np.array([0.5, 2.0]), "speed": np.array([3.0, 4.0]), "fraction of life": np.array([0.1, 0.9])})
ASK = Ask(1.5, Clock(1, 24), CROWD)


@pytest.mark.parametrize(("text", "peer"), [
    ("2 + 3 * 4 - 1", lambda a, v, t: 13), ("-age ** 2", lambda a, v, t: -(a**2)), ("7 % 4 / 2", lambda a, v, t: 1.5),
    ("2 * exp(-age) + 0.1 * sin(6 * t)", lambda a, v, t: 2 * math.exp(-a) + 0.1 * math.sin(6 * t)),
    ("speed if age > 1 else 0", lambda a, v, t: v if a > 1 else 0), ("(age < 1) * 3", lambda a, v, t: 3 * (a < 1)),
    ("clip(speed, 0, 3.5)", lambda a, v, t: min(v, 3.5)), ("mix(1, 3, 0.25)", lambda a, v, t: 1.5),
    ("max(age, min(speed, 1))", lambda a, v, t: max(a, min(v, 1))), ("frame", lambda a, v, t: 37),
    ("fraction_of_life * pi", lambda a, v, t: {0.5: 0.1, 2.0: 0.9}[a] * math.pi),
    ("smoothstep(0, 4, speed)", lambda a, v, t: (v / 4) ** 2 * (3 - v / 2)), ("1 / 0", lambda a, v, t: 1e12),
    ("sqrt(-1)", lambda a, v, t: 0.0),
])  # fmt: skip
def test_a_formula_gives_what_python_gives(text, peer):
    told = np.broadcast_to(Formula(text=text).answer(ASK), 2)
    assert told == pytest.approx([peer(0.5, 3.0, 1.5), peer(2.0, 4.0, 1.5)])


@pytest.mark.parametrize(("text", "said"), [
    ("2 +", "character 4"), ("agee", "character 1: 'agee' is not known. Accepted: t, frame, age"),
    ("1 + import_os", "character 5"), ("__import__('os')", "no function here"), ("age.real", "cannot stand"),
    ("(lambda: 1)()", "cannot stand"), ("[1, 2]", "cannot stand"), ("'text'", "only numbers"), ("True", "a number is wanted"),
    ("1 < age < 2", "cannot stand"), ("sin(1, 2)", "sin takes 1 numbers, not 2"), ("sin(x=1)", "cannot stand"),
    ("1 if age", "cannot be read"), ("age and 1", "cannot stand"), ("1 << 9", "accepted between two numbers"),
    ("f'{age}'", "cannot stand"), ("9" * 50, "too large"), ("((((1" + "+1" * 190, "cannot be read"), ("(" * 300, "cannot be read"),
    ("1" * 500, "accepted: up to 400"), ("x := 1", "cannot"), ("open", "not known"), ("\x00", "cannot be read"),
    ("+".join("1" * 180), "too long"), ("-" * 60 + "1", "nested too deeply"),
])  # fmt: skip
def test_anything_else_is_refused_with_its_place(text, said):
    with pytest.raises(Wrong, match=r"formula|character") as fault:
        parsed(text)
    assert said in str(fault.value)
    with pytest.raises(ValidationError):
        Formula(text=text)


@given(st.text(alphabet="0123456789.+-*/%()<>=, agespdtfrm_'\"[]{}:lambdximport", max_size=40))
def test_hostile_text_is_refused_or_gives_numbers(text):
    try:
        made = Formula(text=text or "0")
    except ValidationError:
        return
    told = made.answer(Ask(1.0, crowd=Rows({name.replace("_", " "): np.array([1.0, 2.0]) for name in NAMES})))
    assert np.isfinite(told).all()


def test_it_varies_between_particles_only_if_it_names_an_attribute():
    assert Formula(text="age * 2").by_element
    assert not Formula(text="sin(t) + frame").by_element
