"""Panels of a yoke: clock, start, start-up order."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

from wattigram.core.advise import explanations
from wattigram.core.base.errors import QuantityError
from wattigram.core.base.fields import period_text, read_interval
from wattigram.core.base.quantity import (
    exact_text,
    format_counts,
    format_percent,
    format_rounded,
    format_si,
    parse_quantity,
)
from wattigram.core.model.design import (
    Chain,
    ComparatorTrigger,
    EdgeTrigger,
    FollowTrigger,
    FreeRunningTrigger,
    SoftwareTrigger,
    Step,
    ThresholdTrigger,
    TimerTrigger,
    Trigger,
    Workspace,
)
from wattigram.core.model.design.edits import (
    Edit,
    SetAlignment,
    SetBits,
    SetCalibration,
    SetClock,
    SetPeriod,
    SetPerTrigger,
    SetStartup,
    SetTrigger,
)
from wattigram.core.model.design.edits.trigger_edits import PER_TRIGGER, TRIGGERS
from wattigram.core.predict.accuracy import slot_settling
from wattigram.core.predict.clocks import timer_setting
from wattigram.core.predict.timing import STEP_NAMES, right_order, scan_timing, startup
from wattigram.desktop.inspector.number_entry import whole_number
from wattigram.desktop.inspector.panel_model import (
    Choice,
    Fact,
    Field,
    Line,
    OrderedList,
    Panel,
    Tab,
    WhatIf,
)

TABS = (Tab("Clock", "clock"), Tab("Start", "start"), Tab("Start-up", "start-up"))
CLOCKS = {"bus": "bus", "internal": "internal oscillator"}


def clock_panel(workspace: Workspace, chain: Chain) -> Panel:
    """The converter's clock, with each divider as a choice, current and allowed ones told apart."""
    limit_hz = float(workspace.converter(chain).clock_limit_hz(chain.bits))
    return Panel(
        f"{chain.converter}: clock and codes",
        tuple(_clock_facts(workspace, chain)),
        tuple(_clock_fields(workspace, chain)),
        WhatIf(
            f"If the {CLOCKS[chain.clock]} were divided by · clock",
            tuple(_divider_choices(workspace, chain)),
            limit_hz,
            format_si(limit_hz, "Hz"),
        ),
        tabs=TABS,
        tab="clock",
    )


def _clock_facts(workspace: Workspace, chain: Chain) -> Iterator[Fact]:
    cycle, converter = scan_timing(workspace, chain), workspace.converter(chain)
    low_hz, high_hz = converter.clock_low_hz, converter.clock_limit_hz(chain.bits)
    is_allowed = converter.allows_clock(cycle.clock_hz, chain.bits)
    yield Fact(
        "converter clock",
        format_si(cycle.clock_hz, "Hz"),
        is_allowed,
        partial(explanations.converter_clock, workspace, chain),
    )
    yield Fact(
        "allowed",
        f"{format_si(low_hz, 'Hz')} to {format_si(high_hz, 'Hz')}",
        why=partial(explanations.clock_range, workspace, chain),
    )
    yield Fact(
        "scan time",
        format_rounded(cycle.busy_s, "s", 6),
        why=partial(explanations.scan_time, workspace, chain),
    )
    if cycle.trigger.pace == "pattern":
        yield Fact(
            "slack",
            format_rounded(cycle.slack_s, "s", 6),
            cycle.slack_s >= 0,
            partial(explanations.slack, workspace, chain),
        )
    paced = cycle.trigger.pace in {"pattern", "self"}
    rate = format_si(cycle.cycle_rate_hz, "Hz", 6) if paced else "once"
    yield Fact(
        "scan rate", rate, why=partial(explanations.scan_rate, workspace, chain) if paced else None
    )
    yield Fact(
        "noise",
        f"{converter.noise_lsb:g} LSB at {max(converter.bits)} bit",
        why=partial(explanations.stated_noise, workspace, chain),
    )
    oscillator = converter.oscillator
    if oscillator is not None:
        yield Fact(
            "internal oscillator",
            f"{format_si(oscillator.clock_hz, 'Hz')} ± {format_percent(oscillator.tolerance)}",
            why=partial(explanations.oscillator, workspace, chain),
        )


def _divider_choices(workspace: Workspace, chain: Chain) -> Iterator[Choice]:
    cycle, converter = scan_timing(workspace, chain), workspace.converter(chain)
    source_hz = converter.source_clock_hz(workspace.bus_clock_hz, chain.clock == "internal")
    for divider in sorted(converter.dividers):
        clock_hz = source_hz / divider
        is_allowed = converter.allows_clock(clock_hz, chain.bits)
        tip = (
            f"÷ {divider}: {format_si(clock_hz, 'Hz')}{'' if is_allowed else ', out of range'}; "
            f"a scan takes {format_rounded(cycle.busy_with_s(clock_hz), 's', 4)}"
        )
        hint = partial(_with_slots, workspace, chain, divider, tip)
        edit = SetClock(chain.converter, chain.clock, divider)
        yield Choice(
            str(divider), float(clock_hz), is_allowed, divider == chain.divider, hint, edit
        )


def _clock_fields(workspace: Workspace, chain: Chain) -> Iterator[Field]:
    converter = workspace.converter(chain)
    if converter.oscillator is not None:
        yield _source_field(workspace, chain)
    dividers = tuple(f"÷ {divider}" for divider in sorted(converter.dividers))
    yield Field(
        "divider",
        f"÷ {chain.divider}",
        lambda text: SetClock(
            chain.converter, chain.clock, whole_number(text.lstrip("÷ "), "clocks")
        ),
        _current_first(dividers, f"÷ {chain.divider}"),
    )
    yield Field(
        "resolution",
        f"{chain.bits}",
        lambda text: SetBits(chain.converter, whole_number(text, "bits")),
        tuple(str(bits) for bits in converter.bits),
    )
    yield Field(
        "alignment",
        chain.alignment,
        lambda text: SetAlignment(chain.converter, "left" if text == "left" else "right"),
        converter.alignments,
    )
    if converter.needs_calibration:
        yield Field(
            "calibration",
            "at start-up" if chain.calibrate else "none",
            lambda text: SetCalibration(chain.converter, text == "at start-up"),
            ("at start-up", "none"),
        )


def _source_field(workspace: Workspace, chain: Chain) -> Field:
    """Bus or internal oscillator, with the divider that makes the quickest clock of the new one."""
    converter = workspace.converter(chain)

    def source(text: str) -> Edit | None:
        if text == CLOCKS[chain.clock]:
            return None
        own = text == CLOCKS["internal"]
        divider = converter.quickest_divider(
            converter.source_clock_hz(workspace.bus_clock_hz, own), chain.bits
        )
        return SetClock(chain.converter, "internal" if own else "bus", divider)

    return Field("source", CLOCKS[chain.clock], source, tuple(CLOCKS.values()))


def _with_slots(workspace: Workspace, chain: Chain, divider: int, tip: str) -> str:
    """A line for each slot below."""
    return "".join([tip, *_slot_lines(workspace, chain, divider)])


def _slot_lines(workspace: Workspace, chain: Chain, divider: int) -> list[str]:
    """What another divider would make of every slot: when it is held, and what settling leaves."""
    project = workspace.project
    other = chain.replaced(divider=divider)
    chains = tuple(other if one is chain else one for one in project.chains)
    there = workspace.with_project(project.replaced(chains=chains))
    cycle = scan_timing(there, other)
    return [
        f"\n{slot.place + 1} {slot.signal}: sampling instant {format_rounded(slot.held_s, 's', 4)}, "
        f"{format_counts(slot_settling(there, other, slot.place).full_scale_error_lsb)} left of a "
        "full-scale step"
        for slot in cycle.slots
    ]


def _current_first(options: tuple[str, ...], current: str) -> tuple[str, ...]:
    return (current, *(option for option in options if option != current))


def start_panel(workspace: Workspace, chain: Chain) -> Panel:
    """What starts the chain, and how much of it."""
    converter = workspace.converter(chain)
    cycle = scan_timing(workspace, chain)
    trigger = cycle.trigger
    whys = {
        "scan time": partial(explanations.scan_time, workspace, chain),
        "slack": partial(explanations.slack, workspace, chain),
        "scan rate": partial(explanations.scan_rate, workspace, chain),
    }
    facts = [
        Fact("scan time", format_rounded(cycle.busy_s, "s", 6), why=whys["scan time"]),
    ]
    if trigger.timer is not None:
        ppm = float(trigger.timer.rate_error) * 1e6
        facts += [
            Fact(
                "timer counts",
                f"{trigger.timer.prescaler} × {trigger.timer.period_counts}",
                why=partial(explanations.timer_counts, workspace, chain),
            ),
            Fact(
                "register values",
                f"{trigger.timer.prescaler - 1}, {trigger.timer.period_counts - 1}",
                why=partial(explanations.timer_registers, workspace, chain),
            ),
            Fact(
                "rate error",
                "exact" if ppm == 0 else f"{ppm:+.3g} ppm",
                abs(ppm) < 100,
                partial(explanations.trigger_rate_error, workspace, chain),
            ),
        ]
    if trigger.pace == "pattern":
        facts.append(
            Fact(
                "triggers",
                format_si(trigger.rate_hz, "Hz", 6),
                why=partial(explanations.trigger_rate, workspace, chain),
            )
        )
        slack = format_rounded(cycle.slack_s, "s", 6)
        facts.append(Fact("slack", slack, cycle.slack_s >= 0, whys["slack"]))
        facts.append(
            Fact(
                "missed",
                format_si(cycle.missed_hz, "Hz") if cycle.missed_hz else "none",
                not cycle.missed_hz,
            )
        )
    if cycle.items_limit is not None:
        facts.append(
            Fact(
                "results",
                f"{cycle.items_limit} sample{'s' if cycle.items_limit != 1 else ''} and no more",
                cycle.trigger.pace in {"pattern", "self"},
            )
        )
    else:
        rate = format_si(cycle.cycle_rate_hz, "Hz", 6)
        facts.append(Fact("scan rate", rate, why=whys["scan rate"]))
    if cycle.jitter_s:
        facts.append(
            Fact(
                "jitter",
                format_rounded(cycle.jitter_s, "s", 3),
                why=partial(explanations.scan_jitter, workspace, chain),
            )
        )
    kinds = {kind: TRIGGERS[kind] for kind in converter.triggers}

    def kind(text: str) -> Edit | None:
        name = next(key for key, value in kinds.items() if value == text)
        return (
            None
            if name == chain.trigger.kind
            else SetTrigger(chain.converter, _fresh(workspace, chain, name))
        )

    fields = [Field("trigger", TRIGGERS[chain.trigger.kind], kind, tuple(kinds.values()))]
    fields += _trigger_fields(workspace, chain)
    per = {name: PER_TRIGGER[name] for name in converter.per_trigger}
    fields.append(
        Field(
            "per trigger",
            PER_TRIGGER[chain.per_trigger],
            lambda text: SetPerTrigger(
                chain.converter, next(key for key, value in per.items() if value == text)
            ),
            tuple(per.values()),
        )
    )
    return Panel(
        f"{chain.converter}: what starts it", tuple(facts), tuple(fields), tabs=TABS, tab="start"
    )


def _fresh(workspace: Workspace, chain: Chain, kind: str) -> Trigger:
    """A trigger of another kind, with figures that make sense here."""
    project, part = workspace.project, workspace.part
    match kind:
        case "software":
            return SoftwareTrigger()
        case "free-running":
            return FreeRunningTrigger()
        case "timer":
            taken = {
                chain.trigger.timer
                for chain in project.chains
                if isinstance(chain.trigger, TimerTrigger)
            }
            names = [name for group in part.timers if group.can_trigger for name in group.names]
            free = [name for name in names if name not in taken] or names
            if not free:
                raise QuantityError(f"{part.name} has no timer that could start it.")
            cycle = scan_timing(workspace, chain)
            every = "1 ms" if cycle.busy_s < read_interval("1 ms") else "1 s"
            return TimerTrigger(timer=free[0], period_s=every)
        case "edge":
            wired = [
                wiring.pin
                for wiring in project.bench
                if wiring.source.kind in {"square", "sine", "triangle"}
            ]
            return EdgeTrigger(
                pin=wired[0] if wired else part.pins[-1],
                level_v=round(workspace.reference_v / 2, 3),
            )
        case "comparator":
            if not project.comparators:
                raise QuantityError(
                    "The project has no comparator.", cure="Put one on a signal first."
                )
            return ComparatorTrigger(comparator=project.comparators[0].name)
        case "threshold":
            for signal in project.signals:
                if signal.thresholds and not chain.places_of(signal.name):
                    return ThresholdTrigger(signal=signal.name)
            raise QuantityError(
                "No signal of another chain has a threshold.", cure="Give one a threshold first."
            )
        case _:
            for name in workspace.converter(chain).in_step_with:
                other = project.chain(name)
                if other is not None and not isinstance(other.trigger, FollowTrigger):
                    return FollowTrigger(follows=name)
            raise QuantityError(
                "No converter in step with it has a chain with a trigger of its own."
            )


def _trigger_fields(workspace: Workspace, chain: Chain) -> list[Field]:
    trigger = chain.trigger

    def changed(**updates: object) -> Edit:
        return SetTrigger(chain.converter, trigger.replaced(**updates))

    match trigger:
        case SoftwareTrigger():
            options = ("continuous", "one-shot", "periodic", "by a reaction")
            now = 2 if trigger.period_s is not None else int(not trigger.repeat)
            now = 3 if trigger.asked else now
            updates: tuple[dict[str, object], ...] = (
                {"repeat": True, "period_s": None, "asked": False},
                {"repeat": False, "period_s": None, "asked": False},
                {"repeat": True, "period_s": trigger.period_s or "20 ms", "asked": False},
                {"repeat": True, "period_s": None, "asked": True},
            )
            fields = [
                Field(
                    "mode",
                    options[now],
                    lambda text: changed(**updates[options.index(text)]),
                    options,
                )
            ]
            if trigger.period_s is not None:
                fields.append(
                    Field(
                        "period",
                        period_text(trigger.period_s),
                        lambda text: changed(period_s=read_interval(text)),
                        hint="20 ms or 50 Hz",
                    )
                )
            return fields
        case TimerTrigger():
            names = tuple(
                name for group in workspace.part.timers if group.can_trigger for name in group.names
            )
            setting = timer_setting(workspace, trigger)
            return [
                Field(
                    "period",
                    period_text(trigger.period_s),
                    lambda text: SetPeriod(chain.converter, read_interval(text)),
                    hint="100 us or 10 kHz",
                ),
                Field("timer", trigger.timer, lambda text: changed(timer=text), names),
                Field(
                    "prescaler register",
                    str(setting.prescaler - 1),
                    _register(changed, "prescaler_register", setting.prescaler - 1),
                    hint="value − 1",
                ),
                Field(
                    "period register",
                    str(setting.period_counts - 1),
                    _register(changed, "period_register", setting.period_counts - 1),
                    hint="value − 1",
                ),
            ]
        case EdgeTrigger():
            return [
                Field("pin", trigger.pin, lambda text: changed(pin=text), workspace.part.pins),
                Field(
                    "edge",
                    trigger.edge,
                    lambda text: changed(edge=text),
                    ("rising", "falling", "both"),
                ),
                Field(
                    "level",
                    exact_text(trigger.level_v, "V"),
                    lambda text: changed(level_v=float(parse_quantity(text, "V"))),
                ),
            ]
        case ComparatorTrigger():
            names = tuple(item.name for item in workspace.project.comparators)
            return [
                Field(
                    "comparator", trigger.comparator, lambda text: changed(comparator=text), names
                ),
                Field(
                    "edge",
                    trigger.edge,
                    lambda text: changed(edge=text),
                    ("rising", "falling", "both"),
                ),
            ]
        case ThresholdTrigger():
            names = tuple(
                signal.name
                for signal in workspace.project.signals
                if signal.thresholds and not chain.places_of(signal.name)
            )
            return [
                Field(
                    "threshold of",
                    trigger.signal,
                    lambda text: changed(signal=text, threshold=1),
                    names,
                )
            ]
        case FollowTrigger():
            names = tuple(
                name
                for name in workspace.converter(chain).in_step_with
                if workspace.project.chain(name) is not None
            )
            return [
                Field("in step with", trigger.follows, lambda text: changed(follows=text), names)
            ]
        case _:
            return []


def _register(changed: Callable[..., Edit], name: str, shown: int) -> Callable[[str], Edit | None]:
    """The register's content as the engineer writes it; an empty field leaves it to the solver."""

    def make(text: str) -> Edit | None:
        if not text.strip():
            return changed(**{name: None})
        value = whole_number(text, "counts")
        return None if value == shown else changed(**{name: value})

    return make


def startup_panel(workspace: Workspace, chain: Chain) -> Panel:
    """The order in which things are enabled; Alt with arrows moves a step, Delete leaves it out."""
    right = right_order(workspace, chain)
    why = dict(right)
    start = startup(workspace, chain)
    faults = {fault.step: fault.sentence for fault in start.faults}
    lines = tuple(
        Line(
            step,
            f"{STEP_NAMES[step]}. {why.get(step, 'It is not needed here.')}",
            faults.get(step, ""),
        )
        for step in start.order
    )
    steps_by_name: dict[str, Step] = {step: step for step in STEP_NAMES}

    def order(names: tuple[str, ...]) -> Edit:
        steps = tuple(steps_by_name[name] for name in names)
        return SetStartup(chain.converter, None if steps == tuple(why) else steps)

    missing = [step for step in why if step not in start.order]
    facts = [
        Fact(
            "order",
            "right" if not start.faults else f"{len(start.faults)} out of place",
            not start.faults,
        ),
        Fact("samples arrive", "yes" if start.runs else "no", start.runs),
    ]
    facts += [Fact("omitted", STEP_NAMES[step], False) for step in missing]
    fields = [
        Field(
            "order",
            "right" if chain.startup is None else "by hand",
            lambda text: SetStartup(chain.converter, None if text == "right" else start.order),
            ("right", "by hand"),
        )
    ]
    title = f"{chain.converter}: start-up order"
    return Panel(
        title,
        tuple(facts),
        tuple(fields),
        ordered=OrderedList("Steps", lines, order),
        tabs=TABS,
        tab="start-up",
    )
