"""How stiff what is soft is, now: its dials may vary over time, by zone or by what each vertex is."""

from dataclasses import dataclass, field, replace

import numpy as np

from hotgravel.core.drive.value import each, is_driven
from hotgravel.core.lately import Lately
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.soft.bending import Plates
from hotgravel.core.matter.soft.making import Thing
from hotgravel.core.matter.soft.model import Array, Energies, Model, shared
from hotgravel.core.matter.soft.pulls import Strain, Web
from hotgravel.core.matter.soft.state import Vertices
from hotgravel.core.shape.zones import Scene


def by_vertex(name: str, things: tuple[Thing, ...], p: Vertices, scene: Scene, model: Model) -> Array:
    """A dial of rows at each vertex (n,) of the model; 0 where its row has none of that name, or it is gone."""
    found = np.zeros(len(model.place))
    for number, thing in enumerate(things):
        value = getattr(thing.row, name, 0.0)
        if not is_driven(value):
            found[model.members[number]] = value
            continue
        mine = model.body[p.vertex] == number
        if mine.any():
            found[p.vertex[mine]] = each(thing.row, name, asking(p.where(mine), scene))
    return found


def solid_now(model: Model, things: tuple[Thing, ...], p: Vertices, scene: Scene, rest: Array) -> Energies:
    """The tetrahedra of a model, which are made as stiff as 1, as stiff as rows have them now, the mean of their
    vertices; they lie at rest as `rest` (E, 9) has it."""
    tets = model.tets
    if not len(tets.nodes):
        return tets
    stiffness = by_vertex("stiffness", things, p, scene, model)
    numbers = tets.numbers.copy()
    numbers[:, :9] = rest
    numbers[:, 10:12] *= stiffness[tets.nodes].mean(axis=1)[:, None]
    return replace(tets, numbers=numbers)


@dataclass(eq=False)
class Stiffened:
    """The triangles and plates of a model, which are made as stiff as 1, as stiff as rows have them, the mean of their
    vertices: made anew when rows have them otherwise. `parts` are the triangles that the linear system has and those
    that it leaves, by the lengths of small steps; `webs` and `strains` have what was asked for last."""

    model: Model | None = None
    told: tuple[Array, ...] = ()
    triangles: Energies | None = None
    plates: Plates | None = None
    parts: dict[float, tuple[Energies, Energies]] = field(default_factory=dict)
    webs: Lately[Web] = field(default_factory=lambda: Lately(1))
    strains: Lately[Strain] = field(default_factory=lambda: Lately(1))

    def find(self, model: Model, things: tuple[Thing, ...], p: Vertices, scene: Scene) -> tuple[Energies, Plates]:
        """Both as they are now."""
        told = tuple(by_vertex(name, things, p, scene, model) for name in ("stretch", "shear", "bend"))
        if (
            self.triangles is None
            or self.plates is None
            or self.model is not model
            or not all(map(np.array_equal, told, self.told))
        ):
            self.model, self.told, numbers = model, told, model.triangles.numbers.copy()
            for column, values in ((5, told[0]), (6, told[1])):
                numbers[:, column] *= values[model.triangles.nodes].mean(axis=1)
            self.triangles = replace(model.triangles, numbers=numbers)
            self.plates = replace(model.plates, stiff=model.plates.stiff * told[2][model.plates.at])
            self.parts.clear()
        return self.triangles, self.plates

    def shared(self, ceiling: Array, dt: float) -> tuple[Energies, Energies]:
        """Its triangles that a linear system has for small steps of dt seconds, in which none may be stiffer than a
        ceiling (n,), N/m for steps of a second, and what that leaves of them."""
        assert self.triangles is not None
        if dt not in self.parts:
            self.parts[dt] = shared(self.triangles, ceiling / dt**2)
        return self.parts[dt]

    def strain(self, triangles: Energies, ceiling: Array, w: Array, dt: float) -> Strain:
        """Some triangles as `Strain.of` has them."""
        web = self.webs.of((triangles.nodes,), lambda: Web.of(triangles.nodes, triangles.rows, len(w)))
        told = triangles.nodes, triangles.numbers, ceiling, w, np.full(1, dt)
        return self.strains.of(told, lambda: Strain.of(web, triangles, ceiling, w, dt))
