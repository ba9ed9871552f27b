"""What is kept of bodies beside their columns: contacts and breaks, meshes, and the gauges of a frame."""

from typing import TYPE_CHECKING

import numpy as np
from scipy.spatial.transform import Rotation

from hotgravel.core.matter.contract import Array, State
from hotgravel.core.matter.rigid.bonding import breaks_in
from hotgravel.core.matter.rigid.cast import Role
from hotgravel.core.matter.rigid.contacts import Contacts
from hotgravel.core.matter.rigid.outline import outline_of
from hotgravel.core.matter.rigid.state import Bodies
from hotgravel.core.shape.mesh import creased
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shot.rigid import InPieces

if TYPE_CHECKING:
    from hotgravel.core.matter.rigid.solver import RigidSolver


def records_of(solver: "RigidSolver", state: State) -> dict[str, dict[str, Array]]:
    """What else frames keep: where bodies press on what, and the bonds that gave way."""
    told = Contacts.of(state.arrays)
    pressed = told.impulses[:, 0] > 0.0
    return {
        "contacts": {
            "place": told.place[pressed].astype(np.float32), "normal": told.normal[pressed].astype(np.float32),
            "impulse": told.total[pressed].astype(np.float32), "one": told.ids[pressed, 0].astype(np.int32),
            "other": told.ids[pressed, 1].astype(np.int32),
        },
        **({"breaks": breaks_in(state.arrays)} if solver.bonds is not None else {}),
    }  # fmt: skip


def mesh_of_role(setting: Setting, role: Role) -> dict[str, Array]:
    """The mesh that the bodies of a role are drawn with."""
    prop = role.prop
    piece = setting.cuttings[prop.id].pieces[role.part] if isinstance(role.row.copies, InPieces) else None
    # What was too thin to be a body is drawn as its hull, which knows nothing of cuts.
    inner = piece.inner if piece is not None and len(piece.inner) == len(role.model.faces) else None
    vertices, faces, normals, within = creased(role.model.vertices, role.model.faces, inner)
    inside = setting.shot.cuts[prop.id][piece.row].inside if piece is not None else prop.colour
    return {
        "vertices": vertices, "faces": faces, "normals": normals, "inner": within,
        "colour": np.array([int(colour[1:], 16) for colour in (prop.colour, inside)], np.uint32),
        "outline": outline_of(role.model).reshape(-1, 3).astype(np.float32),
    }  # fmt: skip


def measured(solver: "RigidSolver", state: State) -> dict[str, float]:
    """The gauges of a frame."""
    bodies, speed = state.elements, state.elements.speed
    assert isinstance(bodies, Bodies)
    count = len(bodies)
    local = Rotation.from_quat(bodies.turn).inv().apply(bodies.spin) if count else np.zeros((0, 3))
    energy = 0.5 * bodies.mass * speed**2 + 0.5 * (solver.inertia(bodies) * local**2).sum(axis=1)
    told = Contacts.of(state.arrays)
    return {
        "count": count,
        "mean_speed": float(speed.mean()) if count else 0.0,
        "greatest_speed": float(speed.max()) if count else 0.0,
        "kinetic_energy": float(energy.sum() / bodies.mass.sum()) if count else 0.0,
        "asleep": int((bodies.asleep > 0).sum()),
        "contacts": int((told.impulses[:, 0] > 0.0).sum()),
        "deepest": float(-told.gap.min(initial=0.0)),
        "hardest": float(bodies.impulse.max(initial=0.0)),
        "greatest_load": float(bodies.load.max(initial=0.0)),
        "sag": float(bodies.give.max(initial=0.0)),
        "bonds": float(bodies.bonds.sum() / 2),
        "broken": float(len(breaks_in(state.arrays)["one"])) if solver.bonds is not None else 0.0,
    }
