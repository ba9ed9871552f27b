"""A field of velocities that stands in the set: how the air moves in a box."""

from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value, Vector
from hotgravel.core.shot.dials import dial, dials, file_name, words
from hotgravel.core.shot.row import Row


class VelocityField(Row):
    kind: Literal["field"] = "field"
    section: ClassVar[str] = "set"
    title: ClassVar[str] = "field of velocities"
    does: ClassVar[str] = "How air moves in a box, reckoned elsewhere; a force lets particles follow it."
    phrase: ClassVar[str] = "The field {name} moves as {file} says, {speed} as fast, moved by {position}."
    name: str = words(label="name", help="What the other sentences call it.")
    file: str = file_name(label="file", help="NumPy's .npz with velocity, origin and cell, kept beside the shot.")
    speed: Value = dial(
        "×", 1.0, label="speed", soft=(0.1, 5.0), low=-1e3, high=1e3, drivable=True,
        help="All its velocities times this. Less than zero turns them round.",
    )  # fmt: skip
    position: Vector = dials(
        "m", (0.0, 0.0, 0.0), label="moved by", soft=(-20.0, 20.0), low=-1e6, high=1e6, drivable=True,
        help="How far its box stands from where the file has it: x, y (up), z.",
    )  # fmt: skip
    scale: float = dial(
        "×", 1.0, label="scale", soft=(0.1, 10.0), above=0.0, high=1e4,
        help="How much larger its box is than in the file, from the file's origin on; velocities stay as they are.",
    )  # fmt: skip
    edge: Value = dial(
        "m", 0.3, label="edge", soft=(0.0, 2.0), low=0.0, high=1e4, drivable=True,
        help="Over this far from its sides its hold falls to nothing, so that none is let go of at once.",
    )  # fmt: skip
