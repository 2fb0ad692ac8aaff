"""The words and figures in the rows of outputs."""

from __future__ import annotations

import msgspec

from wattigram.core.base.quantity import format_rounded, format_si, format_volts
from wattigram.core.model.bench import Jumper, resolve_source
from wattigram.core.model.design import (
    ConstantLevel,
    Generator,
    Playback,
    ProgramOutput,
    PwmOutput,
    Route,
    SoftwareRamp,
    TimerTrigger,
    UartDestination,
    Workspace,
    program_outputs,
)
from wattigram.core.predict.pins import pwm_pin, pwm_timing
from wattigram.core.predict.timing import route_timing
from wattigram.core.predict.waveform import dac_playback
from wattigram.desktop.inspector.routes import ON, sink_text, source_text


class OutputText(msgspec.Struct, frozen=True):
    """All that a row says; ``cells`` are the five between the name and the stream."""

    section: str
    name: str
    where: str
    figure: str
    cells: tuple[tuple[str, ...], ...]
    pin: str = ""
    looped: str = ""
    """The signal that a jumper brings it to."""
    stream: str = ""
    """What is seen of it, by the name of its stream."""


def output_texts(workspace: Workspace) -> list[OutputText]:
    """Every output of a design: generators, PWM and routes."""
    project = workspace.project
    texts = [_generator(workspace, generator) for generator in project.generators]
    texts += [_pwm(workspace, pwm) for pwm in project.pwm]
    texts += [_route(workspace, route) for route in project.routes]
    return texts


def looped_signal(workspace: Workspace, pin: str) -> tuple[str, str]:
    """(input pin, signal) that a jumper from an output leads to; empty where none does."""
    project = workspace.project
    for wiring in project.bench:
        source = resolve_source(wiring, project.bench)
        if isinstance(source, Jumper) and source.pin == pin:
            signal = next(
                (signal.name for signal in project.signals if signal.pin == wiring.pin), ""
            )
            return wiring.pin, signal
    return "", ""


def _goes_to(workspace: Workspace, pin: str) -> tuple[tuple[str, ...], str]:
    to, signal = looped_signal(workspace, pin)
    if not to:
        return ("nothing", "no jumper on the bench"), ""
    return (f"pin {to}", signal or "no signal there"), signal


def _generator(workspace: Workspace, generator: Generator) -> OutputText:
    dac = workspace.part.dac(generator.dac)
    assert dac is not None
    made = dac_playback(workspace, generator)
    goes, signal = _goes_to(workspace, dac.pin)
    pin = (
        dac.name,
        "buffered" if generator.buffered else "not buffered",
        f"settles in {format_rounded(dac.settles_s(generator.buffered), 's', 2)}",
    )
    cells: tuple[tuple[str, ...], ...]
    match generator.output:
        case ConstantLevel(voltage_v=volts):
            cells = (("level", format_volts(volts)), ("software", "once"), ("–",), pin, goes)
            figure = f"{float(made.levels_v[0]):.4f} V"
        case SoftwareRamp() as ramp:
            steps = f"{format_volts(ramp.from_v)} to {format_volts(ramp.to_v)}"
            cells = (
                ("ramp", steps, f"{len(made.codes)} steps"),
                ("software",),
                (
                    f"dwell {format_si(ramp.dwell_s, 's', 4)}",
                    f"sweep {format_rounded(made.lap_s, 's', 3)}",
                ),
                pin,
                goes,
            )
            figure = format_si(made.wave_hz, "Hz", 5) if made.repeat else "once"
        case Playback() as output:
            table = workspace.project.table(output.table)
            assert table is not None
            trigger = output.update_trigger
            by = trigger.timer if isinstance(trigger, TimerTrigger) else f"with {trigger.follows}"
            cells = (
                (output.table, f"{table.shape.kind}, {table.points} × u16"),
                (output.channel, "loop" if output.repeat else "once"),
                (
                    by,
                    f"every {format_si(made.asked_s, 's', 5)}",
                    f"from point {output.start_index}" if output.start_index else "",
                ),
                pin,
                goes,
            )
            figure = format_si(made.wave_hz, "Hz", 6)
    return OutputText(
        "generators", generator.name, f"pin {dac.pin}", figure, cells, dac.pin, signal
    )


def _pwm(workspace: Workspace, pwm: PwmOutput) -> OutputText:
    timing = pwm_timing(workspace, pwm)
    pin = pwm_pin(workspace, pwm)
    goes, signal = _goes_to(workspace, pin)
    project = workspace.project
    setters = [
        route.name for route in project.routes if getattr(route.destination, "pwm", "") == pwm.name
    ]
    setters += [
        reaction.name
        for reaction in project.reactions
        if getattr(reaction.do, "pwm", "") == pwm.name
    ]
    route = next(iter(setters), "")
    cells = (
        ("set by", route) if route else ("duty", f"{float(timing.duty) * 100:.4g} %"),
        ("timer", "waits for the period" if pwm.preload else "at once"),
        (pwm.timer, f"every {format_si(timing.period_s, 's', 5)}"),
        (f"{timing.counts} steps", f"{timing.bits:.1f} bits"),
        goes,
    )
    return OutputText(
        "pwm",
        pwm.name,
        f"pin {pin}",
        "" if route else f"{timing.mean_v:.4f} V average",
        cells,
        pin,
        signal,
        _duty_stream(workspace, pwm) if not signal else "",
    )


def _duty_stream(workspace: Workspace, pwm: PwmOutput) -> str:
    """What is seen of a duty that the program sets."""
    wanted = ProgramOutput("duty", (pwm.name,))
    return wanted.title if wanted in program_outputs(workspace.project.reactions) else ""


def _route(workspace: Workspace, route: Route) -> OutputText:
    timing = route_timing(workspace, route)
    width = f"{route.transfers} × {route.source_bits} → {route.destination_bits} bits"
    lost = (
        f"{format_si(timing.overwritten_hz, 'Hz', 3)} overwritten" if timing.overwritten_hz else ""
    )
    is_wire = isinstance(route.destination, UartDestination)
    cells = (
        (source_text(route.source), format_si(timing.source_hz, "Hz", 5)),
        (route.channel, width),
        (ON[route.request], lost),
        (
            sink_text(route.destination),
            f"takes {format_si(timing.sink_hz, 'B/s' if is_wire else 'Hz', 5)}",
        ),
        ("a terminal", "see Program") if is_wire else ("its pin",),
    )
    return OutputText(
        "routes",
        route.name,
        "no processor",
        format_si(timing.effective_hz, "Hz", 5),
        cells,
        stream=route.name,
    )
