"""The conditions of cues: each is one number of each element, and a threshold."""

from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value
from hotgravel.core.shot.dials import choice, dial, first_frame, refer
from hotgravel.core.shot.row import Clause, Ref

OVER, UNDER = 1, -1


class Test(Clause):
    """A condition of a cue: one number of each element, and a threshold.

    `reads` names the attribute, `side` the side of the threshold on which it is true, `threshold` the field that holds
    it, `unit` what both are measured in. `inclusive`: the threshold itself counts. `says` begins the sentence about the
    number of one element, `extreme` that about the nearest of all.
    """

    reads: ClassVar[str] = ""
    side: ClassVar[int] = OVER
    threshold: ClassVar[str] = ""
    unit: ClassVar[str] = ""
    inclusive: ClassVar[bool] = False
    says: ClassVar[str] = "It had"
    extreme: ClassVar[str] = ""
    naming: ClassVar[str] = ""  # what a cue is called by; its title and phrase, if none

    @property
    def target(self) -> str | None:
        """The prop or zone that the attribute is measured to, if any."""
        return None


def _speed(help: str) -> Value:
    return dial(  # type: ignore[no-any-return]
        "m/s", 3.0, label="threshold", soft=(0.1, 20.0), low=0.0, high=1e6, drivable=True, help=help
    )


def _weight() -> Value:
    return dial(  # type: ignore[no-any-return]
        "%", 0.5, label="weight", soft=(0.1, 0.9), low=0.0, high=1.0, drivable=True,
        help="How deep in its soft edge: 10 % is at its outside, 90 % well within.",
    )  # fmt: skip


def _hot(help: str) -> Value:
    return dial(  # type: ignore[no-any-return]
        "°C", 200.0, label="threshold", soft=(0.0, 1200.0), low=-273.15, high=1e6, drivable=True, help=help
    )


def _zone() -> Ref:
    return refer("zone", label="zone", help="The zone; it may sweep over particles that stand still.")  # type: ignore[no-any-return]


class Slower(Test):
    kind: Literal["slower"] = "slower"
    title: ClassVar[str] = "gets slower than"
    reads: ClassVar[str] = "speed"
    side: ClassVar[int] = UNDER
    threshold: ClassVar[str] = "speed"
    unit: ClassVar[str] = "m/s"
    extreme: ClassVar[str] = "the slowest had"
    phrase: ClassVar[str] = "{speed}"
    speed: Value = _speed("A higher threshold is reached sooner.")


class Faster(Test):
    kind: Literal["faster"] = "faster"
    title: ClassVar[str] = "gets faster than"
    reads: ClassVar[str] = "speed"
    threshold: ClassVar[str] = "speed"
    unit: ClassVar[str] = "m/s"
    extreme: ClassVar[str] = "the fastest had"
    phrase: ClassVar[str] = "{speed}"
    speed: Value = _speed("A lower threshold is reached sooner.")


class Older(Test):
    kind: Literal["older"] = "older"
    title: ClassVar[str] = "gets older than"
    reads: ClassVar[str] = "age"
    threshold: ClassVar[str] = "age"
    unit: ClassVar[str] = "s"
    says: ClassVar[str] = "Its age was"
    extreme: ClassVar[str] = "the oldest was"
    phrase: ClassVar[str] = "{age}"
    age: Value = dial(
        "s", 1.0, label="age", soft=(0.1, 10.0), low=0.0, high=1e6, drivable=True,
        help="Counted from the moment each one left its source.",
    )  # fmt: skip


class Travelled(Test):
    kind: Literal["travelled"] = "travelled"
    title: ClassVar[str] = "has travelled more than"
    reads: ClassVar[str] = "travelled"
    threshold: ClassVar[str] = "distance"
    unit: ClassVar[str] = "m"
    says: ClassVar[str] = "It had come"
    extreme: ClassVar[str] = "the farthest came"
    phrase: ClassVar[str] = "{distance}"
    distance: Value = dial(
        "m", 2.0, label="distance", soft=(0.1, 20.0), low=0.0, high=1e6, drivable=True,
        help="Along its way since it was born.",
    )  # fmt: skip


class Hotter(Test):
    kind: Literal["hotter"] = "hotter"
    title: ClassVar[str] = "is hotter than"
    reads: ClassVar[str] = "temperature"
    threshold: ClassVar[str] = "temperature"
    unit: ClassVar[str] = "°C"
    extreme: ClassVar[str] = "the hottest had"
    phrase: ClassVar[str] = "{temperature}"
    temperature: Value = _hot("A lower threshold is reached sooner.")


class Cooler(Test):
    kind: Literal["cooler"] = "cooler"
    title: ClassVar[str] = "is cooler than"
    reads: ClassVar[str] = "temperature"
    side: ClassVar[int] = UNDER
    threshold: ClassVar[str] = "temperature"
    unit: ClassVar[str] = "°C"
    extreme: ClassVar[str] = "the coolest had"
    phrase: ClassVar[str] = "{temperature}"
    temperature: Value = _hot("A higher threshold is reached sooner.")


class Touches(Test):
    kind: Literal["touches"] = "touches"
    title: ClassVar[str] = "touches"
    reads: ClassVar[str] = "touch"
    threshold: ClassVar[str] = "speed"
    unit: ClassVar[str] = "m/s"
    inclusive: ClassVar[bool] = True
    says: ClassVar[str] = "It came in at"
    extreme: ClassVar[str] = "the greatest touch was"
    phrase: ClassVar[str] = "{prop}, harder than {speed}"
    prop: Ref | None = refer("prop", label="prop", none="any prop", help="It must be one they collide with.")
    speed: Value = dial(
        "m/s", 0.0, label="threshold", soft=(0.0, 10.0), low=0.0, high=1e6, drivable=True,
        help="Only what comes in faster than this, straight on, counts. 0 takes every touch.",
    )  # fmt: skip


class Struck(Test):
    kind: Literal["struck"] = "struck"
    title: ClassVar[str] = "is hit harder than"
    phrase: ClassVar[str] = "{impulse}, by {prop}"
    reads: ClassVar[str] = "impulse"
    threshold: ClassVar[str] = "impulse"
    unit: ClassVar[str] = "N s"
    says: ClassVar[str] = "The hit was"
    extreme: ClassVar[str] = "the hardest hit was"
    impulse: Value = dial(
        "N s", 100.0, label="impulse", soft=(1.0, 10_000.0), low=0.0, high=1e12, drivable=True,
        help="Mass times the speed that a hit changes: 1 000 kg stopped from 2 m/s are 2 000.",
    )  # fmt: skip
    prop: Ref | None = refer(
        "prop", label="by", none="anything", help="What must have hit it: a prop, or any of the bodies that it is."
    )


class Asleep(Test):
    kind: Literal["asleep"] = "asleep"
    title: ClassVar[str] = "has lain still for"
    phrase: ClassVar[str] = "{time}"
    reads: ClassVar[str] = "still"
    threshold: ClassVar[str] = "time"
    unit: ClassVar[str] = "s"
    says: ClassVar[str] = "It had lain still for"
    extreme: ClassVar[str] = "the longest lay still for"
    time: Value = dial(
        "s", 0.5, label="time", soft=(0.1, 5.0), low=0.0, high=1e6, drivable=True,
        help="How long a body has hardly moved. After half a second it sleeps.",
    )  # fmt: skip


class TurnedOver(Test):
    kind: Literal["turned_over"] = "turned_over"
    title: ClassVar[str] = "is turned over by more than"
    phrase: ClassVar[str] = "{angle}"
    reads: ClassVar[str] = "tilt"
    threshold: ClassVar[str] = "angle"
    unit: ClassVar[str] = "°"
    says: ClassVar[str] = "It was turned by"
    extreme: ClassVar[str] = "the most was turned by"
    angle: Value = dial(
        "°", 90.0, label="angle", soft=(20.0, 170.0), low=0.0, high=180.0, drivable=True,
        help="Between its upright and how it stood at first: over 90 it lies on its head.",
    )  # fmt: skip


class Loaded(Test):
    kind: Literal["loaded"] = "loaded"
    title: ClassVar[str] = "has a bond that bears more than"
    phrase: ClassVar[str] = "{load} of its strength"
    reads: ClassVar[str] = "load"
    threshold: ClassVar[str] = "load"
    unit: ClassVar[str] = "%"
    says: ClassVar[str] = "It bore"
    extreme: ClassVar[str] = "the most that one bore was"
    load: Value = dial(
        "%", 0.8, label="load", soft=(0.1, 1.0), low=0.0, high=10.0, drivable=True,
        help="Of the bond nearest to breaking; over 100 % it breaks.",
    )  # fmt: skip


class Loses(Test):
    kind: Literal["loses"] = "loses"
    title: ClassVar[str] = "has lost more than"
    phrase: ClassVar[str] = "{share} of its bonds"
    reads: ClassVar[str] = "bonds lost"
    threshold: ClassVar[str] = "share"
    unit: ClassVar[str] = "%"
    says: ClassVar[str] = "It had lost"
    extreme: ClassVar[str] = "the most that one had lost was"
    share: Value = dial(
        "%", 0.0, label="share", soft=(0.0, 0.9), low=0.0, high=1.0, drivable=True,
        help="0 % is the first bond that it loses: a neighbour went.",
    )  # fmt: skip


class Falls(Test):
    kind: Literal["falls"] = "falls"
    title: ClassVar[str] = "has nothing left that holds it"
    phrase: ClassVar[str] = ""
    reads: ClassVar[str] = "falling"
    threshold: ClassVar[str] = "half"
    unit: ClassVar[str] = ""
    says: ClassVar[str] = ""
    half: ClassVar[float] = 0.5


class Stretched(Test):
    kind: Literal["stretched"] = "stretched"
    title: ClassVar[str] = "is stretched by more than"
    phrase: ClassVar[str] = "{stretch}"
    reads: ClassVar[str] = "stretch"
    threshold: ClassVar[str] = "stretch"
    unit: ClassVar[str] = "%"
    says: ClassVar[str] = "It was stretched by"
    extreme: ClassVar[str] = "the most that one was stretched was"
    stretch: Value = dial(
        "%", 0.1, label="stretch", soft=(0.01, 1.0), low=0.0, high=100.0, drivable=True,
        help="Of cloth and balloons: how much longer than at rest it is pulled there, along either way.",
    )  # fmt: skip


class Pressed(Test):
    kind: Literal["pressed"] = "pressed"
    title: ClassVar[str] = "is pressed by more than"
    phrase: ClassVar[str] = "{pressure}"
    reads: ClassVar[str] = "pressure"
    threshold: ClassVar[str] = "pressure"
    unit: ClassVar[str] = "Pa"
    says: ClassVar[str] = "It was pressed by"
    extreme: ClassVar[str] = "the most that one was pressed was"
    pressure: Value = dial(
        "Pa", 100.0, label="pressure", soft=(1.0, 10000.0), low=0.0, high=1e9, drivable=True,
        help="By what cloth, jelly or a balloon touches, itself too. A stack of paper as high as a hand presses with "
        "1 000.",
    )  # fmt: skip


class Steep(Test):
    kind: Literal["steep"] = "steep"
    title: ClassVar[str] = "leans by more than"
    phrase: ClassVar[str] = "{steep}"
    reads: ClassVar[str] = "steep"
    threshold: ClassVar[str] = "steep"
    unit: ClassVar[str] = "°"
    says: ClassVar[str] = "It leaned by"
    extreme: ClassVar[str] = "the steepest leaned by"
    steep: Value = dial(
        "°", 30.0, label="leaning", soft=(5.0, 60.0), low=0.0, high=180.0, drivable=True,
        help="Of the surface of liquid in a vessel, from level: where it swings steeply, it splashes.",
    )  # fmt: skip


class Wetter(Test):
    kind: Literal["wetter"] = "wetter"
    title: ClassVar[str] = "is wetter than"
    phrase: ClassVar[str] = "{wet}"
    reads: ClassVar[str] = "wet"
    threshold: ClassVar[str] = "wet"
    unit: ClassVar[str] = "%"
    says: ClassVar[str] = "Its film was"
    extreme: ClassVar[str] = "the wettest was"
    wet: Value = dial(
        "%", 0.5, label="wet", soft=(0.1, 0.9), low=0.0, high=1.0, drivable=True,
        help="Of points on a wet surface: 100 % is a whole film, 37 % is left of it after the time in which it dries.",
    )  # fmt: skip


class Reached(Test):
    kind: Literal["reached"] = "reached"
    title: ClassVar[str] = "has been reached by the front"
    phrase: ClassVar[str] = "for {time}"
    reads: ClassVar[str] = "arrived"
    threshold: ClassVar[str] = "time"
    unit: ClassVar[str] = "s"
    inclusive: ClassVar[bool] = True
    says: ClassVar[str] = "It had come"
    extreme: ClassVar[str] = "the first had been reached for"
    time: Value = dial(
        "s", 0.0, label="time", soft=(0.0, 5.0), low=0.0, high=1e5, drivable=True,
        help="So long after a front has come: 0 s as it comes.",
    )  # fmt: skip


class Nearer(Test):
    kind: Literal["nearer"] = "nearer"
    title: ClassVar[str] = "comes nearer than"
    reads: ClassVar[str] = "distance to"
    side: ClassVar[int] = UNDER
    threshold: ClassVar[str] = "distance"
    unit: ClassVar[str] = "m"
    says: ClassVar[str] = "It was off by"
    extreme: ClassVar[str] = "the nearest was off by"
    phrase: ClassVar[str] = "{distance} to {prop}"
    distance: Value = dial(
        "m", 0.5, label="distance", soft=(0.05, 5.0), low=0.0, high=1e6, drivable=True,
        help="From its middle to the surface of the prop; inside the prop counts as nearer.",
    )  # fmt: skip
    prop: Ref = refer("prop", label="prop", help="It may move; it need not be one they collide with.")

    @property
    def target(self) -> str:
        return self.prop


class Inside(Test):
    kind: Literal["inside"] = "inside"
    title: ClassVar[str] = "is inside"
    reads: ClassVar[str] = "weight in"
    threshold: ClassVar[str] = "weight"
    unit: ClassVar[str] = "%"
    says: ClassVar[str] = "It weighed"
    extreme: ClassVar[str] = "the deepest weighed"
    phrase: ClassVar[str] = "{zone}, where it weighs over {weight}"
    zone: Ref = _zone()
    weight: Value = _weight()

    @property
    def target(self) -> str:
        return self.zone


class Enters(Test):
    kind: Literal["enters"] = "enters"
    title: ClassVar[str] = "comes into"
    reads: ClassVar[str] = "weight in"
    threshold: ClassVar[str] = "weight"
    unit: ClassVar[str] = "%"
    says: ClassVar[str] = "It weighed"
    extreme: ClassVar[str] = "the deepest weighed"
    phrase: ClassVar[str] = "{zone}, where it weighs over {weight}"
    zone: Ref = _zone()
    weight: Value = _weight()

    @property
    def target(self) -> str:
        return self.zone


class Leaves(Test):
    kind: Literal["leaves"] = "leaves"
    title: ClassVar[str] = "leaves"
    reads: ClassVar[str] = "weight in"
    side: ClassVar[int] = UNDER
    threshold: ClassVar[str] = "weight"
    unit: ClassVar[str] = "%"
    inclusive: ClassVar[bool] = True
    says: ClassVar[str] = "It weighed"
    phrase: ClassVar[str] = "{zone}, where it weighs over {weight}"
    zone: Ref = _zone()
    weight: Value = _weight()

    @property
    def target(self) -> str:
        return self.zone


class AtFrame(Test):
    kind: Literal["at_frame"] = "at_frame"
    title: ClassVar[str] = "reaches frame"
    unit: ClassVar[str] = "frame"
    says: ClassVar[str] = "It was"
    phrase: ClassVar[str] = "{frame}"
    frame: int = dial(
        "frame", 24, label="frame", soft=(1, 120), low=-100_000, high=1_000_000, whole=True,
        help="All that exist at this frame, at the same moment.",
    )  # fmt: skip


class Every(Test):
    kind: Literal["every"] = "every"
    naming: ClassVar[str] = "every {frames} frames"
    title: ClassVar[str] = "is there, every so many frames,"
    unit: ClassVar[str] = "frame"
    says: ClassVar[str] = "It was"
    phrase: ClassVar[str] = "every {frames} from frame {start}"
    frames: int = dial(
        "count", 12, label="frames", soft=(1, 48), low=1, high=100_000, whole=True,
        help="From one time to the next. Each is taken once, unless the cue goes again each time.",
    )  # fmt: skip
    start: int = first_frame("The first time.")


class After(Test):
    kind: Literal["after"] = "after"
    naming: ClassVar[str] = "after {cue}"
    title: ClassVar[str] = "sees a cue fire:"
    says: ClassVar[str] = ""
    phrase: ClassVar[str] = "{cue}, on {whose}"
    cue: Ref = refer("cue", label="cue", help="The cue that must have fired. A chain of them may not lead back here.")
    whose: Literal["it", "any"] = choice(
        {"it": "itself", "any": "any of them"}, "it", label="on", help="On the very same particle, or on any."
    )


class ShareIn(Test):
    kind: Literal["share_in"] = "share_in"
    naming: ClassVar[str] = "{share} in {state}"
    title: ClassVar[str] = "is there when over"
    threshold: ClassVar[str] = "share"
    unit: ClassVar[str] = "%"
    says: ClassVar[str] = "The share was"
    extreme: ClassVar[str] = "the greatest share was"
    phrase: ClassVar[str] = "{share} of all are in {state}"
    share: Value = dial(
        "%", 0.5, label="share", soft=(0.1, 0.9), low=0.0, high=1.0, drivable=True,
        help="Of all particles there are. A lower share is reached sooner.",
    )  # fmt: skip
    state: Ref = refer("state", label="state", help="The state that is counted.")


class Reads(Test):
    kind: Literal["reads"] = "reads"
    naming: ClassVar[str] = "number over {over}"
    title: ClassVar[str] = "has a number,"
    threshold: ClassVar[str] = "over"
    extreme: ClassVar[str] = "the most was"
    phrase: ClassVar[str] = "{value}, over {over}"
    value: Value = dial(
        "", 0.0, label="value", soft=(0.0, 1.0), low=-1e9, high=1e9, drivable=True, each=True,
        help="Any number of each one: make it a formula or a response.",
    )  # fmt: skip
    over: Value = dial(
        "", 0.5, label="over", soft=(0.0, 1.0), low=-1e9, high=1e9, drivable=True,
        help="A lower threshold is passed sooner.",
    )  # fmt: skip


Condition = (
    Slower | Faster | Older | Travelled | Hotter | Cooler | Touches | Struck | Asleep | TurnedOver | Loaded | Loses
    | Falls | Stretched | Pressed | Steep | Wetter | Reached | Nearer | Inside | Enters | Leaves | AtFrame | Every
    | After | ShareIn | Reads
)  # fmt: skip
MEETING = (Touches, Struck)  # conditions that ask what an element has met
MOMENTARY = (AtFrame, Every, ShareIn)  # conditions that need no particle
