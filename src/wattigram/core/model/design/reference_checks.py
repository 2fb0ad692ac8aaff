"""What outputs and routes name, and whether the project has it."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import Protocol

from wattigram.core.model.design.outputs import (
    ChainFollow,
    Generator,
    GeneratorFollow,
    Playback,
    PwmOutput,
    UartSetup,
    WaveTable,
)
from wattigram.core.model.design.retrieval import CircularBuffer, Retrieval
from wattigram.core.model.design.route import (
    DacDestination,
    DutyDestination,
    PeriodDestination,
    ReceivedSource,
    ResultSource,
    Route,
    UartDestination,
)
from wattigram.core.model.design.trigger import Trigger


class _Named(Protocol):
    @property
    def name(self) -> str: ...


class _SlotNames(Protocol):
    @property
    def signal(self) -> str: ...


class NamedChain(Protocol):
    """A chain with what others name of it."""

    @property
    def converter(self) -> str: ...
    @property
    def trigger(self) -> Trigger: ...
    @property
    def read_period_s(self) -> Fraction | None: ...
    @property
    def readout(self) -> Retrieval: ...
    @property
    def buffer(self) -> CircularBuffer: ...
    @property
    def slots(self) -> Sequence[_SlotNames]: ...


class DesignNames(Protocol):
    """The parts of a project that name each other."""

    @property
    def signals(self) -> tuple[_Named, ...]: ...
    @property
    def chains(self) -> tuple[NamedChain, ...]: ...
    @property
    def tables(self) -> tuple[WaveTable, ...]: ...
    @property
    def generators(self) -> tuple[Generator, ...]: ...
    @property
    def pwm(self) -> tuple[PwmOutput, ...]: ...
    @property
    def uarts(self) -> tuple[UartSetup, ...]: ...
    @property
    def routes(self) -> tuple[Route, ...]: ...


def check_outputs(project: DesignNames) -> None:
    """Raise ``ValueError`` for a name that nothing has."""
    tables = {table.name for table in project.tables}
    chains = {chain.converter for chain in project.chains}
    leaders = {generator.name for generator in project.generators if _leads(generator)}
    for generator in project.generators:
        output = generator.output
        if not isinstance(output, Playback):
            continue
        _need(output.table, tables, f"“{generator.name}” plays the table")
        match output.update_trigger:
            case GeneratorFollow(follows=name):
                _need(name, leaders - {generator.name}, f"“{generator.name}” is in step with")
            case ChainFollow(follows=name):
                _need(name, chains, f"“{generator.name}” has a point for each trigger of")
            case _:
                pass
        if output.starts_with is not None:
            _need(output.starts_with, chains, f"“{generator.name}” starts with")
    for route in project.routes:
        _check_route(project, route, tables, chains)


def _leads(generator: Generator) -> bool:
    output = generator.output
    return isinstance(output, Playback) and not isinstance(output.update_trigger, GeneratorFollow)


def _check_route(project: DesignNames, route: Route, tables: set[str], chains: set[str]) -> None:
    uarts = {uart.name for uart in project.uarts}
    match route.source:
        case ResultSource(converter=converter, signal=signal):
            _need(converter, chains, f"Route “{route.name}” takes results of")
            if signal is not None:
                _need(
                    signal,
                    {signal.name for signal in project.signals},
                    f"Route “{route.name}” takes results of",
                )
        case ReceivedSource(uart=uart):
            _need(uart, uarts, f"Route “{route.name}” takes bytes of")
        case source:
            _need(source.table, tables, f"Route “{route.name}” takes the table")
    match route.destination:
        case UartDestination(uart=uart):
            _need(uart, uarts, f"Route “{route.name}” sends by")
        case DutyDestination(pwm=pwm) | PeriodDestination(pwm=pwm):
            _need(pwm, {pwm.name for pwm in project.pwm}, f"Route “{route.name}” sets")
        case DacDestination(dac=dac):
            if any(generator.dac == dac for generator in project.generators):
                raise ValueError(
                    f"Route “{route.name}” and a generator both write to {dac}. Remove one."
                )
    sinks = [other.name for other in project.routes if other.destination == route.destination]
    if len(sinks) > 1:
        raise ValueError(
            f"Routes “{sinks[0]}” and “{sinks[1]}” write to the same place. Remove one."
        )


def _need(name: str, known: set[str], what: str) -> None:
    if name not in known:
        raise ValueError(f"{what} “{name}”, which is not there. Add it, or name another.")
