"""Rules on routes, UARTs and jumpers."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.advise.findings.fixes import first_effective_fix, rule_satisfied
from wattigram.core.advise.findings.serial_lines import BAUDS, WORST_BAUD_ERROR
from wattigram.core.base.quantity import format_percent, format_si, format_volts
from wattigram.core.model.bench import Jumper
from wattigram.core.model.design import (
    DutyDestination,
    PeriodDestination,
    ReceivedSource,
    ResultSource,
    Route,
    UartDestination,
    Workspace,
)
from wattigram.core.model.design.edits import Edit, SetPwm, SetRoute, SetUart
from wattigram.core.predict.clocks import uart_timing
from wattigram.core.predict.pins import (
    generator_on,
    input_poles_s,
    input_source,
    moved_pins,
    pwm_on,
    pwm_timing,
)
from wattigram.core.predict.timing import other_end, route_timing

LEAST_RATE_HZ = 1e-9


@rule("route-overwrites", "route-repeats", "route-tears")
def route_loses(workspace: Workspace) -> Iterator[Finding]:
    """Bytes are missing, values come twice, or a value is put together of two."""
    for route in workspace.project.routes:
        timing = route_timing(workspace, route)
        rates = f"{format_si(timing.transfers_hz, 'Hz')} writes into what takes {format_si(timing.sink_hz, 'Hz')}"
        if timing.overwritten_hz > LEAST_RATE_HZ and isinstance(route.destination, UartDestination):
            yield Finding(
                "route-overwrites",
                "error",
                route.name,
                f"{route.name} overwrites bytes that have not left yet",
                f"{rates} bytes: {format_si(timing.overwritten_hz, 'Hz')} of them are replaced "
                "before they are sent.",
                _first(workspace, route, "route-overwrites", _faster(workspace, route)),
                signal=route.name,
            )
        elif timing.overwritten_hz > LEAST_RATE_HZ:
            yield Finding(
                "route-overwrites",
                "note",
                route.name,
                f"{route.name} brings values faster than they take effect",
                f"{rates} periods: {format_si(timing.overwritten_hz, 'Hz')} are replaced by newer "
                "ones, which is harmless "
                "where only the newest matters.",
                signal=route.name,
            )
        if timing.torn_hz > LEAST_RATE_HZ:
            yield Finding(
                "route-tears",
                "error",
                route.name,
                f"{route.name} lets values take effect half written",
                f"A value comes in {route.transfers} pieces, and what loads the register comes "
                "between them "
                f"{format_si(timing.torn_hz, 'Hz', 3)} on average.",
                _first(workspace, route, "route-tears", _whole(workspace, route)),
                signal=route.name,
            )
        if timing.repeated_hz > LEAST_RATE_HZ:
            yield Finding(
                "route-repeats",
                "note",
                route.name,
                f"{route.name} sends values again",
                f"Nothing new is there {format_si(timing.repeated_hz, 'Hz')}, and the old one "
                "goes out once more.",
                SetRoute(route.name, route.replaced(request="source"))
                if not timing.overwritten_hz
                else None,
                signal=route.name,
            )


def _first(workspace: Workspace, route: Route, code: str, edits: list[Edit]) -> Edit | None:
    return first_effective_fix(workspace, edits, rule_satisfied(route_loses, route.name, code))


def _faster(workspace: Workspace, route: Route) -> list[Edit]:
    """A faster wire; else take a value only when the wire has room."""
    assert isinstance(route.destination, UartDestination)
    uart = workspace.project.uart(route.destination.uart)
    assert uart is not None
    edits: list[Edit] = [
        SetUart(uart.replaced(baud=baud))
        for baud in BAUDS
        if baud > uart.baud
        and abs(uart_timing(workspace, uart.replaced(baud=baud)).error) < WORST_BAUD_ERROR
    ]
    return [*edits, SetRoute(route.name, route.replaced(request="destination"))]


def _whole(workspace: Workspace, route: Route) -> list[Edit]:
    """One piece a value, as wide as it is; a register that waits for the period."""
    edits: list[Edit] = []
    if not isinstance(route.destination, UartDestination) and not isinstance(
        route.source, ReceivedSource
    ):
        edits.append(
            SetRoute(route.name, route.replaced(transfers=1, source_bits=16, destination_bits=16))
        )
    if isinstance(route.destination, (DutyDestination, PeriodDestination)):
        pwm = workspace.project.pwm_output(route.destination.pwm)
        if pwm is not None and not pwm.preload:
            edits.append(SetPwm(pwm.name, pwm.replaced(preload=True)))
        timer = workspace.part.timer(pwm.timer) if pwm is not None else None
        if pwm is not None and timer is not None and timer.loads_after_dma:
            edits.append(SetPwm(pwm.name, pwm.replaced(preload=True, whole=True)))
    if isinstance(route.destination, UartDestination) and route.request == "destination":
        edits.append(SetRoute(route.name, route.replaced(request="source")))
    # A value that fits into one byte cannot be torn.
    if isinstance(route.source, ReceivedSource):
        one = SetRoute(route.name, route.replaced(transfers=1, destination_bits=16, source_bits=8))
        other = other_end(workspace, route.source.uart)
        if other is not None and other.words_each == 1:
            edits.append(one)
    return edits


@rule("route-too-narrow")
def route_too_narrow(workspace: Workspace) -> Iterator[Finding]:
    """Only the lower part of a value arrives: it folds over."""
    for route in workspace.project.routes:
        timing = route_timing(workspace, route)
        if timing.carried_bits >= timing.value_bits:
            continue
        wide = [
            route.replaced(transfers=2, increment=True, source_bits=8, destination_bits=8),
            route.replaced(transfers=1, source_bits=16, destination_bits=16),
        ]
        edits: list[Edit] = [
            SetRoute(route.name, one)
            for one in (wide if isinstance(route.destination, UartDestination) else wide[::-1])
        ]

        again = route.transfers > 1 and not route.increment
        why = (
            "the address does not go up, and the same piece goes again"
            if again
            else "the rest is left behind"
        )
        yield Finding(
            "route-too-narrow",
            "error",
            route.name,
            f"{route.name} carries {timing.carried_bits} of {timing.value_bits} bits",
            f"{route.transfers} × {route.source_bits} bits are read and {route.destination_bits} written: "
            f"{why}.",
            first_effective_fix(
                workspace,
                [SetRoute(route.name, route.replaced(increment=True)), *edits],
                rule_satisfied(route_too_narrow, route.name),
            ),
            signal=route.name,
        )


@rule("route-order")
def route_endianness_differs(workspace: Workspace) -> Iterator[Finding]:
    """Values jump about: the low byte is taken for the high one."""
    for route in workspace.project.routes:
        theirs = route.expected_endianness
        other = (
            other_end(workspace, route.source.uart)
            if isinstance(route.source, ReceivedSource)
            else None
        )
        if other is not None and other.words_each > 1:
            theirs = other.endianness
        if route.transfers > 1 and theirs != route.endianness:
            yield Finding(
                "route-order",
                "error",
                route.name,
                f"{route.name} and its other end take the bytes the other way round",
                f"Here the {'low' if route.endianness == 'little-endian' else 'high'} byte goes first, "
                "there the other.",
                SetRoute(
                    route.name, route.replaced(endianness=theirs, destination_endianness=None)
                ),
                signal=route.name,
            )


@rule("route-at-once")
def route_at_once(workspace: Workspace) -> Iterator[Finding]:
    """A pulse is now and then much too long or too short."""
    for route in workspace.project.routes:
        if not isinstance(route.destination, (DutyDestination, PeriodDestination)):
            continue
        pwm = workspace.project.pwm_output(route.destination.pwm)
        if pwm is not None and not pwm.preload:
            yield Finding(
                "route-at-once",
                "warning",
                route.name,
                f"{route.name} changes {pwm.name} in the middle of a period",
                "Without preload a new value takes effect at once: a count that has passed it "
                "already runs round.",
                SetPwm(pwm.name, pwm.replaced(preload=True)),
                signal=route.name,
            )


@rule("route-beyond-period")
def route_beyond_period(workspace: Workspace) -> Iterator[Finding]:
    """The duty stays at its end for a part of the range, or never gets far."""
    for route in workspace.project.routes:
        if not isinstance(route.destination, DutyDestination):
            continue
        pwm = workspace.project.pwm_output(route.destination.pwm)
        assert pwm is not None
        timing = pwm_timing(workspace, pwm)
        full = 1 << route_timing(workspace, route).carried_bits
        if timing.counts == full or 0.9 <= full / timing.counts <= 1.02:
            continue
        tick = (pwm.period_s * workspace.bus_clock_hz) / full
        prescaler = max(1, round(tick))
        exact = pwm.replaced(
            period_s=prescaler * full / workspace.bus_clock_hz,
            prescaler_register=prescaler - 1,
            period_register=full - 1,
        )

        over = full > timing.counts
        yield Finding(
            "route-beyond-period",
            "warning",
            route.name,
            f"{route.name}: the value and the period of {pwm.name} do not match",
            f"The value goes up to {full - 1}, the period has {timing.counts} counts: "
            + (
                f"above {format_percent(timing.counts / full)} of its range the duty stays at 100 %."
                if over
                else f"the duty never gets above {format_percent(full / timing.counts)}."
            ),
            first_effective_fix(
                workspace,
                [SetPwm(pwm.name, exact)],
                rule_satisfied(route_beyond_period, route.name),
            ),
            signal=route.name,
        )


@rule("route-mixes-signals")
def route_mixes_signals(workspace: Workspace) -> Iterator[Finding]:
    """Values of several signals come mixed."""
    for route in workspace.project.routes:
        source = route.source
        if not isinstance(source, ResultSource) or source.signal is not None:
            continue
        chain = workspace.project.chain(source.converter)
        assert chain is not None
        names = list(dict.fromkeys(slot.signal for slot in chain.slots))
        if len(names) > 1:
            yield Finding(
                "route-mixes-signals",
                "warning",
                route.name,
                f"{route.name} takes every result of {chain.converter}",
                f"{len(names)} signals go over it in turn: "
                f"{', '.join(names[:3])}{' …' if len(names) > 3 else ''}.",
                SetRoute(route.name, route.replaced(source=source.replaced(signal=names[0]))),
                signal=route.name,
            )


@rule("route-silent")
def route_has_no_source(workspace: Workspace) -> Iterator[Finding]:
    """Nothing ever moves."""
    for route in workspace.project.routes:
        if route_timing(workspace, route).source_hz == 0:
            yield Finding(
                "route-silent",
                "note",
                route.name,
                f"Nothing feeds {route.name}",
                "Its source makes nothing on this bench: wire a serial source to the receive pin, "
                "or start the chain.",
                signal=route.name,
            )


@rule("jumper-from-nothing", "jumper-from-route")
def jumper_from_nothing(workspace: Workspace) -> Iterator[Finding]:
    """The input reads 0 V, or what a route puts there."""
    for wiring in workspace.project.bench:
        if not isinstance(wiring.source, Jumper):
            continue
        pin = wiring.source.pin
        if pin in moved_pins(workspace):
            yield Finding(
                "jumper-from-route",
                "note",
                f"pin {wiring.pin}",
                f"What the jumper from {pin} brings is not known beforehand",
                "A route or a reaction sets that output while the board runs: what comes is shown and "
                "measured, and no band is drawn.",
                signal=_signal_on(workspace, wiring.pin),
            )
        elif generator_on(workspace, pin) is None and pwm_on(workspace, pin) is None:
            yield Finding(
                "jumper-from-nothing",
                "warning",
                f"pin {wiring.pin}",
                f"The jumper to {wiring.pin} comes from {pin}, where nothing comes out",
                "Put a generator or a PWM output there, or take the jumper from another pin.",
                signal=_signal_on(workspace, wiring.pin),
            )


def _signal_on(workspace: Workspace, pin: str) -> str:
    return next((signal.name for signal in workspace.project.signals if signal.pin == pin), "")


@rule("pwm-ripples")
def pwm_ripples(workspace: Workspace) -> Iterator[Finding]:
    """A filtered PWM reads a little different each time."""
    for wiring in workspace.project.bench:
        if not isinstance(wiring.source, Jumper):
            continue
        pwm = pwm_on(workspace, wiring.source.pin)
        name = _signal_on(workspace, wiring.pin)
        chain = workspace.project.chain_of(name) if name else None
        if pwm is None or chain is None or wiring.source.pin in moved_pins(workspace):
            continue
        low_v, high_v = input_source(workspace, wiring.pin).extent_v
        lsb_v = workspace.reference_v / (1 << chain.bits)
        if high_v - low_v > 4 * lsb_v:
            poles = input_poles_s(workspace, wiring)
            slow = f"through {format_si(max(poles), 's', 3)}" if poles else "unfiltered"
            yield Finding(
                "pwm-ripples",
                "note",
                f"pin {wiring.pin}",
                f"{name} carries the ripple of {pwm.name}",
                f"{format_volts(high_v - low_v)} peak to peak {slow}, "
                f"{(high_v - low_v) / lsb_v:.0f} LSB.",
                signal=name,
            )
