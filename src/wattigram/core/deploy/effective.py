"""Effective configuration of a design: what a board would do if its firmware set up just that."""

from __future__ import annotations

from pydantic import ValidationError

from wattigram.core.accuracy import Scale, chain_scale, slot_settling
from wattigram.core.bench import Floating, Level, Ramp, Sine, Steps, Wiring, resolve_source
from wattigram.core.bench.evaluate import FLOATING_CENTRE_V, WANDER_HZ, WANDER_V
from wattigram.core.board import (
    EffectiveBench,
    EffectiveConfig,
    EffectiveConverter,
    EffectiveLoop,
    EffectiveSlot,
    EffectiveTap,
    EffectiveWindow,
    PinDrive,
)
from wattigram.core.design import Chain, Project, Signal, Workspace, tapped_signals
from wattigram.core.errors import BoardError
from wattigram.core.timing import cycle_timing

DEFAULT_SEED = 1


def effective_config(workspace: Workspace, seed: int = DEFAULT_SEED) -> EffectiveConfig:
    """The configuration of a design with its bench. Ticks are bus clocks.

    Raises
    ------
    BoardError
        When the design is one that no board could run, such as one with a cycle of years.
    """
    try:
        return _config(workspace, seed)
    except ValidationError as fault:
        item = fault.errors(include_url=False)[0]
        place = ".".join(str(step) for step in item["loc"])
        raise BoardError(
            f"The virtual board cannot run this design: {place}: {item['msg']} (found {str(item['input'])[:40]}).",
            cure="Look at the findings, and at the bench.",
        ) from fault


def _config(workspace: Workspace, seed: int) -> EffectiveConfig:
    tick_hz = workspace.bus_clock_hz
    project = workspace.project
    # A bus clock that is no whole number of hertz has its ticks counted in a finer whole clock.
    return EffectiveConfig(
        board=f"{workspace.part.name} · {project.name}",
        build_mark=workspace.build_mark,
        tick_hz=tick_hz.numerator,
        seed=seed,
        converters=tuple(_converter(workspace, chain) for chain in project.chains),
        taps=tuple(_tap(workspace, signal) for signal in tapped_signals(project)),
        bench=effective_bench(workspace),
    )


def effective_bench(workspace: Workspace) -> EffectiveBench:
    """What the pins see, and how much of the slot before is left in each slot."""
    project = workspace.project
    pins = {signal.pin: PinDrive() for signal in project.signals}
    pins |= {wiring.pin: _drive(wiring, project) for wiring in project.bench}
    carry = tuple(
        tuple(slot_settling(workspace, chain, place).carry for place in range(len(chain.slots)))
        for chain in project.chains
    )
    return EffectiveBench(pins=pins, carry=carry)


def _drive(wiring: Wiring, project: Project) -> PinDrive:
    match resolve_source(wiring, project.bench):
        case Level() as source:
            return PinDrive(level_v=source.voltage_v, noise_v=source.noise_v)
        case Sine() as source:
            sine = (source.amplitude_v, float(source.frequency_hz), source.phase)
            return PinDrive(shape="sines", level_v=source.offset_v, sines=(sine,), noise_v=source.noise_v)
        case Ramp() as source:
            return PinDrive(
                shape="triangle",
                level_v=source.from_v,
                high_v=source.to_v,
                frequency_hz=float(1 / source.period_s),
                noise_v=source.noise_v,
            )
        case Steps() as source:
            return PinDrive(
                shape="square",
                level_v=source.low_v,
                high_v=source.high_v,
                frequency_hz=float(1 / source.period_s),
                high_share=source.duty,
                noise_v=source.noise_v,
            )
        case Floating() as source:
            wander = tuple((WANDER_V, rate, 0.0) for rate in WANDER_HZ)
            mains = (source.pickup_v, float(source.mains_hz), 0.0)
            return PinDrive(shape="sines", level_v=FLOATING_CENTRE_V, sines=(*wander, mains), noise_v=source.noise_v)


def _converter(workspace: Workspace, chain: Chain) -> EffectiveConverter:
    converter = workspace.converter(chain)
    cycle = cycle_timing(workspace, chain)
    scale = chain_scale(workspace, chain)
    finer = 2 ** (max(converter.bits) - chain.bits)
    offset_lsb = converter.offset_calibrated_lsb
    if converter.needs_calibration and not chain.calibrate:
        offset_lsb = converter.offset_uncalibrated_lsb
    tick_hz = workspace.bus_clock_hz.numerator
    return EffectiveConverter(
        name=chain.converter,
        bits=chain.bits,
        lsb_v=scale.lsb_v,
        shift=scale.shift,
        offset_lsb=offset_lsb / finer,
        gain_error=converter.gain_error,
        noise_lsb=converter.noise_lsb / finer,
        cycle_ticks=int(tick_hz / cycle.cycle_rate_hz),
        triggers_per_cycle=cycle.triggers_per_cycle,
        slots=tuple(
            EffectiveSlot(pin=workspace.project.signal(slot.signal).pin, held_ticks=int(timing.held_s * tick_hz))
            for slot, timing in zip(chain.slots, cycle.slots, strict=True)
        ),
        loop=EffectiveLoop(name=chain.loop.name, items=chain.loop.items, width_bits=chain.loop.width_bits),
    )


def _tap(workspace: Workspace, signal: Signal) -> EffectiveTap:
    project = workspace.project
    chain = project.chain_of(signal.name)
    assert chain is not None
    reduce = signal.reduce
    return EffectiveTap(
        name=signal.name,
        converter=project.chains.index(chain),
        places=chain.places_of(signal.name),
        count=reduce.count if reduce else 1,
        shift=reduce.shift if reduce else 0,
        register_bits=reduce.register_bits if reduce else 32,
        window=_window(signal, chain_scale(workspace, chain)),
    )


def _window(signal: Signal, scale: Scale) -> EffectiveWindow | None:
    """Limits as the integers that firmware compares with, in the unit of the stream it compares."""
    window = signal.window
    if window is None:
        return None
    on_reduced = window.on == "reduced" and signal.reduce is not None
    factor = float(signal.reduce.divisor_ratio) if on_reduced and signal.reduce else 1.0
    factor *= 1 << scale.shift

    def code(volts: float) -> int:
        return round(signal.at_pin(volts) / scale.lsb_v * factor)

    return EffectiveWindow(
        low=code(window.low_v),
        high=code(window.high_v),
        hysteresis=max(0, code(window.hysteresis_v)),
        condition=window.condition,
        on_reduced=on_reduced,
    )
