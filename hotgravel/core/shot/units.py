"""Units: what people type is understood, what is stored is SI (angles: degrees)."""

import math
import re
from dataclasses import dataclass
from typing import Literal

Lengths = Literal["m", "cm"]

# Spelling -> factor into the stored unit. The first spelling that a table's entry shows is
# the one used on the page.
_LENGTH = {"m": 1.0, "cm": 0.01, "mm": 0.001, "km": 1000.0, "in": 0.0254, "ft": 0.3048}
_TIME = {"s": 1.0, "ms": 0.001, "min": 60.0}
_UNITS: dict[str, dict[str, float]] = {
    "m": _LENGTH,
    "s": _TIME,
    "m/s": {"m/s": 1.0, "cm/s": 0.01, "mm/s": 0.001, "km/h": 1 / 3.6},
    "m/s²": {"m/s²": 1.0, "m/s2": 1.0, "m/s^2": 1.0, "cm/s²": 0.01, "cm/s2": 0.01, "g": 9.80665},
    "/s": {"/s": 1.0, "1/s": 1.0, "per s": 1.0, "hz": 1.0, "/min": 1 / 60},
    "/m": {"/m": 1.0, "1/m": 1.0, "per m": 1.0, "/cm": 100.0, "1/cm": 100.0},
    "°": {"°": 1.0, "deg": 1.0, "degrees": 1.0, "rad": 180.0 / math.pi, "turn": 360.0, "turns": 360.0},
    "°/s": {"°/s": 1.0, "deg/s": 1.0, "rad/s": 180.0 / math.pi, "rpm": 6.0, "turns/s": 360.0},
    "°C/s": {"°C/s": 1.0, "°c/s": 1.0, "c/s": 1.0},
    "m²/s": {"m²/s": 1.0, "m2/s": 1.0, "m^2/s": 1.0, "cm²/s": 1e-4, "cm2/s": 1e-4},
    "N s": {"N s": 1.0, "n s": 1.0, "ns": 1.0, "kg m/s": 1.0, "kn s": 1000.0},
    "MPa": {"MPa": 1e6, "mpa": 1e6, "n/mm²": 1e6, "n/mm2": 1e6, "kpa": 1e3, "gpa": 1e9, "pa": 1.0},
    "kPa": {"kPa": 1e3, "kpa": 1e3, "mpa": 1e6, "n/mm²": 1e6, "gpa": 1e9, "pa": 1.0},
    "Pa": {"Pa": 1.0, "pa": 1.0, "hpa": 100.0, "mbar": 100.0, "kpa": 1e3, "bar": 1e5},
    "GPa": {"GPa": 1e9, "gpa": 1e9, "mpa": 1e6, "pa": 1.0},
    "ms": {"ms": 0.001, "s": 1.0},
    "l/s": {"l/s": 1e-3, "l/min": 1e-3 / 60.0, "ml/s": 1e-6, "m³/s": 1.0, "m3/s": 1.0},
    "mm/h": {"mm/h": 1.0, "mm per h": 1.0, "cm/h": 10.0, "in/h": 25.4},
    "Pa s": {"Pa s": 1.0, "pa s": 1.0, "pas": 1.0, "mpa s": 1e-3, "cp": 1e-3, "p": 0.1},
    "N/m": {"N/m": 1.0, "n/m": 1.0, "kn/m": 1e3, "n/cm": 100.0, "n/mm": 1e3},
    "N m": {"N m": 1.0, "n m": 1.0, "nm": 1.0, "mn m": 1e-3, "n mm": 1e-3, "n cm": 0.01},
    "kg/m²": {"kg/m²": 1.0, "kg/m2": 1.0, "g/m²": 1e-3, "g/m2": 1e-3},
    "m²": {"m²": 1.0, "m2": 1.0, "cm²": 1e-4, "cm2": 1e-4},
    "%": {"%": 0.01},
    "kg": {"kg": 1.0, "g": 0.001},
    "kg/m³": {"kg/m³": 1.0, "kg/m3": 1.0, "g/cm³": 1000.0, "g/cm3": 1000.0},
    "°C": {"°C": 1.0, "°c": 1.0, "c": 1.0},
    "×": {"×": 1.0, "x": 1.0, "%": 0.01},
    "": {"": 1.0, "%": 0.01},
    "frame": {"": 1.0, "f": 1.0, "frame": 1.0, "frames": 1.0},
    "fps": {"fps": 1.0, "/s": 1.0, "": 1.0},
    "count": {"": 1.0, "k": 1e3, "m": 1e6, "thousand": 1e3, "million": 1e6},
}
_IN_CENTIMETRES = {"m": "cm", "m/s": "cm/s", "m/s²": "cm/s²", "/m": "/cm"}
UNITS = tuple(_UNITS)

_NUMBER = re.compile(r"^\s*([+-]?(?:\d[\d_ ]*\.?\d*|\.\d+)(?:e[+-]?\d+)?)\s*(.*?)\s*$", re.IGNORECASE)
_DECIMAL_COMMA = re.compile(r"^(\s*[+-]?\d+),(\d+)(?![\d,])")
_FRACTION = re.compile(r"^\s*([+-]?\d+(?:\.\d+)?)\s*/\s*(\d+(?:\.\d+)?)\s*([^\d/].*)?$")
_EVERY = re.compile(r"^\s*every\s+(\d+(?:\.\d+)?)\s*(f|frames?|s|seconds?)\s*$", re.IGNORECASE)
_THOUSANDS = re.compile(r"^\s*[+-]?\d{1,3}(?:,\d{3})+(?![\d,])")


@dataclass(frozen=True)
class Dress:
    """How a shot shows and reads numbers: its length unit and its frame rate."""

    lengths: Lengths = "m"
    rate: float = 24.0


class Unreadable(ValueError):
    """What was typed is no quantity of this unit; the message says what would be."""


def shown_unit(unit: str, dress: Dress) -> str:
    """The spelling under which a stored unit is shown ("m" is "cm" in a centimetre shot)."""
    if dress.lengths == "cm":
        return _IN_CENTIMETRES.get(unit, unit)
    return unit


def shown_factor(unit: str, dress: Dress) -> float:
    """Multiply a shown number by this to store it."""
    return _UNITS[unit].get(shown_unit(unit, dress), 1.0)


def read_quantity(text: str, unit: str, dress: Dress) -> float:
    """The stored number for what was typed, e.g. ("30 cm", "m") is 0.3.

    A bare number is in the shown unit. Times also take frames ("12 f"). Raises `Unreadable`.
    """
    if len(text) > 80:
        raise Unreadable(f"{text[:20]!r}... is too long for a number. {_accepted(unit, dress)}")
    if not text.strip():
        raise Unreadable(f"Nothing was typed. {_accepted(unit, dress)}")
    if _THOUSANDS.match(text) and unit == "count":
        text = text.replace(",", "")
    text = _DECIMAL_COMMA.sub(r"\1.\2", text)
    if (share := _FRACTION.match(text)) and float(share[2]) != 0.0:
        text = f"{float(share[1]) / float(share[2])!r} {share[3] or ''}"
    if unit == "/s" and (each := _EVERY.match(text)) and float(each[1]) != 0.0:
        return (dress.rate if each[2][0] == "f" else 1.0) / float(each[1])
    match = _NUMBER.match(text)
    if not match:
        raise Unreadable(f"{text.strip()!r} is not a number. {_accepted(unit, dress)}")
    number = float(re.sub(r"[_ ]", "", match[1]))
    spelling = match[2].lower().replace("metres", "m").replace("meters", "m")
    if not math.isfinite(number):
        raise Unreadable(f"{text.strip()!r} is too large for a number. {_accepted(unit, dress)}")
    if unit == "s" and spelling in ("f", "frame", "frames"):
        return number / dress.rate
    if unit == "/s" and spelling in ("/f", "per frame", "/frame"):
        return number * dress.rate
    if unit == "m/s" and spelling in ("m/f", "m/frame"):
        return number * dress.rate
    if spelling == "" and unit == "%" and 0.0 < abs(number) < 1.0:
        either = f"{bare(100 * number)} % or {bare(number)} %"
        raise Unreadable(f"{bare(number)} may mean {either}. Accepted: one of them, with its %.")
    if spelling == "" and unit != "count":
        return number * shown_factor(unit, dress)
    factor = _UNITS[unit].get(spelling)
    if factor is None:
        raise Unreadable(f"{match[2]!r} is no unit of this number. {_accepted(unit, dress)}")
    return number * factor


def _accepted(unit: str, dress: Dress) -> str:
    spellings = [s for s in _UNITS[unit] if s]
    extra = ["f (frames)"] if unit == "s" else []
    if not spellings:
        return "Accepted: a number such as 1.5."
    return f"Accepted: a number in {shown_unit(unit, dress)}, or with one of {', '.join(spellings + extra)}."


def bare(number: float) -> str:
    """A number for people: up to six significant digits, no trailing noise."""
    if number == int(number) and abs(number) < 1e15:
        return str(int(number))
    text = f"{number:.6g}"
    if "e" in text and 1e-6 <= abs(number) < 1e15:
        text = f"{number:.10f}".rstrip("0").rstrip(".")
    return text


def show_number(stored: float, unit: str, dress: Dress) -> str:
    """The stored number in the shown unit, without the unit."""
    return bare(stored / shown_factor(unit, dress))


def show_quantity(stored: float, unit: str, dress: Dress) -> str:
    """The stored number as the page shows it: "30 cm", "9.81 m/s²", "40 %", "35°"."""
    number = show_number(stored, unit, dress)
    spelling = "" if unit in ("count", "frame") else shown_unit(unit, dress)
    if unit == "count" and abs(stored) >= 10_000:
        number = f"{int(stored):,}".replace(",", " ")
    if not spelling:
        return number
    return f"{number}{spelling}" if spelling in ("°",) else f"{number} {spelling}"
