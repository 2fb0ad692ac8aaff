"""Reactions as they begin: something to wait for and something to do, of what is there and
free."""

from __future__ import annotations

from wattigram.core.base.errors import QuantityError
from wattigram.core.model.design import (
    CONDITIONS,
    BarAction,
    ByteReceived,
    BytesAction,
    CallAction,
    ComparatorSwitched,
    ConverterAction,
    DacAction,
    DutyAction,
    EndAction,
    InputChanged,
    PairTripped,
    PeriodAction,
    PeriodElapsed,
    PinAction,
    PointAction,
    ResultsFetched,
    RunStarted,
    TextAction,
    ThresholdCrossed,
    Workspace,
    changes_of,
)
from wattigram.core.model.design.pin_assignment import other_uses
from wattigram.core.model.design.reaction import Do, When, with_braces_doubled
from wattigram.core.predict.pins import pwm_pin
from wattigram.core.predict.program import threshold_name


def fresh_when(workspace: Workspace, kind: str) -> When:
    """Something to wait for, of a kind. Raises :class:`QuantityError` where there is none yet."""
    project = workspace.project
    match kind:
        case "threshold":
            places = list(threshold_places(workspace).values())
            if not places:
                raise QuantityError("No signal has a threshold.", cure="Add one on the Chain page.")
            return ThresholdCrossed(signal=places[0][0], threshold=places[0][1])
        case "redundant-pair":
            pairs = pair_signals(workspace)
            if not pairs:
                raise QuantityError(
                    "No signal has a redundant pair.", cure="Pair two on the Chain page."
                )
            return PairTripped(signal=pairs[0])
        case "comparator":
            if not project.comparators:
                raise QuantityError("No comparator is used.", cure="Put one on a signal first.")
            return ComparatorSwitched(comparator=project.comparators[0].name)
        case "input":
            return InputChanged(pin=_first_pin(workspace))
        case "byte":
            if not project.uarts:
                raise QuantityError("There is no serial port.", cure="Add one first.")
            return ByteReceived(uart=project.uarts[0].name)
        case "results":
            if not project.chains:
                raise QuantityError("Nothing is converted.", cure="Put a signal into a slot.")
            return ResultsFetched(converter=project.chains[0].converter)
        case "period":
            return PeriodElapsed(period_s="500 ms")
        case _:
            return RunStarted()


def fresh_do(workspace: Workspace, kind: str, when: When) -> Do:
    """Something to do, of a kind. Raises :class:`QuantityError` where what it needs is not there."""
    project = workspace.project
    signal = _value_signal(workspace, when)
    reference_v = round(workspace.reference_v, 3)
    match kind:
        case "pin":
            is_condition = isinstance(when, CONDITIONS)
            both = isinstance(when, CONDITIONS) and changes_of(when) == "both"
            return PinAction(
                pin=_first_pin(workspace),
                level="follows" if both else "high" if is_condition else "toggle",
            )
        case "bar":
            pins = free_port_pins(workspace)[:4]
            if len(pins) < 2:
                raise QuantityError("No two port pins are free.", cure="Free some first.")
            return BarAction(pins=pins, signal=signal, from_v=0.0, to_v=reference_v)
        case "duty" | "pulse-period":
            if not project.pwm:
                raise QuantityError("There is no PWM output.", cure="Add one first.")
            pwm = project.pwm[0]
            if kind == "duty":
                return DutyAction(pwm=pwm.name, signal=signal, from_v=0.0, to_v=reference_v)
            return PeriodAction(
                pwm=pwm.name,
                signal=signal,
                from_v=0.0,
                to_v=reference_v,
                low_s=pwm.period_s,
                high_s=pwm.period_s * 2,
            )
        case "dac":
            dacs = free_dacs(workspace)
            if not dacs:
                raise QuantityError(
                    f"{workspace.part.name} has no DAC that is free.", cure="Free one first."
                )
            dac = workspace.part.dac(dacs[0])
            assert dac is not None
            return DacAction(
                dac=dac.name,
                signal=signal,
                from_v=0.0,
                to_v=reference_v,
                low_v=0.0,
                high_v=round(workspace.full_scale_v(dac), 3),
            )
        case "text" | "bytes":
            if not project.uarts:
                raise QuantityError("There is no serial port.", cure="Add one first.")
            uart = project.uarts[0].name
            if kind == "bytes":
                return BytesAction(uart=uart, signals=(signal,))
            name = with_braces_doubled(signal)
            return TextAction(uart=uart, text=f"{name} {{{name}:V}} V\r\n")
        case "converter":
            if not project.chains:
                raise QuantityError("Nothing is converted.", cure="Put a signal into a slot.")
            return ConverterAction(converter=project.chains[0].converter)
        case "point":
            return _fresh_pointing(workspace)
        case "end":
            return EndAction()
        case _:
            return CallAction(function="own_code")


def _fresh_pointing(workspace: Workspace) -> PointAction:
    """The first signal that can be pointed, and the first other input of its converter, one that is wired
    where there is any."""
    known = pointable_signals(workspace)
    if not known:
        raise QuantityError(
            "No signal can be pointed to another input.",
            cure="Put one with a single pin into a slot.",
        )
    pins = pointable_pins(workspace, known[0])
    own = workspace.project.signal(known[0]).pin
    others = [pin for pin in pins if pin != own]
    wired = [pin for pin in others if workspace.project.wired(pin) is not None]
    return PointAction(signal=known[0], pin=(wired or others or [own])[0])


def pointable_signals(workspace: Workspace) -> tuple[str, ...]:
    """Signals with one pin in a slot of a converter that can be pointed while it runs."""
    project = workspace.project
    found = []
    for chain in project.chains:
        converter = workspace.converter(chain)
        free = converter.sequence == "free" or (
            converter.sequence == "ascending" and len(chain.slots) == 1
        )
        if free:
            found += [one.name for one in project.signals_of(chain) if one.negative is None]
    return tuple(found)


def pointable_pins(workspace: Workspace, signal: str) -> tuple[str, ...]:
    """Inputs of a signal's converter."""
    chain = workspace.project.chain_of(signal)
    if chain is None:
        return ()
    converter = workspace.converter(chain)
    return (*converter.channels, *(item.name for item in converter.internal))


def _value_signal(workspace: Workspace, when: When) -> str:
    """The signal that a fresh action takes its value from: that of its cause, or the first."""
    known = converted_signals(workspace)
    if not known:
        raise QuantityError("Nothing is converted.", cure="Put a signal into a slot first.")
    cause = getattr(when, "signal", "")
    return cause if cause in known else known[0]


def _first_pin(workspace: Workspace) -> str:
    pins = free_port_pins(workspace)
    if not pins:
        raise QuantityError(
            f"{workspace.part.name} has no port pin that is free.",
            cure="Free one, or describe its ports in the part file.",
        )
    return pins[0]


def converted_signals(workspace: Workspace) -> tuple[str, ...]:
    """Signals that some chain converts."""
    project = workspace.project
    return tuple(
        signal.name for signal in project.signals if project.chain_of(signal.name) is not None
    )


def threshold_places(workspace: Workspace) -> dict[str, tuple[str, int]]:
    """Every threshold by what it is called: its signal, and its number there."""
    return {
        f"{signal.name}, {threshold_name(workspace, signal.name, number)}": (signal.name, number)
        for signal in workspace.project.signals
        for number in range(1, len(signal.thresholds) + 1)
    }


def pair_signals(workspace: Workspace) -> tuple[str, ...]:
    """Signals with a redundant pair that has a tolerance."""
    return tuple(
        signal.name
        for signal in workspace.project.signals
        if signal.redundant_pair is not None and signal.redundant_pair.tolerance_v is not None
    )


def free_dacs(workspace: Workspace, now: str = "") -> tuple[str, ...]:
    """DACs that no generator plays on; the present one is among them."""
    taken = {generator.dac for generator in workspace.project.generators}
    return tuple(
        dac.name for dac in workspace.part.dacs if dac.name not in taken or dac.name == now
    )


def free_port_pins(workspace: Workspace, now: str = "") -> tuple[str, ...]:
    """Port pins that nothing else wants, those that no peripheral could have first; the present one
    is among them."""
    project, part = workspace.project, workspace.part
    taken = {pin for signal in project.signals for pin in (signal.pin, signal.negative)}
    taken |= {pwm_pin(workspace, pwm) for pwm in project.pwm}
    for uart in project.uarts:
        kind = part.uart(uart.name)
        if kind is not None:
            taken |= {kind.send_pins.get(uart.name), kind.receive_pins.get(uart.name)}
    used = {generator.dac for generator in project.generators}
    taken |= {dac.pin for dac in part.dacs if dac.name in used}
    wanted = {pin for group in part.timers for pin in group.pwm_pins.values()}
    wanted |= {dac.pin for dac in part.dacs}
    wanted |= {pin for group in part.uarts for pin in group.send_pins.values()}
    pins = [pin for port in part.ports for pin in port.bits]
    free = [pin for pin in pins if pin == now or (pin not in taken and not _claims(workspace, pin))]
    return tuple(sorted(free, key=lambda pin: pin in wanted))


def _claims(workspace: Workspace, pin: str) -> bool:
    used = {
        dac.pin
        for dac in workspace.part.dacs
        if any(generator.dac == dac.name for generator in workspace.project.generators)
    }
    names = {dac.name for dac in workspace.part.dacs}
    return any(use not in names or pin in used for use in other_uses(workspace, pin))
