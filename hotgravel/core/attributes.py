"""One vocabulary of attributes, across all matter: what each is called, measures and holds."""

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Attribute:
    """A property of each element: unit as shown, type as stored, numbers per element."""

    name: str
    unit: str
    dtype: type[np.generic]
    width: int
    what: str


ATTRIBUTES = {
    a.name: a
    for a in (
        Attribute("position", "m", np.float64, 3, "where it is"),
        Attribute("velocity", "m/s", np.float64, 3, "how it moves"),
        Attribute("age", "s", np.float64, 1, "since it left its source"),
        Attribute("life", "s", np.float64, 1, "how long it lasts"),
        Attribute("radius", "m", np.float64, 1, "its size"),
        Attribute("rest", "m", np.float64, 3, "where it was born, as its prop then lay"),
        Attribute("size", "m", np.float64, 1, "the radius it was born with"),
        Attribute("travelled", "m", np.float64, 1, "how far it has come along its way"),
        Attribute("mass", "kg", np.float64, 1, "its mass"),
        Attribute("temperature", "°C", np.float64, 1, "how hot it is"),
        Attribute("colour", "", np.uint32, 1, "its own colour as 0xrrggbb, plus 2^24; 0 where it has none"),
        Attribute("faded", "%", np.float64, 1, "how much of it is no longer seen: 0 is all there, 1 is gone"),
        Attribute("id", "", np.int64, 1, "its number, never used twice in a run"),
        Attribute("state", "", np.int16, 1, "which state it is in, counted in the shot's order"),
        Attribute("source", "", np.int16, 1, "which source it left, counted in the shot's order"),
        Attribute("parent", "", np.int64, 1, "the element it came off; -1 where it came off a prop"),
        Attribute("cause", "", np.int16, 1, "the cue that set it off, counted in the shot's order; -1 if none did"),
        Attribute("fired", "", np.uint64, 1, "which cues have concerned it, one bit each"),
        Attribute("was_true", "", np.uint64, 1, "which cues' conditions were true when last looked at, a bit each"),
        Attribute("looked", "", np.uint8, 1, "1 once cues have looked at it"),
        Attribute("pinned", "", np.uint8, 1, "1 while it is kept in place, 2 while it follows the keys of its prop"),
        Attribute("touched", "", np.uint64, 1, "what it met in this step: a bit for each watched prop"),
        Attribute("turn", "", np.float64, 4, "how it is turned, as a quaternion x, y, z, w"),
        Attribute("spin", "rad/s", np.float64, 3, "how fast it turns about x, y and z"),
        Attribute("begun", "", np.float64, 4, "how it was turned when it began"),
        Attribute("scale", "×", np.float64, 1, "how many times as large as its prop it is"),
        Attribute("piece", "", np.uint16, 1, "which of the run's meshes it is drawn with"),
        Attribute("vertex", "", np.int64, 1, "which vertex it is of what is soft, or of a skin"),
        Attribute("corners", "", np.uint32, 1, "bits of the triangles at its vertex that it has; 0: all of them"),
        Attribute("affine", "m/s", np.float64, 9, "how its velocity changes along the axes, in a cell"),
        Attribute("stretch", "%", np.float64, 1, "how much longer than at rest it is pulled about it, at most"),
        Attribute("pressure", "Pa", np.float64, 1, "how much what it touches presses on it"),
        Attribute("hard", "", np.uint8, 1, "whether it has become rigid"),
        Attribute("lump", "", np.int64, 1, "which lump that is rigid it is of; -1 where of none"),
        Attribute("form", "", np.float64, 3, "its place in the shape of its lump"),
        Attribute("pinched", "", np.uint8, 1, "whether other skins pressed on it in the last step"),
        Attribute("clings", "", np.float64, 3, "out of what it touched last, 0 where that was nothing"),
        Attribute("eased", "m", np.float64, 3, "by how much its cloth's pull moved it in the last small step"),
        Attribute("steep", "°", np.float64, 1, "how far the surface that it is on leans from level"),
        Attribute("vessel", "", np.int64, 1, "the id of the body that holds the liquid that it is on; -1 for a prop"),
        Attribute("node", "", np.int64, 1, "its number on that surface"),
        Attribute("flow", "m/s", np.float64, 3, "how that surface moves there"),
        Attribute("wet", "%", np.float64, 1, "how much of a whole film of liquid there is on it"),
        Attribute("bearer", "", np.int64, 1, "the body that it lies on, by its id, or -2 - k for the shot's k-th prop"),
        Attribute("arrived", "s", np.float64, 1, "how long ago a front came there, -1 where it has not"),
        Attribute("gone", "m", np.float64, 1, "how far the front has crept on from there"),
        Attribute("left", "%", np.float64, 1, "the share that is not eaten"),
        Attribute("still", "s", np.float64, 1, "how long it has hardly moved"),
        Attribute("lay", "m", np.float64, 3, "where it was when it began to lie still"),
        Attribute("lay_turn", "", np.float64, 4, "how it was turned then"),
        Attribute("asleep", "", np.uint8, 1, "1 while it sleeps"),
        Attribute("felt", "m/s²", np.float64, 3, "the steady forces on it in the last step"),
        Attribute("impulse", "N s", np.float64, 1, "the hardest hit of this step"),
        Attribute(
            "partner", "", np.int64, 1, "what that hit was with: another's id, or -2 - k for the shot's k-th prop"
        ),
        Attribute("supported", "", np.uint8, 1, "1 while it, or what it is bonded to, is kept in place"),
        Attribute("parting", "", np.uint8, 1, "1 where a cue has parted it from what it is bonded to"),
        Attribute("load", "%", np.float64, 1, "the greatest load of its bonds over its strength"),
        Attribute("give", "m", np.float64, 1, "how far it gives under its loads, which is not drawn"),
        Attribute("bonds", "", np.int16, 1, "how many bonds it has"),
        Attribute("lump", "", np.int64, 1, "the first of those that it moves with, by its number; its own where alone"),
        Attribute("lost", "", np.int16, 1, "how many bonds it has lost"),
        Attribute("blow", "N s", np.float64, 3, "that hit, with its direction"),
        Attribute("impact", "m/s", np.float64, 1, "the hardest it came at what it met when last it met anything"),
    )
}

# What responses, formulas and histograms can read of an element: its words, and its unit.
READABLE: dict[str, tuple[str, str]] = {
    "age": ("age", "s"),
    "fraction of life": ("fraction of life", "%"),
    "speed": ("speed", "m/s"),
    "travelled": ("distance travelled", "m"),
    "height": ("height", "m"),
    "radius": ("radius", "m"),
    "mass": ("mass", "kg"),
    "temperature": ("temperature", "°C"),
    "density": ("density", "kg/m³"),
    "spin": ("spin", "°/s"),
    "tilt": ("turned over", "°"),
    "still": ("time at rest", "s"),
    "impulse": ("impulse", "N s"),
    "load": ("load of its bonds", "%"),
    "bonds lost": ("share of bonds lost", "%"),
    "stretch": ("stretch", "%"),
    "pressure": ("pressure on it", "Pa"),
    "steep": ("leaning of its surface", "°"),
    "wet": ("wetness", "%"),
    "arrived": ("time since the front came", "s"),
    "left": ("share that is left", "%"),
    "random": ("a number each has by chance", "%"),
    "distance to": ("distance to", "m"),
    "weight in": ("weight in", "%"),
}
