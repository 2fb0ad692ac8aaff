"""Converters that sample what their own results made, against the same worked out one by one."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import Take, open_take
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.workspace_files import workspace_from_text

TEXT = """
format = "wattigram-project"
version = 5
name = "echo"
part = "marten-m3"
reference = "supply"
signals = [
    { name = "Given", pin = "A0" },
    { name = "Once", pin = "B0" },
    { name = "Twice", pin = "B1" },
]

[[chains]]
converter = "ADC 1"
divider = 3
slots = [
    { signal = "Given", sampling_cycles = 64 },
    { signal = "Once", sampling_cycles = 64 },
    { signal = "Twice", sampling_cycles = 64 },
]
trigger = { kind = "timer", timer = "Timer 1", period = "100 µs" }
readout = { kind = "dma", channel = "DMA 1" }
buffer = { name = "Loop A", samples = 96 }

[[routes]]
name = "First"
channel = "DMA 2"
source = { kind = "result", converter = "ADC 1", signal = "Given" }
destination = { kind = "dac", dac = "DAC 2" }

[[routes]]
name = "Second"
channel = "DMA 3"
source = { kind = "result", converter = "ADC 1", signal = "Once" }
destination = { kind = "dac", dac = "DAC 1" }

[[bench]]
pin = "A0"
source_resistance = "0 Ω"
source = { kind = "square", low = "0.5 V", high = "2.5 V", period = "7 ms", duty = "50 %" }
[[bench]]
pin = "B0"
source_resistance = "0 Ω"
source = { kind = "jumper", pin = "B5" }
[[bench]]
pin = "B1"
source_resistance = "0 Ω"
source = { kind = "jumper", pin = "A5" }
"""


def echo() -> Workspace:
    return workspace_from_text(TEXT, "echo")


def volts(take: Take, name: str) -> np.ndarray:
    samples = take.raw(name)
    assert samples is not None
    return samples.volts


def test_results_come_back_a_scan_after_the_one_that_gave_them(
    take_of: Callable[..., Take],
) -> None:
    """A scan is worked out as a whole: what its results put out is there for the next one."""
    take = take_of(echo(), 0.2)
    given, once, twice = (volts(take, name) for name in ("Given", "Once", "Twice"))
    assert np.ptp(given) > 1.9
    assert np.median(np.abs(once - given)) < 4e-3
    assert np.median(np.abs(twice - once)) < 4e-3
    steps = np.flatnonzero(np.abs(np.diff(given)) > 1)
    assert len(steps) > 20
    assert np.abs(once[1:] - given[:-1]).max() < 0.02
    assert np.abs(twice[2:] - given[:-2]).max() < 0.02


def test_it_is_the_same_in_any_steps(tmp_path: Path) -> None:
    found = []
    for number, fast in enumerate((True, False)):
        record_run(echo(), 0.1, tmp_path / f"{number}.h5", fast=fast)
        with open_take(tmp_path / f"{number}.h5") as take:
            found.append([volts(take, name) for name in ("Given", "Once", "Twice")])
    for one, other in zip(*found, strict=True):
        count = min(len(one), len(other))
        assert np.array_equal(one[:count], other[:count])


TABLE = """
format = "wattigram-project"
version = 5
name = "table by route"
part = "marten-m3"
reference = "supply"
signals = [{ name = "Back", pin = "B0" }]

[[chains]]
converter = "ADC 1"
divider = 3
slots = [{ signal = "Back", sampling_cycles = 64 }]
trigger = { kind = "timer", timer = "Timer 1", period = "50 µs" }
readout = { kind = "dma", channel = "DMA 1" }
buffer = { name = "Loop A", samples = 64 }

[[tables]]
name = "Saw"
points = 64
amplitude = "1 V"
offset = "1.5 V"
shape = { kind = "sawtooth" }

[[routes]]
name = "Saw to DAC"
channel = "DMA 2"
request = "timer"
timer = { timer = "Timer 2", period = "100 µs" }
source = { kind = "table", table = "Saw" }
destination = { kind = "dac", dac = "DAC 2" }

[[bench]]
pin = "B0"
source_resistance = "0 Ω"
source = { kind = "jumper", pin = "B5" }
"""


def test_a_table_that_a_route_carries_is_played(take_of: Callable[..., Take]) -> None:
    """64 codes at 10 kHz, over and over: each stands for two scans of 50 µs."""
    take = take_of(workspace_from_text(TABLE, "table"), 0.1)
    written = take.output(0)
    assert len(written.marked) == 1000
    assert np.array_equal(written.marked[:64], written.marked[64:128])
    back = volts(take, "Back")
    lsb_v = 3.3 / 4096
    assert np.abs(back[1:1001:2] - written.marked[:500] * lsb_v).max() < 4e-3
    assert np.ptp(back) > 1.9


COMPARED = (
    TABLE.replace('pin = "B0"', 'pin = "A2"')
    + """
[[comparators]]
name = "Comparator 1"
signal = "Back"
against = "internal"
threshold = "1.505 V"
hysteresis = "15 mV"
"""
)


def test_a_comparator_sees_what_a_route_puts_out(tmp_path: Path) -> None:
    """The saw of 64 points at 10 kHz passes 1.5 V upwards and falls back once in 6.4 ms, however the
    board's time is cut."""
    found = []
    for number, fast in enumerate((True, False)):
        path = tmp_path / f"{number}.h5"
        record_run(workspace_from_text(COMPARED, "compared"), 0.1, path, fast=fast)
        with open_take(path) as take:
            found.append(take.events.tolist())
    assert found[0] == found[1]
    rising = rising_ticks(found[0])
    assert len(rising) == 16
    assert np.abs(np.diff(rising) - 6.4e-3 * 96e6).max() < 200


def rising_ticks(events: list[tuple[int, ...]]) -> list[int]:
    return [event[-1] for event in events if event[1]]
