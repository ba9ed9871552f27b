"""A front of heat that creeps over the skin of a prop, and eats it."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value
from hotgravel.core.shot.dials import choice, dial, refer, seed
from hotgravel.core.shot.row import Ref, Row


class Front(Row):
    kind: Literal["front"] = "front"
    section: ClassVar[str] = "matter"
    asks: ClassVar[str | None] = "front"
    naming: ClassVar[str] = "front over {prop}"
    title: ClassVar[str] = "creeping front"
    does: ClassVar[str] = "Lets heat creep over a prop from where it is lit: it glows, chars and is eaten away."
    phrase: ClassVar[str] = (
        "A front creeps over the {prop}, lit in {lit} from frame {start}, at {speed}, {over}, {ragged} ragged; it is "
        "{heat} hot, warms {warms}, cools in {cooling} and eats it within {burns}."
    )
    prop: Ref = refer("prop", label="prop", help="What it creeps over. It may move.")
    segments: int = dial(
        "count", 60, label="segments", soft=(20, 150), low=2, high=1000, whole=True,
        help="Into how many parts the longest side of the prop is divided. More draw a finer rim.",
    )  # fmt: skip
    lit: Ref | None = refer("zone", label="lit in", none="nowhere", help="All of it that is in this zone is lit.")
    start: int = dial(
        "frame", 1, label="from frame", soft=(1, 120), low=-100_000, high=1_000_000, whole=True,
        help="From this frame on the zone lights what is in it; it may move.",
    )  # fmt: skip
    speed: Value = dial(
        "m/s", 0.1, label="speed", soft=(0.01, 1.0), low=0.0, high=1e4, drivable=True, each=True,
        help="How fast it creeps: paper 0.02, dry grass 0.2. By zone it keeps to a part or leaves one out.",
    )  # fmt: skip
    ragged: float = dial(
        "%", 0.3, label="ragged", soft=(0.0, 0.8), low=0.0, high=0.95,
        help="By how much it is faster or slower from place to place, by chance: 0 % makes rings.",
    )  # fmt: skip
    reach: float = dial(
        "m", 0.1, label="reach", soft=(0.02, 0.5), above=0.0, high=1e3,
        help="How far it looks for what it comes to next. At least as far as its points are apart; farther makes it "
        "rounder, and slower to compute.",
    )  # fmt: skip
    over: Literal["skin", "gaps"] = choice(
        {"skin": "along its skin", "gaps": "over gaps too"}, "skin", label="goes",
        help="Along its skin it goes round holes and edges; over gaps it jumps to whatever is within its reach.",
    )  # fmt: skip
    heat: float = dial(
        "°C", 700.0, label="heat", soft=(100.0, 1200.0), low=-273.15, high=1e6,
        help="How hot it is where it comes; before it the prop has 20 °C.",
    )  # fmt: skip
    cooling: float = dial(
        "s", 1.0, label="cooling", soft=(0.1, 10.0), above=0.0, high=1e5,
        help="In this time a third of its heat is left.",
    )  # fmt: skip
    warms: float | None = dial(
        "m", None, label="warms", soft=(0.01, 0.3), above=0.0, high=1e3, none="nothing else",
        help="Cloth, jelly, bodies and particles so near become as hot as it is there, and stay so: a cue lets them go "
        "as they get hot, a palette chars them.",
    )  # fmt: skip
    burns: float | None = dial(
        "s", 1.5, label="eaten in", soft=(0.2, 10.0), above=0.0, high=1e5, none="never",
        help="So long after the front has come nothing is left there. Never: it only warms.",
    )  # fmt: skip
    seed: int = seed()
    state: Ref | None = refer(
        "state", label="state", none="no state", help="The state that it begins in, for cues and smoke to ask for."
    )

    def wording(self) -> str:
        phrase = self.phrase if self.burns is not None else self.phrase.replace("eats it within", "eats it")
        return phrase if self.warms is None else phrase.replace("warms", "warms what is within", 1)

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return f"Began as part of {names[self.prop]}."
