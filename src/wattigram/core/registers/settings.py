"""What a design sets its peripherals to, in the order in which firmware does it, with the reason for each place."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

from wattigram.core.clocks import set_timer, timer_setting, uart_timing
from wattigram.core.design import (
    Chain,
    ComparatorTrigger,
    Dma,
    EdgeTrigger,
    Fifo,
    FollowTrigger,
    FreeRunningTrigger,
    Interrupt,
    SoftwareTrigger,
    TimerTrigger,
    WindowTrigger,
    Workspace,
)
from wattigram.core.design.model import Step
from wattigram.core.design.outputs import Generator, HeldLevel, Playback, SoftwareRamp
from wattigram.core.design.route import (
    DacSink,
    DutySink,
    PeriodSink,
    ReceivedSource,
    ResultSource,
    Route,
    SendSink,
)
from wattigram.core.errors import RegisterError
from wattigram.core.pins import compared, pwm_timing
from wattigram.core.registers.judged import hardware_windows, judged_settings
from wattigram.core.registers.map import RegisterMap, Setting, Symbol, Value
from wattigram.core.timing import cycle_timing, right_order, slot_order, startup
from wattigram.core.waveform import codes_of, playing, update_timer

LINE = "line"
"""Name of the setting that enables a peripheral's interrupt; the core's own controller holds it."""


@dataclass(frozen=True)
class SetupStep:
    """Settings that are made at once. ``kind`` is a step of starting up, or what is set up."""

    kind: Step | str
    owner: str
    title: str
    reason: str
    settings: tuple[Setting, ...]


class SetupBuilder:
    """Collects settings of one step; leaves out what the part neither has nor needs."""

    def __init__(self, registers: RegisterMap, owner: str) -> None:
        self._registers = registers
        self._owner = owner
        self.found: list[Setting] = []

    def put(self, name: str, value: Value, index: int = 0, only: Value | None = None) -> None:
        """Set something; where the part has no field for it, ``only`` is what it always is."""
        if only is not None and value == only and not self._registers.has(self._owner, name):
            return
        self._registers.find(self._owner, name, index)
        self.found.append(Setting(self._owner, name, value, index))


def setup_steps(workspace: Workspace) -> tuple[SetupStep, ...]:
    """All that firmware sets, in its order.

    Raises
    ------
    RegisterError
        When the part's registers cannot hold what the design wants.
    """
    registers = RegisterMap(workspace.part)
    if not workspace.part.blocks:
        raise RegisterError(
            f"{workspace.part.name} has no registers in its part file.",
            cure="Describe them there, or take the tables only.",
        )
    return tuple(_steps(workspace, registers))


def _steps(workspace: Workspace, registers: RegisterMap) -> Iterator[SetupStep]:
    project = workspace.project
    for uart in project.uarts:
        yield _uart(workspace, registers, uart.name)
    yield from _timers(workspace, registers)
    for generator in project.generators:
        yield from _generator(workspace, registers, generator)
    yield from _comparators(workspace, registers)
    for chain in project.chains:
        yield _converter(workspace, registers, chain)
        judged = judged_settings(workspace, registers, chain)
        if judged:
            yield SetupStep("set-up", chain.converter, f"windows of {chain.converter}", "Limits as codes.", judged)
        if isinstance(chain.retrieval, Dma):
            yield _chain_dma(workspace, registers, chain, chain.retrieval)
            if cycle_timing(workspace, chain).stamped:
                yield _stamp_dma(workspace, registers, chain, chain.retrieval)
    for route in project.routes:
        yield _route(workspace, registers, route)
    for pwm in project.pwm:
        step = SetupBuilder(registers, pwm.timer)
        step.put("run", True)
        yield SetupStep("output", pwm.timer, f"start {pwm.name}", "Pulses come from now on.", tuple(step.found))
    yield from _starting(workspace, registers)
    yield from _play(workspace, registers)


def _uart(workspace: Workspace, registers: RegisterMap, name: str) -> SetupStep:
    uart = workspace.project.uart(name)
    assert uart is not None
    timing = uart_timing(workspace, uart)
    step = SetupBuilder(registers, name)
    step.put("divider", timing.divider)
    step.put("parity", uart.parity, only="none")
    step.put("stop-bits", uart.stop_bits, only=1)
    step.put("on", True)
    return SetupStep(
        "set-up",
        name,
        f"set up {name}",
        f"{float(timing.baud_hz):.6g} baud by a divider of {timing.divider}.",
        tuple(step.found),
    )


def _timers(workspace: Workspace, registers: RegisterMap) -> Iterator[SetupStep]:
    """Each timer once, as the last of its users has it; none runs yet."""
    project = workspace.project
    every: dict[str, Fraction] = {}
    triggers: list[object] = [chain.trigger for chain in project.chains]
    triggers += [one.output.trigger for one in project.generators if isinstance(one.output, Playback)]
    settings = {
        trigger.timer: timer_setting(workspace, trigger) for trigger in triggers if isinstance(trigger, TimerTrigger)
    }
    for pwm in project.pwm:
        settings[pwm.timer] = pwm_timing(workspace, pwm).setting
    for route in project.routes:
        if route.timer is not None:
            every[route.timer.timer] = route.timer.every
            settings[route.timer.timer] = set_timer(workspace, route.timer.timer, route.timer.every)
    for name, setting in settings.items():
        step = SetupBuilder(registers, name)
        step.put("prescaler", setting.prescaler)
        step.put("period", setting.period_counts)
        for one in project.generators:
            output = one.output
            if isinstance(output, Playback) and output.starts_with and (timer := update_timer(workspace, output)):
                chain = project.chain(output.starts_with)
                own = project.own_trigger(chain) if chain is not None else None
                shares = isinstance(own, TimerTrigger) and own.timer == timer.timer
                if timer.timer == name and not shares:
                    step.put("starts-with", output.starts_with)
        for pwm in project.pwm:
            if pwm.timer == name:
                step.put("compare", pwm_timing(workspace, pwm).high_counts)
                step.put("pulse", True)
                step.put("preload", pwm.preload, only=False)
        yield SetupStep(
            "set-up",
            name,
            f"set up {name}",
            f"{setting.prescaler} × {setting.period_counts} bus clocks; registers hold one less.",
            tuple(step.found),
        )


def _generator(workspace: Workspace, registers: RegisterMap, one: Generator) -> Iterator[SetupStep]:
    dac = workspace.part.dac(one.dac)
    assert dac is not None
    step = SetupBuilder(registers, one.dac)
    step.put("buffer", one.buffered, only=True)
    output = one.output
    timer = update_timer(workspace, output) if isinstance(output, Playback) else None
    step.put("twice", one.double_buffered and timer is not None, only=False)
    step.put("trigger", timer.timer if timer is not None else "none", only="none")
    if isinstance(output, HeldLevel):
        step.put("data", int(codes_of(workspace, dac, playing(workspace, one).wanted_v)[0]))
    step.put("on", True, only=True)
    yield SetupStep("set-up", one.dac, f"set up {one.dac}", f"For {one.name}.", tuple(step.found))
    if isinstance(output, Playback) and timer is not None:
        table = workspace.project.table(output.table)
        assert table is not None
        dma = SetupBuilder(registers, output.channel)
        dma.put("request", timer.timer)
        dma.put("from", Symbol("table", output.table))
        dma.put("to", registers.find(one.dac, "data").field_address)
        dma.put("count", table.points)
        if output.first % table.points:
            dma.put("place", output.first % table.points)
        dma.put("repeat", output.repeat, only=False)
        dma.put("from-width", 16, only=16)
        dma.put("to-width", 16, only=16)
        dma.put("from-step", True, only=True)
        dma.put("to-step", False, only=False)
        yield SetupStep(
            "set-up",
            output.channel,
            f"{output.channel} plays {output.table}",
            "A point for each update.",
            tuple(dma.found),
        )
        dma = SetupBuilder(registers, output.channel)
        dma.put("on", True)
        yield SetupStep(
            "output",
            output.channel,
            f"enable {output.channel}",
            "Before the first update asks for a point.",
            tuple(dma.found),
        )


def _comparators(workspace: Workspace, registers: RegisterMap) -> Iterator[SetupStep]:
    for item in workspace.project.comparators:
        step = SetupBuilder(registers, item.name)
        step.put("input", workspace.project.signal(item.signal).pin)
        step.put("against", item.against, only="internal")
        if item.threshold_pin is not None and item.against == "pin":
            step.put("threshold-pin", item.threshold_pin)
        if item.against == "internal":
            what = compared(workspace, item)
            step.put("step", round(what.level_v / what.step_v) if what.step_v else 0)
        step.put("hysteresis", _millivolts(item.hysteresis_v), only="0")
        step.put("edge", item.edge, only="both")
        step.put("tells", True, only=True)
        step.put("on", True)
        yield SetupStep("set-up", item.name, f"set up {item.name}", f"It looks at {item.signal}.", tuple(step.found))
        yield SetupStep(
            "interrupt",
            item.name,
            f"enable the interrupt of {item.name}",
            "Its edges are told to the program.",
            (Setting(item.name, LINE, True),),
        )


def _millivolts(volts: float) -> str:
    return f"{volts * 1000:.9g}"


def _converter(workspace: Workspace, registers: RegisterMap, chain: Chain) -> SetupStep:
    converter = workspace.converter(chain)
    project = workspace.project
    step = SetupBuilder(registers, chain.converter)
    step.put("reference", project.reference, only=workspace.part.references[0].name)
    step.put("clock", chain.clock, only="bus")
    step.put("divider", chain.divider)
    step.put("bits", chain.bits, only=converter.bits[0])
    step.put("alignment", chain.alignment, only="right")
    for name, value in _trigger(workspace, chain):
        step.put(name, value, only="software" if name == "trigger" else None)
    step.put("per-trigger", chain.per_trigger, only="conversion")
    step.put("delivery", _delivery(registers, chain), only="polling")
    if isinstance(chain.retrieval, Fifo):
        step.put("mark", chain.retrieval.mark)
    _sequence(workspace, registers, chain, step)
    return SetupStep("set-up", chain.converter, f"set up {chain.converter}", "Before it is enabled.", tuple(step.found))


def _trigger(workspace: Workspace, chain: Chain) -> Iterator[tuple[str, Value]]:
    trigger = chain.trigger
    match trigger:
        case FreeRunningTrigger():
            yield "trigger", "free-running"
        case TimerTrigger(timer=timer):
            yield "trigger", timer
        case EdgeTrigger(pin=pin, edge=edge):
            yield "trigger", "edge"
            yield "edge-pin", pin
            yield "edge", edge
        case ComparatorTrigger(comparator=name, edge=edge):
            yield "trigger", name
            yield "edge", edge
        case WindowTrigger(signal=signal, window=window):
            by_hardware = workspace.project.signal(signal).windows[window - 1].by == "hardware"
            yield "trigger", "window" if by_hardware else "software"
        case FollowTrigger(follows=leader):
            yield "trigger", leader
        case SoftwareTrigger():
            yield "trigger", "software"


def _delivery(registers: RegisterMap, chain: Chain) -> str:
    match chain.retrieval:
        case Interrupt(per="pass") if len(chain.slots) == 1:
            # A pass of one slot is a conversion, and not every part knows passes.
            table = registers.find(chain.converter, "delivery").field.table
            return "pass" if "pass" in table else "conversion"
        case Interrupt(per=per):
            return per
        case retrieval:
            return retrieval.kind


def _sequence(workspace: Workspace, registers: RegisterMap, chain: Chain, step: SetupBuilder) -> None:
    """Slots as the part counts them: by place, by channel, or one at a time."""
    converter, name = workspace.converter(chain), chain.converter
    order = slot_order(workspace, chain)
    channels = []
    for place in order:
        signal = workspace.project.signal(chain.slots[place].signal)
        channel = converter.channel(signal.pin, signal.negative)
        if channel is None:
            raise RegisterError(
                f"{name} cannot convert “{signal.name}”: no channel leads there.",
                cure="Move the signal to another pin.",
            )
        channels.append(channel)
    by = registers.counted_by(name, "sampling")
    if registers.has(name, "listed"):
        step.put("listed", frozenset(channels))
    elif registers.counted_by(name, "channel"):
        step.put("length", len(order))
        for place, channel in enumerate(channels):
            step.put("channel", channel, place)
    else:
        step.put("channel", channels[0])
    for place, (slot, channel) in enumerate(zip((chain.slots[one] for one in order), channels, strict=True)):
        index = channel if by == "channel" else place if by == "slot" else 0
        if by or place == 0:
            step.put("sampling", slot.sampling_cycles, index)
        stage = workspace.project.signal(slot.signal).slot_stage
        if stage is not None:
            step.put("repeats", stage.count, channel if registers.counted_by(name, "repeats") == "channel" else place)
            step.put("shift", stage.shift, channel if registers.counted_by(name, "shift") == "channel" else place)
        later = workspace.project.signal(slot.signal).later_stage
        if later is not None and later.by == "hardware":
            step.put("low-pass", later.shift, channel if registers.counted_by(name, "low-pass") == "channel" else place)


def _chain_dma(workspace: Workspace, registers: RegisterMap, chain: Chain, dma: Dma) -> SetupStep:
    step = SetupBuilder(registers, dma.channel)
    loop = chain.loop
    step.put("request", chain.converter)
    step.put("from", newest_result(registers, chain.converter))
    step.put("to", Symbol("loop", chain.converter))
    step.put("count", loop.items)
    step.put("repeat", dma.repeat, only=False)
    step.put("from-width", loop.width_bits, only=16)
    step.put("to-width", loop.width_bits, only=16)
    step.put("from-step", False, only=False)
    step.put("to-step", dma.increment, only=True)
    part = workspace.part.dma_channel(dma.channel)
    assert part is not None
    step.put("half", part.half_mark, only=False)
    step.put("full", part.full_mark, only=False)
    return SetupStep(
        "set-up",
        dma.channel,
        f"{dma.channel} fills {loop.name}",
        f"{loop.items} items, from {chain.converter}.",
        tuple(step.found),
    )


def stamp_channel(workspace: Workspace, chain: Chain) -> str | None:
    """The DMA channel that notes when each item of a chain was ready: the first that nothing else uses."""
    project = workspace.project
    stamped = [one for one in project.chains if isinstance(one.retrieval, Dma) and cycle_timing(workspace, one).stamped]
    if chain not in stamped:
        return None
    used = {one.retrieval.channel for one in project.chains if isinstance(one.retrieval, Dma)}
    used |= {one.output.channel for one in project.generators if isinstance(one.output, Playback)}
    used |= {route.channel for route in project.routes}
    free = [name for group in workspace.part.dma for name in group.names if name not in used and 32 in group.widths]
    place = stamped.index(chain)
    return free[place] if place < len(free) else None


def stamp_source(registers: RegisterMap, converter: str) -> int:
    """Address that says when the newest result was ready: the converter's own, else the system's ticks."""
    if registers.has(converter, "result-ticks"):
        return registers.find(converter, "result-ticks").field_address
    system = next((block.owners[0] for block in registers.part.blocks if block.kind == "system"), "System")
    return registers.find(system, "ticks-low").field_address


def _stamp_dma(workspace: Workspace, registers: RegisterMap, chain: Chain, dma: Dma) -> SetupStep:
    channel = stamp_channel(workspace, chain)
    if channel is None:
        raise RegisterError(
            f"{chain.converter}: its instants cannot be told from numbers, and no DMA channel is left to note them.",
            cure="Free a DMA channel, fetch by interrupt, or let a timer start it.",
        )
    step = SetupBuilder(registers, channel)
    step.put("request", chain.converter)
    step.put("from", stamp_source(registers, chain.converter))
    step.put("to", Symbol("stamps", chain.converter))
    step.put("count", chain.loop.items)
    step.put("repeat", dma.repeat, only=False)
    step.put("from-width", 32, only=32)
    step.put("to-width", 32, only=32)
    step.put("from-step", False, only=False)
    step.put("to-step", True, only=True)
    step.put("on", True)
    return SetupStep(
        "set-up",
        channel,
        f"{channel} notes when each item of {chain.loop.name} was ready",
        "Its instants do not follow from numbers.",
        tuple(step.found),
    )


def newest_result(registers: RegisterMap, converter: str) -> int:
    """Address of the register that DMA and a FIFO's handler read."""
    name = "newest" if registers.has(converter, "newest") else "result"
    return registers.find(converter, name).field_address


def _route(workspace: Workspace, registers: RegisterMap, route: Route) -> SetupStep:
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
    match route.sink:
        case SendSink(uart=uart):
            sink, room = registers.find(uart, "sent").field_address, f"{uart} room"
        case DutySink(pwm=name) | PeriodSink(pwm=name):
            pwm = workspace.project.pwm_output(name)
            assert pwm is not None
            which = "compare" if isinstance(route.sink, DutySink) else "period"
            sink, room = registers.find(pwm.timer, which).field_address, pwm.timer
        case DacSink(dac=dac):
            sink, room = registers.find(dac, "data").field_address, ""
    request = {"source": event, "sink": room, "timer": route.timer.timer if route.timer else ""}[route.on]
    if not request:
        raise RegisterError(
            f"Route “{route.name}”: nothing there asks for a transfer.", cure="Let a timer start its transfers."
        )
    is_table = isinstance(source, Symbol)
    step.put("request", request)
    step.put("from", source)
    step.put("to", sink)
    table_points = 0
    if isinstance(source, Symbol) and (found := workspace.project.table(source.name)) is not None:
        table_points = found.points
    step.put("count", table_points or 1)
    step.put("repeat", True)
    step.put("from-width", route.source_bits)
    step.put("to-width", route.sink_bits)
    step.put("from-step", is_table or (route.step and route.items > 1), only=False)
    step.put("to-step", False, only=False)
    step.put("pieces", route.items, only=1)
    step.put("high-first", route.order == "high-first", only=False)
    step.put("on", True)
    return SetupStep(
        "set-up",
        route.channel,
        f"{route.channel} carries {route.name}",
        "No processor is in its path.",
        tuple(step.found),
    )


def _starting(workspace: Workspace, registers: RegisterMap) -> Iterator[SetupStep]:
    """Each chain's own order; triggers that are last wait until all chains are ready."""
    last: list[SetupStep] = []
    # Converters that follow another come first: its trigger is theirs.
    chains = sorted(workspace.project.chains, key=lambda one: not isinstance(one.trigger, FollowTrigger))
    for chain in chains:
        reasons = dict(right_order(workspace, chain))
        order = startup(workspace, chain).order
        for place, step in enumerate(order):
            made = _start_step(workspace, registers, chain, step, reasons.get(step, "In the engineer's own order."))
            if made is None:
                continue
            if step == "trigger" and place == len(order) - 1:
                last.append(made)
            else:
                yield made
    yield from last


def _start_step(
    workspace: Workspace, registers: RegisterMap, chain: Chain, step: Step, reason: str
) -> SetupStep | None:
    name, dma = chain.converter, chain.dma
    owner, titles = (
        name,
        {
            "calibrate": f"calibrate {name}",
            "memory": f"enable {dma}",
            "interrupt": f"enable the interrupt of {dma or name}",
            "window": f"arm the windows of {name}",
            "converter": f"enable {name}",
            "trigger": f"start the trigger of {name}",
        },
    )
    settings: list[Setting] = []
    match step:
        case "calibrate":
            settings = [Setting(name, "calibrate", True)]
        case "memory":
            assert dma is not None
            owner, settings = dma, [Setting(dma, "on", True)]
        case "interrupt":
            owner = dma or name
            settings = [Setting(owner, LINE, True)]
        case "window":
            count = len(hardware_windows(workspace, chain))
            settings = [Setting(name, "window-on", True, index) for index in range(count)]
            if _tells(workspace, chain):
                settings.append(Setting(name, LINE, True))
        case "converter":
            settings = [Setting(name, "on", True)]
        case "trigger":
            match chain.trigger:
                case TimerTrigger(timer=timer):
                    owner, settings = timer, [Setting(timer, "run", True)]
                case SoftwareTrigger() | FreeRunningTrigger():
                    settings = [Setting(name, "start", True)]
                case _:
                    return None
    for one in settings:
        if one.name != LINE:
            registers.find(one.owner, one.name, one.index)
    return SetupStep(step, owner, titles[step], reason, tuple(settings))


def _tells(workspace: Workspace, chain: Chain) -> bool:
    """Windows of a chain that delivers by DMA have the converter's own line, which nothing else enables."""
    return chain.dma is not None and bool(hardware_windows(workspace, chain))


def _play(workspace: Workspace, registers: RegisterMap) -> Iterator[SetupStep]:
    """Timers of generators and routes that nothing has started yet."""
    project = workspace.project
    running = {chain.trigger.timer for chain in project.chains if isinstance(chain.trigger, TimerTrigger)}
    running |= {pwm.timer for pwm in project.pwm}
    wanted: list[tuple[str, str]] = []
    for one in project.generators:
        if isinstance(one.output, Playback) and (timer := update_timer(workspace, one.output)) is not None:
            wanted.append((timer.timer, one.name))
        elif isinstance(one.output, SoftwareRamp):
            continue
    wanted += [(route.timer.timer, route.name) for route in project.routes if route.timer is not None]
    for name, what in wanted:
        if name not in running:
            running.add(name)
            step = SetupBuilder(registers, name)
            step.put("run", True)
            yield SetupStep("output", name, f"start {what}", "All that it moves is ready.", tuple(step.found))
