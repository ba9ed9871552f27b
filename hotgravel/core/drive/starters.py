"""Signals to begin with, about the number that stands: pulses, a flicker, a swell, a shudder."""

from collections.abc import Callable
from typing import Any

Clause = dict[str, Any]


def _pulses(number: float, most: float, first: float) -> Clause:
    """Short blows, evenly spaced."""
    keys = [(0, 0.0, "smooth"), (2, most, "smooth"), (7, 0.0, "smooth")]
    made = [{"frame": first + f, "value": v, "ease": ease} for f, v, ease in keys]
    return {"kind": "keys", "keys": made, "outside": "loop", "rest": 12.0}


def _flicker(number: float, most: float, first: float) -> Clause:
    """Restless, as a flame is."""
    return {"kind": "noise", "colour": "pink", "middle": number, "amplitude": 0.35 * most, "period": 0.25}


def _swell(number: float, most: float, first: float) -> Clause:
    """Slow and even, as breathing is."""
    return {"kind": "wave", "shape": "sine", "low": 0.5 * number, "high": most, "period": 4.0}


def _shudder(number: float, most: float, first: float) -> Clause:
    """A quick shaking that dies down within a second."""
    shake = {"kind": "noise", "colour": "smooth", "middle": 0.0, "amplitude": 0.6 * most, "period": 0.12}
    dying = {"kind": "keys", "keys": [{"frame": first, "value": 1.0}, {"frame": first + 24, "value": 0.0}]}
    dying_shake = {"kind": "mix", "how": "multiply", "first": shake, "second": dying}
    return {"kind": "mix", "how": "add", "first": number, "second": dying_shake}


STARTERS: dict[str, Callable[[float, float, float], Clause]] = {
    "pulses": _pulses, "flicker": _flicker, "swell": _swell, "shudder": _shudder,
}  # fmt: skip
