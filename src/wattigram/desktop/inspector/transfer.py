"""Panels of how results leave: retrieval and memory, and what the program takes items for."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from functools import partial

from wattigram.core.advise import explanations
from wattigram.core.advise.explanations import Explanation
from wattigram.core.base.errors import QuantityError
from wattigram.core.base.quantity import format_percent, format_rounded, format_si, parse_quantity
from wattigram.core.model.design import (
    Chain,
    Dma,
    Fifo,
    Interrupt,
    Polling,
    Reader,
    Retrieval,
    SoftwareTrigger,
    Workspace,
)
from wattigram.core.model.design.edits import (
    Edit,
    SetBufferLength,
    SetElementWidth,
    SetIsrCost,
    SetMainCost,
    SetReader,
    SetRetrieval,
)
from wattigram.core.model.design.edits.cost_edits import ClockField
from wattigram.core.model.design.edits.trigger_edits import RETRIEVALS
from wattigram.core.predict.timing import (
    buffer_timing,
    has_isr,
    isr_service_cycles,
    isr_service_s,
    looks_for_results,
    main_cycles,
    retrieval_timing,
    scan_timing,
)
from wattigram.desktop.inspector.number_entry import whole_number
from wattigram.desktop.inspector.outputs import key_for
from wattigram.desktop.inspector.panel_model import Choice, Fact, Field, Panel, Tab, WhatIf

ENDIAN = {"little": "little-endian", "big": "big-endian"}
TABS = (Tab("Readout", "transfer"), Tab("Read as", "read as"))


def buffer_panel(workspace: Workspace, chain: Chain) -> Panel:
    """How results are fetched, what that costs, and the memory they go to."""
    loop = buffer_timing(workspace, chain)
    timing = retrieval_timing(workspace, chain)
    slots = len(chain.slots)
    while_it_lasts = " while it lasts" if scan_timing(workspace, chain).is_single_run else ""
    facts = [
        Fact(
            "processor",
            f"{format_percent(timing.cpu_share)}{while_it_lasts}",
            timing.cpu_share <= 1,
            partial(explanations.cpu_share, workspace, chain),
        ),
        *_work_facts(workspace, chain),
        Fact(
            "ISR rate" if loop.read_period_s is None else "read rate",
            format_si(timing.events_hz, "Hz", 4),
            why=partial(explanations.isr_rate, workspace, chain) if timing.events_hz else None,
        ),
        *(
            [
                Fact(
                    "newest at most",
                    f"{format_rounded(loop.oldest_s, 's', 4)} old when read",
                    why=partial(explanations.newest_age, workspace, chain),
                )
            ]
            if loop.read_period_s is not None
            else []
        ),
        Fact(
            "deadline",
            format_rounded(timing.deadline_s, "s", 4),
            timing.service_s + timing.held_up_s <= timing.deadline_s,
            partial(explanations.deadline, workspace, chain),
        )
        if timing.overwrites
        else Fact("deadline", "none, nothing is overwritten"),
        Fact(
            "lost",
            f"{format_si(timing.lost_hz, 'S/s', 4)}" if timing.lost_hz else "none",
            not timing.lost_hz,
            partial(explanations.results_lost, workspace, chain) if timing.lost_hz else None,
        ),
        Fact("bytes", str(loop.bytes), why=partial(explanations.buffer_bytes, workspace, chain)),
        Fact(
            "wrap time",
            format_rounded(loop.lap_s, "s", 4),
            why=partial(explanations.wrap_time, workspace, chain),
        ),
        Fact(
            "scans per buffer",
            f"{loop.items / slots:g}",
            loop.in_step,
            partial(explanations.scans_held, workspace, chain),
        ),
        *(
            [
                Fact(
                    "half holds whole scans",
                    "yes" if loop.halves_in_step else "no",
                    loop.halves_in_step,
                )
            ]
            if loop.read_period_s is None
            else []
        ),
    ]
    kinds = {kind: RETRIEVALS[kind] for kind in workspace.converter(chain).retrievals}

    def kind(text: str) -> Edit | None:
        name = next(key for key, value in kinds.items() if value == text)
        return (
            None
            if name == chain.readout.kind
            else SetRetrieval(chain.converter, _fresh(workspace, chain, name))
        )

    fields = [Field("readout", RETRIEVALS[chain.readout.kind], kind, tuple(kinds.values()))]
    fields += _own_fields(workspace, chain)
    dma = workspace.part.dma_channel(chain.dma) if chain.dma else None
    highest = dma.items_max if dma else 1 << 16
    widths = tuple(str(width) for width in (dma.widths if dma else (8, 16, 32)))
    fields += [
        Field(
            "ISR cycles" if loop.read_period_s is None else "read cycles",
            str(chain.buffer.isr_cycles),
            lambda text: SetIsrCost(chain.converter, whole_number(text, "cycles")),
            hint="processor cycles a call",
        ),
        *_main_loop(chain),
        Field(
            "length",
            str(chain.buffer.samples),
            lambda text: SetBufferLength(chain.converter, whole_number(text, "length")),
            hint=f"a multiple of {2 * slots if loop.read_period_s is None else slots}",
        ),
        Field(
            "element width",
            str(chain.buffer.element_bits),
            lambda text: SetElementWidth(chain.converter, whole_number(text, "bits")),
            widths,
        ),
    ]
    return Panel(
        f"{chain.buffer.name} · {chain.converter}",
        tuple(facts),
        tuple(fields),
        _lengths(workspace, chain, highest),
        tabs=TABS,
        tab="transfer",
    )


def _lengths(workspace: Workspace, chain: Chain, highest: int) -> WhatIf:
    loop = buffer_timing(workspace, chain)
    timing = retrieval_timing(workspace, chain)
    slots = len(chain.slots)
    lengths = [
        2 * slots * (1 << power) for power in range(1, 12) if 2 * slots * (1 << power) <= highest
    ][-9:]
    if chain.buffer.samples not in lengths:
        lengths = sorted([*lengths, chain.buffer.samples])
    choices = []
    for length in lengths:
        half_s = loop.half_s * Fraction(length, loop.items)
        share = timing.cpu_share * (
            Fraction(loop.items, length) if isinstance(chain.readout, Dma) else 1
        )
        tip = f"{length} samples: half full every {format_rounded(half_s, 's', 3)}, {format_percent(share, 2)} of the processor"
        choices.append(
            Choice(
                str(length),
                float(half_s),
                length % (2 * slots) == 0 and share <= 1,
                length == chain.buffer.samples,
                tip,
                SetBufferLength(chain.converter, length),
            )
        )
    return WhatIf("If length were · time from half full to full", tuple(choices))


def _fresh(workspace: Workspace, chain: Chain, kind: str) -> Retrieval:
    match kind:
        case "polling":
            return Polling()
        case "interrupt":
            return Interrupt(per="conversion")
        case "fifo":
            return Fifo(watermark=max(1, workspace.converter(chain).fifo_items // 2))
        case _:
            taken = {other.dma for other in workspace.project.chains}
            free = [
                name for group in workspace.part.dma for name in group.names if name not in taken
            ]
            if not free:
                raise QuantityError(
                    "All DMA channels are taken.", cure="Free one of another chain first."
                )
            return Dma(channel=chain.dma or free[0])


def _work_facts(workspace: Workspace, chain: Chain) -> list[Fact]:
    """What a call takes: the ISR, how long it waits for others, and the main loop after it."""
    timing, later = retrieval_timing(workspace, chain), main_cycles(chain)
    isr_s = isr_service_s(workspace, chain)
    facts = [
        Fact(
            "ISR" if chain.read_period_s is None else "read",
            f"{isr_service_cycles(workspace, chain)} clk · {format_rounded(isr_s, 's', 3)}",
            why=partial(_isr, workspace, chain),
        )
    ]
    if timing.held_up_s:
        facts.append(
            Fact(
                "waits for other ISRs",
                f"≤ {format_rounded(timing.held_up_s, 's', 3)}",
                why=partial(explanations.waits_for_others, workspace, chain),
            )
        )
    if later:
        later_s = later / workspace.bus_clock_hz
        facts.append(
            Fact(
                "main loop per half",
                f"{later} clk · {format_rounded(later_s, 's', 3)}",
                why=partial(explanations.main_time, workspace, chain),
            )
        )
    return facts


def _isr(workspace: Workspace, chain: Chain) -> tuple[Explanation, Explanation]:
    return explanations.isr_clocks(workspace, chain), explanations.isr_time(workspace, chain)


def _main_loop(chain: Chain) -> list[Field]:
    """What the main loop does with each half that is full, and how often it looks for results."""

    def field(label: str, name: ClockField, hint: str) -> Field:
        now = getattr(chain.buffer, name)
        can_lack = name != "main_cycles"

        def make(text: str) -> Edit:
            is_stated = text.strip() or not can_lack
            cycles = whole_number(text, "cycles") if is_stated else None
            return SetMainCost(chain.converter, cycles, name)

        shown = "" if now is None else str(now)
        return Field(label, shown, make, hint=f"not stated; {hint}" if can_lack else hint)

    fields, trigger = [], chain.trigger
    if isinstance(chain.readout, Polling) or (isinstance(chain.readout, Dma) and has_isr(chain)):
        hint = "for each half that is full; ISRs may come between"
        fields.append(field("main loop cycles", "main_cycles", hint))
    if looks_for_results(chain):
        hint = "cycles from one look for results to the next"
        fields.append(field("main loop round", "round_cycles", hint))
        if isinstance(chain.readout, Polling):
            hint = "cycles more where results were lost, to send what came before"
            fields.append(field("after a gap", "gap_cycles", hint))
        if isinstance(trigger, SoftwareTrigger) and trigger.follows_itself:
            hint = "cycles from finding results to the next start"
            fields.append(field("starts after", "start_cycles", hint))
    return fields


def _own_fields(workspace: Workspace, chain: Chain) -> list[Field]:
    retrieval = chain.readout

    def changed(**updates: object) -> Edit:
        return SetRetrieval(chain.converter, retrieval.replaced(**updates))

    match retrieval:
        case Dma():
            names = tuple(name for group in workspace.part.dma for name in group.names)
            modes = ("circular", "one-shot", "single run")
            mode = modes[0 if retrieval.circular else 1 + retrieval.single_run]
            steps = ("increments", "fixed")
            return [
                Field("channel", retrieval.channel, lambda text: changed(channel=text), names),
                Field(
                    "mode",
                    mode,
                    lambda text: changed(circular=text == modes[0], single_run=text == modes[2]),
                    modes,
                ),
                Field(
                    "read newest every",
                    _period_text(retrieval.read_period_s),
                    lambda text: changed(read_period_s=_period(text)),
                    hint="such as 10 ms, with no ISR; or never: an ISR takes each half",
                ),
                Field(
                    "address",
                    steps[not retrieval.increment],
                    lambda text: changed(increment=text == steps[0]),
                    steps,
                ),
            ]
        case Interrupt():
            return [
                Field(
                    "interrupt on",
                    retrieval.per,
                    lambda text: changed(per=text),
                    ("conversion", "scan"),
                ),
                _run_field(retrieval, changed),
            ]
        case Fifo():
            depth = workspace.converter(chain).fifo_items
            return [
                Field(
                    "watermark",
                    str(retrieval.watermark),
                    lambda text: changed(watermark=whole_number(text, "length")),
                    hint=f"1 to {depth}",
                ),
                _run_field(retrieval, changed),
            ]
        case Polling():
            return [
                Field(
                    "time-out",
                    _period_text(retrieval.timeout_s),
                    lambda text: changed(timeout_s=_period(text)),
                    hint="such as 2 ms, or never",
                ),
                _run_field(retrieval, changed),
            ]


def _period_text(period_s: Fraction | None) -> str:
    return "never" if period_s is None else format_si(period_s, "s")


def _period(text: str) -> Fraction | None:
    return None if text.strip() in {"", "never"} else parse_quantity(text, "s")


def _run_field(retrieval: Polling | Interrupt | Fifo, changed: Callable[..., Edit]) -> Field:
    """Whether it goes on for ever, or ends when the buffer has been filled once."""
    modes = ("continuous", "single run")
    return Field(
        "mode",
        modes[retrieval.single_run],
        lambda text: changed(single_run=text == modes[1]),
        modes,
    )


def reader_panel(workspace: Workspace, chain: Chain) -> Panel:
    """What the program takes items for; anything else than what they are is a mistake to be
    seen."""
    reader, loop = chain.read_as, chain.buffer
    converter = workspace.converter(chain)
    facts = (
        Fact("written", f"{loop.element_bits} bits, {chain.alignment}-aligned"),
        Fact("endianness", "little-endian"),
        Fact("full scale", converter.full_scale),
        Fact("read as written", "yes" if reader == Reader() else "no", reader == Reader()),
    )

    def changed(**updates: object) -> Edit:
        return SetReader(chain.converter, reader.replaced(**updates))

    as_is = "as written"
    return Panel(
        f"{loop.name} · what the program reads",
        facts,
        (
            Field(
                "width",
                str(reader.element_bits) if reader.element_bits else as_is,
                lambda text: changed(element_bits=None if text == as_is else int(text)),
                (as_is, "8", "16", "32"),
            ),
            Field(
                "alignment",
                reader.alignment or as_is,
                lambda text: changed(alignment=None if text == as_is else text),
                (as_is, "right", "left"),
            ),
            Field(
                "endianness",
                ENDIAN[reader.endianness],
                lambda text: changed(endianness=key_for(text, ENDIAN)),
                tuple(ENDIAN.values()),
            ),
            Field(
                "full scale",
                reader.full_scale or as_is,
                lambda text: changed(full_scale=None if text == as_is else text),
                (as_is, "2^N", "2^N-1"),
            ),
        ),
        tabs=TABS,
        tab="read as",
    )
