"""Whole things that bear what lies in or on them: a prop, or the bodies that are made of it."""

from hotgravel.core.matter.contract import Seam
from hotgravel.core.shape.colliders import Moving, stands
from hotgravel.core.shape.setting import Setting


def bearers(setting: Setting, seam: Seam, prop: str) -> list[Moving]:
    """Those of a prop that are there in a step, and where; its pieces are none."""
    whole = setting.shapes[prop]
    found = [m for m in seam.surfaces if m.prop == prop and m.shape is whole]
    if not found and stands(setting, seam.scene, prop):
        found = [Moving(prop, whole, seam.scene.poses[prop], seam.scene.soon[prop])]
    return found
