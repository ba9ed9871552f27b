"""What is soft: sheets of cloth, jelly, and balloons."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value
from hotgravel.core.shot.copies import Itself, Stacked
from hotgravel.core.shot.dials import choice, clause, dial, refer
from hotgravel.core.shot.row import Ref, Row

NEVER = 10.0  # cloth that would have to be pulled by as much does not tear
BEGINS = {"loose": "loose", "held": "held in place"}


class Soft(Row):
    """What every soft thing has: how thick its skin is, how it slides, how its motion dies away, and what holds it."""

    section: ClassVar[str] = "matter"
    asks: ClassVar[str | None] = "soft"
    prop: Ref
    thickness: float = dial(
        "m", 0.01, label="thickness", soft=(0.002, 0.05), above=0.0, high=10.0,
        help="How thick its skin is to all that it meets: it keeps half of it off. It weighs nothing.",
    )  # fmt: skip
    friction: Value = dial(
        "", 0.4, label="friction", soft=(0.0, 1.0), low=0.0, high=10.0, drivable=True,
        help="Grip on what it lies on: it slides down slopes whose tangent is above.",
    )  # fmt: skip
    sticks: Value = dial(
        "Pa", 0.0, label="sticks by", soft=(0.0, 1000.0), low=0.0, high=1e7, drivable=True, each=True,
        help="How hard it must be pulled off what it collides with, once it has touched that, and off what is soft. By "
        "10 Pa a sheet of 1 kg/m² hangs from a ceiling, by 1 000 Pa jelly that is 10 cm thick; 0 does not stick.",
    )  # fmt: skip
    damping: float = dial(
        "s", 0.002, label="damping", soft=(0.0, 0.05), low=0.0, high=100.0,
        help="How slowly it lets itself be stretched, bent and pressed: rubber 0.002, felt 0.02, dough 0.2. It does "
        "not brake a thing that flies or turns as a whole.",
    )  # fmt: skip
    pins: Ref | None = refer(
        "zone", label="pinned", none="nowhere",
        help="What of it is in the zone at first goes as its prop does, until a cue lets it go.",
    )  # fmt: skip
    to: Ref | None = refer(
        "prop", label="pinned to", none="its own prop",
        help="Which prop it goes with where it is pinned, and where it is pulled to its shape: a mast that sways, a "
        "lid, a crate that falls. Such a body feels nothing of it.",
    )  # fmt: skip
    begins: Literal["loose", "held"] = choice(
        BEGINS, "loose", label="begins", help="Loose from the first frame, or all of it held until a cue lets it go."
    )
    follow: Value = dial(
        "/s", 0.0, label="pulled to its shape", soft=(0.0, 50.0), low=0.0, high=1e4, drivable=True, each=True,
        help="How quickly it swings back to where its prop has it, moved by its keys: 0 not at all, 5 gently, 50 it "
        "hardly gives way.",
    )  # fmt: skip
    meets: Literal["all", "props"] = choice(
        {"all": "cloth and jelly too", "props": "only what collisions name"}, "all", label="meets",
        help="Cloth and jelly keep off themselves and one another too, which takes most of the time; where nothing "
        "comes near, only what collisions name is many times as fast.",
    )  # fmt: skip
    state: Ref | None = refer(
        "state", label="state", none="no state", help="The state that it begins in, for forces and cues to ask for."
    )
    temperature: float = dial(
        "°C", 20.0, label="temperature", soft=(0.0, 400.0), low=-273.15, high=1e6,
        help="How hot it is. Numbers and tints can vary over it.",
    )  # fmt: skip

    def wording(self) -> str:
        return self.phrase if self.to is None else self.phrase.replace("{pins}", "{pins} to {to}")

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return f"Began as part of {names[self.prop]}, {BEGINS[self.begins]}."


class Cloth(Soft):
    kind: Literal["cloth"] = "cloth"
    title: ClassVar[str] = "cloth"
    does: ClassVar[str] = "Makes a sheet or a skin cloth, canvas, paper or rubber: it hangs, drapes, folds and blows."
    phrase: ClassVar[str] = (
        "The {prop} is cloth in {segments} segments, of {weight}; it resists stretching by {stretch}, shearing by "
        "{shear} and bending by {bend}; pinned {pins}; it begins {begins}."
    )
    prop: Ref = refer("prop", label="prop", help="A sheet, or any mesh, whose faces become cloth.")
    segments: int = dial(
        "count", 24, label="segments", soft=(8, 80), low=1, high=400, whole=True,
        help="Into how many parts the longer side of a plane is divided. Other shapes keep their own faces.",
    )  # fmt: skip
    weave: Literal["alternating", "regular", "scattered"] = choice(
        {"alternating": "alternating", "regular": "all one way", "scattered": "scattered"}, "alternating",
        label="diagonals",
        help="Which way the squares of a plane are halved. All one way, creases follow the diagonals; scattered ones "
        "show in none.",
    )  # fmt: skip
    weight: float = dial(
        "kg/m²", 0.3, label="weight", soft=(0.05, 2.0), above=0.0, high=1e4,
        help="Silk 0.05, cotton 0.15, canvas 0.4, leather 1, rubber sheet 2.",
    )  # fmt: skip
    stretch: Value = dial(
        "N/m", 2000.0, label="stretch", soft=(50.0, 20000.0), low=0.0, high=1e9, drivable=True,
        each=True,
        help="The pull on each metre of its width that would make it twice as long. Rubber 200, jersey 500, cotton "
        "3 000, canvas 20 000.",
    )  # fmt: skip
    shear: Value = dial(
        "N/m", 300.0, label="shear", soft=(10.0, 20000.0), low=0.0, high=1e9, drivable=True,
        each=True,
        help="The same for what pulls squares askew. Woven cloth has a tenth of its stretch, paper half of it.",
    )  # fmt: skip
    bend: Value = dial(
        "N m", 2e-5, label="bending", soft=(0.0, 0.01), low=0.0, high=1e6, drivable=True,
        each=True,
        help="What it takes to bend it, for each metre of a fold. Silk 0.000005, cotton 0.00002, canvas 0.0005, paper "
        "0.001; 0 does not resist at all.",
    )  # fmt: skip
    crease: Value = dial(
        "°", 180.0, label="creases beyond", soft=(5.0, 180.0), low=0.0, high=180.0, drivable=True,
        help="What is folded by more keeps a crease there. At 180° none stays; paper 10°.",
    )  # fmt: skip
    tear: Value = dial(
        "%", NEVER, label="tears beyond", soft=(0.05, 1.0), above=0.0, high=NEVER, drivable=True, each=True,
        help="Where it is pulled by more than this it tears, across the pull: paper 3 %, canvas 15 %, a worn seam by "
        "its zone less. At 1 000 % it never does.",
    )  # fmt: skip
    catch: Value = dial(
        "%", 0.1, label="drag along it", soft=(0.0, 0.5), low=0.0, high=1.0, drivable=True,
        help="Wind and drag take hold of it straight on; this share of that they have along it too.",
    )  # fmt: skip


class Sewn(Row):
    kind: Literal["sewn"] = "sewn"
    section: ClassVar[str] = "matter"
    asks: ClassVar[str | None] = "soft"
    title: ClassVar[str] = "seam"
    naming: ClassVar[str] = "seam of {prop}"
    does: ClassVar[str] = "Sews the rim of cloth to other cloth, jelly or a balloon, until it is pulled too hard."
    phrase: ClassVar[str] = (
        "The rim of {prop} is sewn to {other} {zone} where it begins within {near} of it; the seam bears {bears}."
    )
    prop: Ref = refer("prop", label="rim of", help="A prop that is cloth, and has a rim.")
    other: Ref = refer("prop", label="sewn to", help="Another prop that is cloth, jelly or a balloon.")
    near: float = dial(
        "m", 0.02, label="within", soft=(0.0, 0.2), low=0.0, high=100.0,
        help="What of the rim is so near to the other's skin at the first frame is sewn to it there and stays so near.",
    )  # fmt: skip
    zone: Ref | None = refer(
        "zone", label="where", none="all along it", manner="in ",
        help="Only what of the rim lies in this zone at the first frame is sewn.",
    )  # fmt: skip
    bears: Value = dial(
        "N/m", 10000.0, label="bears", soft=(50.0, 20000.0), low=0.0, high=1e9, drivable=True,
        help="The pull on each metre of it at which it parts, stitch by stitch: basted 200, a worn seam 1 000, sewn "
        "cotton 5 000, sails 20 000.",
    )  # fmt: skip


class Jelly(Soft):
    kind: Literal["jelly"] = "jelly"
    title: ClassVar[str] = "jelly"
    does: ClassVar[str] = "Fills a closed prop with something soft, from jelly to tyre rubber: it squashes and wobbles."
    phrase: ClassVar[str] = (
        "The {prop} is jelly in {segments} segments, of stiffness {stiffness}, Poisson's ratio {squash} and "
        "{density}; pinned {pins}; it begins {begins}."
    )
    prop: Ref = refer("prop", label="prop", solid=True, help="A closed shape: what is inside is filled.")
    segments: int = dial(
        "count", 8, label="segments", soft=(3, 20), low=1, high=64, whole=True,
        help="How many blocks its longest side is filled with. Few squash as a whole, many wobble in themselves.",
    )  # fmt: skip
    stiffness: Value = dial(
        "kPa", 2e4, label="stiffness", soft=(2e3, 1e6), above=0.0, high=1e12, drivable=True,
        each=True,
        help="Young's modulus. Jelly 5, soft rubber 100, a tyre 5 000.",
    )  # fmt: skip
    squash: float = dial(
        "", 0.45, label="Poisson's ratio", soft=(0.0, 0.49), low=0.0, high=0.4999,
        help="How much it bulges as it is pressed: cork 0, sponge 0.1 to 0.3, flesh and rubber near 0.5, which keep "
        "their volume.",
    )  # fmt: skip
    density: float = dial(
        "kg/m³",
        1000.0,
        label="density",
        soft=(50.0, 2000.0),
        above=0.0,
        high=1e6,
        help="Foam 50, jelly 1 000, mud 1 800.",
    )
    gives: Value = dial(
        "%", 1.0, label="gives for good beyond", soft=(0.02, 1.0), low=0.001, high=1.0, drivable=True,
        help="What is pulled or pressed by more than this keeps what is over: clay 2 %, dough 10 %. At 100 % it always "
        "comes back.",
    )  # fmt: skip


class Balloon(Soft):
    kind: Literal["balloon"] = "balloon"
    title: ClassVar[str] = "balloon"
    does: ClassVar[str] = "Fills the skin of a closed prop with air, or of many copies: it swells, bulges and pushes."
    phrase: ClassVar[str] = (
        "The {prop} is a balloon, {copies}, in {segments} segments, of {weight}; it resists stretching by {stretch} "
        "and shearing by {shear}; its size is {size}, the pressure in it {pressure}, {air}; pinned {pins}; it begins "
        "{begins}."
    )
    prop: Ref = refer("prop", label="prop", solid=True, help="A closed shape, whose skin is filled.")
    copies: Itself | Stacked = clause(label="copies", help="The prop itself, or copies of it.", default=Itself)
    segments: int = dial(
        "count", 12, label="segments", soft=(6, 40), low=2, high=200, whole=True,
        help="Into how many parts the longest side of its box is divided. Few fold in large facets.",
    )  # fmt: skip
    weight: float = dial(
        "kg/m²", 0.25, label="weight", soft=(0.02, 2.0), above=0.0, high=1e4,
        help="Of its skin: foil 0.03, a toy balloon 0.25, a rubber boat 1.",
    )  # fmt: skip
    stretch: Value = dial(
        "N/m", 250.0, label="stretch", soft=(20.0, 20000.0), low=0.0, high=1e9, drivable=True,
        each=True,
        help="The pull on each metre of its width that would make it twice as long. A toy balloon 250, foil 100 000.",
    )  # fmt: skip
    shear: Value = dial(
        "N/m", 100.0, label="shear", soft=(10.0, 20000.0), low=0.0, high=1e9, drivable=True,
        each=True,
        help="The same for what pulls it askew: rubber has a third of its stretch.",
    )  # fmt: skip
    pressure: Value = dial(
        "Pa", 50.0, label="pressure", soft=(0.0, 1000.0), low=-1e5, high=1e7, drivable=True,
        help="By how much more it presses from within than air does from outside, at its own size: a weather balloon "
        "50, a toy balloon 1 000. More swells it more.",
    )  # fmt: skip
    air: Literal["held", "shut"] = choice(
        {"held": "held by a pump", "shut": "shut in"}, "shut", label="air",
        help="Held, the pressure stays the same however it is squeezed; shut in, it rises as the volume falls.",
    )  # fmt: skip
    size: Value = dial(
        "%", 1.0, label="size", soft=(0.1, 1.0), low=0.01, high=10.0, drivable=True,
        help="How large its skin is at rest, of its prop: driven from 20 % to 100 % it is blown up.",
    )  # fmt: skip
    tear: Value = dial(
        "%", NEVER, label="bursts beyond", soft=(0.2, 4.0), above=0.0, high=NEVER, drivable=True, each=True,
        help="Where its skin is pulled by more than this it tears, and its air is gone: foil 5 %, a toy balloon 400 %. "
        "At 1 000 % it never does.",
    )  # fmt: skip
    late: float = dial(
        "s", 0.0, label="starts up to", soft=(0.0, 5.0), low=0.0, high=1e4,
        help="Each copy's size and pressure run behind by its own time by chance, up to this.",
    )  # fmt: skip

    def wording(self) -> str:
        said = super().wording()
        return said.replace("; pinned", ", each up to {late} late; pinned") if self.late else said
