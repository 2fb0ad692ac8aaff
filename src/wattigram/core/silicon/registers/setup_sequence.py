"""What a design sets its peripherals to, in the order in which firmware does it, with the reason
for each place."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.base.errors import RegisterError
from wattigram.core.model.design import (
    Chain,
    DacAction,
    Dma,
    Fifo,
    FollowTrigger,
    FreeRunningTrigger,
    Interrupt,
    SoftwareTrigger,
    TimerTrigger,
    Workspace,
)
from wattigram.core.model.design.project import Step
from wattigram.core.model.design.route import DacDestination
from wattigram.core.predict.pins import comparator_inputs
from wattigram.core.predict.timing import right_order, scan_timing, startup
from wattigram.core.silicon.registers.chain_settings import (
    chain_dma_step,
    converter_step,
    stamp_dma_step,
)
from wattigram.core.silicon.registers.hardware_thresholds import (
    hardware_thresholds,
    judged_settings,
)
from wattigram.core.silicon.registers.output_settings import (
    fed_dac_step,
    generator_steps,
    play_steps,
    port_steps,
    route_step,
    timer_steps,
    uart_steps,
)
from wattigram.core.silicon.registers.register_map import RegisterMap, Setting, register_map
from wattigram.core.silicon.registers.setup_step import LINE, SetupBuilder, SetupStep


def setup_steps(workspace: Workspace) -> tuple[SetupStep, ...]:
    """All that firmware sets, in its order.

    Raises
    ------
    RegisterError
        When the part's registers cannot hold what the design wants.
    """
    registers = register_map(workspace.part)
    if not workspace.part.blocks:
        raise RegisterError(
            f"{workspace.part.name} has no registers in its part file.",
            cure="Describe them there, or take the tables only.",
        )
    return tuple(_steps(workspace, registers))


def _steps(workspace: Workspace, registers: RegisterMap) -> Iterator[SetupStep]:
    project = workspace.project
    yield from port_steps(workspace, registers)
    for uart in project.uarts:
        yield from uart_steps(workspace, registers, uart.name)
    yield from timer_steps(workspace, registers)
    for generator in project.generators:
        yield from generator_steps(workspace, registers, generator)
    for route in project.routes:
        if isinstance(route.destination, DacDestination):
            yield fed_dac_step(registers, route.name, route.destination.dac)
    for reaction in project.reactions:
        if isinstance(reaction.do, DacAction):
            yield fed_dac_step(registers, reaction.name, reaction.do.dac)
    yield from _comparators(workspace, registers)
    for chain in project.chains:
        yield converter_step(workspace, registers, chain)
        judged = judged_settings(workspace, registers, chain)
        if judged:
            yield SetupStep(
                "set-up",
                chain.converter,
                f"thresholds of {chain.converter}",
                "Limits as codes.",
                judged,
            )
        if isinstance(chain.readout, Dma):
            yield chain_dma_step(workspace, registers, chain, chain.readout)
            if not scan_timing(workspace, chain).is_even:
                yield stamp_dma_step(workspace, registers, chain, chain.readout)
    for route in project.routes:
        yield route_step(workspace, registers, route)
    for pwm in project.pwm:
        step = SetupBuilder(registers, pwm.timer)
        step.put("run", True)
        yield SetupStep(
            "output",
            pwm.timer,
            f"start {pwm.name}",
            "Pulses come from now on.",
            tuple(step.settings),
        )
    yield from _starting(workspace, registers)
    yield from play_steps(workspace, registers)


def _comparators(workspace: Workspace, registers: RegisterMap) -> Iterator[SetupStep]:
    for item in workspace.project.comparators:
        step = SetupBuilder(registers, item.name)
        step.put("input", workspace.project.signal(item.signal).pin)
        step.put("against", item.against, only="internal")
        if item.threshold_pin is not None and item.against == "pin":
            step.put("threshold-pin", item.threshold_pin)
        if item.against == "internal":
            what = comparator_inputs(workspace, item)
            unit = workspace.part.comparator(item.name)
            steps = round(what.level_v / what.step_v) if what.step_v else 0
            step.put("step", steps, only=unit.fixed_step if unit is not None else None)
        step.put("hysteresis", _millivolts(item.hysteresis_v), only="0")
        for name, value, only in _edges(registers, item.name, item.edge):
            step.put(name, value, only=only)
        step.put("on", True)
        yield SetupStep(
            "set-up",
            item.name,
            f"set up {item.name}",
            f"It looks at {item.signal}.",
            tuple(step.settings),
        )
        yield SetupStep(
            "interrupt",
            item.name,
            f"enable the interrupt of {item.name}",
            "Its edges are told to the program.",
            (Setting(item.name, LINE, True),),
        )


def _edges(
    registers: RegisterMap, name: str, edge: str
) -> Iterator[tuple[str, str | bool, str | bool | None]]:
    """Edges that interrupt, in one field or in a bit for each, with what it always is where the part
    has no field."""
    bits = {"rising": "tells-rising", "falling": "tells-falling"}
    if not any(registers.has(name, bit) for bit in bits.values()):
        yield "edge", edge, "both"
        yield "tells", True, True
        return
    for one, bit in bits.items():
        wanted = edge in {one, "both"}
        if registers.has(name, bit) or wanted:
            yield bit, wanted, None


def _millivolts(volts: float) -> str:
    return f"{volts * 1000:.9g}"


def _starting(workspace: Workspace, registers: RegisterMap) -> Iterator[SetupStep]:
    """Each chain's own order; triggers that are last wait until all chains are ready."""
    last: list[SetupStep] = []
    # Converters that follow another come first: its trigger is theirs.
    chains = sorted(
        workspace.project.chains, key=lambda one: not isinstance(one.trigger, FollowTrigger)
    )
    for chain in chains:
        reasons = dict(right_order(workspace, chain))
        order = startup(workspace, chain).order
        for place, step in enumerate(order):
            made = _start_step(
                workspace, registers, chain, step, reasons.get(step, "In the engineer's own order.")
            )
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
            "window": f"arm the thresholds of {name}",
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
            count = len(hardware_thresholds(workspace, chain))
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
    for setting in settings:
        if setting.name != LINE:
            registers.find(setting.owner, setting.name, setting.index)
    return SetupStep(step, owner, titles[step], reason, tuple(settings))


def _tells(workspace: Workspace, chain: Chain) -> bool:
    """Windows of a chain whose results do not interrupt have the converter's own line, which
    nothing else enables."""
    return not isinstance(chain.readout, (Interrupt, Fifo)) and bool(
        hardware_thresholds(workspace, chain)
    )
