"""Part files of older versions, brought to the newest one as plain values."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

_TRIGGERS = {"window": "threshold"}
_PER_TRIGGER = {"pass": "scan", "endless": "continuous"}
_STAGES = {"mean": "block-average", "running-mean": "moving-average"}
_STREAMS = {"reduced": "filtered"}
_TABLES = {
    "trigger": _TRIGGERS,
    "per-trigger": _PER_TRIGGER,
    "delivery": {"pass": "scan"},
    "window-judges": _STREAMS,
    "clock": {"own": "internal"},
}
"""Settings whose fields are coded by a table of words, and the words that have changed."""


def from_older(data: dict[str, Any]) -> dict[str, Any]:
    """Versions up to 6 lacked what is optional now."""
    return {**(_from_version_5(data) if data["version"] < 6 else data), "version": 7}


def _from_version_5(data: dict[str, Any]) -> dict[str, Any]:
    """Version 5 and its forerunners had other words for scans, averages and thresholds."""
    for converter in _tables(data, "converters"):
        _rename_items(converter, "triggers", _TRIGGERS)
        _rename_items(converter, "per_trigger", _PER_TRIGGER)
        hardware = converter.get("hardware")
        if isinstance(hardware, dict):
            _rename_items(hardware, "stages", _STAGES)
            _rename_items(hardware, "windows_on", _STREAMS)
    for block in _tables(data, "blocks"):
        for register in _tables(block, "registers"):
            for field in _tables(register, "fields"):
                words, table = _TABLES.get(str(field.get("sets"))), field.get("table")
                if words is not None and isinstance(table, dict):
                    field["table"] = {words.get(key, key): code for key, code in table.items()}
    return data


def _tables(data: Mapping[str, Any], key: str) -> Iterator[dict[str, Any]]:
    items = data.get(key)
    yield from (item for item in items if isinstance(item, dict)) if isinstance(items, list) else ()


def _rename_items(table: dict[str, Any], key: str, words: Mapping[str, str]) -> None:
    items = table.get(key)
    if isinstance(items, list):
        table[key] = [words.get(item, item) if isinstance(item, str) else item for item in items]
