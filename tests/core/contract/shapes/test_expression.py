"""Arithmetic on t: what is allowed, and a hostile list that is refused at once."""

from __future__ import annotations

import math
import time

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wattigram.core.base.errors import QuantityError
from wattigram.core.contract.shapes import evaluate_expression, parse_expression

T = np.linspace(0, 1, 9)


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("1.65 + 1.2*sin(2*pi*t)", 1.65 + 1.2 * np.sin(2 * math.pi * T)),
        ("2^3^2", np.full(9, 512.0)),
        ("-2^2", np.full(9, -4.0)),
        ("6 ÷ 2 × 3 − 1", np.full(9, 8.0)),
        ("max(t, 0.5) * min(1, 2)", np.maximum(T, 0.5)),
        ("mod(3*t, 1)", np.mod(3 * T, 1)),
        ("sqrt(abs(t - 1)) + ln(e) + log(100)", np.sqrt(1 - T) + 3),
    ],
)
def test_arithmetic_is_done(text: str, value: np.ndarray) -> None:
    assert np.allclose(evaluate_expression(text, T), value)


HOSTILE = [
    "__import__('os').system('true')",
    "t.__class__.__mro__",
    "().__class__",
    "9^9^9^9^9",
    "10**10**10",
    "(" * 5000 + "t" + ")" * 5000,
    "-" * 250 + "t",
    "sin(" * 60 + "t" + ")" * 60,
    "t" * 400,
    "lambda: t",
    "[t for t in range(9)]",
    "{1:2}",
    "t if t else 1",
    "f'{t}'",
    '"a"*10',
    "ｔ+1",
    "𝐬𝐢𝐧(t)",
    "sіn(t)",  # a Cyrillic letter
    "t\n+1",
    "t;t",
    "t=1",
    "t:=1",
    "sin(x=t)",
    "sin(*t)",
    "exec(t)",
    "eval",
    "True",
    "1j*t",
    "0xFF",
    "1_000",
    "1e999",
    "1/t",
    "ln(0)",
    "sqrt(-1)",
    "exp(exp(exp(9)))",
    "sin()",
    "sin(t,t)",
    "sin t",
    "1 2",
    "",
    "   ",
    "\x00",
    "…",
    "t @ t",
    "t // 2",
    "t % 2",
    "t << 2",
    "~t",
    "not t",
    "t < 1",
]


@pytest.mark.parametrize("text", HOSTILE, ids=range(len(HOSTILE)))
def test_what_is_hostile_is_refused_with_a_sentence_at_once(text: str) -> None:
    began = time.process_time()
    with pytest.raises(QuantityError) as caught:
        evaluate_expression(text, T)
    assert time.process_time() - began < 0.25
    assert caught.value.message.startswith("The expression")
    assert caught.value.cure
    assert len(str(caught.value)) < 500


@given(st.text(max_size=60))
def test_any_text_is_arithmetic_or_refused(text: str) -> None:
    try:
        parse_expression(text)
    except QuantityError:
        return
    assert set(text) <= set("0123456789eE.,+-*/^×÷−·() \tabcdefghijklmnopqrstuvwxyzpi")
