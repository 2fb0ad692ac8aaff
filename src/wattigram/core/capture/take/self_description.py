"""What a take says of its own data sets, so that any reader of HDF5 gets volts over time without the project."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from wattigram.core.contract.link import OUTPUT_STREAM, REDUCED_STREAM, STAMP_STREAM
from wattigram.core.model.design import (
    Chain,
    Signal,
    Workspace,
    program_outputs,
    rate_divisor,
    reduced_volts,
    signal_scale,
    tap_index,
)
from wattigram.core.predict.expected import SteadyTimes
from wattigram.core.predict.timing import scan_timing

Described = Mapping[int, Mapping[str, Any]]
_RAW = (
    "Sample n (its place, and first where there is one) is slot n mod len(signals) of scan n div len(signals). "
    "Where signed, it is a two's complement number of "
    "item_bits. Its code is the sample shifted right by shift; its volts are code * volts_per_code; it was held at "
    "start_s of its slot + scan / scan_rate_hz, where no stamps are beside it."
)
_FILTERED = "Volts are sample * volts_per_code, of a two's complement number where signed; it is of samples_each raw samples."
_STAMPS = "Instants of the samples of stream {stream} in ticks modulo 2^32, in the same order; tick_hz of the file a second."
_OUTPUT = "Pairs: an instant in ticks modulo 2^32, and the value that was written then."


def stream_descriptions(workspace: Workspace) -> dict[int, dict[str, Any]]:
    """Attributes of each stream's data set, by its number."""
    return dict(_descriptions(workspace))


def _descriptions(workspace: Workspace) -> Iterator[tuple[int, dict[str, Any]]]:
    project = workspace.project
    for stream, chain in enumerate(project.chains):
        yield stream, _raw(workspace, chain)
        yield (
            STAMP_STREAM + stream,
            {
                "signals": [slot.signal for slot in chain.slots],
                "unit": "ticks",
                "reading": _STAMPS.format(stream=stream),
            },
        )
        for signal in project.signals:
            index = tap_index(project, signal.name)
            mine = project.chain_of(signal.name)
            if index is None or mine is not chain or signal.later_filter is None:
                continue
            yield REDUCED_STREAM + index, _filtered(workspace, chain, signal)
    names = [
        *(route.name for route in project.routes),
        *(output.title for output in program_outputs(project.reactions)),
    ]
    for number, name in enumerate(names):
        yield OUTPUT_STREAM + number, {"output": name, "reading": _OUTPUT}


def _raw(workspace: Workspace, chain: Chain) -> dict[str, Any]:
    timing = scan_timing(workspace, chain)
    scales = [signal_scale(workspace, chain, slot.signal) for slot in chain.slots]
    gains = [
        scale.gain * float(workspace.project.signal(slot.signal).scaling)
        for scale, slot in zip(scales, chain.slots, strict=True)
    ]
    told: dict[str, Any] = {
        "converter": chain.converter,
        "signals": [slot.signal for slot in chain.slots],
        "unit": "V",
        "volts_per_code": [scale.lsb_v / gain for scale, gain in zip(scales, gains, strict=True)],
        "shift": [scale.shift for scale in scales],
        "signed": [scale.signed for scale in scales],
        "item_bits": scales[0].item_bits if scales else 16,
        "reading": _RAW,
    }
    if not timing.stamped:
        told["scan_rate_hz"] = float(1 / timing.cycle_s)
        told["start_s"] = SteadyTimes(workspace, chain).held_s(0, 1)[0].tolist()
    return told


def _filtered(workspace: Workspace, chain: Chain, signal: Signal) -> dict[str, Any]:
    assert signal.later_filter is not None
    timing = scan_timing(workspace, chain)
    each = rate_divisor(signal.later_filter)
    step = np.diff(reduced_volts(workspace, chain, signal, np.arange(2, dtype=np.uint32)))
    told: dict[str, Any] = {
        "signals": [signal.name],
        "unit": "V",
        "volts_per_code": [float(step[0])],
        "signed": [signal_scale(workspace, chain, signal.name).signed],
        "samples_each": each,
        "reading": _FILTERED,
    }
    if not timing.stamped:
        told["rate_hz"] = float(len(chain.places_of(signal.name)) / timing.cycle_s) / each
    return told


def write_description(data: Any, described: Mapping[str, Any]) -> None:
    """Put a description beside a data set."""
    for name, value in described.items():
        data.attrs[name] = value
