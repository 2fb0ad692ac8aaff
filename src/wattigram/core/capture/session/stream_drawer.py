"""Pictures of the newest stretch of a signal, from what has come so far."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from wattigram.core.capture.session.snapshot import StreamPicture, ViewRequest
from wattigram.core.capture.session.stream_receiver import StreamReceiver
from wattigram.core.capture.session.stream_view import (
    ExpectedWindow,
    FloatArray,
    expected_only,
    item_volts,
    picture,
    raw_volts,
    signal_numbers,
    to_columns,
)
from wattigram.core.contract.link import OUTPUT_STREAM, REDUCED_STREAM, STAMP_STREAM
from wattigram.core.model.design import (
    Chain,
    Signal,
    rate_divisor,
    tap_index,
)
from wattigram.core.predict.expected import History, TimestampedTimes, pointed_outputs
from wattigram.core.predict.timing import signal_rate_hz

STAMPS_SEEN = 1 << 17
SHORT_SPAN_S = 0.25
"""Shorter stretches stand still from period to period; longer ones roll."""


class StreamDrawer:
    """Draws signals of a board that is looked at; what is expected is kept from picture to
    picture."""

    def __init__(self, reception: StreamReceiver) -> None:
        self._reception = reception
        self._history: History = ()
        self._windows: dict[str, ExpectedWindow] = {}

    def picture(self, request: ViewRequest, history: History) -> StreamPicture | None:
        """What came of a signal, on what is expected of it; None where no chain converts it."""
        self._history = history
        workspace = self._history[-1][1]
        chain = workspace.project.chain_of(request.signal)
        if chain is None:
            return None
        signal = workspace.project.signal(request.signal)
        stage = signal.later_filter
        if stage is not None:
            index = tap_index(workspace.project, signal.name)
            stream = REDUCED_STREAM + (index or 0)
        else:
            stream = workspace.project.chains.index(chain)
        rate_hz = float(signal_rate_hz(workspace, chain, signal.name, filtered=stage is not None))
        window = self._windows.get(signal.name)
        if window is None or not window.fits(self._history, signal):
            window = self._windows[signal.name] = ExpectedWindow(self._history, chain, signal)
        ring = self._reception.rings.get(stream)
        if ring is None:
            return expected_only(window, signal, request.span_s, rate_hz, request.columns)
        number = pointed_outputs(workspace).get(signal.name)
        if number is not None and OUTPUT_STREAM + number not in self._reception.rings:
            window.is_known = False  # nobody tells where it is read
        wanted = max(2, round(request.span_s * rate_hz))
        self._tell_instants(window, chain)
        if stage is not None:
            begin, end = _stretch(ring.begin, ring.end, wanted, request.span_s)
            items = ring.window(begin, end)
        else:
            slots = len(chain.slots)
            cycles_wanted = -(-wanted // len(chain.places_of(signal.name)))
            first, last = _stretch(
                -(-ring.begin // slots), ring.end // slots, cycles_wanted, request.span_s
            )
            numbers = signal_numbers(chain, signal.name, first, last)
            items = ring.window(first * slots, last * slots)[numbers - first * slots]
            begin = first * len(chain.places_of(signal.name))
        volts = item_volts(self._history, chain, signal, items)
        drawn = picture(window, signal, begin, volts, rate_hz, request.columns)
        if stage is None:
            return drawn
        span = begin * rate_divisor(stage), (begin + len(volts)) * rate_divisor(stage)
        low_v, high_v = self._raw_columns(chain, signal, *span, request.columns)
        return replace(drawn, raw_low_v=low_v, raw_high_v=high_v)

    def _raw_columns(
        self, chain: Chain, signal: Signal, begin: int, end: int, columns: int
    ) -> tuple[FloatArray, FloatArray]:
        """Extremes of a signal's samples before its stage, where all of them are still known."""
        ring = self._reception.rings.get(self._history[-1][1].project.chains.index(chain))
        slots, per_cycle = len(chain.slots), len(chain.places_of(signal.name))
        first, last = begin // per_cycle, end // per_cycle
        if ring is None or first * slots < ring.begin or last * slots > ring.end or last <= first:
            return np.empty(0), np.empty(0)
        numbers = signal_numbers(chain, signal.name, first, last)
        items = ring.window(first * slots, last * slots)[numbers - first * slots]
        return to_columns(raw_volts(self._history, chain, signal, items), columns)

    def _tell_instants(self, window: ExpectedWindow, chain: Chain) -> None:
        """Stamps that came, so that the band is where the samples are."""
        workspace = self._history[-1][1]
        ring = self._reception.rings.get(STAMP_STREAM + workspace.project.chains.index(chain))
        if ring is None:
            window.instants = None
            return
        slots = len(chain.slots)
        first, last = -(-max(ring.begin, ring.end - STAMPS_SEEN) // slots), ring.end // slots
        held = ring.window(first * slots, last * slots).reshape(-1, slots)
        identity = self._reception.identity
        tick_hz = identity.tick_hz if identity else workspace.bus_clock_hz.numerator
        window.instants = TimestampedTimes(workspace, chain, held, tick_hz, first)


def _stretch(oldest: int, newest: int, wanted: int, span_s: float) -> tuple[int, int]:
    """(begin, end) of the newest whole stretch, or of the newest samples where a stretch takes
    long."""
    end = newest
    if span_s < SHORT_SPAN_S and newest // wanted * wanted - wanted >= oldest:
        end = newest // wanted * wanted
    return max(oldest, end - wanted, 0), end
