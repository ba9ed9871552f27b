"""Signals: values over time that need no keys, and signals made from others. None ends by itself."""

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Any, ClassVar, Literal

import numpy as np

from hotgravel.core.drive.ask import Array, Ask
from hotgravel.core.drive.driver import Driver, answer
from hotgravel.core.noise import line_noise
from hotgravel.core.shot.dials import choice, dial

if TYPE_CHECKING:
    from hotgravel.core.drive.value import Value

FINEST = 12.0  # Hz: noise has nothing faster, whatever the frame rate
SAMPLES = 17  # of the window that a signal is smoothed over


def own(default: float, *, label: str, help: str) -> Any:
    """A number in the unit of what is driven."""
    return dial("own", default, label=label, help=help, soft=(0.0, 1.0))


def of(label: str, help: str, default: float = 0.0) -> Any:
    """A value that this one is made from, in the unit of what is driven."""
    return dial("own", default, label=label, help=help, soft=(0.0, 1.0), drivable=True, each=True)


class Wave(Driver):
    kind: Literal["wave"] = "wave"
    title: ClassVar[str] = "a wave"
    does: ClassVar[str] = "Goes to and fro for ever: pulses, swell, shudder."
    phrase: ClassVar[str] = "{shape} from {low} to {high} and back every {period}"
    shape: Literal["sine", "triangle", "square", "saw"] = choice(
        {"sine": "in a sine", "triangle": "in straight lines", "square": "in jumps", "saw": "rising, then dropping"},
        "sine", label="shape", help="How it travels between its ends.",
    )  # fmt: skip
    low: float = own(0.0, label="low", help="The least it reaches.")
    high: float = own(1.0, label="high", help="The most it reaches.")
    period: float = dial(
        "s", 1.0, label="period", soft=(0.1, 10.0), above=0.0, high=1e6, help="Seconds from one top to the next."
    )
    phase: float = dial(
        "%", 0.0, label="phase", soft=(0.0, 1.0), low=-1000.0, high=1000.0,
        help="How far into the wave the first frame is: 25 % is a quarter of a period.",
    )  # fmt: skip

    def stated(self) -> list[float]:
        return [self.low, self.high]

    def brief(self, names: Mapping[str, str]) -> str:
        return "in a wave"

    def answer(self, ask: Ask) -> Array:
        turn = ask.times / self.period + self.phase
        u = turn - np.floor(turn)
        match self.shape:
            case "sine":
                w = 0.5 - 0.5 * np.cos(2.0 * np.pi * u)
            case "triangle":
                w = 1.0 - np.abs(2.0 * u - 1.0)
            case "square":
                w = (u < 0.5).astype(float)
            case "saw":
                w = u
        result: Array = self.low + (self.high - self.low) * w
        return result


class Noise(Driver):
    kind: Literal["noise"] = "noise"
    title: ClassVar[str] = "noise"
    does: ClassVar[str] = "Wanders without a pattern: smooth, pink (lively at every scale) or brown (long and wavy)."
    phrase: ClassVar[str] = "{colour} about {middle}, {amplitude} either way, over some {period}"
    colour: Literal["smooth", "pink", "brown"] = choice(
        {"smooth": "smooth", "pink": "pink", "brown": "brown"}, "smooth", label="colour",
        help="Smooth has one size of swing; pink as much power in each octave; brown is long and wavy.",
    )  # fmt: skip
    middle: float = own(0.5, label="middle", help="What it wanders about.")
    amplitude: float = own(0.5, label="amplitude", help="How far it mostly goes either way; at times further.")
    period: float = dial(
        "s", 1.0, label="period", soft=(0.1, 10.0), above=0.0, high=1e5, help="How long its slowest swings take."
    )
    octaves: int = dial(
        "count", 1, label="octaves", soft=(1, 5), low=1, high=10, whole=True,
        help="Smooth noise only: each adds swings twice as fast and half as strong.",
    )  # fmt: skip
    seed: int = dial(
        "count", 1, label="seed", soft=(1, 100), low=0, high=2**32 - 1, whole=True,
        help="Another number is another throw of the dice with the same dials.",
    )  # fmt: skip

    def stated(self) -> list[float]:
        return [self.middle]

    def ends(self) -> list[float]:
        return [self.middle - self.amplitude, self.middle + self.amplitude]

    def brief(self, names: Mapping[str, str]) -> str:
        return f"in {self.colour} noise"

    def answer(self, ask: Ask) -> Array:
        octaves, fall = self.octaves, 0.5
        if self.colour != "smooth":
            octaves = int(np.clip(np.floor(np.log2(self.period * FINEST)) + 1, 1, 16))
            fall = 1.0 if self.colour == "pink" else 2.0**-0.5
        wander = line_noise(ask.times, period=self.period, octaves=octaves, fall=fall, seed=self.seed)
        return self.middle + self.amplitude * wander


class Mix(Driver):
    kind: Literal["mix"] = "mix"
    title: ClassVar[str] = "two together"
    does: ClassVar[str] = "Two values added, multiplied, or the smaller or greater of them."
    phrase: ClassVar[str] = "{first} {how} {second}"
    how: Literal["add", "multiply", "least", "most"] = choice(
        {"add": "plus", "multiply": "times", "least": "or, if less,", "most": "or, if more,"}, "add",
        label="how", help="What is done with the two.",
    )  # fmt: skip
    first: "Value" = of("first", "One value, which may vary itself.", 1.0)
    second: "Value" = of("second", "The other; a factor where they are multiplied.", 1.0)

    def inner(self) -> Iterator[Any]:
        yield self.first
        yield self.second

    def answer(self, ask: Ask) -> Array:
        a, b = answer(self.first, ask), answer(self.second, ask)
        do = {"add": np.add, "multiply": np.multiply, "least": np.minimum, "most": np.maximum}[self.how]
        result: Array = do(a, b)
        return result


class Clip(Driver):
    kind: Literal["clip"] = "clip"
    title: ClassVar[str] = "held between"
    does: ClassVar[str] = "Never below one number nor above another."
    phrase: ClassVar[str] = "{low} and {high}: {of}"
    of: "Value" = of("of", "What is held.", 1.0)
    low: float = own(0.0, label="low", help="It does not go below this.")
    high: float = own(1.0, label="high", help="It does not go above this.")

    def stated(self) -> list[float]:
        return [self.low, self.high]

    def inner(self) -> Iterator[Any]:
        yield self.of

    def complaints(self) -> Iterator[tuple[str, str]]:
        if self.high < self.low:
            yield "high", f"{self.high:g} lies below {self.low:g}. Accepted: {self.low:g} or more."

    def answer(self, ask: Ask) -> Array:
        return np.clip(answer(self.of, ask), self.low, self.high)


class Remap(Driver):
    kind: Literal["remap"] = "remap"
    title: ClassVar[str] = "stretched"
    does: ClassVar[str] = "One range of values stretched or turned onto another; beyond it, it goes on in line."
    phrase: ClassVar[str] = "from {from_low} to {from_high} onto {low} to {high}: {of}"
    of: "Value" = of("of", "What is stretched.", 1.0)
    from_low: float = own(0.0, label="from", help="Where the range begins that is stretched.")
    from_high: float = own(1.0, label="to", help="Where it ends.")
    low: float = own(0.0, label="onto", help="What its beginning becomes.")
    high: float = own(1.0, label="up to", help="What its end becomes.")

    def stated(self) -> list[float]:
        return [self.low, self.high]

    def inner(self) -> Iterator[Any]:
        yield self.of

    def complaints(self) -> Iterator[tuple[str, str]]:
        if self.from_low == self.from_high:
            yield "from_high", "The range that is stretched has no width. Accepted: two different numbers."

    def answer(self, ask: Ask) -> Array:
        share = (answer(self.of, ask) - self.from_low) / (self.from_high - self.from_low)
        result: Array = self.low + (self.high - self.low) * share
        return result


class Smooth(Driver):
    kind: Literal["smooth"] = "smooth"
    title: ClassVar[str] = "smoothed"
    does: ClassVar[str] = "The mean over some time around each moment: jumps become ramps."
    phrase: ClassVar[str] = "over {over}: {of}"
    of: "Value" = of("of", "What is smoothed.", 1.0)
    over: float = dial(
        "s", 0.5, label="over", soft=(0.05, 5.0), above=0.0, high=1e5, help="A longer time smooths more."
    )

    def inner(self) -> Iterator[Any]:
        yield self.of

    def answer(self, ask: Ask) -> Array:
        away = (np.arange(SAMPLES) + 0.5) / SAMPLES - 0.5
        result: Array = np.mean([answer(self.of, ask.later(self.over * share)) for share in away], axis=0)
        return result


class Delay(Driver):
    kind: Literal["delay"] = "delay"
    title: ClassVar[str] = "delayed"
    does: ClassVar[str] = "The same, later."
    phrase: ClassVar[str] = "by {by}: {of}"
    of: "Value" = of("of", "What is delayed.", 1.0)
    by: float = dial(
        "s", 0.5, label="by", soft=(0.0, 5.0), low=-1e5, high=1e5, help="Seconds later; less than zero is earlier."
    )

    def inner(self) -> Iterator[Any]:
        yield self.of

    def answer(self, ask: Ask) -> Array:
        return answer(self.of, ask.later(-self.by))


class Warp(Driver):
    kind: Literal["warp"] = "warp"
    title: ClassVar[str] = "bent in time"
    does: ClassVar[str] = (
        "One value runs ahead and behind as another says: regular pulses come at uneven times, as high as ever."
    )
    phrase: ClassVar[str] = "by {by}: {of}"
    of: "Value" = of("of", "What is bent; its heights stay.", 1.0)
    by: "Value" = dial(
        "s", 0.2, label="by", soft=(-2.0, 2.0), low=-1e5, high=1e5, drivable=True, each=True,
        help="How far ahead in time it is read; noise here makes it uneven.",
    )  # fmt: skip

    def inner(self) -> Iterator[Any]:
        yield self.of
        yield self.by

    def answer(self, ask: Ask) -> Array:
        ahead = answer(self.by, ask)
        return answer(self.of, ask.later(ahead))
