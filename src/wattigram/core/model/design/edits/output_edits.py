"""Edits of what goes out: tables, generators, PWM, UARTs and routes."""

from __future__ import annotations

from typing import Literal, TypeVar

from msgspec import Struct

from wattigram.core.base.errors import EditError
from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.model.design.edits.reaction_edits import OF_REACTIONS
from wattigram.core.model.design.outputs import (
    ConstantLevel,
    Generator,
    GeneratorFollow,
    Playback,
    PwmOutput,
    SoftwareRamp,
    UartSetup,
    WaveTable,
)
from wattigram.core.model.design.project import Project
from wattigram.core.model.design.reaction import DutyAction, PeriodAction
from wattigram.core.model.design.route import DutyDestination, PeriodDestination, Route, TableSource
from wattigram.core.model.design.trigger import TimerTrigger

Section = Literal["tables", "generators", "pwm", "uarts", "routes", "reactions"]
Item = TypeVar("Item", WaveTable, Generator, PwmOutput, UartSetup, Route)
_WORDS = {
    "tables": "table",
    "generators": "generator",
    "pwm": "PWM output",
    "uarts": "UART",
    "routes": "route",
    "reactions": "reaction",
}


def _put(items: tuple[Item, ...], item: Item, name: str) -> tuple[Item, ...]:
    """With ``item`` in place of the one of that name, or at the end."""
    kept = [item if one.name == name else one for one in items]
    if item not in kept:
        kept.append(item)
    return tuple(kept)


class SetTable(Struct, frozen=True):
    """Put a table in place of the one called ``name``, or add it; whoever plays it follows a new
    name."""

    name: str
    table: WaveTable

    @property
    def label(self) -> str:
        table = self.table
        level = (
            ""
            if table.in_volts
            else f", {format_volts(table.offset_v)} ± {format_volts(table.amplitude_v)}"
        )
        return f"Make table {table.name}: {table.shape.kind}, {table.points} points{level}"

    def apply(self, project: Project) -> Project:
        new = self.table.name
        tables = _put(project.tables, self.table, self.name)
        if new == self.name:
            return project.replaced(tables=tables)
        generators = tuple(
            generator.replaced(output=generator.output.replaced(table=new))
            if isinstance(generator.output, Playback) and generator.output.table == self.name
            else generator
            for generator in project.generators
        )
        routes = tuple(
            route.replaced(source=TableSource(table=new))
            if isinstance(route.source, TableSource) and route.source.table == self.name
            else route
            for route in project.routes
        )
        return project.replaced(tables=tables, generators=generators, routes=routes)


class SetGenerator(Struct, frozen=True):
    """Put a generator in place of the one called ``name``, or add it; those in step follow a new
    name."""

    name: str
    generator: Generator

    @property
    def label(self) -> str:
        generator = self.generator
        match generator.output:
            case ConstantLevel(voltage_v=volts):
                return f"Hold {generator.dac} at {format_volts(volts)}"
            case SoftwareRamp(from_v=low, to_v=high, dwell_s=dwell):
                return f"Ramp {generator.dac} from {format_volts(low)} to {format_volts(high)}, {format_si(dwell, 's')} a step"
            case Playback(table=table, repeat=repeat):
                return f"Play {table} on {generator.dac}{'' if repeat else ', one-shot'}"

    def apply(self, project: Project) -> Project:
        new = self.generator.name
        generators = _put(project.generators, self.generator, self.name)
        if new != self.name:
            generators = tuple(
                generator.replaced(
                    output=generator.output.replaced(update_trigger=GeneratorFollow(follows=new))
                )
                if isinstance(generator.output, Playback)
                and isinstance(generator.output.update_trigger, GeneratorFollow)
                and generator.output.update_trigger.follows == self.name
                else generator
                for generator in generators
            )
        return project.replaced(generators=generators)


def retimed(project: Project, generator: Generator, timer: TimerTrigger) -> SetGenerator | None:
    """Another timer setting where the trigger of this playback is set; None where a chain sets
    it."""
    output = generator.output
    if not isinstance(output, Playback):
        return None
    match output.update_trigger:
        case TimerTrigger():
            return SetGenerator(
                generator.name, generator.replaced(output=output.replaced(update_trigger=timer))
            )
        case GeneratorFollow(follows=name):
            leader = project.generator(name)
            return retimed(project, leader, timer) if leader is not None else None
        case _:
            return None


class SetPwm(Struct, frozen=True):
    """Put a PWM output in place of the one called ``name``, or add it."""

    name: str
    pwm: PwmOutput

    @property
    def label(self) -> str:
        return f"Pulse {self.pwm.name} every {format_si(self.pwm.period_s, 's')}, {format_si(self.pwm.duty, '%')} high"

    def apply(self, project: Project) -> Project:
        new = self.pwm.name
        routes = project.routes
        if new != self.name:
            routes = tuple(
                route.replaced(destination=route.destination.replaced(pwm=new))
                if isinstance(route.destination, (DutyDestination, PeriodDestination))
                and route.destination.pwm == self.name
                else route
                for route in routes
            )
        reactions = tuple(
            reaction.replaced(do=reaction.do.replaced(pwm=new))
            if isinstance(reaction.do, (DutyAction, PeriodAction)) and reaction.do.pwm == self.name
            else reaction
            for reaction in project.reactions
        )
        return project.replaced(
            pwm=_put(project.pwm, self.pwm, self.name), routes=routes, reactions=reactions
        )


class SetUart(Struct, frozen=True):
    """Set a UART up."""

    uart: UartSetup

    @property
    def label(self) -> str:
        return f"Run {self.uart.name} at {self.uart.baud} baud"

    def apply(self, project: Project) -> Project:
        return project.replaced(uarts=_put(project.uarts, self.uart, self.uart.name))


class SetRoute(Struct, frozen=True):
    """Put a route in place of the one called ``name``, or add it."""

    name: str
    route: Route

    @property
    def label(self) -> str:
        on = {
            "source": "its source is ready",
            "destination": "its destination is ready",
            "timer": "a timer requests it",
        }[self.route.request]
        return f"Route {self.route.name}: {self.route.source.kind} to {self.route.destination.kind} when {on}"

    def apply(self, project: Project) -> Project:
        expectations = tuple(
            expectation.replaced(signal=self.route.name)
            if expectation.kind == "route" and expectation.signal == self.name
            else expectation
            for expectation in project.expectations
        )
        return project.replaced(
            routes=_put(project.routes, self.route, self.name), expectations=expectations
        )


class RemoveOutput(Struct, frozen=True):
    """Take a table, generator, PWM output, UART, route or reaction out, with what is expected of it."""

    section: Section
    name: str

    @property
    def label(self) -> str:
        return f"Remove {_WORDS[self.section]} {self.name}"

    def apply(self, project: Project) -> Project:
        items = getattr(project, self.section)
        kept = tuple(item for item in items if item.name != self.name)
        if len(kept) == len(items):
            raise EditError(
                f"There is no {_WORDS[self.section]} “{self.name}”.",
                cure="Choose one that is there.",
            )
        kinds = {"routes": ("route",), "reactions": OF_REACTIONS}.get(self.section, ())
        expectations = tuple(
            expectation
            for expectation in project.expectations
            if expectation.kind not in kinds or expectation.signal != self.name
        )
        return project.replaced(**{self.section: kept, "expectations": expectations})
