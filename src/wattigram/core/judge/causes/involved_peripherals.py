"""Which peripherals a signal's values, or what a route carries, depend on."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.model.bench import Jumper, resolve_source
from wattigram.core.model.design import (
    Chain,
    Dma,
    Reaction,
    TimerTrigger,
    Workspace,
    output_of,
)
from wattigram.core.model.design.outputs import Playback
from wattigram.core.model.design.route import (
    DacDestination,
    ReceivedSource,
    ResultSource,
    Route,
    UartDestination,
)
from wattigram.core.predict.pins import generator_on, pwm_on
from wattigram.core.predict.waveform import update_timer


def chain_owners(chain: Chain) -> set[str]:
    """Peripherals that a chain's results depend on."""
    owners = {chain.converter}
    if isinstance(chain.readout, Dma):
        owners.add(chain.readout.channel)
    if isinstance(chain.trigger, TimerTrigger):
        owners.add(chain.trigger.timer)
    return owners


def signal_owners(workspace: Workspace, signal: str) -> set[str]:
    """Peripherals besides those of its chain: comparators on a signal, and what makes the output
    wired to its pin."""
    owners = {
        comparator.name
        for comparator in workspace.project.comparators
        if comparator.signal == signal
    }
    if any(one.name == signal for one in workspace.project.signals):
        owners |= set(_output_owners(workspace, workspace.project.signal(signal).pin))
    return owners


def _output_owners(workspace: Workspace, pin: str) -> Iterator[str]:
    wiring = workspace.wiring(pin)
    source = resolve_source(wiring, workspace.project.bench) if wiring is not None else None
    if not isinstance(source, Jumper):
        return
    generator, pwm = generator_on(workspace, source.pin), pwm_on(workspace, source.pin)
    if generator is not None:
        yield generator.dac
        if isinstance(generator.output, Playback):
            yield generator.output.channel
            timer = update_timer(workspace, generator.output)
            if timer is not None:
                yield timer.timer
    if pwm is not None:
        yield pwm.timer
    for route in workspace.project.routes:
        if (
            pwm is not None
            and not isinstance(route.destination, (UartDestination, DacDestination))
            and route.destination.pwm == pwm.name
        ):
            yield from route_owners(workspace, route)


def route_owners(workspace: Workspace, route: Route) -> set[str]:
    """Peripherals that take part in a route."""
    owners = {route.channel}
    if route.timer is not None:
        owners.add(route.timer.timer)
    match route.source:
        case ResultSource(converter=converter):
            chain = workspace.project.chain(converter)
            owners |= chain_owners(chain) if chain is not None else {converter}
        case ReceivedSource(uart=uart):
            owners.add(uart)
    match route.destination:
        case UartDestination(uart=uart):
            owners.add(uart)
        case DacDestination(dac=dac):
            owners.add(dac)
        case sink:
            pwm = workspace.project.pwm_output(sink.pwm)
            if pwm is not None:
                owners.add(pwm.timer)
    return owners


def reaction_owners(workspace: Workspace, reaction: Reaction) -> set[str]:
    """Peripherals that take part in a reaction: what causes it, and what it moves."""
    project, owners = workspace.project, set[str]()
    cause = getattr(reaction.when, "signal", "")
    names = {signal for signal, _stream in reaction.readings} | ({cause} if cause else set())
    for chain in (project.chain_of(name) for name in names):
        owners |= chain_owners(chain) if chain is not None else set()
    chain = project.chain(getattr(reaction.when, "converter", ""))
    owners |= chain_owners(chain) if chain is not None else set()
    return owners | moved_owners(workspace, reaction)


def moved_owners(workspace: Workspace, reaction: Reaction) -> set[str]:
    """Peripherals that a reaction moves."""
    output = output_of(reaction)
    if output is None:
        return set()
    match output.kind:
        case "pins":
            ports = (workspace.part.port_of(pin) for pin in output.names)
            return {port.name for port in ports if port is not None}
        case "duty" | "pulse-period":
            pwm = workspace.project.pwm_output(output.names[0])
            return {pwm.timer} if pwm is not None else set()
        case _:
            return set(output.names)
