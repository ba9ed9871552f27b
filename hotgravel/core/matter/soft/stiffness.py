"""How stiff what is soft is, now: its dials may vary over time, by zone or by what each vertex is."""

from dataclasses import replace

import numpy as np

from hotgravel.core.drive.value import each, is_driven
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.soft.bending import Plates
from hotgravel.core.matter.soft.making import Thing
from hotgravel.core.matter.soft.model import Array, Energies, Model
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


def stiffened(model: Model, things: tuple[Thing, ...], p: Vertices, scene: Scene) -> tuple[Energies, Energies, Plates]:
    """The triangles, tetrahedra and plates of a model, which are made as stiff as 1, as stiff as rows have them now:
    the mean of their vertices."""
    stretch, shear, bend, stiffness = (
        by_vertex(name, things, p, scene, model) for name in ("stretch", "shear", "bend", "stiffness")
    )
    triangles, tets = model.triangles, model.tets
    flat, solid = triangles.numbers.copy(), tets.numbers.copy()
    for column, values in ((5, stretch), (6, shear)):
        flat[:, column] *= values[triangles.nodes].mean(axis=1)
    solid[:, 10:12] *= stiffness[tets.nodes].mean(axis=1)[:, None]
    plates = replace(model.plates, stiff=model.plates.stiff * bend[model.plates.at])
    return replace(triangles, numbers=flat), replace(tets, numbers=solid), plates
