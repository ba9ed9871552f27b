"""Elements as a crowd that driven numbers can be asked about."""

import numpy as np

from hotgravel.core.chance import uniforms
from hotgravel.core.drive.ask import Array, Ask
from hotgravel.core.matter.elements import Elements
from hotgravel.core.shape.zones import Scene

CHANCE = "crowd"  # whose draws the random number of each element is


class ElementCrowd:
    """Reads each attribute once. `scene` is where they are at this moment."""

    def __init__(self, elements: Elements, scene: Scene) -> None:
        self.elements, self.scene = elements, scene
        self._read: dict[tuple[str, str | None], Array] = {}

    def __len__(self) -> int:
        return len(self.elements)

    def read(self, attribute: str, target: str | None = None) -> Array:
        key = attribute, target
        if key not in self._read:
            self._read[key] = self._fresh(attribute, target)
        return self._read[key]

    def _fresh(self, attribute: str, target: str | None) -> Array:
        p = self.elements
        match attribute:
            case "age":
                return p.age if p.age.min(initial=0.0) >= 0.0 else np.maximum(p.age, 0.0)  # mostly all are born
            case "fraction of life":
                return np.clip(p.age / p.life, 0.0, 1.0)
            case "speed":
                return p.speed
            case "density":
                return p.density()
            case (
                "spin" | "tilt" | "still" | "impulse" | "load" | "bonds lost" | "falling" | "stretch" | "pressure"
                | "steep" | "wet" | "arrived" | "left"
            ):  # fmt: skip
                return p.read_of_body(attribute)
            case "height":
                return p.position[:, 1]
            case "random":
                return uniforms(p.id.astype(np.uint64), 1, seed=0, who=CHANCE)[:, 0]
            case "distance to" if target is not None:
                return self.scene.distance_to(target, p.position)
            case "weight in" if target is not None:
                return self.scene.weight_in(target, p.position)
        array: Array = getattr(p, attribute)
        return array


def asking(elements: Elements, scene: Scene) -> Ask:
    """A question about these elements at the scene's moment."""
    return Ask(scene.ask.seconds, scene.ask.clock, ElementCrowd(elements, scene))
