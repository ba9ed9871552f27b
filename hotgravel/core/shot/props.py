"""Props: geometry that stands in the set. All lengths in metres, before the prop's scale."""

from collections.abc import Iterator
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value, Vector
from hotgravel.core.shot.dials import choice, clause, colour, dial, dials, file_name, own_file, words
from hotgravel.core.shot.row import Clause, Row

MeshUnit = Literal["m", "cm", "mm", "inch", "foot"]


def _length(default: float, label: str, help: str) -> float:
    return dial("m", default, label=label, help=help, soft=(0.05, 20.0), above=0.0, high=1e5)  # type: ignore[no-any-return]


class Sphere(Clause):
    kind: Literal["sphere"] = "sphere"
    title: ClassVar[str] = "a sphere"
    phrase: ClassVar[str] = "of radius {radius}"
    radius: float = _length(1.0, "radius", "From the middle to the surface.")


class Hemisphere(Clause):
    kind: Literal["hemisphere"] = "hemisphere"
    title: ClassVar[str] = "a dome"
    phrase: ClassVar[str] = "of radius {radius}"
    radius: float = _length(1.0, "radius", "The upper half of a sphere, standing on its flat side.")


class Box(Clause):
    kind: Literal["box"] = "box"
    title: ClassVar[str] = "a box"
    phrase: ClassVar[str] = "{width} wide, {height} high, {depth} deep"
    width: float = _length(1.0, "width", "Along x.")
    height: float = _length(1.0, "height", "Along y, up.")
    depth: float = _length(1.0, "depth", "Along z.")


class Plane(Clause):
    kind: Literal["plane"] = "plane"
    title: ClassVar[str] = "a flat plain"
    phrase: ClassVar[str] = "{width} by {depth}"
    width: float = _length(40.0, "width", "Along x. What rolls over the edge falls.")
    depth: float = _length(40.0, "depth", "Along z. What rolls over the edge falls.")


class Disc(Clause):
    kind: Literal["disc"] = "disc"
    title: ClassVar[str] = "a disc"
    phrase: ClassVar[str] = "of radius {radius}"
    radius: float = _length(1.0, "radius", "A round sheet, facing up.")


class Cylinder(Clause):
    kind: Literal["cylinder"] = "cylinder"
    title: ClassVar[str] = "a cylinder"
    phrase: ClassVar[str] = "of radius {radius}, {height} high"
    radius: float = _length(0.5, "radius", "From the axis to the side.")
    height: float = _length(1.0, "height", "Along y; the middle is at the prop's position.")


class Cone(Clause):
    kind: Literal["cone"] = "cone"
    title: ClassVar[str] = "a cone"
    phrase: ClassVar[str] = "of radius {radius}, {height} high"
    radius: float = _length(0.5, "radius", "Of the base.")
    height: float = _length(1.0, "height", "Along y, tip up; half of it lies above the prop's position.")


class Torus(Clause):
    kind: Literal["torus"] = "torus"
    title: ClassVar[str] = "a ring"
    phrase: ClassVar[str] = "of radius {radius}, {tube} thick"
    radius: float = _length(1.0, "radius", "From the middle to the middle of the tube.")
    tube: float = _length(0.25, "tube radius", "Of the tube itself; smaller than the ring's radius.")

    def complaints(self) -> Iterator[tuple[str, str]]:
        if self.tube >= self.radius:
            yield "tube", f"A tube of {self.tube:g} m closes the ring. Accepted: less than {self.radius:g} m."


class Mesh(Clause):
    kind: Literal["mesh"] = "mesh"
    title: ClassVar[str] = "an imported mesh"
    phrase: ClassVar[str] = "from {file}, drawn in {unit} with {up} up, {mend}"
    file: str = file_name(label="file", help="OBJ, PLY, STL or glTF, kept beside the shot.")
    unit: MeshUnit = choice(
        {"m": "metres", "cm": "centimetres", "mm": "millimetres", "inch": "inches", "foot": "feet"}, "m",
        label="unit", help="What one unit of the file's numbers is. A prop a hundred times too large was drawn in cm.",
    )  # fmt: skip
    up: Literal["y", "z"] = choice(
        {"y": "y", "z": "z"}, "y", label="up axis", help="Which axis of the file points up. A prop on its back: z."
    )
    mend: Literal["as it is", "mended"] = choice(
        {"as it is": "as it is", "mended": "mended"}, "as it is", label="repair",
        help="Mended: doubled triangles go, flipped ones are turned, holes of three or four edges are closed. "
        "No corner point moves.",
    )  # fmt: skip


class Lettering(Clause):
    kind: Literal["lettering"] = "lettering"
    title: ClassVar[str] = "lettering"
    phrase: ClassVar[str] = "that reads {words}, {height} high and {depth} deep"
    words: str = words(label="words", help="What it reads.", longest=60)
    height: float = _length(1.0, "height", "Of a capital letter.")
    depth: float = _length(0.25, "depth", "From face to back.")
    bevel: float = dial(
        "m", 0.03, label="bevel", soft=(0.0, 0.1), low=0.0, high=1e4,
        help="How far its edges are rounded; at most half the depth is used.",
    )  # fmt: skip
    font: Literal["title", "plain", "mono"] = choice(
        {"title": "heavy", "plain": "plain", "mono": "of one width"}, "title", label="font",
        help="Heavy letters hold more; plain ones are open; those of one width stand in columns.",
    )  # fmt: skip
    weight: int = dial(
        "count", 800, label="weight", soft=(400, 800), low=200, high=800, whole=True,
        help="How thick the strokes are. A font of your own that has only one weight keeps it.",
    )  # fmt: skip
    file: str | None = own_file(
        label="own font", help="A TrueType, OpenType or WOFF2 font that was imported; it stands in for the others."
    )

    def wording(self) -> str:
        return self.phrase + (", in {file}" if self.file else "")

    def idle(self) -> frozenset[str]:
        return frozenset({"font"}) if self.file else frozenset()


class Outline(Clause):
    kind: Literal["outline"] = "outline"
    title: ClassVar[str] = "an imported outline"
    phrase: ClassVar[str] = "cut from {file}, {height} high and {depth} deep"
    file: str = file_name(label="file", help="An SVG drawing, kept beside the shot: what its paths enclose is solid.")
    height: float = _length(1.0, "height", "From the lowest to the highest point drawn.")
    depth: float = _length(0.25, "depth", "From face to back.")
    bevel: float = dial(
        "m", 0.03, label="bevel", soft=(0.0, 0.1), low=0.0, high=1e4,
        help="How far its edges are rounded; at most half the depth is used.",
    )  # fmt: skip


class Stone(Clause):
    kind: Literal["stone"] = "stone"
    title: ClassVar[str] = "a rough stone"
    phrase: ClassVar[str] = "{width} wide, {height} high, {depth} deep, {roughness} rough"
    width: float = _length(0.6, "width", "Along x.")
    height: float = _length(0.3, "height", "Along y, from its lower to its upper bed.")
    depth: float = _length(0.5, "depth", "Along z.")
    roughness: float = dial(
        "%", 0.6, label="roughness", soft=(0.2, 0.9), low=0.05, high=1.0,
        help="How deep it is broken flat: little is a pebble, much is a block with edges.",
    )  # fmt: skip
    seed: int = dial(
        "count", 1, label="seed", soft=(1, 100), low=0, high=2**32 - 1, whole=True,
        help="Another number is another stone.",
    )  # fmt: skip


class Tray(Clause):
    kind: Literal["tray"] = "tray"
    title: ClassVar[str] = "a tray of bars"
    phrase: ClassVar[str] = "{width} by {depth}, {bars} bars of {bar}, with walls {wall} high"
    width: float = _length(2.0, "width", "Along x, within the walls.")
    depth: float = _length(3.0, "depth", "Along z, which is how the bars run.")
    bars: int = dial(
        "count", 9, label="bars", soft=(3, 20), low=1, high=200, whole=True,
        help="How many. What is narrower than the gaps between them falls through.",
    )  # fmt: skip
    bar: float = _length(0.1, "bar", "How wide and how thick each bar is, and how thick the walls are.")
    wall: float = _length(0.4, "wall", "From the bars' lower side to the walls' top.")

    def complaints(self) -> Iterator[tuple[str, str]]:
        if self.bars * self.bar >= self.width:
            yield "bars", f"So many bars fill {self.width:g} m. Accepted: fewer than {int(self.width / self.bar)}."


Shape = Sphere | Hemisphere | Box | Plane | Disc | Cylinder | Cone | Torus | Stone | Tray | Lettering | Outline | Mesh


class Prop(Row):
    kind: Literal["prop"] = "prop"
    section: ClassVar[str] = "set"
    title: ClassVar[str] = "prop"
    does: ClassVar[str] = "Something that stands in the set: to emit from, to hit, or to look at."
    phrase: ClassVar[str] = "The {name} is {shape}, at {position}."
    name: str = words(label="name", help="What the other sentences call it.")
    shape: Shape = clause(label="shape", help="What it is geometrically.", default=Sphere)
    position: Vector = dials(
        "m", (0.0, 0.0, 0.0), label="position", soft=(-20.0, 20.0), low=-1e6, high=1e6, drivable=True,
        help="Where it stands: x, y (up), z. With keys it moves, and what it touches is carried or struck.",
    )  # fmt: skip
    rotation: Vector = dials(
        "°", (0.0, 0.0, 0.0), label="rotation", soft=(-180.0, 180.0), low=-36000.0, high=36000.0,
        drivable=True, help="About x, then y, then z. Tilt a plain about z to make a slope.",
    )  # fmt: skip
    scale: Value = dial(
        "×", 1.0, label="scale", soft=(0.1, 10.0), low=0.0, high=1e4, drivable=True,
        help="All sizes times this. With keys it grows or shrinks, and its surface pushes; "
        "at 0 it is not there.",
    )  # fmt: skip
    seen: Literal["seen", "unseen"] = choice(
        {"seen": "seen", "unseen": "unseen"}, "seen", label="seen",
        help="Unseen, it is not drawn, but is left, hit and measured to all the same.",
    )  # fmt: skip
    colour: str = colour("#5A5651", label="colour", help="How the stage paints it; the result does not change.")
    shine: Literal["glowing", "dull", "clear"] = choice(
        {"glowing": "glowing", "dull": "dull", "clear": "clear as glass"}, "dull", label="shine",
        help="Glowing gives light to what is near, as a hot ball does; dull is lit by the dusk; clear is seen through, "
        "as a jar or a pane. Only the pictures change.",
    )  # fmt: skip
