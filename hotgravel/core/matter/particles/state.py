"""The particles of a run at one moment."""

from hotgravel.core.matter.elements import Elements


class Particles(Elements):
    """Elements that are points with a radius."""
