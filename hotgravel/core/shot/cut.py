"""Cuttings: rows that cut a prop into pieces, which bodies can be made of."""

from collections.abc import Iterator
from typing import ClassVar, Literal

from hotgravel.core.shot.dials import choice, clause, colour, dial, dials, refer, seed
from hotgravel.core.shot.row import Clause, Ref, Row, points_nowhere

MOST_PIECES = 2000
MANY = 100  # pieces that the estimate takes for a number that only a mesh tells


def _count(default: int, help: str) -> int:
    return dial(  # type: ignore[no-any-return]
        "count", default, label="pieces", soft=(10, 400), low=2, high=MOST_PIECES, whole=True, help=help
    )


class Evenly(Clause):
    kind: Literal["evenly"] = "evenly"
    title: ClassVar[str] = "evenly"
    phrase: ClassVar[str] = "into {pieces} pieces"
    pieces: int = _count(60, "All about as large. Time and weight grow with them.")


class AtRandom(Clause):
    kind: Literal["random"] = "random"
    title: ClassVar[str] = "at random"
    phrase: ClassVar[str] = "into {pieces} pieces"
    pieces: int = _count(60, "Some large, some small, as by chance.")


class Crowded(Clause):
    kind: Literal["crowded"] = "crowded"
    title: ClassVar[str] = "crowded"
    phrase: ClassVar[str] = "into {pieces} pieces, {share} of them in {zone}"
    pieces: int = _count(120, "In all: those in the zone are small, the others large.")
    share: float = dial(
        "%", 0.8, label="share", soft=(0.5, 0.95), low=0.0, high=1.0, help="How many of them are in the zone."
    )
    zone: Ref = refer("zone", label="zone", help="Where they are crowded, as it is at the first frame.")


class Strike(Clause):
    kind: Literal["strike"] = "strike"
    title: ClassVar[str] = "as by a blow"
    phrase: ClassVar[str] = "at {at} along {axis}, in {rings} rings and {spokes} spokes out to {reach}"
    at: tuple[float, float, float] = dials(
        "m", (0.0, 0.0, 0.0), label="struck at", soft=(-5.0, 5.0), low=-1e6, high=1e6,
        help="Where the blow meets the prop, in the prop's own frame. Pieces are smallest there.",
    )  # fmt: skip
    axis: tuple[float, float, float] = dials(
        "", (0.0, 0.0, 1.0), label="along", soft=(-1.0, 1.0), low=-1e6, high=1e6,
        help="The way of the blow; rings and spokes lie square to it. Only where it points matters.",
    )  # fmt: skip
    rings: int = dial(
        "count", 5, label="rings", soft=(3, 12), low=1, high=60, whole=True, help="From the middle outward."
    )
    spokes: int = dial("count", 9, label="spokes", soft=(5, 24), low=3, high=200, whole=True, help="Around the middle.")
    reach: float = dial(
        "m", 1.0, label="reach", soft=(0.2, 5.0), above=0.0, high=1e6,
        help="Where the outermost ring lies; what is farther out belongs to it.",
    )  # fmt: skip
    jitter: float = dial(
        "%", 0.35, label="jitter", soft=(0.1, 0.7), low=0.0, high=1.0,
        help="How far each piece's middle strays from its place by chance. 0 is a drawn pattern.",
    )  # fmt: skip

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("axis", self.axis)
        if self.rings * self.spokes + 1 > MOST_PIECES:
            yield "spokes", f"That is {self.rings * self.spokes + 1} pieces. Accepted: {MOST_PIECES} at most."


class Layers(Clause):
    kind: Literal["layers"] = "layers"
    title: ClassVar[str] = "in layers"
    phrase: ClassVar[str] = "across {axis}, {layers} of them"
    axis: tuple[float, float, float] = dials(
        "", (0.0, 1.0, 0.0), label="across", soft=(-1.0, 1.0), low=-1e6, high=1e6,
        help="Square to the layers, in the prop's own frame: 0, 1, 0 cuts it as stone is bedded.",
    )  # fmt: skip
    layers: int = dial("count", 6, label="layers", soft=(2, 20), low=2, high=500, whole=True, help="How many slabs.")
    uneven: float = dial(
        "%",
        0.4,
        label="uneven",
        soft=(0.0, 0.8),
        low=0.0,
        high=0.95,
        help="How much their thicknesses differ by chance.",
    )

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("axis", self.axis)


class AtPoints(Clause):
    kind: Literal["points"] = "points"
    title: ClassVar[str] = "about points,"
    phrase: ClassVar[str] = "one piece about each corner of {prop}"
    prop: Ref = refer(
        "prop", label="prop", help="Its corners, as it stands at the first frame; a mesh of points of your own will do."
    )


class Along(Clause):
    kind: Literal["along"] = "along"
    title: ClassVar[str] = "along the outline of"
    phrase: ClassVar[str] = "{prop}"
    prop: Ref = refer(
        "prop", label="outline", solid=True,
        help="A closed shape, such as lettering or a drawing, as it stands at the first frame: what lies in it comes "
        "off what lies around it. It can be unseen.",
    )  # fmt: skip


class AlongStrokes(Clause):
    kind: Literal["along_strokes"] = "along_strokes"
    title: ClassVar[str] = "along the strokes of"
    phrase: ClassVar[str] = "{zone}, into pieces {length} long"
    zone: Ref = refer(
        "zone", label="strokes",
        help="Strokes drawn on its surface, as they are at the first frame. Cracks follow them, straight down into it; "
        "pieces reach as far to either side as the strokes are wide.",
    )  # fmt: skip
    length: float = dial(
        "m", 0.3, label="length", soft=(0.05, 2.0), low=1e-4, high=1e6,
        help="From one crack across a stroke to the next.",
    )  # fmt: skip
    jitter: float = dial(
        "%", 0.35, label="jitter", soft=(0.1, 0.7), low=0.0, high=0.9,
        help="How much pieces differ in length and width.",
    )  # fmt: skip

    def wording(self) -> str:
        return f"{self.phrase} give or take {{jitter}}" if self.jitter else self.phrase


class Smooth(Clause):
    kind: Literal["smooth"] = "smooth"
    title: ClassVar[str] = "with smooth breaks"
    phrase: ClassVar[str] = ""


class Roughened(Clause):
    kind: Literal["rough"] = "rough"
    title: ClassVar[str] = "with breaks rough"
    phrase: ClassVar[str] = "by {by} in lumps of {lumps}"
    by: float = dial(
        "m", 0.02, label="rough by", soft=(0.005, 0.1), above=0.0, high=1e3,
        help="How far breaks stray from flat. Both sides stray alike, so pieces still fit; the skin stays as it is.",
    )  # fmt: skip
    lumps: float = dial(
        "m", 0.2, label="lumps", soft=(0.05, 1.0), above=0.0, high=1e4,
        help="How large the bumps are. Small ones make many faces: a third of a piece is plenty.",
    )  # fmt: skip

    def complaints(self) -> Iterator[tuple[str, str]]:
        if self.by > STEEPEST * self.lumps:
            yield "by", "Bumps that steep would fold over. Accepted: a quarter of the size of the lumps at most."


STEEPEST = 0.25  # of a lump: as gradient noise has slopes of up to about 3.5, what is steeper may fold


class Cut(Row):
    kind: Literal["cut"] = "cut"
    section: ClassVar[str] = "set"
    title: ClassVar[str] = "cutting"
    naming: ClassVar[str] = "cutting of {prop}"
    does: ClassVar[str] = (
        "Cuts a closed prop into pieces that fit; rigid bodies can be made of them. A second row cuts the pieces finer."
    )
    phrase: ClassVar[str] = "The {prop} is cut {manner}, {sides}."
    prop: Ref = refer(
        "prop", label="prop", solid=True, help="A closed shape. It stays whole until bodies are made of its pieces."
    )
    manner: Evenly | AtRandom | Crowded | Strike | Layers | AtPoints | Along | AlongStrokes = clause(
        label="manner", help="How the pieces are laid out.", default=Evenly
    )
    sides: Smooth | Roughened = clause(
        label="breaks", help="Whether the faces that cuts make are flat, or rough as stone breaks.", default=Smooth
    )
    zone: Ref | None = refer(
        "zone", label="only in", none="all of it",
        help="Cuts off only pieces whose middles lie in this zone, as it is at the first frame; the rest stays in one.",
    )  # fmt: skip
    longer: float = dial(
        "m", 0.0, label="only longer than", soft=(0.0, 2.0), low=0.0, high=1e6,
        help="Leaves pieces of the rows before whole that are not longer than this: 0 cuts all of them finer.",
    )  # fmt: skip
    least: float = dial(
        "%", 0.0, label="least", soft=(0.0, 0.5), low=0.0, high=0.9,
        help="Pieces under this share of the mean size do not stay: tiny ones slow everything down.",
    )  # fmt: skip
    tiny: Literal["joined", "left out"] = choice(
        {"joined": "joined to a neighbour", "left out": "left out"}, "joined", label="tiny ones",
        help="What becomes of pieces under the least size. Left out, they leave gaps: fewer bodies, and less to fall.",
    )  # fmt: skip
    inside: str = colour(
        "#A3907A", label="inside", help="The colour of the faces that cuts make: fresh breaks are lighter than skins."
    )
    seed: int = seed()

    def idle(self) -> frozenset[str]:
        return frozenset() if self.least else frozenset({"tiny"})

    @property
    def number(self) -> int:
        """How many pieces it makes, about."""
        manner = self.manner
        if isinstance(manner, Strike):
            return manner.rings * manner.spokes + 1
        if isinstance(manner, AtPoints | AlongStrokes):
            return MANY
        if isinstance(manner, Along):
            return 2
        return manner.layers if isinstance(manner, Layers) else manner.pieces
