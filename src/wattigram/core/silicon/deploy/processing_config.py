"""Reduce stages, windows and twins of a design as the integers that firmware works with."""

from __future__ import annotations

import math

from wattigram.core.contract.board_config import EffectiveTap, EffectiveWatch
from wattigram.core.contract.link import REDUCED_STREAM
from wattigram.core.model.design import (
    Chain,
    RedundantPair,
    Signal,
    Threshold,
    Watch,
    Workspace,
    signal_scale,
    tapped_signals,
)
from wattigram.core.predict.accuracy import pair_reach_s
from wattigram.core.predict.timing import slot_order, startup
from wattigram.core.silicon.registers import counts_per_volt, judges_filtered, threshold_codes


def effective_taps(workspace: Workspace) -> tuple[EffectiveTap, ...]:
    """First the program's tap of each tapped signal, in order; then one more for each that hardware
    judges."""
    tapped = tapped_signals(workspace.project)
    taps = [
        _tap(workspace, signal, number, by_hardware=False) for number, signal in enumerate(tapped)
    ]
    taps += [_tap(workspace, signal, 0, by_hardware=True) for signal in tapped if _hardware(signal)]
    return tuple(taps)


def _hardware(signal: Signal) -> bool:
    return any(window.done_in == "hardware" for window in signal.thresholds)


def _chain(workspace: Workspace, signal: Signal) -> Chain:
    chain = workspace.project.chain_of(signal.name)
    assert chain is not None
    return chain


def _tap(workspace: Workspace, signal: Signal, number: int, by_hardware: bool) -> EffectiveTap:
    chain = _chain(workspace, signal)
    stage = signal.later_filter
    places = chain.places_of(signal.name)
    if by_hardware:
        # The converter knows whose code it is; only the program goes by places.
        order = slot_order(workspace, chain)
        places = tuple(sorted(order.index(place) for place in places))
    sends = stage is not None and not by_hardware
    signed_bits = (
        chain.bits if by_hardware else signal_scale(workspace, chain, signal.name).item_bits
    )
    return EffectiveTap(
        name=signal.name,
        converter=workspace.project.chains.index(chain),
        places=places,
        stage=stage.kind if stage is not None else "none",
        count=stage.count if stage is not None and stage.kind != "low-pass" else 1,
        shift=stage.shift if stage is not None else 0,
        register_bits=stage.accumulator_bits if stage is not None else 32,
        by_hardware=by_hardware,
        signed_bits=0 if signal.negative is None else 32 if by_hardware else signed_bits,
        stream=REDUCED_STREAM + number if sends else None,
    )


def effective_watches(workspace: Workspace) -> tuple[EffectiveWatch | None, ...]:
    """One for each watch of the design, in its order."""
    return tuple(_watch(workspace, watch) for watch in workspace.watches)


def _watch(workspace: Workspace, watch: Watch) -> EffectiveWatch | None:
    if watch.kind in {"comparator", "input", "byte"}:
        return None
    signal = workspace.project.signal(watch.signal)
    if watch.kind == "twin":
        assert signal.redundant_pair is not None
        return _twin(workspace, signal, signal.redundant_pair)
    return _window(workspace, signal, signal.thresholds[watch.index])


def _tap_number(workspace: Workspace, signal: Signal, by_hardware: bool) -> int:
    tapped = tapped_signals(workspace.project)
    names = [signal.name for signal in tapped]
    if not by_hardware:
        return names.index(signal.name)
    return len(names) + [signal.name for signal in tapped if _hardware(signal)].index(signal.name)


def _window(workspace: Workspace, signal: Signal, window: Threshold) -> EffectiveWatch:
    """Limits as the integers that are compared, in the unit of the stream."""
    hardware = window.done_in == "hardware"
    reduced = judges_filtered(signal, window)
    per_volt = counts_per_volt(workspace, signal, reduced, hardware)
    codes = threshold_codes(workspace, signal, window)
    other, factor = None, 1.0
    if window.minus_signal is not None:
        target = workspace.project.signal(window.minus_signal)
        if workspace.project.chain_of(target.name) is not None:
            other = _tap_number(workspace, target, hardware and _hardware(target))
            its_reduced = reduced and target.later_filter is not None
            factor = per_volt / counts_per_volt(
                workspace, target, its_reduced, hardware and _hardware(target)
            )
    rearm = window.rearm_after_s
    tick_hz = workspace.bus_clock_hz.numerator
    armed = window.interrupt_enabled and (
        not hardware or startup(workspace, _chain(workspace, signal)).windows_armed
    )
    return EffectiveWatch(
        tap=_tap_number(workspace, signal, hardware),
        on_reduced=reduced,
        other=other,
        other_factor=factor,
        target=codes.target if other is None else 0,
        low=codes.low,
        high=codes.high,
        hysteresis=codes.hysteresis,
        condition=window.condition,
        times=window.consecutive,
        every=window.on == "every-result",
        once=not window.rearm,
        armed=armed,
        stops=window.action == "stop",
        rearm_ticks=None if rearm is None else int(rearm * tick_hz),
    )


def _twin(workspace: Workspace, signal: Signal, twin: RedundantPair) -> EffectiveWatch:
    """Outside ± ``within``, judged on reduced values where both have a stage."""
    of = workspace.project.signal(twin.paired_with)
    reduced = signal.later_filter is not None and of.later_filter is not None
    per_volt = counts_per_volt(workspace, signal, reduced)
    limit = round((twin.tolerance_v or 0.0) * per_volt)
    return EffectiveWatch(
        tap=_tap_number(workspace, signal, False),
        on_reduced=reduced,
        other=_tap_number(workspace, of, False),
        other_factor=per_volt / counts_per_volt(workspace, of, reduced),
        reach_ticks=max(
            1, math.ceil(pair_reach_s(workspace, signal) * workspace.bus_clock_hz.numerator)
        ),
        low=-limit,
        high=limit,
        condition="outside",
        times=twin.consecutive,
        stops=twin.action == "stop",
    )
