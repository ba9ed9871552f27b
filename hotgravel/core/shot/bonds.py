"""Bonds: what holds the pieces of a cut prop together, what they hang on, and what it takes to part them."""

from dataclasses import dataclass
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value
from hotgravel.core.shot.dials import choice, clause, dial, refer, refers, seed
from hotgravel.core.shot.row import Clause, Ref, Row


@dataclass(frozen=True)
class Material:
    """What bonds are of: strengths in tension and in shear, and stiffness (Young's modulus), all in Pa."""

    tension: float
    shear: float
    stiffness: float


class Glued(Clause):
    kind: Literal["glued"] = "glued"
    title: ClassVar[str] = "until a cue parts them"
    phrase: ClassVar[str] = ""


class Strong(Clause):
    kind: Literal["strong"] = "strong"
    title: ClassVar[str] = "by their strength"
    phrase: ClassVar[str] = "of {tension} in tension and {shear} in shear, stiffness {stiffness}"
    tension: float = dial(
        "MPa", 2.9e6, label="tension", soft=(1e5, 2e7), above=0.0, high=1e12,
        help="A bond gives way where it is pulled or bent harder. Mortar 0.1, tuff 1, concrete 3, basalt 12, glass 45.",
    )  # fmt: skip
    shear: float = dial(
        "MPa", 5.8e6, label="shear", soft=(1e5, 4e7), above=0.0, high=1e12,
        help="A bond gives way where its sides are pushed past each other harder; what presses on it adds 0.6 of that.",
    )  # fmt: skip
    stiffness: float = dial(
        "GPa", 33e9, label="stiffness", soft=(1e9, 1e11), above=0.0, high=1e13,
        help="Young's modulus. It changes no load, only how far all gives under it, which a gauge tells.",
    )  # fmt: skip

    @property
    def material(self) -> Material:
        return Material(self.tension, self.shear, self.stiffness)


CLASSES = {f"C{ck}/{cube}": ck for ck, cube in
           ((12, 15), (16, 20), (20, 25), (25, 30), (30, 37), (35, 45), (40, 50), (45, 55), (50, 60))}  # fmt: skip


class Concrete(Clause):
    kind: Literal["concrete"] = "concrete"
    title: ClassVar[str] = "as concrete"
    phrase: ClassVar[str] = "of class {grade}"
    grade: Literal[
        "C12/15", "C16/20", "C20/25", "C25/30", "C30/37", "C35/45", "C40/50", "C45/55", "C50/60"
    ] = choice(
        {name: name for name in CLASSES}, "C30/37", label="class",
        help="Mean strength in tension and stiffness follow from it, as EN 1992-1-1 has them in table 3.1.",
    )  # fmt: skip

    @property
    def material(self) -> Material:
        """By the formulas of EN 1992-1-1, table 3.1; twice as strong in shear is common practice."""
        ck = CLASSES[self.grade]
        tension = 0.30e6 * ck ** (2 / 3)
        return Material(tension, 2.0 * tension, 22e9 * ((ck + 8) / 10) ** 0.3)


STUFFS = {  # from memory, but for glass: EN 572-1
    "basalt": Material(12e6, 24e6, 70e9),
    "tuff": Material(1.0e6, 2.0e6, 5e9),
    "mortar": Material(0.1e6, 0.2e6, 5e9),
    "clay": Material(0.5e6, 1.0e6, 2e9),
    "glass": Material(45e6, 90e6, 70e9),
    "ice": Material(1.4e6, 2.8e6, 9e9),
}


class Like(Clause):
    kind: Literal["like"] = "like"
    title: ClassVar[str] = "as"
    phrase: ClassVar[str] = "{stuff}"
    stuff: Literal["basalt", "tuff", "mortar", "clay", "glass", "ice"] = choice(
        {
            "basalt": "basalt (12 MPa)", "tuff": "tuff (1 MPa)", "mortar": "mortar (0.1 MPa)",
            "clay": "fired clay (0.5 MPa)", "glass": "annealed glass (45 MPa)", "ice": "ice (1.4 MPa)",
        }, "tuff", label="stuff", help="Its strength in tension; twice that in shear.",
    )  # fmt: skip

    @property
    def material(self) -> Material:
        return STUFFS[self.stuff]


class ByNothing(Clause):
    kind: Literal["unanchored"] = "unanchored"
    title: ClassVar[str] = "nothing anchors them"
    phrase: ClassVar[str] = ""


class InZone(Clause):
    kind: Literal["in_zone"] = "in_zone"
    title: ClassVar[str] = "anchored in"
    phrase: ClassVar[str] = "{zone}"
    zone: Ref = refer("zone", label="zone", help="Pieces whose middle is in it at the first frame stay where they are.")


class NearProps(Clause):
    kind: Literal["near_props"] = "near_props"
    title: ClassVar[str] = "anchored within"
    phrase: ClassVar[str] = "{distance} of {props}"
    props: tuple[Ref, ...] = refers("prop", label="props", help="Pieces that come so near to one stay where they are.")
    distance: float = dial(
        "m", 0.02, label="distance", soft=(0.0, 0.5), low=0.0, high=1e6,
        help="From a piece's nearest corner, or the middle of its nearest side, to the prop's surface, at the first "
        "frame.",
    )  # fmt: skip


class Bonds(Row):
    kind: Literal["bonds"] = "bonds"
    section: ClassVar[str] = "matter"
    asks: ClassVar[str | None] = "rigid"
    title: ClassVar[str] = "bonds"
    naming: ClassVar[str] = "bonds of {prop}"
    does: ClassVar[str] = "Holds the pieces of a cut prop together until what they bear, or a cue, parts them."
    phrase: ClassVar[str] = "The pieces of {prop} hold together {hold}; {support}."
    prop: Ref = refer("prop", label="prop", solid=True, help="A prop that is cut, and rigid in its pieces.")
    hold: Glued | Strong | Concrete | Like = clause(label="hold", help="What it takes to part them.", default=Like)
    support: ByNothing | InZone | NearProps = clause(
        label="support", help="Which pieces stay where they are until a cue lets them go.", default=ByNothing
    )
    strength: Value = dial(
        "%", 1.0, label="strength", soft=(0.1, 2.0), low=0.0, high=1e6, drivable=True, each=True,
        help="Times what the material has, asked of each piece; of two that are bonded the weaker counts. A zone that "
        "is hot, or a front, can let it fall.",
    )  # fmt: skip
    spread: float = dial(
        "%", 0.2, label="spread", soft=(0.0, 0.5), low=0.0, high=0.95,
        help="Each bond's strength differs by up to this share, by chance: without it all give way at once.",
    )  # fmt: skip
    veins: float = dial(
        "%", 0.0, label="veins", soft=(0.0, 0.9), low=0.0, high=0.99,
        help="How much strength is gone in the weak veins that run through it.",
    )  # fmt: skip
    vein_size: float = dial(
        "m", 0.5, label="size of veins", soft=(0.05, 5.0), above=0.0, high=1e6, help="From one vein to the next, about."
    )
    finer: float = dial(
        "", 0.0, label="weaker where finer", soft=(0.0, 1.0), low=0.0, high=4.0,
        help="0: small pieces hold as well as large ones. 1: half the distance from piece to piece, half the strength.",
    )  # fmt: skip
    clusters: int | None = dial(
        "count", None, label="clusters", soft=(2, 40), low=1, high=2000, whole=True, none="none",
        help="Joins neighbours into so many lumps, which come off whole before they fall to pieces.",
    )  # fmt: skip
    firmer: float = dial(
        "×", 8.0, label="firmer", soft=(2.0, 20.0), low=1.0, high=1e6,
        help="How much stronger bonds are within a cluster than from one to the next.",
    )  # fmt: skip
    damage: float = dial(
        "%", 0.0, label="damage", soft=(0.0, 0.8), low=0.0, high=0.99,
        help="How much of the greatest load that a bond has borne it remembers: with 50 %, one that bore 80 % of its "
        "strength has lost 40 % of it.",
    )  # fmt: skip
    contact_time: float = dial(
        "ms", 0.002, label="contact time", soft=(0.0005, 0.02), low=1e-5, high=1.0,
        help="How long a blow lasts: its force is its impulse over this time. Shorter blows break more.",
    )  # fmt: skip
    seed: int = seed()

    def idle(self) -> frozenset[str]:
        if isinstance(self.hold, Glued):
            return frozenset(type(self).model_fields) - {"id", "on", "name", "group", "kind", "prop", "hold", "support"}
        unused = {"vein_size"} if self.veins == 0.0 else set()
        return frozenset(unused | ({"firmer"} if self.clusters is None else set()))

    @property
    def material(self) -> Material | None:
        """None where only cues part them."""
        return None if isinstance(self.hold, Glued) else self.hold.material
