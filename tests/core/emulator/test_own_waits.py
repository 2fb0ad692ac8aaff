"""Own code that waits in the main loop: by a count of tries, by a clock, by a pin, as it would in silicon."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.core.emulator.test_image import record
from tests.core.emulator.test_stopping import HALTING, TIMER, design
from tests.core.firmware.compiled import needs_compiler, rebuilt
from wattigram.core.firmware import write_firmware

pytestmark = needs_compiler
CALL = HALTING.replace("halt_or_go", "look").replace("3.37 ms", "2.05 ms")
"""In turn just before a result is there, and 50 µs away from one."""
BUTTON = """
[[bench]]
pin = "B4"
source_resistance = "0 Ω"
source = { kind = "square", low = "0 V", high = "3.3 V", period = "20 us" }
"""
"""High twice before half of the time to a result is over."""
OWN = """
#include "wg_clock.h"
#include "wg_registers.h"
static unsigned calls, given_up;
static void spend(unsigned rounds)
{
    for (volatile unsigned n = 0u; n < rounds; n++) {
    }
}
static int has_result(void)
{
    return (ADC_1_STATE & SCAN_STATE_FRESH) != 0u;
}
void look(void)
{
    const uint64_t begin = wg_clock_ticks();
    unsigned tries = 0u;
    (void)begin;
    while (!has_result()) {
        tries++;
        if (%s) {
            given_up++;
            break;
        }
        spend(%du);
    }
    calls++;
    if (calls == 20u && given_up >= %du) {
        ADC_1_MODE &= ~SCAN_MODE_ON;
    }
}
"""
CALLED_S, RUN_S = 20 * 2.05e-3, 0.05


def samples(tmp_path: Path, condition: str, spent: int, least: int) -> int:
    """Of 500 that there would be, had the 20th call not stopped the converter because ``least`` had given up."""
    workspace = design(TIMER, 'kind = "polling"', 2000, CALL + BUTTON)
    write_firmware(workspace, tmp_path / "c")
    own = tmp_path / "c" / "own.c"
    own.write_text(own.read_text() + OWN % (condition, spent, least))
    elf = rebuilt(workspace, tmp_path / "c").elf
    with record(workspace, RUN_S, tmp_path / "image.h5", f"image:{elf}") as take:
        return take.totals["converted.0"]


@pytest.mark.parametrize(
    ("condition", "spent"),
    [
        pytest.param("tries == 20u", 0, id="tries"),
        pytest.param("tries == 3u", 20, id="few-long-tries"),
        pytest.param("wg_clock_ticks() - begin >= 1920u", 30, id="clock-in-long-rounds"),
        pytest.param("(*(volatile uint32_t *)0x40070114u & 0x10u) != 0u", 0, id="pin"),
    ],
)
def test_who_gives_up_before_a_result_comes_does_so(
    tmp_path: Path, condition: str, spent: int
) -> None:
    """Every second call is 50 µs away from a result, and none waits for so long."""
    assert samples(tmp_path, condition, spent, 10) == pytest.approx(CALLED_S / 1e-4, abs=2)


def test_who_is_patient_finds_each(tmp_path: Path) -> None:
    assert samples(tmp_path, "tries == 100000u", 0, 1) == 500
