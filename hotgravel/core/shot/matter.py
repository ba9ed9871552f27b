"""Matter: the states particles can be in, and what they bounce off."""

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from hotgravel.core.drive.value import Value
from hotgravel.core.shot.dials import choice, colour, dial, palette, refers, whom, words
from hotgravel.core.shot.row import Ref, Row


class State(Row):
    kind: Literal["state"] = "state"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "state"
    does: ClassVar[str] = "A named way of behaving. Forces and collisions can ask for it, cues move into it."
    phrase: ClassVar[str] = "The state {name} is for {of}, painted {colour}, {shine}."
    of: Literal["particles", "rigid", "soft", "front", "liquid", "slosh", "wetness"] = choice(
        {"particles": "particles", "rigid": "bodies", "soft": "cloth, jelly and balloons",
         "front": "what a front creeps over", "liquid": "liquid",
         "slosh": "liquid in vessels", "wetness": "wet surfaces"}, "particles", label="matter",
        help="What can be in it: particles, rigid bodies, what is soft, points that a front creeps over, or liquid.",
    )  # fmt: skip
    name: str = words(label="name", help="What the other sentences call it.")
    colour: str = colour("#F2A33C", label="colour", help="How the stage paints it when coloured by state.")
    shine: Literal["glowing", "dull"] = choice(
        {"glowing": "glowing", "dull": "dull"}, "glowing", label="shine",
        help="Glowing gives light, as embers do; dull is lit by the dusk, as ash and grit are.",
    )  # fmt: skip


class Collision(Row):
    kind: Literal["collision"] = "collision"
    naming: ClassVar[str] = "collision with {props}"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "collision"
    does: ClassVar[str] = "What particles meet: they bounce, slide and come to rest there."
    phrase: ClassVar[str] = (
        "Bouncing off {props}, {whom} keep {bounce} of the speed they hit with; friction {friction}."
    )
    whom: Ref | None = whom()
    props: tuple[Ref, ...] = refers("prop", label="props", help="The props that are hit.")
    bounce: Value = dial(
        "", 0.35, label="bounce", soft=(0.0, 0.9), low=0.0, high=1.0, drivable=True,
        help="Speed kept straight off the surface. 0 lands dead, 0.3 is gravel, 0.8 a rubber ball; "
        "each bounce rises to this squared times the height before.",
    )  # fmt: skip
    friction: Value = dial(
        "", 0.4, label="friction", soft=(0.0, 1.0), low=0.0, high=10.0, drivable=True,
        help="Grip along the surface. On a slope, particles slide where the slope's tangent is above it: "
        "0.4 holds up to 22°, 1 up to 45°. More stops slides sooner.",
    )  # fmt: skip
    thickness: Value = dial(
        "m", 0.002, label="thickness", soft=(0.001, 0.05), low=0.0001, high=100.0, drivable=True,
        help="A skin around the props, added to each particle's radius: more keeps them further off.",
    )  # fmt: skip
    side: Literal["outside", "inside", "front"] = choice(
        {"outside": "from outside", "inside": "from inside", "front": "from the front only"}, "outside", label="met",
        help="From outside the prop is solid; from inside it is hollow and holds what is in it; a flat sheet can be "
        "met from its upper side only, and let through what comes from below.",
    )  # fmt: skip
    scatter: Value = dial(
        "°", 0.0, label="scatter", soft=(0.0, 45.0), low=0.0, high=90.0, drivable=True,
        help="Each bounce is turned by chance within this angle: rough ground throws to all sides. Particles only.",
    )  # fmt: skip
    carry: Value = dial(
        "%", 1.0, label="carry", soft=(0.0, 1.0), low=0.0, high=1.0, drivable=True,
        help="How much of the surface's own motion along itself takes hold of particles that touch it. Straight on it "
        "always pushes. Bodies are gripped by friction instead.",
    )  # fmt: skip
    spread: Value = dial(
        "%", 0.0, label="spread", soft=(0.0, 1.0), low=0.0, high=1.0, drivable=True,
        help="How much of the speed they hit with goes on along the surface, outward from the prop's middle. "
        "With no bounce, what falls on it flows on over it. Particles only.",
    )  # fmt: skip


Weight = Annotated[float, Field(gt=0.0, le=1e6, allow_inf_nan=False)]
Swatch = tuple[Annotated[str, Field(pattern=r"^#[0-9A-Fa-f]{6}$")], Weight]
ASH: tuple[Swatch, ...] = (("#3A3632", 3.0), ("#8C8377", 2.0), ("#D9D2C4", 1.0))


class Growth(Row):
    kind: Literal["growth"] = "growth"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "growth"
    does: ClassVar[str] = (
        "Makes particles, or bodies in a state, larger or smaller than they were born; what shrinks to nothing is "
        "removed. Pieces that are bonded keep their size."
    )
    phrase: ClassVar[str] = "The radius of {whom} is {share} of what they were born with."
    whom: Ref | None = whom("all particles")
    share: Value = dial(
        "×", 1.0, label="share", soft=(0.0, 2.0), low=0.0, high=1e3, drivable=True, each=True,
        help="1 leaves them as they are. Let it vary over age, distance or time at rest, and they grow or shrink on "
        "their way.",
    )  # fmt: skip


class Tint(Row):
    kind: Literal["tint"] = "tint"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "tint"
    does: ClassVar[str] = "Gives particles colours from a palette, by chance or by what each is."
    phrase: ClassVar[str] = "{whom} take their colour from {palette}, {manner}, at {place} of its width."
    whom: Ref | None = whom()
    palette: Annotated[tuple[Swatch, ...], Field()] = palette(
        ASH, label="palette", help="Swatches in order; each is as wide as its weight."
    )
    manner: Literal["blended", "picked"] = choice(
        {"blended": "blended into each other", "picked": "one swatch each"}, "picked", label="manner",
        help="Blended runs smoothly from swatch to swatch; picked takes the one at the place.",
    )  # fmt: skip
    place: Value = dial(
        "%", 0.5, label="place", soft=(0.0, 1.0), low=0.0, high=1.0, drivable=True, each=True,
        help="Where in the palette. Over chance it spreads evenly; over age or speed it runs through it.",
    )  # fmt: skip
    when: Literal["always", "birth"] = choice(
        {"always": "always", "birth": "at birth"}, "always", label="when",
        help="Always: colours change as what they go by does. At birth: each keeps the colour that it was born with.",
    )  # fmt: skip


class Fading(Row):
    kind: Literal["fading"] = "fading"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "fading"
    does: ClassVar[str] = "Lets particles or pieces be seen through, more and more; what is seen no longer is removed."
    phrase: ClassVar[str] = "{share} is seen of {whom}."
    whom: Ref | None = whom()
    share: Value = dial(
        "%", 1.0, label="seen", soft=(0.0, 1.0), low=0.0, high=1.0, drivable=True, each=True,
        help="100 % hides what is behind, 0 % is gone. Let it vary over age, speed or time at rest, and they fade out.",
    )  # fmt: skip


class Apart(Row):
    kind: Literal["apart"] = "apart"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "keeping apart"
    does: ClassVar[str] = "Particles push one another out of their way by their radii, so that they pile up."
    phrase: ClassVar[str] = "{whom} keep apart by their radii and {gap}."
    whom: Ref | None = whom("all particles")
    gap: Value = dial(
        "m", 0.0, label="gap", soft=(0.0, 0.2), low=0.0, high=1e3, drivable=True,
        help="Room kept beyond both radii. 0 lets them touch.",
    )  # fmt: skip


class Streaks(Row):
    kind: Literal["streaks"] = "streaks"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "streaks"
    does: ClassVar[str] = "Draws a line behind each particle, where it was in the frames before. Handed over with it."
    phrase: ClassVar[str] = "Streaks of {frames} frames follow {whom}."
    whom: Ref | None = whom()
    frames: int = dial(
        "count", 8, label="frames", soft=(2, 24), low=1, high=240, whole=True,
        help="How far back they reach. More frames make longer lines and a larger handover.",
    )  # fmt: skip


class Skin(Row):
    kind: Literal["skin"] = "skin"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "skin"
    does: ClassVar[str] = "Wraps particles in one surface that takes over their colours: threads, mud, drops, wax."
    phrase: ClassVar[str] = (
        "A {look} skin wraps {whom}, {radius} their radius, blending over {blend}, in cells of {cell}, {shown}."
    )
    wraps: ClassVar[str] = "particles"
    whom: Ref | None = whom("all particles")
    radius: Value = dial(
        "×", 1.5, label="radius", soft=(0.8, 3.0), above=0.0, high=100.0, drivable=True,
        help="How large each particle is for the skin, beside its own radius.",
    )  # fmt: skip
    blend: Value = dial(
        "m", 0.05, label="blend", soft=(0.005, 0.3), low=0.0, high=100.0, drivable=True,
        help="How far apart they begin to join. 0 keeps their balls, more makes one smooth body.",
    )  # fmt: skip
    cell: Value = dial(
        "m", 0.05, label="cell", soft=(0.01, 0.2), above=0.0, high=100.0, drivable=True,
        help="How fine it is: half the smallest radius keeps every drop. Half as large takes eight times as long.",
    )  # fmt: skip
    smoothing: int = dial(
        "count", 0, label="smoothing", soft=(0, 4), low=0, high=12, whole=True,
        help="Rounds it off by so many cells; thin threads thin out with it.",
    )  # fmt: skip
    look: Literal["glowing", "dull", "glassy"] = choice(
        {"glowing": "glowing", "dull": "dull", "glassy": "glassy"}, "dull", label="look",
        help="How the stage paints it; the result does not change.",
    )  # fmt: skip
    shown: Literal["instead", "over"] = choice(
        {"instead": "instead of them", "over": "over them"}, "instead", label="shown",
        help="Instead of the particles, or over them, so that both are seen.",
    )  # fmt: skip
