"""From what an image wrote to registers to the silicon that runs."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from wattigram.core.base.errors import BoardError, RegisterError
from wattigram.core.base.validation import ModelError
from wattigram.core.contract.board_config import (
    EffectiveConfig,
    EffectiveConverter,
    EffectivePace,
    EffectivePort,
)
from wattigram.core.emulator.board_setup import BoardSetup
from wattigram.core.emulator.pointing import Pointing, pointing_of
from wattigram.core.emulator.result_delivery import dma_transfers
from wattigram.core.model.design import Project, Threshold, Workspace, supply_voltage
from wattigram.core.model.design.workspace_files import boards_from_texts
from wattigram.core.predict.timing import startup
from wattigram.core.silicon.deploy.project_config import silicon_config
from wattigram.core.silicon.registers import NO_WINDOW, Observed, SiliconState, silicon_project
from wattigram.core.silicon.registers.design_from_registers import ReadCodes
from wattigram.core.silicon.registers.equivalents import delivery_of


class Silicon(msgspec.Struct, frozen=True):
    """What runs, and where the hardware's own watches are: a converter and the number of its
    window, or a comparator."""

    config: EffectiveConfig
    watches: dict[int, tuple[str, int]]
    inputs: dict[str, tuple[Pointing, ...]] = msgspec.field(default_factory=dict)
    """Of converters that software points: the inputs of their slots."""


UNTOLD_TICKS = 1 << 18
"""Of results that nobody is told of, worked out together."""
BY_PROGRAM = 1 << 20
"""Number of a watch that does not exist: the program itself starts such a converter."""


def image_silicon(
    state: SiliconState,
    setup: BoardSetup,
    read_codes: ReadCodes,
    observed: Observed,
    *,
    by_triggers: bool = False,
) -> Silicon:
    """The configuration that registers come to, with items as hardware leaves them; ``by_triggers`` tells
    all that starts a converter, also where that is even.

    Raises
    ------
    BoardError
        When no board could run so.
    """
    try:
        project = silicon_project(state, setup.surroundings, read_codes, observed)
    except RegisterError as fault:
        raise BoardError(fault.message) from fault
    workspace = Workspace(
        _stoppable(project) if by_triggers else project,
        setup.part,
        boards_from_texts(setup.boards, "the board's set-up"),
    )
    try:
        config = silicon_config(workspace, "image", setup.seed)
    except ModelError as fault:
        raise BoardError(
            f"Registers are set to what no board could run: {fault.first.text}."
        ) from fault
    converters = tuple(
        _raw(
            converter,
            state,
            observed,
            chain.per_trigger == "conversion",
            startup(workspace, chain).delivers,
        )
        for converter, chain in zip(config.converters, project.chains, strict=True)
    )
    routes = tuple(
        one.unchecked(stream=setup.probes.get(route.channel, one.stream))
        for one, route in zip(config.routes, project.routes, strict=True)
    )
    config = config.unchecked(
        converters=converters,
        routes=routes,
        outputs=setup.outputs,
        ports=tuple(_driven_pins(state, setup, config)),
    )
    inputs = {
        converter.name: observed.inputs.get(converter.name, (pointing_of(state, converter.name),))
        for converter in setup.part.converters
        if converter.sequence == "software"
    }
    return Silicon(config, dict(_watches(workspace)), inputs)


def _driven_pins(
    state: SiliconState, setup: BoardSetup, config: EffectiveConfig
) -> Iterator[EffectivePort]:
    """Pins that a port may drive: all that no DAC and no pulse has."""
    taken = {dac.pin for dac in config.dacs} | {pwm.pin for pwm in config.pwm}
    other_v = max(setup.levels_v.values(), default=0.0)
    high_v = supply_voltage(setup.part, setup.references, other_v)
    for port in setup.part.ports:
        if not state.has(port.name, "output"):
            continue
        driven = state.number(port.name, "output", 0) & state.number(port.name, "outputs", 0)
        for pin, bit in port.bits.items():
            if pin not in taken:
                yield EffectivePort(pin=pin, high_v=high_v, is_high=bool(driven >> bit & 1))


def _watches(workspace: Workspace) -> Iterator[tuple[int, tuple[str, int]]]:
    """Numbers of watches that hardware makes, with their owners."""
    for number, watch in enumerate(workspace.watches):
        if watch.kind == "comparator":
            yield number, (watch.comparator, NO_WINDOW)
            continue
        chain = workspace.project.chain_of(watch.signal)
        if watch.kind == "window" and chain is not None:
            window = watch.window(workspace.project)
            if window.done_in == "hardware":
                yield number, (chain.converter, int(window.name))


def _stoppable(project: Project) -> Project:
    """Converters are followed trigger by trigger, as where a window of their own may stop them."""
    stopped = {chain.slots[0].signal for chain in project.chains if chain.slots}
    idle = Threshold(
        name="stopped by the program", low=0.0, high=0.0, action="stop", interrupt_enabled=False
    )
    return project.replaced(
        signals=tuple(
            signal.replaced(thresholds=(*signal.thresholds, idle))
            if signal.name in stopped
            else signal
            for signal in project.signals
        )
    )


def _untold_laps(converter: EffectiveConverter, state: SiliconState) -> int:
    """Wraps of a buffer that are worked out together where no interrupt tells of any; 0 where one
    does."""
    carrier, _stamps = dma_transfers(state, converter.name)
    if carrier is None or not carrier.repeats:
        return 0
    line = state.registers.line(carrier.channel)
    tells = line in state.lines and any(
        state.flag(carrier.channel, mark, True) for mark in ("half", "full")
    )
    wrap_ticks = converter.cycle_ticks * converter.loop.items / len(converter.slots)
    return 0 if tells else max(1, int(UNTOLD_TICKS / wrap_ticks))


def _raw(
    converter: EffectiveConverter,
    state: SiliconState,
    observed: Observed,
    singly: bool,
    delivers: bool,
) -> EffectiveConverter:
    """Items as they are handed to memory or to registers, each unit by itself, with its instant;
    what the program does not fetch in time it loses itself. A start is good for one slot where
    ``singly``."""
    loop = converter.loop
    delivery = delivery_of(state, converter.name)
    items = loop.items
    if delivery != "dma":
        unit = {"scan": len(converter.slots), "fifo": state.number(converter.name, "mark", 1)}.get(
            delivery, 1
        )
        items = 2 * max(1, unit)
    pace = converter.pace
    singly = singly or pace.singly or converter.name in observed.inputs
    by_program = state.text(converter.name, "trigger", "software") == "software"
    if pace.kind in {"never", "once"} and by_program and state.is_on(converter.name):
        # Whatever starts it later, the program does.
        begins = pace.kind == "once"
        pace = EffectivePace(kind="events", watch=BY_PROGRAM, singly=singly, begins=begins)
    elif pace.kind == "self" and by_program and observed.restarts.get(converter.name, False):
        pace = EffectivePace(kind="events", watch=BY_PROGRAM, singly=singly, begins=True)
    raw = loop.unchecked(
        items=items,
        element_bits=None,
        swap_bytes=False,
        read_ticks=0.0,
        laps=_untold_laps(converter, state) if delivery == "dma" else 0,
        numbered=True,
        width_bits=loop.width_bits,
        increment=True,
        delivers=delivers,  # whether anybody is told, the processor's interrupts decide
    )
    if delivery != "dma":
        raw = raw.unchecked(width_bits=32)
    slots, service = converter.slots, None
    if pace.watch == BY_PROGRAM:
        slots = tuple(slot.unchecked(after_ticks=0.0, jitter_ticks=0) for slot in slots)
    elif converter.name in observed.inputs:
        service = converter.service
    return converter.unchecked(loop=raw, pace=pace, slots=slots, service=service, stamped=True)
