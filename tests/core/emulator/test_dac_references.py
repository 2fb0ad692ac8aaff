"""A DAC whose reference is not that of the converters."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.emulator.test_image import record
from tests.core.firmware.compiled import built, needs_compiler
from tests.paths import EXAMPLES
from wattigram.core.base.errors import PartError
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design import ConstantLevel, Workspace, open_workspace
from wattigram.core.model.design.edits import SetGenerator, SetWiring
from wattigram.core.model.part import parse_part
from wattigram.core.predict.waveform import dac_lsb_v, output_range_v

RAMP = open_workspace(EXAMPLES / "kiln-ramp")


def on(reference: str) -> Workspace:
    """The ramp's design with a level of 1.2 V from a DAC that has a reference of its own."""
    dacs = tuple(
        dac.replaced(reference=reference) if dac.name == "DAC" else dac for dac in RAMP.part.dacs
    )
    design = Workspace(RAMP.project, RAMP.part.unchecked(dacs=dacs))
    (generator,) = design.project.generators
    assert generator.dac == "DAC"
    level = generator.replaced(output=ConstantLevel(voltage_v=1.2))
    return edited(design, SetGenerator(generator.name, level))


def test_full_scale_is_its_own() -> None:
    internal, external = on("internal"), on("external")
    (dac,) = (one for one in internal.part.dacs if one.name == "DAC")
    assert internal.reference_v == 3.3
    assert dac_lsb_v(internal, dac) == 2.5 / 4096
    assert output_range_v(internal, dac, buffered=False) == (0.0, 2.5)
    wired = edited(
        external,
        SetWiring(Wiring(pin="B7", source_resistance_ohm=1.0, source=DcSource(voltage_v=2.048))),
    )
    assert dac_lsb_v(wired, wired.part.dacs[0]) == 2.048 / 4096


@pytest.mark.parametrize("reference", ["internal", "external"])
@pytest.mark.parametrize("board", ["design", pytest.param("image", marks=needs_compiler)])
def test_a_level_is_what_was_meant(reference: str, board: str, tmp_path: Path) -> None:
    """Read back over the jumper it is 1.2 V, whichever reference makes it."""
    design = on(reference)
    if reference == "external":
        source = DcSource(voltage_v=2.048)
        wiring = Wiring(pin="B7", source_resistance_ohm=1.0, source=source)
        design = edited(design, SetWiring(wiring))
    address = "virtual"
    if board == "image":
        # An image is built for the part as it is described: its DAC's reference is in the codes.
        address = f"image:{built(design, tmp_path / 'c').elf}"
    with record(design, 0.3, tmp_path / "take.h5", address) as take:
        back = take.raw("Power command")
        assert back is not None
        assert np.median(back.volts[len(back.volts) // 2 :]) == pytest.approx(1.2, abs=5e-3)


def test_a_reference_that_is_not_there_is_a_sentence() -> None:
    text = RAMP.part.text.replace('name = "DAC"\n', 'name = "DAC"\nreference = "crystal"\n', 1)
    with pytest.raises(PartError, match="no reference “crystal”"):
        parse_part(text, "here")
