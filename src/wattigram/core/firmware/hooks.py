"""Hooks: places in the firmware for an engineer's own code."""

from __future__ import annotations

import re
from collections.abc import Iterable
from fractions import Fraction

import msgspec

from wattigram.core.base.quantity import format_rounded, format_volts
from wattigram.core.firmware.c_names import c_comment, c_identifiers
from wattigram.core.firmware.tables import Tables
from wattigram.core.model.design import Dma, Fifo, Interrupt, Watch, limits_v
from wattigram.core.predict.timing import retrieval_timing, slot_order
from wattigram.core.silicon.registers import hardware_watches

FORMER_PREFIX, PREFIX = "wg_items_", "wg_samples_"
"""Hooks for samples were called by the first until project format 5; own code is never touched, so it is
told."""
EVENT_PREFIX, ISR_EVENT_PREFIX = "wg_event_", "wg_isr_event_"
_CALLED = re.compile(r"\b(wg_(?:samples|items|event|isr_(?:result|half|event))_\w+)\s*\(")
_COMMENTS = re.compile(r"/\*.*?\*/|//[^\n]*", re.DOTALL)


class Hook(msgspec.Struct, frozen=True):
    """A function that own code may define.

    ``number`` is that of the chain, or of the event; ``about`` the signal or comparator that it
    belongs to.
    """

    name: str
    number: int
    about: str
    brief: str
    budget: str
    slot: int = 0


def item_hooks(tables: Tables) -> tuple[Hook, ...]:
    """One for each signal that is converted, in the order of chains and slots."""
    hooks = []
    for chain in tables.chains:
        order = slot_order(tables.workspace, chain.chain)
        seen: set[str] = set()
        for slot, place in enumerate(order):
            signal = chain.chain.slots[place].signal
            if signal in seen:
                continue
            seen.add(signal)
            count = (chain.loop_items // 2) // len(order)
            hooks.append(
                Hook(
                    f"wg_samples_{tables.signal_names[signal]}",
                    chain.number,
                    signal,
                    c_comment(f"New samples of {signal}, about {count} at a time."),
                    format_rounded(chain.half_s, "s"),
                    slot,
                )
            )
    return tuple(hooks)


def event_hooks(tables: Tables) -> tuple[Hook, ...]:
    """One for each window, twin and comparator."""
    titles = {
        number: tables.watch_title(watch) for number, watch in enumerate(tables.workspace.watches)
    }
    # Names may be alike, numbers are not.
    names = c_identifiers(f"{title}\0{number}" for number, title in titles.items())
    plain = c_identifiers(dict.fromkeys(titles.values()))
    repeated = [title for title in titles.values() if list(titles.values()).count(title) > 1]
    hooks = []
    for number, watch in enumerate(tables.workspace.watches):
        title = titles[number]
        chain = tables.workspace.project.chain_of(watch.signal)
        half_s = next(
            (one.half_s for one in tables.chains if chain is not None and one.chain is chain),
            Fraction(0),
        )
        name = names[f"{title}\0{number}"] if title in repeated else plain[title]
        hooks.append(
            Hook(
                f"{EVENT_PREFIX}{name}",
                number,
                watch.signal,
                c_comment(_told(tables, watch, title)),
                format_rounded(half_s, "s") if half_s else "none",
            )
        )
    return tuple(hooks)


def _told(tables: Tables, watch: Watch, title: str) -> str:
    """What an event tells."""
    if watch.kind == "byte":
        byte = "A byte" if watch.byte is None else f"Byte 0x{watch.byte:02X}"
        return f"{byte} has come over {watch.uart}."
    condition = _condition(tables, watch) or f"The condition of “{title}”"
    return f"{condition} began to hold, or ceased to."


class IsrHook(msgspec.Struct, frozen=True):
    """A function that own code may define and an ISR calls; ``owner`` is the converter or comparator,
    ``number`` that of an event, and ``parameters`` are C, with what each is."""

    name: str
    owner: str
    brief: str
    budget: str
    parameters: tuple[tuple[str, str], ...]
    number: int = -1

    @property
    def declared(self) -> str:
        """Its parameters as C."""
        return ", ".join(text for text, _meaning in self.parameters)


def isr_hooks(tables: Tables) -> tuple[IsrHook, ...]:
    """One for each chain whose results or halves raise an interrupt, and for each event that the
    hardware sees."""
    hooks = []
    for chain in tables.chains:
        owner, readout = chain.chain.converter, chain.chain.readout
        if isinstance(readout, Dma) and not chain.fresh_items:
            hooks.append(
                IsrHook(
                    f"wg_isr_half_{chain.name}",
                    owner,
                    c_comment(f"A half of the buffer of {owner} is complete."),
                    format_rounded(chain.half_s, "s"),
                    (("bool is_second", "it is the second half"),),
                )
            )
        elif isinstance(readout, (Interrupt, Fifo)):
            timing = retrieval_timing(tables.workspace, chain.chain)
            hooks.append(
                IsrHook(
                    f"wg_isr_result_{chain.name}",
                    owner,
                    c_comment(f"A result of {owner} has been fetched."),
                    format_rounded(1 / timing.items_hz, "s") if timing.items_hz else "none",
                    (
                        ("uint32_t number", "of results since the start, its lower half"),
                        ("uint32_t result", "as the converter gave it"),
                    ),
                )
            )
    for hook in event_hooks(tables):
        watch = tables.workspace.watches[hook.number]
        owner = watch.comparator
        if watch.kind == "byte":
            owner = watch.uart
        elif watch.kind != "comparator":
            host = tables.workspace.project.chain_of(watch.signal)
            if host is None or watch not in hardware_watches(tables.workspace, host):
                continue
            owner = host.converter
        hooks.append(
            IsrHook(
                hook.name.replace(EVENT_PREFIX, ISR_EVENT_PREFIX, 1),
                owner,
                hook.brief,
                "short",
                (("bool entered", "it holds now"),),
                hook.number,
            )
        )
    return tuple(hooks)


def _condition(tables: Tables, watch: Watch) -> str:
    """What a window looks for, in volts; "" for other watches."""
    if watch.kind != "window":
        return ""
    workspace = tables.workspace
    window = watch.window(workspace.project)
    low, high = (
        format_volts(limit)
        for limit in limits_v(workspace, workspace.project.signal(watch.signal), window)
    )
    where = {"above": f"above {high}", "below": f"below {low}"}.get(
        window.condition, f"{window.condition} {low} to {high}"
    )
    times = f", {window.consecutive} times in a row" if window.consecutive > 1 else ""
    less = window.minus_signal or (
        format_volts(window.minus_v) if window.minus_v is not None else ""
    )
    return f"“{watch.signal}{f' minus {less}' if less else ''} {where}{times}”"


def all_hooks(tables: Tables) -> tuple[Hook | IsrHook, ...]:
    """Every hook of a design."""
    return (*item_hooks(tables), *event_hooks(tables), *isr_hooks(tables))


def hooks_written(sources: Iterable[str]) -> frozenset[str]:
    """Names of hooks that own code has."""
    return frozenset(name for text in sources for name in _CALLED.findall(_COMMENTS.sub(" ", text)))
