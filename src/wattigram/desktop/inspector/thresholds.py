"""Panels of what judges a signal: windows, a twin, a comparator."""

from __future__ import annotations

from collections.abc import Callable

from wattigram.core.advise import explanations
from wattigram.core.base.errors import QuantityError
from wattigram.core.base.quantity import (
    exact_text,
    format_rounded,
    format_si,
    format_volts,
    parse_quantity,
)
from wattigram.core.model.design import (
    Code,
    Comparator,
    RedundantPair,
    Signal,
    Threshold,
    Workspace,
    limit_text,
    limits_v,
)
from wattigram.core.model.design.edits import (
    AddThreshold,
    Edit,
    RemoveComparator,
    SetComparator,
    SetRedundantPair,
    SetThreshold,
)
from wattigram.core.predict.accuracy import comparator_metrics, pair_metrics, threshold_latency_s
from wattigram.desktop.inspector.number_entry import whole_number
from wattigram.desktop.inspector.outputs import key_for
from wattigram.desktop.inspector.panel_model import Fact, Field, Panel, Tab

ON = {"crossing": "crossing", "every-result": "every result"}
ACTIONS = {"event": "event", "stop": "stop chain"}


def _tabs(workspace: Workspace, signal: Signal) -> tuple[Tab, ...]:
    count = max(1, len(signal.thresholds))
    tabs = [
        Tab(
            (signal.thresholds[number].name if number < len(signal.thresholds) else "")
            or f"Threshold {number + 1}",
            f"thresholds:{number + 1}" if number else "thresholds",
        )
        for number in range(count)
    ]
    if signal.thresholds:
        tabs.append(Tab("+", f"thresholds:{count + 1}"))
    tabs.append(Tab("Redundant pair", "redundant pair"))
    if any(signal.pin in item.inputs for item in workspace.part.comparators):
        tabs.append(Tab("Comparator", "comparator"))
    return tuple(tabs)


def read_limit(text: str) -> float:
    """A limit as entered: volts, or codes as "0x7FF" or "2047 LSB"."""
    stripped = text.strip()
    if stripped.lower().startswith("0x"):
        return Code(int(parse_quantity(stripped, "")))
    if stripped.endswith("LSB"):
        return Code(float(parse_quantity(stripped, "LSB")))
    return float(parse_quantity(stripped, "V"))


def threshold_panel(workspace: Workspace, signal: Signal, index: int) -> Panel:
    """One threshold window of a signal; beyond the last an empty place for another."""
    highest_v = signal.at_source(workspace.reference_v)
    window = signal.thresholds[index] if index < len(signal.thresholds) else None
    tab = f"thresholds:{index + 1}" if index else "thresholds"

    def presence(text: str) -> Edit | None:
        if text == "none":
            return SetThreshold(signal.name, index, None) if window is not None else None
        # Not where a fresh source has its ends: what only touches a limit is in doubt.
        fresh = Threshold(low=round(highest_v * 0.3, 3), high=round(highest_v * 0.7, 3))
        return AddThreshold(signal.name, fresh) if window is None else None

    lowest = format_volts(-highest_v) if signal.negative else "0"
    chain = workspace.project.chain_of(signal.name)
    ends = explanations.signal_range(workspace, chain, signal) if chain is not None else None
    facts = [Fact("range", f"{lowest} to {format_volts(highest_v)}", why=ends)]
    fields = [
        Field("threshold", "none" if window is None else "in use", presence, ("none", "in use"))
    ]
    if window is not None:
        low_v, high_v = limits_v(workspace, signal, window)
        latency_s = threshold_latency_s(workspace, signal, window)
        facts.append(Fact("limits in order", "yes" if low_v <= high_v else "no", low_v <= high_v))
        if isinstance(window.low, Code) or isinstance(window.high, Code):
            text = f"{low_v:.4g} to {high_v:.4g} V"
            limits = (
                explanations.limits_in_volts(workspace, chain, signal, window) if chain else None
            )
            facts.append(Fact("in volts", text, why=limits))
        if latency_s is not None and chain is not None:
            why = explanations.worst_latency(workspace, chain, signal, window)
            facts.append(Fact("worst latency", format_rounded(latency_s, "s", 3), why=why))
        fields += _limit_fields(workspace, signal, index, window)
        fields += _action_fields(workspace, signal, index, window)
    return Panel(
        f"Threshold · {signal.name}",
        tuple(facts),
        tuple(fields),
        tabs=_tabs(workspace, signal),
        tab=tab,
    )


def _limit_fields(
    workspace: Workspace, signal: Signal, index: int, window: Threshold
) -> list[Field]:
    def changed(**updates: object) -> Edit:
        return SetThreshold(signal.name, index, window.replaced(**updates))

    def limit(name: str) -> Callable[[str], Edit]:
        return lambda text: changed(**{name: read_limit(text)})

    others = tuple(other.name for other in workspace.project.signals if other.name != signal.name)
    target = window.minus_signal or (
        exact_text(window.minus_v, "V") if window.minus_v is not None else "none"
    )

    def aim(text: str) -> Edit:
        if text.strip() in {"", "none"}:
            return changed(minus_v=None, minus_signal=None)
        if text in others:
            return changed(minus_v=None, minus_signal=text)
        return changed(minus_v=float(parse_quantity(text, "V")), minus_signal=None)

    return [
        Field("name", window.name, lambda text: changed(name=text.strip()), hint="such as rest"),
        Field(
            "condition",
            window.condition,
            lambda text: changed(condition=text),
            ("outside", "inside", "above", "below"),
        ),
        Field("lower limit", limit_text(window.low), limit("low"), hint="0.4 V, 0x1F0 or 496 LSB"),
        Field(
            "upper limit", limit_text(window.high), limit("high"), hint="2.1 V, 0xA2F or 2607 LSB"
        ),
        Field(
            "hysteresis",
            format_si(window.hysteresis_v, "V"),
            lambda text: changed(hysteresis_v=float(parse_quantity(text, "V"))),
            hint="such as 10 mV",
        ),
        Field(
            "input",
            window.input if signal.filter else "raw",
            lambda text: changed(input=text),
            ("raw", "filtered") if signal.filter else ("raw",),
        ),
        Field("minus", target, aim, hint="nothing, 1.2 V or a signal's name"),
    ]


def _action_fields(
    workspace: Workspace, signal: Signal, index: int, window: Threshold
) -> list[Field]:
    def changed(**updates: object) -> Edit:
        return SetThreshold(signal.name, index, window.replaced(**updates))

    def action(text: str) -> Edit:
        name = next(key for key, value in ACTIONS.items() if value == text)
        return changed(action=name)

    fields = [
        Field(
            "consecutive results",
            str(window.consecutive),
            lambda text: changed(consecutive=whole_number(text, "values")),
        ),
        Field("on", ON[window.on], lambda text: changed(on=key_for(text, ON)), tuple(ON.values())),
        Field("action", ACTIONS[window.action], action, tuple(ACTIONS.values())),
    ]
    if window.action == "stop":
        now = format_si(window.rearm_after_s, "s") if window.rearm_after_s is not None else "never"
        fields.append(
            Field(
                "restart after",
                now,
                lambda text: changed(
                    rearm_after_s=None
                    if text.strip() in {"", "never"}
                    else parse_quantity(text, "s")
                ),
            )
        )
    chain = workspace.project.chain_of(signal.name)
    if chain is not None and workspace.converter(chain).hardware.windows:
        fields.append(
            Field(
                "done in",
                window.done_in,
                lambda text: changed(done_in=text),
                ("software", "hardware"),
            )
        )
    yes = ("yes", "no")
    fields += [
        Field(
            "interrupt enabled",
            yes[not window.interrupt_enabled],
            lambda text: changed(interrupt_enabled=text == "yes"),
            yes,
        ),
        Field("re-arm", yes[not window.rearm], lambda text: changed(rearm=text == "yes"), yes),
    ]
    return fields


def redundant_pair_panel(workspace: Workspace, signal: Signal) -> Panel:
    """What a signal is held against, and what makes the two differ before anything is wrong."""
    others = tuple(other.name for other in workspace.project.signals if other.name != signal.name)
    twin = signal.redundant_pair

    def of(text: str) -> Edit | None:
        if text == "none":
            return SetRedundantPair(signal.name, None) if twin is not None else None
        return SetRedundantPair(
            signal.name,
            RedundantPair(paired_with=text) if twin is None else twin.replaced(paired_with=text),
        )

    fields = [Field("paired with", twin.paired_with if twin else "none", of, ("none", *others))]
    facts: list[Fact] = []
    figures = pair_metrics(workspace, signal)
    if figures is not None:
        within, skew = figures.within_v, format_rounded(figures.skew_s, "s", 3)
        shown = {
            "offset": format_volts(figures.offset_v),
            "gain": format_volts(figures.gain_v),
            "noise": f"{format_volts(figures.noise_v)} rms",
            "skew": f"{skew} · {format_volts(figures.skew_v)}",
            "settling": format_volts(figures.settling_v),
            "worst difference": format_volts(figures.worst_v),
        }
        good = {"worst difference": None if within is None else figures.worst_v <= within}
        whys = explanations.pair_difference(workspace, signal)
        facts = [
            Fact(label, text, good.get(label), whys.get(label)) for label, text in shown.items()
        ]
    if twin is not None:
        allowed = format_si(twin.tolerance_v, "V") if twin.tolerance_v is not None else "no limit"

        def within_of(text: str) -> Edit:
            free = text.strip() in {"", "no limit"}
            return SetRedundantPair(
                signal.name,
                twin.replaced(tolerance_v=None if free else float(parse_quantity(text, "V"))),
            )

        fields += [
            Field("tolerance", allowed, within_of, hint="such as 20 mV"),
            Field(
                "consecutive results",
                str(twin.consecutive),
                lambda text: SetRedundantPair(
                    signal.name, twin.replaced(consecutive=whole_number(text, "values"))
                ),
            ),
        ]
    return Panel(
        f"Redundant pair · {signal.name}",
        tuple(facts),
        tuple(fields),
        tabs=_tabs(workspace, signal),
        tab="redundant pair",
    )


def comparator_panel(workspace: Workspace, signal: Signal) -> Panel:
    """The comparator on a signal's pin: trip points, and how often it chatters."""
    project, part = workspace.project, workspace.part
    able = [item.name for item in part.comparators if signal.pin in item.inputs]
    mine = next((item for item in project.comparators if item.signal == signal.name), None)

    def which(text: str) -> Edit | None:
        if text == "none":
            return RemoveComparator(mine.name) if mine is not None else None
        if mine is not None and text == mine.name:
            return None
        taken = project.comparator(text)
        if taken is not None and taken.signal != signal.name:
            raise QuantityError(
                f"{text} watches {taken.signal} already.", cure="Free it there first."
            )
        fresh = Comparator(
            name=text, signal=signal.name, threshold_v=round(workspace.reference_v / 2, 3)
        )
        return SetComparator(fresh)

    fields = [Field("comparator", mine.name if mine else "none", which, ("none", *able))]
    facts: list[Fact] = []
    known = part.comparator(mine.name) if mine is not None else None
    if mine is not None and known is not None:
        figures = comparator_metrics(workspace, mine)
        facts = [
            Fact(
                "trips rising",
                format_volts(figures.rising_v),
                why=explanations.trip_point(workspace, mine, rising=True),
            ),
            Fact(
                "trips falling",
                format_volts(figures.falling_v),
                why=explanations.trip_point(workspace, mine, rising=False),
            ),
            Fact(
                "one step",
                format_volts(figures.step_v) if figures.step_v else "–",
                why=explanations.comparator_step(workspace, mine) if figures.step_v else None,
            ),
            Fact(
                "noise",
                f"{format_volts(figures.noise_v)} rms",
                why=explanations.comparator_noise(workspace, mine),
            ),
            Fact(
                "slope there",
                f"{format_si(figures.slope_v_s, 'V/s', 3)}",
                why=explanations.crossing_slope(workspace, mine),
            ),
            Fact(
                "edges a crossing",
                figures.edges_text,
                figures.edges <= 1.2 if figures.edges else None,
                explanations.crossing_edges(workspace, mine),
            ),
        ]

        def changed(**updates: object) -> Edit:
            return SetComparator(mine.replaced(**updates))

        def hysteresis(text: str) -> Edit:
            return changed(hysteresis_v=float(parse_quantity(text, "V")))

        steps = tuple(format_si(volts, "V") for volts in known.hysteresis_v)
        fields += [
            Field(
                "threshold from", mine.against, lambda text: changed(against=text), known.thresholds
            ),
            Field(
                "threshold",
                exact_text(mine.threshold_v, "V"),
                lambda text: changed(threshold_v=float(parse_quantity(text, "V"))),
            ),
            Field("hysteresis", format_si(mine.hysteresis_v, "V"), hysteresis, steps),
            Field(
                "edge", mine.edge, lambda text: changed(edge=text), ("rising", "falling", "both")
            ),
        ]
        if mine.against == "pin":
            fields.append(
                Field(
                    "threshold pin",
                    mine.threshold_pin or "",
                    lambda text: changed(threshold_pin=text),
                    known.threshold_pins,
                )
            )
    return Panel(
        f"Comparator · {signal.name}",
        tuple(facts),
        tuple(fields),
        tabs=_tabs(workspace, signal),
        tab="comparator",
    )
