"""Words that projects of versions 1 to 4 had for what has another name now, in both directions.

Older files are read with them. The build ID is still worked out over the former words, so that firmware
and takes that were made before belong to their designs; scripts that read the values of an edit know
those words too.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec

from wattigram.core.base.model_fields import fields_of, models_in
from wattigram.core.base.models import StrictModel
from wattigram.core.contract.shapes import ChirpShape, PointsShape, TriangleShape
from wattigram.core.model.bench.sources import (
    Battery,
    DcSource,
    FloatingInput,
    SerialSource,
    SquareSource,
    SweptSource,
    TriangleSource,
)
from wattigram.core.model.bench.wiring import Wiring
from wattigram.core.model.design.expectation import (
    RedundantPairExpectation,
    SquareExpectation,
    ThresholdExpectation,
    WaveformExpectation,
)
from wattigram.core.model.design.outputs import (
    ConstantLevel,
    Playback,
    PwmOutput,
    SoftwareRamp,
    UartSetup,
    WaveTable,
)
from wattigram.core.model.design.project import Chain, Project, Signal
from wattigram.core.model.design.retrieval import (
    CircularBuffer,
    Dma,
    Fifo,
    Interrupt,
    Polling,
    Reader,
)
from wattigram.core.model.design.route import Route, RouteTimer
from wattigram.core.model.design.stage import (
    BlockAverage,
    LowPassFilter,
    MovingAverage,
    RedundantPair,
    SumFilter,
    Threshold,
)
from wattigram.core.model.design.trigger import SoftwareTrigger, ThresholdTrigger, TimerTrigger


class _Former(msgspec.Struct, frozen=True):
    """Of one kind of table: former key by key, and former value by value of each key."""

    keys: Mapping[str, str] = msgspec.field(default_factory=dict)
    values: Mapping[str, Mapping[str, str]] = msgspec.field(default_factory=dict)


_FILTER = {"accumulator_bits": "register_bits", "done_in": "by"}
_ORDER = {"little-endian": "low-first", "big-endian": "high-first"}
_PERIOD = {"period": "every"}
_NONE = _Former()

FORMER: Mapping[type[StrictModel], _Former] = {
    Signal: _Former(
        {
            "scaling": "front_end",
            "redundant_pair": "twin",
            "filter": "reduce",
            "thresholds": "windows",
        }
    ),
    SumFilter: _Former(_FILTER),
    BlockAverage: _Former(_FILTER, {"kind": {"block-average": "mean"}}),
    MovingAverage: _Former(_FILTER, {"kind": {"moving-average": "running-mean"}}),
    LowPassFilter: _Former(_FILTER),
    Threshold: _Former(
        {
            "input": "on",
            "minus": "target",
            "minus_signal": "target_signal",
            "consecutive": "times",
            "on": "when",
            "done_in": "by",
            "interrupt_enabled": "enabled",
        },
        {"input": {"filtered": "reduced"}, "on": {"every-result": "every"}},
    ),
    RedundantPair: _Former({"paired_with": "of", "tolerance": "within", "consecutive": "times"}),
    Chain: _Former(
        {"readout": "retrieval", "buffer": "loop", "read_as": "reader"},
        {
            "clock": {"internal": "own"},
            "per_trigger": {"scan": "pass", "continuous": "endless"},
        },
    ),
    SoftwareTrigger: _Former({"repeat": "again"}),
    TimerTrigger: _Former(_PERIOD),
    ThresholdTrigger: _Former({"threshold": "window"}, {"kind": {"threshold": "window"}}),
    Interrupt: _Former(values={"per": {"scan": "pass"}}),
    Fifo: _Former({"watermark": "mark"}),
    Dma: _Former({"circular": "repeat"}),
    CircularBuffer: _Former(
        {"samples": "items", "element_bits": "width_bits", "isr_cycles": "handler_cycles"}
    ),
    Reader: _Former({"element_bits": "width_bits", "endianness": "byte_order"}),
    WaveTable: _Former({"periods": "cycles", "overflow": "beyond"}),
    TriangleShape: _Former({"symmetry": "peak"}),
    ChirpShape: _Former({"start": "begin", "stop": "end"}),
    PointsShape: _Former({"interpolation": "between"}),
    ConstantLevel: _Former(values={"kind": {"constant": "level"}}),
    SoftwareRamp: _Former(
        {"at_end": "then"},
        {"at_end": {"hold": "stay", "repeat": "again", "reverse": "back"}},
    ),
    Playback: _Former({"start_index": "first", "update_trigger": "trigger"}),
    PwmOutput: _Former(_PERIOD),
    Route: _Former(
        {
            "request": "on",
            "destination": "sink",
            "destination_bits": "sink_bits",
            "transfers": "items",
            "increment": "step",
            "endianness": "order",
            "destination_endianness": "expects",
        },
        {
            "request": {"destination": "sink"},
            "endianness": _ORDER,
            "destination_endianness": _ORDER,
        },
    ),
    RouteTimer: _Former(_PERIOD),
    Wiring: _Former({"source_resistance": "resistance", "hum": "pickup"}),
    DcSource: _Former(values={"kind": {"dc": "level"}}),
    TriangleSource: _Former(values={"kind": {"triangle": "ramp"}}),
    SquareSource: _Former(values={"kind": {"square": "steps"}}),
    SweptSource: _Former(values={"kind": {"swept-sine": "sweep"}}),
    FloatingInput: _Former({"hum": "pickup"}),
    Battery: _Former({"drop": "sag"}),
    SerialSource: _Former(
        {"interval": "every", "endianness": "order"},
        {"endianness": _ORDER},
    ),
    SquareExpectation: _Former(values={"kind": {"square": "steps"}}),
    RedundantPairExpectation: _Former(values={"kind": {"redundant-pair": "twin"}}),
    ThresholdExpectation: _Former(values={"kind": {"threshold": "window"}}),
    WaveformExpectation: _Former(values={"kind": {"waveform": "course"}}),
}


LATER: Mapping[type[StrictModel], frozenset[str]] = {
    SoftwareTrigger: frozenset({"period", "asked"}),
    **{kind: frozenset({"single_run"}) for kind in (Polling, Interrupt, Fifo)},
    Dma: frozenset({"single_run", "read_period"}),
    CircularBuffer: frozenset({"main_cycles"}),
    PwmOutput: frozenset({"whole"}),
    UartSetup: frozenset({"data_bits"}),
    SerialSource: frozenset({"data_bits", "parity", "stop_bits", "clock_tolerance"}),
}
"""Keys that came after version 4: as long as they say nothing, nothing was said of them then."""


def in_former_words(model: StrictModel, data: Mapping[str, Any]) -> dict[str, Any]:
    """Plain values of a model, or of some of its fields, in the words of version 4."""
    former = FORMER.get(type(model), _NONE)
    kept: dict[str, Any] = {}
    for item in fields_of(type(model)):
        key, inner = item.key, getattr(model, item.name)
        if key not in data or (key in LATER.get(type(model), ()) and inner == item.default):
            continue
        value = data[key]
        if isinstance(inner, StrictModel) and isinstance(value, dict):
            value = in_former_words(inner, value)
        elif isinstance(inner, tuple) and inner and isinstance(inner[0], StrictModel):
            value = [in_former_words(item, plain) for item, plain in zip(inner, value, strict=True)]
        elif isinstance(value, str):
            value = former.values.get(key, {}).get(value, value)
        kept[former.keys.get(key, key)] = value
    return kept


def former_value(model: StrictModel, key: str) -> str:
    """What a key with a word for its value had in version 4, as scripts know it."""
    value = str(getattr(model, key))
    return FORMER.get(type(model), _NONE).values.get(key, {}).get(value, value)


Path = tuple[str | int, ...]
Moves = dict[Path, Path]
"""Where each key of a document stood, and where it stands now."""


def from_former_words(data: dict[str, Any]) -> tuple[dict[str, Any], Moves]:
    """Plain values of a project of version 4 in today's words; what is unknown is left as it is."""
    moves: Moves = {}
    return _renewed(Project, data, moves, (), ()), moves


def _renewed(
    model: type[StrictModel], data: dict[str, Any], moves: Moves, was: Path, now: Path
) -> dict[str, Any]:
    former = FORMER.get(model, _NONE)
    key_of = {old: new for new, old in former.keys.items()}
    fields = {item.key: item for item in fields_of(model)}
    renewed: dict[str, Any] = {}
    for old, value in data.items():
        # A key of today in a file of then was unknown then, and is told of as it stands.
        key = key_of.get(old, f"{old} " if old in former.keys else old)
        moves[(*was, old)] = (*now, key)
        if key in fields:
            choices = models_in(fields[key].annotation)
            if isinstance(value, dict):
                value = _renewed_table(choices, value, moves, (*was, old), (*now, key))
            elif isinstance(value, list):
                value = [
                    _renewed_table(choices, item, moves, (*was, old, number), (*now, key, number))
                    if isinstance(item, dict)
                    else item
                    for number, item in enumerate(value)
                ]
            elif isinstance(value, str):
                words = {was: now for now, was in former.values.get(key, {}).items()}
                value = words.get(value, value)
        renewed[key] = value
    return renewed


def _renewed_table(
    choices: tuple[type[StrictModel], ...], data: dict[str, Any], moves: Moves, was: Path, now: Path
) -> dict[str, Any]:
    moves[was] = now
    if len(choices) == 1:
        return _renewed(choices[0], data, moves, was, now)
    kind = data.get("kind")
    for model in choices:
        today = str(model.__struct_config__.tag)
        if FORMER.get(model, _NONE).values.get("kind", {}).get(today, today) == kind:
            return _renewed(model, data, moves, was, now)
    return data
