"""The numbers of ``check --json`` against a second calculation that shares no code with the
first."""

from __future__ import annotations

import math
import tomllib
from typing import Any

import numpy as np
import pytest
import scipy.linalg
from hypothesis import given, settings
from hypothesis import strategies as st

from wattigram.cli.check import check_json
from wattigram.core.advise.findings import find_all
from wattigram.core.model.design import project_text
from wattigram.core.model.design.workspace_files import workspace_from_text

BUS_HZ = 96e6
SAMPLING = [3, 8, 16, 32, 64, 128, 384, 768]
DIVIDERS = [1, 2, 3, 4, 6, 8, 12, 16, 32]
PINS = [f"{port}{number}" for port in "AB" for number in range(8)]


@st.composite
def designs(draw: st.DrawFn) -> dict[str, Any]:
    """Plain values of a project with one or two converters."""
    names = [f"s{number}" for number in range(draw(st.integers(1, 6)))]
    signals = []
    bench = []
    for name, pin in zip(names, draw(st.permutations(PINS)), strict=False):
        signal: dict[str, Any] = {"name": name, "pin": pin}
        if draw(st.booleans()):
            power = draw(st.integers(1, 8))
            signal["reduce"] = {"kind": "mean", "count": 1 << power, "shift": power}
        signals.append(signal)
        ohm = draw(st.sampled_from([0, 33, 1000, 4700, 10_000, 47_000, 220_000]))
        wiring = {
            "pin": pin,
            "resistance": f"{ohm} Ω",
            "source": {"kind": "level", "voltage": f"{draw(st.integers(0, 3300))} mV"},
        }
        if draw(st.integers(0, 3)) == 0:
            wiring["capacitor"] = f"{draw(st.sampled_from([10, 100, 1000]))} nF"
        bench.append(wiring)
    chains = []
    period_us = draw(st.integers(1, 5000))
    for number in range(draw(st.integers(1, 2))):
        slots = [
            {
                "signal": draw(st.sampled_from(names)),
                "sampling_cycles": draw(st.sampled_from(SAMPLING)),
            }
            for _ in range(draw(st.integers(1, 16)))
        ]
        trigger = (
            {"timer": "Timer 1", "every": f"{period_us} us"}
            if number == 0
            else {"follows": "ADC 1"}
        )
        chains.append(
            {
                "converter": f"ADC {number + 1}",
                "divider": draw(st.sampled_from(DIVIDERS)),
                "bits": draw(st.sampled_from([12, 10, 8])),
                "trigger": trigger,
                "loop": {
                    "name": f"Loop {number}",
                    "dma": f"DMA {number + 1}",
                    "items": draw(st.integers(2, 65535)),
                    "width_bits": draw(st.sampled_from([8, 16, 32])),
                },
                "slots": slots,
            }
        )
    reference = draw(st.sampled_from(["supply", "internal"]))
    head = {
        "format": "wattigram-project",
        "version": 2,
        "name": "x",
        "part": "marten-m3",
        "reference": reference,
    }
    return {
        **head,
        "signals": signals,
        "chains": chains,
        "bench": bench,
        "period_s": period_us * 1e-6,
    }


def quantity(text: str) -> float:
    """A number with one of the few units used here."""
    number, unit = text.split(" ")
    return float(number) * {"Ω": 1.0, "nF": 1e-9, "mV": 1e-3}[unit]


def two_capacitors(sampling_s: float, ohm: float, outside: float, period_s: float) -> float:
    """Share left of a lasting step, from the circuit of pin and sampling capacitor (Heaviside's
    way: its two poles)."""
    if ohm == 0 or outside == 0:
        return math.exp(-sampling_s / ((ohm + 1200) * 16e-12 if outside == 0 else 1200 * 16e-12))
    a, b = (1 / ohm + 1 / 1200) / outside, 1 / (1200 * outside)
    c = 1 / (1200 * 16e-12)
    matrix = np.array([[-a, b], [c, -c]])
    step = scipy.linalg.expm(matrix * sampling_s)
    fall = math.exp(-max(0.0, period_s - sampling_s) / (ohm * outside))
    before = fall * step[0, 1] / (1 - fall * step[0, 0])
    return float(step[1, 1] + step[1, 0] * before)


@settings(max_examples=60, deadline=None)
@given(designs())
def test_designs_nobody_has_seen(data: dict[str, Any]) -> None:
    import tomli_w

    period_s = data.pop("period_s")
    found = check_json(
        (workspace := workspace_from_text(tomli_w.dumps(data), "x")), find_all(workspace)
    )
    reference_v = {"supply": 3.3, "internal": 1.2}[data["reference"]]
    wirings = {wiring["pin"]: wiring for wiring in data["bench"]}
    signals = {signal["name"]: signal for signal in data["signals"]}
    codes = {finding["code"] for finding in found["findings"]}
    for chain, converter, loop in zip(
        data["chains"], found["converters"], found["loops"], strict=True
    ):
        clock_hz = BUS_HZ / chain["divider"]
        conversion = chain["bits"] + 1
        now = 0
        starts = []
        for slot in chain["slots"]:
            starts.append(now)
            now += slot["sampling_cycles"] + conversion
        busy_s = now / clock_hz
        assert converter["clock_hz"] == pytest.approx(clock_hz, rel=1e-12)
        assert converter["period_s"] == pytest.approx(period_s, rel=1e-12)
        assert converter["busy_s"] == pytest.approx(busy_s, rel=1e-12)
        assert converter["slack_s"] == pytest.approx(period_s - busy_s, rel=1e-9, abs=1e-15)
        triggers = max(1, math.ceil(busy_s / period_s - 1e-12))
        cycle_hz = 1 / (period_s * triggers)
        for slot, start, numbers in zip(chain["slots"], starts, converter["slots"], strict=True):
            signal = signals[slot["signal"]]
            times = sum(other["signal"] == slot["signal"] for other in chain["slots"])
            assert numbers["start_s"] == pytest.approx(start / clock_hz, abs=1e-18)
            assert numbers["held_s"] == pytest.approx(
                (start + slot["sampling_cycles"]) / clock_hz, rel=1e-12
            )
            assert numbers["conversion_s"] == pytest.approx(conversion / clock_hz, rel=1e-12)
            assert numbers["rate_hz"] == pytest.approx(cycle_hz * times, rel=1e-12)
            count = signal.get("reduce", {}).get("count", 1)
            assert numbers["reduced_rate_hz"] == pytest.approx(cycle_hz * times / count, rel=1e-12)
            assert numbers["lsb_v"] == pytest.approx(reference_v / 2 ** chain["bits"], rel=1e-12)
            wiring = wirings[signal["pin"]]
            ohm = quantity(wiring["resistance"])
            if "capacitor" in wiring:
                outside = quantity(wiring["capacitor"])
                sampling_s = slot["sampling_cycles"] / clock_hz
                left = two_capacitors(sampling_s, ohm, outside, 1 / (cycle_hz * times))
            else:
                left = math.exp(-slot["sampling_cycles"] / clock_hz / ((ohm + 1200) * 16e-12))
            assert numbers["settling_error_lsb"] == pytest.approx(
                min(1.0, left) * 2 ** chain["bits"], rel=1e-6, abs=1e-9
            )
        items, slots = chain["loop"]["items"], len(chain["slots"])
        assert loop["lap_s"] == pytest.approx(items / slots / cycle_hz, rel=1e-12)
        assert loop["half_s"] == pytest.approx(items / slots / cycle_hz / 2, rel=1e-12)
        assert loop["bytes"] == items * chain["loop"]["width_bits"] // 8
        assert loop["in_step"] == (items % slots == 0)
        if not loop["in_step"]:
            assert "loop-out-of-step" in codes
        elif items % (2 * slots):
            assert "half-mark-in-cycle" in codes
        if not 0.5e6 <= clock_hz <= 32e6:
            assert codes & {"clock-too-fast", "clock-too-slow"}
        if busy_s > period_s * (1 + 1e-12):
            assert "trigger-too-short" in codes
        if chain["loop"]["width_bits"] < chain["bits"]:
            assert "item-too-narrow" in codes
    unused = {signal["name"] for signal in data["signals"]} - {
        slot["signal"] for chain in data["chains"] for slot in chain["slots"]
    }
    assert ("signal-not-converted" in codes) == bool(unused)
    assert tomllib.loads(project_text(workspace.project))["reference"] == data["reference"]
