"""What outputs and routes set timers, DACs, UARTs and DMA to."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

from wattigram.core.base.errors import RegisterError
from wattigram.core.base.quantity import format_si
from wattigram.core.model.design import TimerTrigger, Workspace, start_levels
from wattigram.core.model.design.outputs import ConstantLevel, Generator, Playback, SoftwareRamp
from wattigram.core.model.design.route import (
    DacDestination,
    DutyDestination,
    PeriodDestination,
    ReceivedSource,
    ResultSource,
    Route,
    UartDestination,
)
from wattigram.core.predict.clocks import set_timer, timer_setting, uart_timing
from wattigram.core.predict.pins import pwm_timing
from wattigram.core.predict.timing import slot_order
from wattigram.core.predict.waveform import codes_of, dac_playback, update_timer
from wattigram.core.silicon.registers.equivalents import newest_result
from wattigram.core.silicon.registers.register_map import RegisterMap, Setting, Symbol, Value
from wattigram.core.silicon.registers.setup_step import LINE, SetupBuilder, SetupStep


def uart_steps(
    workspace: Workspace, registers: RegisterMap, name: str, told: bool = False
) -> Iterator[SetupStep]:
    """Baud, data bits, parity and stop bits of a UART; and its interrupt, where the program waits for
    bytes, or is ``told`` of all that come."""
    uart = workspace.project.uart(name)
    assert uart is not None
    timing = uart_timing(workspace, uart)
    step = SetupBuilder(registers, name)
    step.put("divider", timing.divider)
    step.put("data-bits", uart.data_bits, only=8)
    step.put("parity", uart.parity, only="none")
    step.put("stop-bits", uart.stop_bits, only=1)
    is_awaited = told or any(watch.uart == name for watch in workspace.watches)
    if is_awaited:
        step.put("tells", True, only=True)
    step.put("on", True)
    yield SetupStep(
        "set-up",
        name,
        f"set up {name}",
        f"{float(timing.baud_hz):.6g} baud by a divider of {timing.divider}.",
        tuple(step.settings),
    )
    if is_awaited:
        yield SetupStep(
            "interrupt",
            name,
            f"enable the interrupt of {name}",
            "Bytes that come are told to the program.",
            (Setting(name, LINE, True),),
        )


def port_steps(workspace: Workspace, registers: RegisterMap) -> Iterator[SetupStep]:
    """Levels of the port pins that reactions set, and then that they are outputs."""
    levels = start_levels(workspace.project.reactions)
    for port in workspace.part.ports:
        mine = {pin: bit for pin, bit in port.bits.items() if pin in levels}
        if not mine:
            continue
        step = SetupBuilder(registers, port.name)
        high = sum(1 << bit for pin, bit in mine.items() if levels[pin])
        step.put("output", high)
        step.put("outputs", sum(1 << bit for bit in mine.values()))
        yield SetupStep(
            "set-up",
            port.name,
            f"set up {port.name}",
            f"{', '.join(mine)}: levels first, so that no pin shows another one before.",
            tuple(step.settings),
        )


def timer_steps(workspace: Workspace, registers: RegisterMap) -> Iterator[SetupStep]:
    """Each timer once, as the last of its users has it; none runs yet."""
    project = workspace.project
    every: dict[str, Fraction] = {}
    triggers: list[object] = [chain.trigger for chain in project.chains]
    triggers += [
        generator.output.update_trigger
        for generator in project.generators
        if isinstance(generator.output, Playback)
    ]
    settings = {
        trigger.timer: timer_setting(workspace, trigger)
        for trigger in triggers
        if isinstance(trigger, TimerTrigger)
    }
    for pwm in project.pwm:
        settings[pwm.timer] = pwm_timing(workspace, pwm).setting
    for route in project.routes:
        if route.timer is not None:
            every[route.timer.timer] = route.timer.period_s
            settings[route.timer.timer] = set_timer(
                workspace, route.timer.timer, route.timer.period_s
            )
    for name, setting in settings.items():
        step = SetupBuilder(registers, name)
        step.put("prescaler", setting.prescaler)
        step.put("period", setting.period_counts)
        for one in project.generators:
            output = one.output
            if (
                isinstance(output, Playback)
                and output.starts_with
                and (timer := update_timer(workspace, output))
            ):
                chain = project.chain(output.starts_with)
                own = project.own_trigger(chain) if chain is not None else None
                shares = isinstance(own, TimerTrigger) and own.timer == timer.timer
                if timer.timer == name and not shares:
                    step.put("starts-with", output.starts_with)
        for pwm in project.pwm:
            if pwm.timer == name:
                step.put("compare", pwm_timing(workspace, pwm).high_counts)
                step.put("pulse", True, only=True)
                if registers.has(name, "loads"):
                    loads = "dma" if pwm.whole else "period" if pwm.preload else "direct"
                    step.put("loads", loads)
                else:
                    step.put("preload", pwm.preload, only=False)
                    step.put("whole", pwm.whole, only=False)
        yield SetupStep(
            "set-up",
            name,
            f"set up {name}",
            f"{setting.prescaler} × {setting.period_counts} clocks of {format_si(setting.timer_hz, 'Hz')}; "
            "registers hold one less.",
            tuple(step.settings),
        )


def generator_steps(
    workspace: Workspace, registers: RegisterMap, generator: Generator
) -> Iterator[SetupStep]:
    """The DAC of a generator, and the DMA channel and timer that feed it."""
    dac = workspace.part.dac(generator.dac)
    assert dac is not None
    step = SetupBuilder(registers, generator.dac)
    step.put("buffer", generator.buffered, only=True)
    output = generator.output
    timer = update_timer(workspace, output) if isinstance(output, Playback) else None
    twice = generator.double_buffered and timer is not None
    if dac.references:
        step.put("reference", workspace.dac_reference(dac))
    if registers.has(generator.dac, "twice") or not registers.has(generator.dac, "trigger"):
        step.put("twice", twice, only=False)
    else:  # a trigger that is chosen says it
        timer = timer if twice else None
    step.put("trigger", timer.timer if timer is not None else "none", only="none")
    timer = update_timer(workspace, output) if isinstance(output, Playback) else None
    if isinstance(output, ConstantLevel):
        step.put(
            "data", int(codes_of(workspace, dac, dac_playback(workspace, generator).wanted_v)[0])
        )
    step.put("on", True, only=True)
    yield SetupStep(
        "set-up",
        generator.dac,
        f"set up {generator.dac}",
        f"For {generator.name}.",
        tuple(step.settings),
    )
    if isinstance(output, Playback) and timer is not None:
        table = workspace.project.table(output.table)
        assert table is not None
        moving = SetupBuilder(registers, output.channel)
        moving.put("request", timer.timer)
        moving.put("from", Symbol("table", output.table))
        moving.put("to", registers.find(generator.dac, "data").field_address)
        moving.put("count", table.points)
        if output.start_index % table.points:
            moving.put("place", output.start_index % table.points)
        moving.put("repeat", output.repeat, only=False)
        moving.put("from-width", 16, only=16)
        moving.put("to-width", 16, only=16)
        moving.put("from-step", True, only=True)
        moving.put("to-step", False, only=False)
        yield SetupStep(
            "set-up",
            output.channel,
            f"{output.channel} plays {output.table}",
            "A point for each update.",
            tuple(moving.settings),
        )
        moving = SetupBuilder(registers, output.channel)
        moving.put("on", True)
        yield SetupStep(
            "output",
            output.channel,
            f"enable {output.channel}",
            "Before the first update asks for a point.",
            tuple(moving.settings),
        )


def fed_dac_step(registers: RegisterMap, route: str, dac: str) -> SetupStep:
    """A DAC that a route writes to."""
    step = SetupBuilder(registers, dac)
    step.put("buffer", True, only=True)
    step.put("on", True, only=True)
    return SetupStep("set-up", dac, f"set up {dac}", f"{route} writes to it.", tuple(step.settings))


def route_step(workspace: Workspace, registers: RegisterMap, route: Route) -> SetupStep:
    """The DMA channel of a route. Raises :class:`RegisterError` where the part cannot."""
    step = SetupBuilder(registers, route.channel)
    match route.source:
        case ResultSource(converter=converter, signal=signal):
            source: Value = newest_result(registers, converter)
            event = converter
            chain = workspace.project.chain(converter)
            many = registers.counted_by(converter, "result") == "slot"
            if signal is not None and chain is not None and many and chain.places_of(signal):
                place = slot_order(workspace, chain).index(chain.places_of(signal)[0])
                source = registers.find(converter, "result", place).field_address
        case ReceivedSource(uart=uart):
            source, event = registers.find(uart, "received").field_address, f"{uart} received"
        case table:
            source, event = Symbol("table", table.table), ""
    match route.destination:
        case UartDestination(uart=uart):
            sink, room = registers.find(uart, "sent").field_address, f"{uart} room"
        case DutyDestination(pwm=name) | PeriodDestination(pwm=name):
            pwm = workspace.project.pwm_output(name)
            assert pwm is not None
            which = "compare" if isinstance(route.destination, DutyDestination) else "period"
            sink, room = registers.find(pwm.timer, which).field_address, pwm.timer
        case DacDestination(dac=dac):
            sink, room = registers.find(dac, "data").field_address, ""
    request = {
        "source": event,
        "destination": room,
        "timer": route.timer.timer if route.timer else "",
    }[route.request]
    if not request:
        raise RegisterError(
            f"Route “{route.name}”: nothing there asks for a transfer.",
            cure="Let a timer start its transfers.",
        )
    is_table = isinstance(source, Symbol)
    step.put("request", request)
    step.put("from", source)
    step.put("to", sink)
    table_points = 0
    if isinstance(source, Symbol) and (wave := workspace.project.table(source.name)) is not None:
        table_points = wave.points
    step.put("count", table_points or 1)
    step.put("repeat", True)
    step.put("from-width", route.source_bits)
    step.put("to-width", route.destination_bits)
    step.put("from-step", is_table or (route.increment and route.transfers > 1), only=False)
    step.put("to-step", False, only=False)
    step.put("pieces", route.transfers, only=1)
    step.put("high-first", route.endianness == "big-endian", only=False)
    step.put("on", True)
    return SetupStep(
        "set-up",
        route.channel,
        f"{route.channel} carries {route.name}",
        "No processor is in its path.",
        tuple(step.settings),
    )


def play_steps(workspace: Workspace, registers: RegisterMap) -> Iterator[SetupStep]:
    """Timers of generators and routes that nothing has started yet."""
    project = workspace.project
    running = {
        chain.trigger.timer for chain in project.chains if isinstance(chain.trigger, TimerTrigger)
    }
    running |= {pwm.timer for pwm in project.pwm}
    wanted: list[tuple[str, str]] = []
    for generator in project.generators:
        if (
            isinstance(generator.output, Playback)
            and (timer := update_timer(workspace, generator.output)) is not None
        ):
            wanted.append((timer.timer, generator.name))
        elif isinstance(generator.output, SoftwareRamp):
            continue
    wanted += [
        (route.timer.timer, route.name) for route in project.routes if route.timer is not None
    ]
    for name, what in wanted:
        if name not in running:
            running.add(name)
            step = SetupBuilder(registers, name)
            step.put("run", True)
            yield SetupStep(
                "output", name, f"start {what}", "All that it moves is ready.", tuple(step.settings)
            )
