"""Signals and chains to and from the clipboard, as a small project in text."""

from __future__ import annotations

from fractions import Fraction

from wattigram.core.base.errors import EditError, ProjectError
from wattigram.core.model.design.edits import (
    AddChain,
    AddSignal,
    AddSlot,
    CompositeEdit,
    Edit,
    SetReaction,
    SetWiring,
    apply_edit,
)
from wattigram.core.model.design.edits.reaction_edits import with_signal_renamed
from wattigram.core.model.design.project import Chain, Project, Signal
from wattigram.core.model.design.project_file import parse_project, project_text
from wattigram.core.model.design.reaction import (
    BarAction,
    ComparatorSwitched,
    PinAction,
    Reaction,
    ResultsFetched,
    start_levels,
)
from wattigram.core.model.design.templates import DEFAULT_EVERY, fresh_chain, slot_for
from wattigram.core.model.design.trigger import FollowTrigger, TimerTrigger
from wattigram.core.model.design.workspace import Workspace

WHERE = "clipboard"
REACTIONS = "clip of reactions"


def clip_signals(workspace: Workspace, names: tuple[str, ...]) -> str:
    """Signals with what is wired to their pins."""
    return project_text(_clip(workspace, names, ()))


def clip_chain(workspace: Workspace, chain: Chain) -> str:
    """A chain with its signals and their wiring."""
    names = tuple(dict.fromkeys(slot.signal for slot in chain.slots))
    alone = (
        chain
        if not isinstance(chain.trigger, FollowTrigger)
        else _with_its_own_trigger(workspace, chain)
    )
    return project_text(_clip(workspace, names, (alone,)))


def _with_its_own_trigger(workspace: Workspace, chain: Chain) -> Chain:
    return chain.replaced(trigger=workspace.project.own_trigger(chain))


def _clip(workspace: Workspace, names: tuple[str, ...], chains: tuple[Chain, ...]) -> Project:
    project = workspace.project
    signals = []
    for name in names:
        signal = project.signal(name)
        windows = tuple(
            window for window in signal.thresholds if window.minus_signal in (None, *names)
        )
        twin = signal.redundant_pair if signal.partner in names else None
        signals.append(signal.replaced(thresholds=windows, redundant_pair=twin))
    pins = {pin for signal in signals for pin in (signal.pin, signal.negative)}
    return project.replaced(
        name="clip",
        signals=tuple(signals),
        chains=chains,
        comparators=(),
        tables=(),
        generators=(),
        pwm=(),
        uarts=(),
        routes=(),
        reactions=tuple(
            reaction for reaction in project.reactions if _goes_along(reaction, set(names))
        ),
        bench=tuple(wiring for wiring in project.bench if wiring.pin in pins),
        expectations=(),
    )


def _goes_along(reaction: Reaction, names: set[str]) -> bool:
    """Whether a reaction needs nothing but these signals, and pins."""
    cause = getattr(reaction.when, "signal", "")
    needs_more = isinstance(reaction.when, (ComparatorSwitched, ResultsFetched))
    if needs_more or not isinstance(reaction.do, (PinAction, BarAction)) or not cause:
        return False
    return {cause, *(signal for signal, _input in reaction.readings)} <= names


def clip_reactions(workspace: Workspace, names: tuple[str, ...]) -> str:
    """Reactions with all that they may name."""
    project = workspace.project
    kept = tuple(reaction for reaction in project.reactions if reaction.name in names)
    return project_text(
        project.replaced(
            name=REACTIONS, reactions=kept, routes=(), generators=(), expectations=(), bench=()
        )
    )


def paste_reactions(workspace: Workspace, text: str) -> CompositeEdit:
    """The edits that add copied reactions under fresh names, to what is called as it was there.

    Raises
    ------
    EditError
        When the text holds no reactions, or something that they name is not there.
    """
    try:
        clip = parse_project(text, WHERE)
    except ProjectError:
        clip = None
    if clip is None or clip.name != REACTIONS or not clip.reactions:
        raise EditError("The clipboard holds no reaction.", where=WHERE, cure="Copy one first.")
    edits: list[Edit] = []
    now = workspace
    for reaction in clip.reactions:
        step = SetReaction(*_fresh(now, reaction))
        now = apply_edit(now, step)
        edits.append(step)
    names = ", ".join(reaction.name for reaction in clip.reactions)
    return CompositeEdit(tuple(edits), f"Paste {names}")


def _fresh(workspace: Workspace, reaction: Reaction) -> tuple[str, Reaction]:
    """A name that is free, and the reaction by that name."""
    taken = {one.name for one in workspace.project.reactions}
    name, number = reaction.name, 2
    while name in taken:
        name, number = f"{reaction.name} {number}", number + 1
    return name, reaction.replaced(name=name)


def paste(workspace: Workspace, text: str) -> CompositeEdit:
    """The edits that put a clip into a design, under fresh names and on free pins where needed.

    Raises
    ------
    EditError
        When the text is no clip, or there is no room for it.
    """
    try:
        clip = parse_project(text, WHERE)
    except ProjectError as fault:
        raise EditError(
            "The clipboard holds no signals of Wattigram.",
            where=WHERE,
            cure="Copy a signal or a chain first.",
        ) from fault
    renamed = _names(workspace, clip)
    edits: list[Edit] = []
    now = workspace
    for signal in clip.signals:
        step = _placed(now, clip, signal, renamed)
        now = apply_edit(now, CompositeEdit(tuple(step), "Paste"))
        edits += step
        if not clip.chains:
            slot = slot_for(now, renamed[signal.name], now.project.signal(renamed[signal.name]).pin)
            if slot is not None:
                now = apply_edit(now, slot)
                edits.append(slot)
    for chain in clip.chains:
        step = _chain_edits(now, chain, renamed)
        now = apply_edit(now, CompositeEdit(tuple(step), "Paste"))
        edits += step
    for reaction in clip.reactions:
        for old, new in renamed.items():
            reaction = with_signal_renamed(reaction, old, new)
        reaction = _on_free_pins(now, reaction)
        setting = SetReaction(*_fresh(now, reaction))
        now = apply_edit(now, setting)
        edits.append(setting)
    what = (
        f"{len(clip.signals)} signals"
        if len(clip.signals) > 1
        else clip.signals[0].name
        if clip.signals
        else "nothing"
    )
    return CompositeEdit(tuple(edits), f"Paste {what}")


def _on_free_pins(workspace: Workspace, reaction: Reaction) -> Reaction:
    """The reaction on pins that no other sets, its own where they are free."""
    taken = set(start_levels(workspace.project.reactions))
    taken |= {pin for one in workspace.project.signals for pin in (one.pin, one.negative) if pin}
    free = [pin for port in workspace.part.ports for pin in port.bits if pin not in taken]

    def placed(pin: str) -> str:
        chosen = pin if pin in free else free[0] if free else pin
        if chosen in free:
            free.remove(chosen)
        return chosen

    do = reaction.do
    if isinstance(do, PinAction):
        do = do.replaced(pin=placed(do.pin))
    elif isinstance(do, BarAction):
        do = do.replaced(pins=tuple(placed(pin) for pin in do.pins))
    return reaction.replaced(do=do)


def _names(workspace: Workspace, clip: Project) -> dict[str, str]:
    used = {signal.name for signal in workspace.project.signals}
    renamed = {}
    for signal in clip.signals:
        name, number = signal.name, 2
        while name in used:
            name, number = f"{signal.name} {number}", number + 1
        used.add(name)
        renamed[signal.name] = name
    return renamed


def _placed(
    workspace: Workspace, clip: Project, signal: Signal, renamed: dict[str, str]
) -> list[Edit]:
    """A signal on its own pin where that is free, else on the first free one, its wiring with
    it."""
    taken = {pin for other in workspace.project.signals for pin in (other.pin, other.negative)}
    known = {pin for converter in workspace.part.converters for pin in converter.channels}
    internal = not signal.pin[0].isupper()
    if internal or (signal.pin in known and not {signal.pin, signal.negative} - {None} & taken):
        pin, negative = signal.pin, signal.negative
    else:
        free = [pin for pin in workspace.part.pins if pin in known and pin not in taken]
        if not free:
            raise EditError("Every analog pin carries a signal already.", cure="Remove one first.")
        pin, negative = free[0], None
    windows = tuple(
        window.replaced(minus_signal=window.minus_signal and renamed[window.minus_signal])
        for window in signal.thresholds
    )
    twin = signal.redundant_pair and signal.redundant_pair.replaced(
        paired_with=renamed[signal.redundant_pair.paired_with]
    )
    fresh = signal.replaced(
        name=renamed[signal.name],
        pin=pin,
        negative=negative,
        thresholds=windows,
        redundant_pair=twin,
    )
    edits: list[Edit] = [AddSignal(fresh)]
    for old, new in ((signal.pin, pin), (signal.negative, negative)):
        wiring = next((item for item in clip.bench if item.pin == old), None)
        if wiring is not None and new is not None and workspace.project.wired(new) is None:
            edits.append(SetWiring(wiring.replaced(pin=new)))
    return edits


def _chain_edits(workspace: Workspace, chain: Chain, renamed: dict[str, str]) -> list[Edit]:
    """The chain on a converter that is free, else its slots on the first that reaches its pins."""
    slots = tuple(slot.replaced(signal=renamed[slot.signal]) for slot in chain.slots)
    for converter in workspace.part.converters:
        if workspace.project.chain(converter.name) is not None:
            continue
        names = tuple(slot.signal for slot in slots)
        base = fresh_chain(workspace, converter, names, read_period(chain))
        same = converter.name == chain.converter or set(converter.dividers) >= {chain.divider}
        if not same:
            return [AddChain(base)]
        legal = all(slot.sampling_cycles in converter.sampling_cycles for slot in slots)
        return [
            AddChain(
                base.replaced(
                    divider=chain.divider,
                    bits=chain.bits if chain.bits in converter.bits else base.bits,
                    alignment=chain.alignment
                    if chain.alignment in converter.alignments
                    else base.alignment,
                    per_trigger=chain.per_trigger
                    if chain.per_trigger in converter.per_trigger
                    else base.per_trigger,
                    buffer=chain.buffer.replaced(name=base.buffer.name),
                    slots=slots if legal else base.slots,
                )
            )
        ]
    target = workspace.project.chains[0] if workspace.project.chains else None
    if target is None:
        raise EditError(f"{workspace.part.name} has no converter for the chain.")
    return [
        AddSlot(target.converter, slot.signal, target.slots[0].sampling_cycles) for slot in slots
    ]


def read_period(chain: Chain) -> Fraction:
    """The chain's own period where a timer starts it."""
    return chain.trigger.period_s if isinstance(chain.trigger, TimerTrigger) else DEFAULT_EVERY
