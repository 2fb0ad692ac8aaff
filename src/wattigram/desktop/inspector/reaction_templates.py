"""Reactions as a firmware engineer writes them again and again, with the port or pulse that they
need where there is none yet."""

from __future__ import annotations

from collections.abc import Callable
from itertools import count

from wattigram.core.base.errors import QuantityError
from wattigram.core.model.design import (
    PeriodElapsed,
    PwmOutput,
    Reaction,
    ResultsFetched,
    UartSetup,
    Workspace,
)
from wattigram.core.model.design.edits import Edit, SetPwm, SetReaction, SetUart, apply_edit
from wattigram.core.model.design.reaction import When
from wattigram.core.model.design.templates import Template
from wattigram.desktop.inspector.fresh_reactions import fresh_do, fresh_when
from wattigram.desktop.inspector.outputs import free_timer

Make = Callable[[Workspace], tuple[Edit, ...]]


def unused_name(base: str, taken: set[str]) -> str:
    """The base with the first number that makes it a new name."""
    return next(name for number in count(1) if (name := f"{base} {number}") not in taken)


def fresh_uart(workspace: Workspace) -> SetUart:
    """The first serial port that is free, set up. Raises :class:`QuantityError` where none is."""
    used = {uart.name for uart in workspace.project.uarts}
    free = [name for group in workspace.part.uarts for name in group.names if name not in used]
    if not free:
        raise QuantityError(f"{workspace.part.name} has no serial port left.")
    return SetUart(UartSetup(name=free[0]))


def fresh_pwm(workspace: Workspace) -> SetPwm:
    """A pulse on the first timer that is free. Raises :class:`QuantityError` where none is."""
    timer = free_timer(workspace, with_pwm=True)
    name = unused_name("PWM", {pwm.name for pwm in workspace.project.pwm})
    return SetPwm(name, PwmOutput(name=name, timer=timer, period_s="50 us", duty=0.5))


def _reaction(name: str, when: Callable[[Workspace], When], kind: str) -> Make:
    def make(workspace: Workspace) -> tuple[Edit, ...]:
        before: list[Edit] = []
        if kind in {"text", "bytes"} and not workspace.project.uarts:
            before.append(fresh_uart(workspace))
        if kind in {"duty", "pulse-period"} and not workspace.project.pwm:
            before.append(fresh_pwm(workspace))
        for edit in before:
            workspace = apply_edit(workspace, edit)
        cause = when(workspace)
        called = unused_name(name, {reaction.name for reaction in workspace.project.reactions})
        fresh = Reaction(name=called, when=cause, do=fresh_do(workspace, kind, cause))
        return (*before, SetReaction(called, fresh))

    return make


def _at_threshold(change: str) -> Callable[[Workspace], When]:
    return lambda workspace: fresh_when(workspace, "threshold").replaced(change=change)


def _every(period: str) -> Callable[[Workspace], When]:
    return lambda _workspace: PeriodElapsed(period_s=period)


def _results(workspace: Workspace) -> ResultsFetched:
    return fresh_when(workspace, "results")  # type: ignore[return-value]


REACTION_TEMPLATES = (
    Template(
        "Lamp at a threshold",
        "a port pin is high while a threshold holds",
        _reaction("Lamp", _at_threshold("both"), "pin"),
    ),
    Template(
        "Text at a threshold",
        "a line with the value when a threshold begins to hold",
        _reaction("Text", _at_threshold("enters"), "text"),
    ),
    Template(
        "Report every second",
        "a line with the newest value",
        _reaction("Report", _every("1 s"), "text"),
    ),
    Template(
        "Bytes of each half buffer",
        "the newest value as bytes, each time results are fetched",
        _reaction("Bytes", _results, "bytes"),
    ),
    Template(
        "Duty follows a signal",
        "a pulse as wide as a value is high",
        _reaction("Duty", _results, "duty"),
    ),
    Template(
        "DAC follows a signal",
        "a level as high as a value",
        _reaction("Level", _results, "dac"),
    ),
    Template(
        "Bar of a signal",
        "four port pins, one after the other",
        _reaction("Bar", _every("20 ms"), "bar"),
    ),
    Template(
        "Sign of life",
        "a port pin that toggles twice a second",
        _reaction("Alive", _every("500 ms"), "pin"),
    ),
)
