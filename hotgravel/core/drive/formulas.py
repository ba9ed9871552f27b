"""Formulas: arithmetic over attributes and time, in Python's expression syntax.

The text is parsed by Python's own parser and then checked node by node against the few that
are known here; what is not among them is refused, with its place. Nothing is ever evaluated as
Python: the checked tree is walked with NumPy functions.
"""

import ast
from collections.abc import Callable, Mapping
from functools import lru_cache
from typing import Any, ClassVar, Literal

import numpy as np
from numba import njit, prange
from pydantic import field_validator

from hotgravel.core.attributes import READABLE
from hotgravel.core.drive.ask import Array, Ask
from hotgravel.core.drive.driver import Driver
from hotgravel.core.shot.dials import words

LONGEST, MOST_NODES, DEEPEST = 400, 200, 30
VAST = 1e12
BINARY: dict[type, Callable[..., Any]] = {
    ast.Add: np.add, ast.Sub: np.subtract, ast.Mult: np.multiply, ast.Div: np.divide, ast.Pow: np.power,
    ast.Mod: np.mod,
}  # fmt: skip
COMPARE: dict[type, Callable[..., Any]] = {
    ast.Lt: np.less, ast.LtE: np.less_equal, ast.Gt: np.greater, ast.GtE: np.greater_equal, ast.Eq: np.equal,
    ast.NotEq: np.not_equal,
}  # fmt: skip
FUNCTIONS: dict[str, tuple[int, Callable[..., Any]]] = {
    "abs": (1, np.abs), "sqrt": (1, np.sqrt), "exp": (1, np.exp), "log": (1, np.log), "sin": (1, np.sin),
    "cos": (1, np.cos), "tan": (1, np.tan), "floor": (1, np.floor), "ceil": (1, np.ceil), "sign": (1, np.sign),
    "min": (2, np.minimum), "max": (2, np.maximum), "clip": (3, np.clip),
    "mix": (3, lambda a, b, share: a + (b - a) * share),
    "smoothstep": (3, lambda a, b, x: (lambda u: u * u * (3 - 2 * u))(np.clip((x - a) / (b - a), 0.0, 1.0))),
}  # fmt: skip
TIMES = ("t", "frame")
ATTRIBUTES = {name.replace(" ", "_"): name for name in READABLE if name not in ("distance to", "weight in")}
CONSTANTS = {"pi": np.pi}
NAMES = (*TIMES, *ATTRIBUTES, *CONSTANTS)


class Wrong(ValueError):
    """A formula that cannot be used; says why, and at which character."""


@lru_cache(maxsize=1024)
def parsed(text: str) -> ast.expr:
    """The checked tree of a formula. Raises `Wrong`."""
    if len(text) > LONGEST:
        raise Wrong(f"the formula has {len(text)} characters; accepted: up to {LONGEST}")
    python = text.replace("^", "**")
    try:
        tree = ast.parse(python.lstrip(), mode="eval").body
    except SyntaxError as error:
        at = len(text.rstrip()) + 1 if not error.offset else _place(text, error.offset)
        raise Wrong(f"the formula cannot be read at character {at}: {error.msg}") from None
    except (RecursionError, MemoryError, ValueError):
        raise Wrong("the formula cannot be read: it is nested too deeply, or holds what is no text") from None
    if sum(1 for _ in ast.walk(tree)) > MOST_NODES:
        raise Wrong("the formula is too long")
    try:
        _check(tree, 0)
    except Misplaced as wrong:
        place = len(python.lstrip().encode()[: wrong.column].decode())
        raise Wrong(f"at character {_place(text, place + 1)}: {wrong.why}") from None
    return tree


class Misplaced(ValueError):
    """What is wrong at a column, counted in bytes as Python's parser does."""

    def __init__(self, column: int, why: str) -> None:
        super().__init__(why)
        self.column, self.why = column, why


def _place(text: str, at: int) -> int:
    """The character of a formula as it was typed, for one of the text that was parsed: both count from 1."""
    typed, read = len(text) - len(text.lstrip()), 0
    for character in text.lstrip():
        read += 2 if character == "^" else 1
        if read >= at:
            break
        typed += 1
    return typed + 1


def _wrong(node: ast.AST, why: str) -> Misplaced:
    return Misplaced(getattr(node, "col_offset", 0), why)


def _check(node: ast.AST, depth: int) -> None:
    if depth > DEEPEST:
        raise _wrong(node, "nested too deeply")
    match node:
        case ast.Constant(value=bool()):
            raise _wrong(node, "a number is wanted; write 1 or 0")
        case ast.Constant(value=int() | float() as number):
            if abs(number) > 1e12:
                raise _wrong(node, "the number is too large")
        case ast.Constant():
            raise _wrong(node, "only numbers can stand in a formula")
        case ast.Name(id=name):
            if name not in NAMES:
                raise _wrong(node, f"{name!r} is not known. Accepted: {', '.join(NAMES)}")
        case ast.BinOp(left=left, op=op, right=right):
            if type(op) not in BINARY:
                raise _wrong(node, "accepted between two numbers: + - * / ^ %")
            _check(left, depth + 1)
            _check(right, depth + 1)
        case ast.UnaryOp(op=ast.USub() | ast.UAdd(), operand=operand):
            _check(operand, depth + 1)
        case ast.Compare(left=left, ops=[op], comparators=[right]):
            if type(op) not in COMPARE:
                raise _wrong(node, "accepted between two numbers: < <= > >= == !=")
            _check(left, depth + 1)
            _check(right, depth + 1)
        case ast.IfExp(test=test, body=body, orelse=orelse):
            for part in (test, body, orelse):
                _check(part, depth + 1)
        case ast.Call(func=ast.Name(id=name), args=args, keywords=[]):
            if name not in FUNCTIONS:
                raise _wrong(node, f"{name!r} is no function here. Accepted: {', '.join(FUNCTIONS)}")
            if len(args) != FUNCTIONS[name][0]:
                raise _wrong(node, f"{name} takes {FUNCTIONS[name][0]} numbers, not {len(args)}")
            for part in args:
                _check(part, depth + 1)
        case _:
            raise _wrong(node, "this cannot stand in a formula; it takes numbers, names, + - * / ^ %, comparisons, "
                               "and `a if b else c`")  # fmt: skip


def evaluate(node: ast.AST, ask: Ask) -> Any:
    """The value of a checked tree: (1,), (t,) or (n,)."""
    match node:
        case ast.Constant(value=number):
            return np.array([float(number)])  # type: ignore[arg-type]
        case ast.Name(id=name):
            if name in CONSTANTS:
                return np.array([CONSTANTS[name]])
            return ask.times if name == "t" else ask.frames if name == "frame" else ask.read(ATTRIBUTES[name])
        case ast.BinOp(left=left, op=op, right=right):
            return BINARY[type(op)](evaluate(left, ask), evaluate(right, ask))
        case ast.UnaryOp(op=op, operand=operand):
            value = evaluate(operand, ask)
            return -value if isinstance(op, ast.USub) else value
        case ast.Compare(left=left, ops=[op], comparators=[right]):
            return COMPARE[type(op)](evaluate(left, ask), evaluate(right, ask)).astype(float)
        case ast.IfExp(test=test, body=body, orelse=orelse):
            return np.where(evaluate(test, ask) != 0.0, evaluate(body, ask), evaluate(orelse, ask))
        case ast.Call(func=ast.Name(id=name), args=args):
            return FUNCTIONS[name][1](*(evaluate(part, ask) for part in args))
    raise AssertionError("only checked trees are evaluated")


@njit(cache=True, parallel=True, nogil=True)
def _sound(value, told):
    """0 where there is no number, and no number beyond what can be reckoned with."""
    for i in prange(len(value)):
        told[i] = min(max(value[i], -VAST), VAST) if value[i] == value[i] else 0.0


class Formula(Driver):
    kind: Literal["formula"] = "formula"
    title: ClassVar[str] = "a formula"
    does: ClassVar[str] = "Arithmetic over time and attributes, in SI units: 2 * exp(-age) + 0.1 * sin(6 * t)^2."
    phrase: ClassVar[str] = "{text}"
    text: str = words(
        label="formula", longest=LONGEST,
        help=f"Names: {', '.join(NAMES)}. Functions: {', '.join(FUNCTIONS)}. Where it gives no number, 0 is taken.",
    )  # fmt: skip

    def brief(self, names: Mapping[str, str]) -> str:
        return "by formula"

    def reads(self) -> set[str]:
        """The names of attributes in it."""
        return {node.id for node in ast.walk(parsed(self.text)) if isinstance(node, ast.Name)}

    @property
    def by_element(self) -> bool:
        return any(isinstance(n, ast.Name) and n.id in ATTRIBUTES for n in ast.walk(parsed(self.text)))

    @field_validator("text")
    @classmethod
    def _readable(cls, text: str) -> str:
        parsed(text)
        return text

    def answer(self, ask: Ask) -> Array:
        with np.errstate(all="ignore"):
            value = np.asarray(evaluate(parsed(self.text), ask), float)
        told = np.empty(value.shape)
        _sound(np.ascontiguousarray(value), told)
        return told
