"""A converter whose result is read in two bytes."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.core.emulator.test_image import record
from tests.core.emulator.test_stopping import DESIGN
from tests.core.firmware.compiled import built, needs_compiler
from wattigram.core.firmware import write_firmware
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.part import copy_part

WHOLE = """name = "RESULT"
offset = 0x04
width = 16
fields = [
    { name = "CODE", low = 0, width = 16, sets = "result", coded = "value", access = "read" },
]
"""
IN_BYTES = """name = "LOWER"
offset = 0x04
width = 8
fields = [
    { name = "CODE", low = 0, width = 8, sets = "result-low", coded = "value", access = "read" },
]

[[blocks.registers]]
name = "UPPER"
offset = 0x05
width = 8
fields = [
    { name = "CODE", low = 0, width = 8, sets = "result-high", coded = "value", access = "read" },
]
"""


@pytest.fixture(params=['kind = "interrupt"', 'kind = "polling"'])
def workspace(request: pytest.FixtureRequest, tmp_path: Path) -> Workspace:
    part = tmp_path / "bytes.toml"
    copy_part("quill-q8", part, "Bytes")
    text = part.read_text()
    assert text.count(WHOLE) == 1
    part.write_text(text.replace(WHOLE, IN_BYTES))
    design = DESIGN
    for before, after in (
        ("marten-m3", "bytes.toml"),
        ('"A3"', '"C0"'),
        ("divider = 3", "divider = 16\nbits = 10"),
        ("sampling_cycles = 64", "sampling_cycles = 4"),
        ('converter = "ADC 1"', 'converter = "ADC"'),
        ('within = "8 mV"', 'within = "20 mV"'),
    ):
        design = design.replace(before, after)
    path = tmp_path / "bytes.wattigram.toml"
    trigger = 'kind = "software"\nperiod = "500 us"'
    path.write_text(design.format(trigger=trigger, readout=request.param, samples=20))
    return open_workspace(path)


def test_c_reads_the_lower_byte_first(workspace: Workspace, tmp_path: Path) -> None:
    write_firmware(workspace, tmp_path / "c")
    code = (tmp_path / "c" / "wg_isr.c").read_text()
    assert 0 < code.index("ADC_LOWER") < code.index("ADC_UPPER")
    assert "ADC_RESULT" not in code


@needs_compiler
def test_an_image_puts_both_together(workspace: Workspace, tmp_path: Path) -> None:
    """The ramp goes through all upper bytes, and each sample is what it had."""
    elf = built(workspace, tmp_path / "c").elf
    with record(workspace, 0.09, tmp_path / "take.h5", f"image:{elf}") as take:
        codes = np.asarray(take.items(0)).astype(int)
        held_s = take.items(64).astype(np.int64) / take.tick_hz
        assert set((codes >> 8).tolist()) == {0, 1, 2}
        assert np.max(np.abs(codes * 5 / 1024 - 0.1 - 30.0 * held_s)) < 0.012
        assert [one.outcome for one in prove(workspace, take).verdicts] == ["holds", "holds"]
