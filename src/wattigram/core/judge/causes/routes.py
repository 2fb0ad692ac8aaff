"""Routes whose values do not arrive as they should."""

from __future__ import annotations

import numpy as np

from wattigram.core.advise.findings import Finding, find_all
from wattigram.core.base.quantity import format_percent, format_si
from wattigram.core.capture.take import Take
from wattigram.core.judge.causes.base import (
    BESIDE_DIFFERENCE,
    WEAKEST_FIT,
    LikelyCause,
    at_most,
    difference_cause,
)
from wattigram.core.judge.causes.involved_peripherals import route_owners
from wattigram.core.judge.output_measurements import (
    RouteMeasurement,
    measure_route,
    wanted_values_hz,
)
from wattigram.core.model.design import ReceivedSource, Route, UartDestination
from wattigram.core.predict.timing import misread_words, route_timing

LINE_CODES = ("baud-off", "baud-differs", "line-differs")
"""Findings on the two ends of a serial line."""


def route_causes(take: Take, route: Route) -> list[LikelyCause]:
    """Causes for one route that fails, the best fit first; empty where nothing fits."""
    own = {
        route.name,
        route.source.uart if isinstance(route.source, ReceivedSource) else route.name,
    }
    findings = [finding for finding in find_all(take.workspace) if finding.signal in own]
    seen = measure_route(take, route)
    causes = [
        *_nothing_came(take, route, findings, seen),
        *_overwritten(take, route, findings, seen),
        *_repeated(take, route, findings, seen),
        *_misread(take, route, findings, seen),
        *_order(take, route, findings, seen),
        *_torn(take, route, findings, seen),
        *_folded(take, route, findings, seen),
        *_mixed(route, findings, seen),
    ]
    differing = difference_cause(take, route.name, route_owners(take.workspace, route))
    if differing is not None:
        causes = [differing, *(at_most(cause, BESIDE_DIFFERENCE) for cause in causes)]
    return sorted(
        (cause for cause in causes if cause.fit >= WEAKEST_FIT), key=lambda cause: -cause.fit
    )


def _cause(
    route: Route, finding: Finding | None, code: str, title: str, fit: float, evidence: str
) -> LikelyCause:
    remedy = finding.remedy if finding is not None else None
    return LikelyCause(route.name, code, title, float(min(1.0, max(0.0, fit))), evidence, remedy)


def _find(findings: list[Finding], code: str) -> Finding | None:
    return next((finding for finding in findings if finding.code == code), None)


def _of_line(findings: list[Finding]) -> Finding | None:
    return next((one for code in LINE_CODES if (one := _find(findings, code)) is not None), None)


def _nothing_came(
    take: Take, route: Route, findings: list[Finding], seen: RouteMeasurement
) -> list[LikelyCause]:
    if len(seen.values):
        return []
    title = (
        "Nothing was received"
        if isinstance(route.source, ReceivedSource)
        else "Its source made nothing"
    )
    code = "route-silent"
    finding = _find(findings, code)
    line = _of_line(findings)
    if finding is None and line is not None and isinstance(route.source, ReceivedSource):
        finding, code, title = line, line.code, line.title
    return [
        _cause(
            route,
            finding,
            code,
            title,
            0.9,
            f"not one value in {format_si(take.span_s, 's', 3)}",
        )
    ]


def _overwritten(
    take: Take, route: Route, findings: list[Finding], seen: RouteMeasurement
) -> list[LikelyCause]:
    """Bytes go missing as fast as they should of such rates."""
    timing = route_timing(take.workspace, route)
    if (
        not isinstance(route.destination, UartDestination)
        or not timing.overwritten_hz
        or not take.span_s
    ):
        return []
    came_hz = (seen.written - seen.overwritten) / take.span_s
    fit = 1 - abs(came_hz - timing.effective_hz) / max(came_hz, timing.effective_hz)
    evidence = (
        f"{format_si(came_hz, 'Hz')} bytes came of {format_si(timing.transfers_hz, 'Hz')} "
        f"written; {format_si(timing.effective_hz, 'Hz')} "
        f"were to be expected, {seen.overwritten} were seen to be replaced"
    )
    finding = _find(findings, "route-overwrites")
    title = finding.title if finding is not None else f"{route.name} overwrites bytes"
    return [_cause(route, finding, "route-overwrites", title, fit, evidence)]


def _repeated(
    take: Take, route: Route, findings: list[Finding], seen: RouteMeasurement
) -> list[LikelyCause]:
    """More values come than the source makes."""
    finding = _find(findings, "route-repeats")
    made_hz = wanted_values_hz(take.workspace, route)
    if finding is None or not made_hz or seen.values_hz < 1.02 * made_hz:
        return []
    repeated_hz = route_timing(take.workspace, route).repeated_hz / (
        route.transfers if isinstance(route.destination, UartDestination) else 1
    )
    fit = 1 - abs(seen.values_hz - made_hz - repeated_hz) / max(
        seen.values_hz - made_hz, repeated_hz
    )
    evidence = f"{format_si(seen.values_hz, 'Hz')} values come, and the source makes {format_si(made_hz, 'Hz')}"
    return [_cause(route, finding, "route-repeats", finding.title, fit, evidence)]


def _misread(
    take: Take, route: Route, findings: list[Finding], seen: RouteMeasurement
) -> list[LikelyCause]:
    """Every byte is what another bit clock makes of it."""
    if (
        not isinstance(route.source, ReceivedSource)
        or seen.expected is None
        or seen.matched > 0.9
        or route.transfers > 1
    ):
        return []
    reads = misread_words(take.workspace, route.source.uart)
    if reads is None or not len(seen.values):
        return []
    low = np.clip(seen.expected.low, 0, len(reads) - 1).astype(np.int64)
    high = np.clip(seen.expected.high, 0, len(reads) - 1).astype(np.int64)
    # How many of the words up to each one are read so: of those within the band it is a difference.
    none = np.zeros((1, reads.shape[1]), dtype=np.int64)
    up_to = np.concatenate((none, np.cumsum(reads, axis=0, dtype=np.int64)))
    values = np.clip(seen.values, 0, reads.shape[1] - 1)
    right = float(np.mean(up_to[high + 1, values] != up_to[low, values]))
    finding = _of_line(findings)
    title = (
        finding.title
        if finding is not None
        else f"{route.source.uart} listens with other settings than is sent"
    )
    evidence = f"{format_percent(right)} of the bytes are what is read of the right ones with such settings"
    return [
        _cause(route, finding, finding.code if finding else "line-differs", title, right, evidence)
    ]


def _order(
    take: Take, route: Route, findings: list[Finding], seen: RouteMeasurement
) -> list[LikelyCause]:
    """Taken the other way round, the values are right."""
    if route.transfers < 2 or seen.expected is None or seen.matched > 0.9 or not len(seen.values):
        return []
    if isinstance(route.destination, UartDestination):
        other = "big-endian" if route.expected_endianness == "little-endian" else "little-endian"
        matched = measure_route(take, route, other).matched
    else:
        swapped = ((seen.values & 0xFF) << 8) | (seen.values >> 8 & 0xFF)
        matched = float(
            np.mean((swapped >= seen.expected.low - 0.5) & (swapped <= seen.expected.high + 0.5))
        )
    finding = _find(findings, "route-order")
    evidence = (
        f"{format_percent(seen.matched)} of the values are right as they are, "
        f"{format_percent(matched)} with their bytes exchanged"
    )
    title = "High and low byte are exchanged between the two ends"
    return [_cause(route, finding, "route-order", title, matched - seen.matched, evidence)]


def _torn(
    take: Take, route: Route, findings: list[Finding], seen: RouteMeasurement
) -> list[LikelyCause]:
    """Values that took effect half written, or jump for one value."""
    timing = route_timing(take.workspace, route)
    finding = _find(findings, "route-tears") or _find(findings, "route-at-once")
    if not timing.torn_hz or not take.span_s:
        return []
    if seen.torn:
        rate_hz = seen.torn / take.span_s
        fit = 1 - abs(rate_hz - timing.torn_hz) / max(rate_hz, timing.torn_hz) * 0.5
        evidence = f"{seen.torn} values took effect half written, {timing.torn_hz * take.span_s:.0f} were to be expected"
    elif isinstance(route.destination, UartDestination) and seen.matched < 0.999:
        share = timing.torn_hz * route.transfers / float(timing.sink_hz)
        fit = 1 - abs((1 - seen.matched) - share * 0.5) / max(1 - seen.matched, share)
        evidence = f"{format_percent(1 - seen.matched)} of the values are put together of two"
    else:
        return []
    title = (
        finding.title
        if finding is not None
        else f"{route.name} lets values take effect half written"
    )
    return [_cause(route, finding, "route-tears", title, fit, evidence)]


def _folded(
    take: Take, route: Route, findings: list[Finding], seen: RouteMeasurement
) -> list[LikelyCause]:
    """Only the lower bits arrive."""
    finding = _find(findings, "route-too-narrow")
    if finding is None or seen.expected is None or seen.matched > 0.9 or not len(seen.values):
        return []
    bits = route_timing(take.workspace, route).carried_bits
    again = route.transfers > 1 and not route.increment
    kept = seen.values & ((1 << bits) - 1)
    span = (seen.expected.high - seen.expected.low).astype(np.int64)
    offset = (kept - np.ceil(seen.expected.low).astype(np.int64)) % (1 << bits)
    right = float(np.mean(offset <= span + 1))
    chance = float(np.mean(np.minimum(1.0, (span + 2) / (1 << bits))))
    fit = (right - chance) / max(1e-9, 1 - chance)
    evidence = (
        f"{format_percent(right)} of the values are the lower {bits} bits of what they should be"
    )
    if again:
        evidence += ", twice"
    return [_cause(route, finding, "route-too-narrow", finding.title, fit, evidence)]


def _mixed(route: Route, findings: list[Finding], seen: RouteMeasurement) -> list[LikelyCause]:
    finding = _find(findings, "route-mixes-signals")
    if finding is None or not len(seen.values):
        return []
    return [
        _cause(
            route,
            finding,
            finding.code,
            finding.title,
            0.7,
            "values of several signals come in turn",
        )
    ]
