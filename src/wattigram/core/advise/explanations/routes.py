"""How rates and losses of routes came about."""

from __future__ import annotations

from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Found,
    Given,
    Place,
    looked_for,
    rounded,
    short,
)
from wattigram.core.advise.explanations.outputs import pwm_rate
from wattigram.core.advise.explanations.serial_lines import throughput
from wattigram.core.advise.explanations.triggers import scan_rate
from wattigram.core.model.design import (
    DacDestination,
    ReceivedSource,
    ResultSource,
    Route,
    UartDestination,
    Workspace,
)
from wattigram.core.predict.timing import RouteTiming, route_timing


def route_numbers(workspace: Workspace, route: Route) -> dict[str, Explanation]:
    """Rates of a route with how each comes about, by the labels of what is shown."""
    timing = route_timing(workspace, route)
    source = _source_rate(workspace, route, timing)
    sink = _destination_rate(workspace, route, timing)
    write = _write_rate(route, timing, source, sink)
    all_of = (
        Derived("source", "source rate", source),
        Derived("writes", "write rate", write),
        Derived("takes", "destination rate", sink),
    )
    numbers = {"source rate": source, "write rate": write, "destination rate": sink}
    counted = {
        "overwritten": (
            timing.overwritten_hz,
            "writes that another replaces before the destination has taken them",
        ),
        "repeated": (
            timing.repeated_hz,
            "writes of what was written before, for the source has nothing new",
        ),
        "torn": (
            timing.torn_hz,
            "values of which the destination takes one part before the other is written",
        ),
    }
    for label, (rate_hz, how) in counted.items():
        numbers[label] = looked_for(
            label, rate_hz, "Hz", f"{how}: counted write by write", all_of, short(4)
        )
    numbers["latency"] = _latency(workspace, route, timing, sink)
    return numbers


def _place(route: Route) -> Place:
    return Place(section="routes", output=route.name)


def _source_rate(workspace: Workspace, route: Route, timing: RouteTiming) -> Explanation:
    """Values that the source makes in a second."""
    title, source = "source rate", route.source
    if isinstance(source, ResultSource):
        chain = workspace.project.chain(source.converter)
        assert chain is not None
        count = 1 if source.signal is not None else len(chain.slots)
        slots = Given(
            "slots", "results of a scan", count, "", f"{route.name}: source", _place(route)
        )
        rate = Derived("rate", "scan rate", scan_rate(workspace, chain))
        return Explanation(title, "slots * rate", (slots, rate), "Hz", short(5))
    if isinstance(source, ReceivedSource):
        origin = f"bench: what is wired to {source.uart}"
        words = Given("words", "words that come", timing.source_hz, "Hz", origin, _place(route))
        return Explanation(title, "words", (words,), "Hz", short(5))
    how = (
        f"the rate of {route.timer.timer}, as near as it comes"
        if route.timer
        else "nothing times it"
    )
    terms = _timer_terms(route)
    return looked_for(title, timing.source_hz, "Hz", how, terms, short(5))


def _timer_terms(route: Route) -> tuple[Given, ...]:
    if route.timer is None:
        return ()
    origin = f"{route.name}: timer"
    return (Given("each", "period wanted", route.timer.period_s, "s", origin, _place(route)),)


def _destination_rate(workspace: Workspace, route: Route, timing: RouteTiming) -> Explanation:
    """Writes that the destination can take in a second."""
    title, destination = "destination rate", route.destination
    if isinstance(destination, UartDestination):
        uart = workspace.project.uart(destination.uart)
        assert uart is not None
        rate = Derived("rate", "throughput", throughput(workspace, uart))
        return Explanation(title, "rate", (rate,), "Hz", short(5))
    if isinstance(destination, DacDestination):
        part = f"part: {destination.dac}"
        most = Given("most", "highest update rate", timing.sink_hz, "Hz", part)
        return Explanation(title, "most", (most,), "Hz", short(5))
    pwm = workspace.project.pwm_output(destination.pwm)
    assert pwm is not None
    rate = Derived("rate", "rate", pwm_rate(workspace, pwm))
    return Explanation(title, "rate", (rate,), "Hz", short(5))


def _write_rate(
    route: Route, timing: RouteTiming, source: Explanation, sink: Explanation
) -> Explanation:
    """Writes that DMA makes in a second."""
    title = "write rate"
    transfers = Given(
        "transfers",
        "transfers of a value",
        route.transfers,
        "",
        f"{route.name}: transfers",
        _place(route),
    )
    terms: tuple[Given | Derived | Found, ...] = (
        transfers,
        Derived("source", "source rate", source),
    )
    formula = "source" if isinstance(route.source, ReceivedSource) else "source * transfers"
    by_source = Explanation(title, formula, terms, "Hz", short(5))
    if route.request == "source" and by_source.value == timing.transfers_hz:
        return by_source
    if route.request == "destination":
        asked = Explanation(
            title, "takes", (Derived("takes", "destination rate", sink),), "Hz", short(5)
        )
        if asked.value == timing.transfers_hz:
            return asked
    how = "as often as it is asked for a transfer"
    return looked_for(
        title, timing.transfers_hz, "Hz", how, (*terms, *_timer_terms(route)), short(5)
    )


def _latency(
    workspace: Workspace, route: Route, timing: RouteTiming, sink: Explanation
) -> Explanation:
    """From the source's being ready until it takes effect, at most, where nothing queues."""
    dma = workspace.part.dma_channel(route.channel)
    assert dma is not None
    shown_s = timing.latency_s
    terms = (
        Given(
            "transfers",
            "transfers of a value",
            route.transfers,
            "",
            f"{route.name}: transfers",
            _place(route),
        ),
        Given("each", "clocks of a transfer", dma.transfer_cycles, "clk", f"part: {route.channel}"),
        Given(
            "clock",
            "bus clock",
            workspace.bus_clock_hz,
            "Hz",
            "project: bus clock",
            Place(facet="project"),
        ),
    )
    at_once = Explanation("latency", "transfers * each / clock", terms, "s", rounded(3))
    if abs(float(at_once.value) - shown_s) <= 1e-12 * shown_s:
        return at_once
    waits = Derived("takes", "destination rate", sink)
    return Explanation(
        "latency", "transfers * each / clock + 1 / takes", (*terms, waits), "s", rounded(3)
    )
