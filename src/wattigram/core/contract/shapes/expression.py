"""Arithmetic on t: text that is parsed, held against a list of what is allowed, and evaluated on
arrays.

Nothing of it is ever run as a program: the tree of the text is walked, and what is not on the list
is refused.
"""

from __future__ import annotations

import ast
import math
import re
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import QuantityError

FloatArray = NDArray[np.float64]
LONGEST = 300
DEEPEST = 40
CONSTANTS = {"pi": math.pi, "e": math.e}
FUNCTIONS: dict[str, tuple[Callable[..., FloatArray], int]] = {
    "sin": (np.sin, 1),
    "cos": (np.cos, 1),
    "tan": (np.tan, 1),
    "asin": (np.arcsin, 1),
    "acos": (np.arccos, 1),
    "atan": (np.arctan, 1),
    "sinh": (np.sinh, 1),
    "cosh": (np.cosh, 1),
    "tanh": (np.tanh, 1),
    "exp": (np.exp, 1),
    "ln": (np.log, 1),
    "log": (np.log10, 1),
    "sqrt": (np.sqrt, 1),
    "abs": (np.abs, 1),
    "sign": (np.sign, 1),
    "floor": (np.floor, 1),
    "ceil": (np.ceil, 1),
    "round": (np.rint, 1),
    "min": (np.minimum, 2),
    "max": (np.maximum, 2),
    "mod": (np.mod, 2),
}
"""Name, function and number of arguments."""

_OPERATORS: dict[type[ast.operator], Callable[[FloatArray, FloatArray], FloatArray]] = {
    ast.Add: np.add,
    ast.Sub: np.subtract,
    ast.Mult: np.multiply,
    ast.Div: np.divide,
    ast.Pow: np.float_power,
}
_LISTED = "numbers, t, pi, e, + − × ÷ ^, brackets and " + ", ".join(FUNCTIONS)
_WRITTEN = {"×": "*", "·": "*", "÷": "/", "−": "-", "^": "**"}
_ALLOWED = re.compile(r"[0-9A-Za-z.,+\-*/() \t]*")


def parse_expression(text: str) -> ast.expr:
    """The tree of an expression that holds nothing but arithmetic.

    Raises
    ------
    QuantityError
        With what is not allowed, and what is.
    """
    if not text.strip():
        raise _refused("is empty")
    if len(text) > LONGEST:
        raise _refused(f"has {len(text)} characters, more than {LONGEST}")
    if "**" in text or "//" in text:
        raise _refused("has a doubled operator; a power is written ^", text)
    plain = "".join(_WRITTEN.get(sign, sign) for sign in text)
    if not _ALLOWED.fullmatch(plain.replace("**", "*")):
        odd = next(sign for sign in text if sign not in _WRITTEN and not _ALLOWED.fullmatch(sign))
        raise _refused(f"has the character {odd!r}", text)
    if re.search(r"\d[A-DF-Za-df-z]", plain):
        raise _refused("has a letter right behind a digit", text)
    depth = deepest = 0
    for sign in plain:
        depth += (sign == "(") - (sign == ")")
        deepest = max(deepest, depth)
    if deepest > DEEPEST:
        raise _refused(f"is nested more than {DEEPEST} deep", text)
    try:
        tree = ast.parse(plain.strip(), mode="eval").body
    except (SyntaxError, ValueError, MemoryError, RecursionError):
        raise _refused("is no arithmetic", text) from None
    _check(tree, text, 0)
    return tree


def _refused(why: str, text: str = "") -> QuantityError:
    shown = f" “{text[:40]}”" if text else ""
    return QuantityError(f"The expression{shown} {why}.", cure=f"Use {_LISTED}.")


def _check(node: ast.AST, text: str, depth: int) -> None:
    if depth > 4 * DEEPEST:
        raise _refused(f"is nested more than {DEEPEST} deep", text)
    match node:
        case ast.Constant(value=value) if isinstance(value, (int, float)) and not isinstance(
            value, bool
        ):
            if not abs(value) <= 1e15:
                raise _refused("has a number above 1e15", text)
        case ast.Name(id=name):
            if name != "t" and name not in CONSTANTS:
                raise _refused(f"has the name “{name[:20]}”, which means nothing here", text)
        case ast.UnaryOp(op=ast.UAdd() | ast.USub(), operand=operand):
            _check(operand, text, depth + 1)
        case ast.BinOp(left=left, op=op, right=right) if type(op) in _OPERATORS:
            _check(left, text, depth + 1)
            _check(right, text, depth + 1)
        case ast.Call(func=ast.Name(id=name), args=args, keywords=[]) if name in FUNCTIONS:
            wanted = FUNCTIONS[name][1]
            if len(args) != wanted:
                raise _refused(f"gives {name} {len(args)} arguments and not {wanted}", text)
            for arg in args:
                _check(arg, text, depth + 1)
        case _:
            raise _refused("has something that is not arithmetic", text)


def evaluate_expression(text: str, t: FloatArray) -> FloatArray:
    """Values of an expression.

    Parameters
    ----------
    t : (n,) float64

    Returns
    -------
    (n,) float64

    Raises
    ------
    QuantityError
        When it is no expression, or has no finite value somewhere.
    """
    tree = parse_expression(text)
    with np.errstate(all="ignore"):
        values = np.broadcast_to(_value(tree, t), t.shape).astype(np.float64)
    wrong = np.flatnonzero(~(np.abs(values) <= 1e12))
    if len(wrong):
        raise QuantityError(
            f"The expression “{text[:40]}” has no usable value at t = {float(t[wrong[0]]):.4g}.",
            cure="Keep it finite from t = 0 to 1.",
        )
    return values


def _value(node: ast.AST, t: FloatArray) -> FloatArray:
    match node:
        case ast.Constant(value=value) if isinstance(value, (int, float)):
            return np.asarray(float(value))
        case ast.Name(id=name):
            return t if name == "t" else np.asarray(CONSTANTS[name])
        case ast.UnaryOp(op=op, operand=operand):
            inner = _value(operand, t)
            return -inner if isinstance(op, ast.USub) else inner
        case ast.BinOp(left=left, op=op, right=right):
            return np.asarray(_OPERATORS[type(op)](_value(left, t), _value(right, t)))
        case ast.Call(func=ast.Name(id=name), args=args):
            return np.asarray(FUNCTIONS[name][0](*(_value(arg, t) for arg in args)))
    raise AssertionError(node)
