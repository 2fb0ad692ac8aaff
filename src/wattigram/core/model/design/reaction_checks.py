"""What reactions name, and whether the project has it."""

from __future__ import annotations

from typing import Protocol

from wattigram.core.model.design.reaction import (
    BarAction,
    ByteReceived,
    BytesAction,
    ComparatorSwitched,
    ConverterAction,
    DacAction,
    DutyAction,
    InputChanged,
    PairTripped,
    PeriodAction,
    PinAction,
    PointAction,
    Reaction,
    ResultsFetched,
    TextAction,
    ThresholdCrossed,
    program_outputs,
    start_levels,
)
from wattigram.core.model.design.reference_checks import DesignNames, NamedChain
from wattigram.core.model.design.route import (
    DacDestination,
    DutyDestination,
    PeriodDestination,
    ReceivedSource,
)
from wattigram.core.model.design.stage import Comparator, RedundantPair, Stage, Threshold
from wattigram.core.model.design.trigger import SoftwareTrigger

MOST_OUTPUTS = 8
"""Streams that are kept for what the program moves."""


class WatchedSignal(Protocol):
    """A signal with what makes events."""

    @property
    def name(self) -> str: ...
    @property
    def negative(self) -> str | None: ...
    @property
    def filter(self) -> Stage | None: ...
    @property
    def thresholds(self) -> tuple[Threshold, ...]: ...
    @property
    def redundant_pair(self) -> RedundantPair | None: ...


class ReactionNames(DesignNames, Protocol):
    """The parts of a project that reactions name."""

    @property
    def signals(self) -> tuple[WatchedSignal, ...]: ...
    @property
    def comparators(self) -> tuple[Comparator, ...]: ...
    @property
    def reactions(self) -> tuple[Reaction, ...]: ...


def check_reactions(project: ReactionNames) -> None:
    """Raise ``ValueError`` for a name that nothing has, or for two that cannot both be."""
    signals = {signal.name: signal for signal in project.signals}
    levels: dict[str, bool] = {}
    for reaction in project.reactions:
        _check_when(project, reaction, signals)
        for signal, _input in reaction.readings:
            _need(reaction, signal, signals, "uses the value of")
        _check_do(project, reaction)
        if isinstance(reaction.do, PinAction):
            pin, is_high = reaction.do.pin, reaction.do.is_high_at_start
            if levels.setdefault(pin, is_high) != is_high:
                raise ValueError(
                    f"Reaction “{reaction.name}”: another one lets {pin} start at the other level. "
                    "Make them the same."
                )
    if len(program_outputs(project.reactions)) > MOST_OUTPUTS:
        raise ValueError(
            f"Reactions move more than {MOST_OUTPUTS} outputs. Show several pins as one bar."
        )


def _check_when(
    project: ReactionNames, reaction: Reaction, signals: dict[str, WatchedSignal]
) -> None:
    match reaction.when:
        case ThresholdCrossed(signal=name, threshold=number):
            _need(reaction, name, signals, "waits for a threshold of")
            if number > len(signals[name].thresholds):
                raise ValueError(
                    f"Reaction “{reaction.name}” waits for threshold {number} of “{name}”, which "
                    f"has {len(signals[name].thresholds) or 'none'}. Add it, or choose another."
                )
        case PairTripped(signal=name):
            _need(reaction, name, signals, "watches the pair of")
            pair = signals[name].redundant_pair
            if pair is None or pair.tolerance_v is None:
                raise ValueError(
                    f"Reaction “{reaction.name}”: “{name}” has no twin that it may differ from by "
                    "so much. Give it one with a tolerance."
                )
        case ComparatorSwitched(comparator=name):
            known = {comparator.name for comparator in project.comparators}
            _need(reaction, name, known, "waits for")
        case InputChanged(pin=pin) if pin in start_levels(project.reactions):
            raise ValueError(
                f"Reaction “{reaction.name}” waits for {pin}, which another one sets. Choose another pin."
            )
        case ByteReceived(uart=name):
            _need(reaction, name, {uart.name for uart in project.uarts}, "waits for bytes of")
            taking = [
                route.name
                for route in project.routes
                if isinstance(route.source, ReceivedSource) and route.source.uart == name
            ]
            if taking:
                raise ValueError(
                    f"Reaction “{reaction.name}” waits for bytes of {name}, which DMA takes for "
                    f"“{taking[0]}” before the program sees them. Remove one of the two."
                )
        case ResultsFetched(converter=name):
            known = {chain.converter for chain in project.chains}
            _need(reaction, name, known, "waits for results of")
            chain = next(chain for chain in project.chains if chain.converter == name)
            if reaction.when.mark != "each" and chain.read_period_s is not None:
                raise ValueError(
                    f"Reaction “{reaction.name}” waits for a half of the buffer of {name}, of which the "
                    "program reads the newest only. Wait for each."
                )
        case _:
            pass


def _check_do(project: ReactionNames, reaction: Reaction) -> None:
    destinations = [route.destination for route in project.routes]
    match reaction.do:
        case DutyAction(pwm=name) | PeriodAction(pwm=name):
            _need(reaction, name, {pwm.name for pwm in project.pwm}, "sets")
            other: object = (
                DutyDestination(pwm=name)
                if isinstance(reaction.do, DutyAction)
                else PeriodDestination(pwm=name)
            )
            if other in destinations:
                raise ValueError(
                    f"Reaction “{reaction.name}” and a route both set {name}. Remove one."
                )
        case DacAction(dac=name):
            if DacDestination(dac=name) in destinations or any(
                generator.dac == name for generator in project.generators
            ):
                raise ValueError(
                    f"Reaction “{reaction.name}” and another output both write to {name}. Remove "
                    "one."
                )
        case TextAction(uart=name) | BytesAction(uart=name):
            _need(reaction, name, {uart.name for uart in project.uarts}, "sends by")
        case ConverterAction(converter=name, action=action):
            what = {"stop": "stops", "start": "starts", "rearm": "re-arms"}[action]
            _need(reaction, name, {chain.converter for chain in project.chains}, what)
            chain = next(chain for chain in project.chains if chain.converter == name)
            trigger = chain.trigger
            if action == "rearm":
                _check_rearmed(reaction, chain)
            if isinstance(trigger, SoftwareTrigger) and trigger.asked:
                if action == "stop":
                    raise ValueError(
                        f"Reaction “{reaction.name}” stops {name}, which is off unless it is asked. "
                        "Start it, or let it go on by itself."
                    )
            elif (
                isinstance(trigger, SoftwareTrigger)
                and not trigger.repeat
                and trigger.period_s is None
            ):
                raise ValueError(
                    f"Reaction “{reaction.name}” {what} {name}, which converts only once. Let it be "
                    "started when it is asked, again and again, or every so often."
                )
        case PointAction(signal=name, pin=pin):
            _check_pointed(project, reaction, name, pin)
        case BarAction(pins=pins) if len(set(pins)) < len(pins):
            raise ValueError(f"Reaction “{reaction.name}” has a pin twice. Remove one.")
        case _:
            pass


def _check_pointed(project: ReactionNames, reaction: Reaction, name: str, pin: str) -> None:
    signals = {signal.name: signal for signal in project.signals}
    _need(reaction, name, signals, "points")
    signal = signals[name]
    chain = next(
        (one for one in project.chains if any(slot.signal == name for slot in one.slots)), None
    )
    fault = cure = ""
    if chain is None:
        fault, cure = "is in no slot", "Put it into one"
    elif signal.negative is not None:
        fault, cure = "is the difference of two pins", "Point a signal with one pin"
    elif (signal.filter is not None and signal.filter.done_in == "hardware") or any(
        window.done_in == "hardware" for window in signal.thresholds
    ):
        fault = "is averaged or judged by the converter itself, which knows it by its channel"
        cure = "Let software do that"
    elif any(comparator.signal == name for comparator in project.comparators):
        fault, cure = "is looked at by a comparator, which stays at its pin", "Choose another"
    if fault:
        raise ValueError(
            f"Reaction “{reaction.name}” points “{name}” to {pin}, and {name} {fault}. {cure}."
        )


def _check_rearmed(reaction: Reaction, chain: NamedChain) -> None:
    name = chain.converter
    if not chain.readout.ends_as_meant:
        raise ValueError(
            f"Reaction “{reaction.name}” re-arms {name}, whose buffer is filled again and again. Choose a "
            "single run for it, or start it."
        )
    if chain.buffer.samples % len(chain.slots):
        raise ValueError(
            f"Reaction “{reaction.name}” re-arms {name}, whose run of {chain.buffer.samples} samples ends "
            f"within a scan of {len(chain.slots)}. Choose a multiple."
        )


def _need(reaction: Reaction, name: str, known: object, what: str) -> None:
    if name not in known:  # type: ignore[operator]
        raise ValueError(
            f"Reaction “{reaction.name}” {what} “{name}”, which is not there. Add it, or name "
            "another."
        )
