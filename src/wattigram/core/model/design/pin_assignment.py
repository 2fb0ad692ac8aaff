"""Which inputs can carry a signal, what else wants them, and moving a signal there."""

from __future__ import annotations

import msgspec

from wattigram.core.model.bench import PairedSource
from wattigram.core.model.design.edits import (
    CompositeEdit,
    Edit,
    RemoveWiring,
    SetPin,
    SetWiring,
    SwapPins,
)
from wattigram.core.model.design.project import Signal
from wattigram.core.model.design.reaction import (
    InputChanged,
    PointAction,
    ProgramOutput,
    output_of,
    program_outputs,
)
from wattigram.core.model.design.route import ReceivedSource
from wattigram.core.model.design.trigger import EdgeTrigger
from wattigram.core.model.design.workspace import Workspace


class InputOption(msgspec.Struct, frozen=True):
    """One input of the part, as a place for one signal.

    Attributes
    ----------
    channels : tuple of (converter, channel)
        What it would become; those of the signal's own converter alone where it has one.
    elsewhere : bool
        Only a converter that does not convert the signal reaches it.
    signals : tuple of str
        Other signals that are on it.
    others : tuple of str
        What else wants it: a DAC, a trigger, a reference.
    """

    pin: str
    negative: str | None
    channels: tuple[tuple[str, int], ...]
    elsewhere: bool
    signals: tuple[str, ...]
    others: tuple[str, ...]
    is_current: bool

    @property
    def label(self) -> str:
        """As it is shown."""
        return self.pin if self.negative is None else f"{self.pin}−{self.negative}"


def all_inputs(workspace: Workspace) -> tuple[tuple[str, str | None], ...]:
    """Every input of the part: analog pins in the part's order, pairs, internal channels."""
    part = workspace.part
    analog = {pin for converter in part.converters for pin in converter.channels}
    inputs: dict[tuple[str, str | None], None] = {
        (pin, None): None for pin in part.pins if pin in analog
    }
    for converter in part.converters:
        inputs |= {(pair.positive, pair.negative): None for pair in converter.pairs}
    for converter in part.converters:
        inputs |= {(item.name, None): None for item in converter.internal}
    return tuple(inputs)


def input_options(workspace: Workspace, signal: Signal) -> tuple[InputOption, ...]:
    """Every input, and what it would mean for the signal."""
    project = workspace.project
    chain = project.chain_of(signal.name)
    own = (
        {chain.converter}
        if chain is not None
        else {converter.name for converter in workspace.part.converters}
    )
    options = []
    for pin, negative in all_inputs(workspace):
        reached = [
            (converter.name, channel)
            for converter in workspace.part.converters
            if (channel := converter.channel(pin, negative)) is not None
        ]
        mine = tuple(item for item in reached if item[0] in own)
        pins = {pin, negative} - {None}
        sharing = tuple(
            other.name
            for other in project.signals
            if other is not signal and pins & {other.pin, other.negative} and pin[0].isupper()
        )
        options.append(
            InputOption(
                pin,
                negative,
                mine,
                bool(reached) and not mine,
                sharing,
                tuple(
                    text
                    for one in sorted(str(item) for item in pins)
                    for text in other_uses(workspace, one)
                ),
                (signal.pin, signal.negative) == (pin, negative),
            )
        )
    return tuple(options)


def other_uses(workspace: Workspace, pin: str) -> tuple[str, ...]:
    """What wants a pin besides signals: outputs, triggers, thresholds, references."""
    return tuple(use.text for use in _uses(workspace, pin))


class _Use(msgspec.Struct, frozen=True):
    """A use of a pin; ``takes``: what comes to the pin matters to it; ``is_idle``: it would be there, and
    the design does nothing with it."""

    text: str
    takes: bool = False
    is_idle: bool = False


def _uses(workspace: Workspace, pin: str) -> list[_Use]:
    project, part = workspace.project, workspace.part
    played = {generator.dac for generator in project.generators}
    uses = [_Use(dac.name, is_idle=dac.name not in played) for dac in part.dacs if dac.pin == pin]
    uses += [
        _Use(f"{chain.converter}'s trigger", takes=True)
        for chain in project.chains
        if isinstance(chain.trigger, EdgeTrigger) and chain.trigger.pin == pin
    ]
    uses += [
        _Use(f"{item.name}'s threshold", takes=True)
        for item in project.comparators
        if item.threshold_pin == pin
    ]
    reference = part.reference(project.reference)
    if reference is not None and reference.pin == pin:
        uses.append(_Use("the reference", takes=True))
    uses += [
        _Use(f"{dac.name}'s reference", takes=True)
        for dac in part.dacs
        if dac.name in played
        and (name := workspace.dac_reference(dac)) != project.reference
        and (own := part.reference(name)) is not None
        and own.pin == pin
    ]
    for uart in project.uarts:
        ports = part.uart(uart.name)
        if ports is not None and ports.send_pins.get(uart.name) == pin:
            uses.append(_Use(f"{uart.name} sends"))
        if ports is not None and ports.receive_pins.get(uart.name) == pin:
            uses.append(_Use(f"{uart.name} receives", takes=_is_heard(workspace, uart.name)))
    uses += [
        _Use(pwm.name)
        for pwm in project.pwm
        if (timer := part.timer(pwm.timer)) is not None and timer.pwm_pins.get(pwm.timer) == pin
    ]
    uses += [
        _Use(f"looked at by reaction {reaction.name}", takes=True)
        for reaction in project.reactions
        if isinstance(reaction.when, InputChanged) and reaction.when.pin == pin
    ]
    uses += [
        _Use(f"read by {reaction.do.signal} after reaction {reaction.name}", takes=True)
        for reaction in project.reactions
        if isinstance(reaction.do, PointAction) and reaction.do.pin == pin
    ]
    uses += [
        _Use(f"set by reaction {reaction.name}")
        for reaction in project.reactions
        if (output := output_of(reaction)) is not None
        and output.kind == "pins"
        and pin in output.names
    ]
    return uses


def _is_heard(workspace: Workspace, uart: str) -> bool:
    """Whether anybody waits for what comes over a serial port."""
    return any(watch.uart == uart for watch in workspace.watches) or any(
        isinstance(route.source, ReceivedSource) and route.source.uart == uart
        for route in workspace.project.routes
    )


class PinUse(msgspec.Struct, frozen=True):
    """A pin that something besides signals uses, and what is wired to it on the bench: "" for
    nothing."""

    pin: str
    uses: tuple[str, ...]
    wired: str
    is_needed: bool
    """It is an input, which nothing holds where nothing is wired to it."""


def pins_in_use(workspace: Workspace) -> tuple[PinUse, ...]:
    """Pins that outputs, serial ports, triggers and references use, in the part's order."""
    signals = {pin for one in workspace.project.signals for pin in (one.pin, one.negative)}
    found = []
    for pin in workspace.part.pins:
        uses = [use for use in _uses(workspace, pin) if not use.is_idle]
        uses += [_Use(output.names[0]) for output in _moved_dacs(workspace, pin)]
        if not uses:
            continue
        wiring = workspace.project.wired(pin)
        needed = any(use.takes for use in uses) and pin not in signals
        wired = (wiring.label or wiring.source.kind) if wiring is not None else ""
        found.append(PinUse(pin, tuple(use.text for use in uses), wired, needed))
    return tuple(found)


def _moved_dacs(workspace: Workspace, pin: str) -> list[ProgramOutput]:
    """A DAC on a pin that only the program sets."""
    dac = next((one for one in workspace.part.dacs if one.pin == pin), None)
    if dac is None or any(one.dac == dac.name for one in workspace.project.generators):
        return []
    return [
        output
        for output in program_outputs(workspace.project.reactions)
        if output.kind == "dac" and output.names == (dac.name,)
    ]


def move_signal(
    workspace: Workspace, signal: Signal, pin: str, negative: str | None = None
) -> Edit:
    """Put a signal on another input.

    A signal that is there comes to where this one was. Otherwise what is wired to the old pin goes
    along,
    unless something is wired to the new one already.
    """
    project = workspace.project
    there = next(
        (
            other
            for other in project.signals
            if other is not signal and (other.pin, other.negative) == (pin, negative)
        ),
        None,
    )
    if there is not None:
        return SwapPins(signal.name, there.name)
    move = SetPin(signal.name, pin, negative)
    wiring = project.wired(signal.pin)
    alone = not any(other.pin == signal.pin for other in project.signals if other is not signal)
    if (
        wiring is None
        or not alone
        or negative is not None
        or not pin[0].isupper()
        or project.wired(pin) is not None
    ):
        return move
    # What follows the old pin's source follows it to the new one.
    followers = tuple(
        SetWiring(other.replaced(source=other.source.replaced(pin=pin)))
        for other in project.bench
        if isinstance(other.source, PairedSource) and other.source.pin == signal.pin
    )
    steps: tuple[Edit, ...] = (move, RemoveWiring(signal.pin), SetWiring(wiring.replaced(pin=pin)))
    return CompositeEdit((*steps, *followers), f"{move.label}, with its wiring")
