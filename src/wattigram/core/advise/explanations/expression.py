"""Formulas as text that is both shown and worked out."""

from __future__ import annotations

import ast
import math
import operator
from collections.abc import Callable, Mapping
from fractions import Fraction

Number = Fraction | float
_OPERATIONS: dict[type[ast.operator], Callable[[Number, Number], Number]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.Pow: operator.pow,
}
_FUNCTIONS: dict[str, Callable[..., Number]] = {
    "sqrt": math.sqrt,
    "exp": math.exp,
    "ln": math.log,
    "log2": math.log2,
    "log10": math.log10,
    "acos": math.acos,
    "sin": math.sin,
    "ceil": lambda value: Fraction(math.ceil(value)),
    "floor": lambda value: Fraction(math.floor(value)),
    "round": lambda value: Fraction(round(value)),
    "max": max,
    "min": min,
}
_SIGNS = {ast.Add: " + ", ast.Sub: " − ", ast.Mult: " · ", ast.Div: " / "}
_RANKS = {ast.Add: 1, ast.Sub: 1, ast.Mult: 2, ast.Div: 2, ast.Pow: 3}


def evaluate(formula: str, values: Mapping[str, Number]) -> Number:
    """What a formula comes to: exact where all in it is.

    Raises
    ------
    ValueError
        When it has something else than numbers, names, the four operations, powers and functions.
    """
    return _value(ast.parse(formula, mode="eval").body, values)


def _value(node: ast.expr, values: Mapping[str, Number]) -> Number:
    match node:
        case ast.Constant(value=int() as number):
            return Fraction(number)
        case ast.Name(id=name):
            known = values[name]
            return Fraction(known) if isinstance(known, int) else known  # a quotient stays exact
        case ast.UnaryOp(op=ast.USub(), operand=operand):
            return -_value(operand, values)
        case ast.BinOp(left=left, op=op, right=right) if type(op) in _OPERATIONS:
            return _OPERATIONS[type(op)](_value(left, values), _value(right, values))
        case ast.Call(func=ast.Name(id=name), args=args, keywords=[]) if name in _FUNCTIONS:
            return _FUNCTIONS[name](*(_value(one, values) for one in args))
        case _:
            raise ValueError(f"“{ast.unparse(node)}” is no part of a formula")


def shown(formula: str, words: Mapping[str, str]) -> str:
    """A formula as it is read, with a word, or a value, for each name."""
    return _text(ast.parse(formula, mode="eval").body, words, 0)


def _text(node: ast.expr, words: Mapping[str, str], rank: int) -> str:
    match node:
        case ast.Constant(value=number):
            return str(number)
        case ast.Name(id=name):
            return words[name]
        case ast.UnaryOp(operand=operand):
            return f"−{_text(operand, words, 3)}"
        case ast.BinOp(left=left, op=op, right=right):
            mine = _RANKS[type(op)]
            if isinstance(op, ast.Pow):
                return f"{_text(left, words, 4)}^{_text(right, words, 4)}"
            # What is taken away, or divided by, is held together.
            more = mine + isinstance(op, (ast.Sub, ast.Div))
            text = f"{_text(left, words, mine)}{_SIGNS[type(op)]}{_text(right, words, more)}"
            return f"({text})" if mine < rank else text
        case ast.Call(func=ast.Name(id=name), args=args):
            inner = ", ".join(_text(one, words, 0) for one in args)
            return f"√({inner})" if name == "sqrt" else f"{name}({inner})"
        case _:
            raise ValueError(f"“{ast.unparse(node)}” is no part of a formula")
