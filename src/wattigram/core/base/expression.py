"""Formulas of one quantity, as people write them, worked out without running anything of theirs."""

from __future__ import annotations

import ast
import math
import operator
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

LONGEST = 300
DEEPEST = 40
LARGEST = 1e300
_BINARY: dict[type[ast.operator], Callable[[Any, Any], Any]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: np.divide,
    ast.Pow: np.power,
}
_UNARY: dict[type[ast.unaryop], Callable[[Any], Any]] = {
    ast.UAdd: operator.pos,
    ast.USub: operator.neg,
}
FUNCTIONS: dict[str, Callable[[Any], Any]] = {
    "exp": np.exp,
    "log": np.log,
    "log10": np.log10,
    "sqrt": np.sqrt,
    "abs": np.abs,
}
CONSTANTS = {"pi": math.pi, "e": math.e}


class Formula:
    """Sums, products, powers and a few functions of one name.

    Raises ``ValueError``, with a sentence, where the text is no such formula.
    """

    def __init__(self, text: str, name: str) -> None:
        self.text, self._name = text, name
        if len(text) > LONGEST:
            raise ValueError(f"The formula is longer than {LONGEST} characters. Shorten it.")
        try:
            tree = ast.parse(text.strip().replace("^", "**"), mode="eval").body
        except (SyntaxError, ValueError, RecursionError, MemoryError):
            raise ValueError(
                f"“{text[:60]}” is no formula. Write one such as “20 * ({name} - 1.65)”."
            ) from None
        self._check(tree, DEEPEST)
        self._tree = tree

    def _check(self, node: ast.AST, depth: int) -> None:
        if depth == 0:
            raise ValueError("The formula is nested too deep. Simplify it.")
        match node:
            case ast.BinOp(left=left, op=op, right=right) if type(op) in _BINARY:
                self._check(left, depth - 1)
                self._check(right, depth - 1)
            case ast.UnaryOp(op=op, operand=operand) if type(op) in _UNARY:
                self._check(operand, depth - 1)
            case ast.Call(func=ast.Name(id=called), args=[inner], keywords=[]) if (
                called in FUNCTIONS
            ):
                self._check(inner, depth - 1)
            case ast.Constant(value=int() | float() as value) if abs(value) < LARGEST:
                pass
            case ast.Name(id=known) if known == self._name or known in CONSTANTS:
                pass
            case _:
                told = ast.unparse(node)[:40]
                raise ValueError(
                    f"“{told}” cannot be in a formula. There are {self._name}, numbers, + - * / **, pi, e, and "
                    f"{', '.join(FUNCTIONS)} of one value."
                )

    def __call__(self, values: NDArray[np.float64]) -> NDArray[np.float64]:
        """Of (n,) float64; NaN where it has no value."""
        with np.errstate(all="ignore"):
            found = np.asarray(self._worked_out(self._tree, values), dtype=np.float64)
        found = np.broadcast_to(found, values.shape)
        return np.where(np.isfinite(found), found, np.nan)

    def _worked_out(self, node: ast.AST, values: NDArray[np.float64]) -> Any:
        match node:
            case ast.BinOp(left=left, op=op, right=right):
                return _BINARY[type(op)](
                    self._worked_out(left, values), self._worked_out(right, values)
                )
            case ast.UnaryOp(op=sign, operand=operand):
                return _UNARY[type(sign)](self._worked_out(operand, values))
            case ast.Call(func=ast.Name(id=called), args=[inner]):
                return FUNCTIONS[called](self._worked_out(inner, values))
            case ast.Constant(value=value):
                return np.float64(value)  # type: ignore[arg-type]
            case ast.Name(id=known):
                return values if known == self._name else np.float64(CONSTANTS[known])
        raise AssertionError(node)
