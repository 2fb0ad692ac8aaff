"""What a data sheet says of one resolution, or of an output without its buffer, is held against the design."""

from __future__ import annotations

from fractions import Fraction

import pytest

from tests.conftest import edited
from tests.core.model.part.sheet.heron import heron_with_registers
from tests.paths import CASES
from wattigram.core.advise.explanations import converter_noise, dac_settling
from wattigram.core.advise.findings import find_all
from wattigram.core.base.validation import ModelError
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import SetBits, SetDivider
from wattigram.core.model.design.project_file import parse_project
from wattigram.core.model.design.workspace import join_workspace
from wattigram.core.model.part import Part
from wattigram.core.predict.waveform import dac_playback

BRIDGE = CASES / "parts" / "bridge.wattigram.toml"


@pytest.fixture(scope="module")
def heron() -> Part:
    return heron_with_registers().part()


@pytest.fixture
def bridge(heron: Part) -> Workspace:
    return join_workspace(parse_project(BRIDGE.read_text(), str(BRIDGE)), str(BRIDGE), heron)


def test_a_resolution_has_a_clock_of_its_own(bridge: Workspace) -> None:
    """64 MHz / 8 is too fast for 10 bits, and not for 8."""
    fast = edited(bridge, SetDivider("SARC", 8))
    (found,) = [one for one in find_all(fast) if one.code == "clock-too-fast"]
    assert "8 MHz, above its 6 MHz at 10 bits. Divide by 12." in found.message
    assert found.remedy == SetDivider("SARC", 12)
    chain = fast.project.chains[0]
    assert float(converter_noise(fast, chain).value) > fast.converter(chain).noise_lsb
    coarse = edited(fast, SetBits("SARC", 8))
    assert not [one for one in find_all(coarse) if one.code.startswith("clock-")]
    quicker = edited(coarse, SetDivider("SARC", 6))
    (found,) = [one for one in find_all(quicker) if one.code == "clock-too-fast"]
    assert "10.67 MHz, above its 10 MHz. Divide by 8." in found.message


def test_a_dac_settles_otherwise_without_its_buffer(bridge: Workspace) -> None:
    """An update each 2 µs is too quick for the buffer's 4 µs, and not for the 1.2 µs without."""
    output = bridge.project.generators[0]
    assert output.output.kind == "table"
    taus = {}
    for buffered in (True, False):
        playing = output.output.replaced(
            update_trigger=output.output.update_trigger.replaced(period_s=Fraction(2, 10**6))
        )
        part = bridge.part.replaced(
            dacs=(bridge.part.dacs[0].replaced(update_rate_high_hz=Fraction(10**6)),)
        )
        changed = output.replaced(output=playing, buffered=buffered)
        workspace = Workspace(bridge.project.replaced(generators=(changed,)), part)
        codes = {one.code for one in find_all(workspace)}
        assert ("update-faster-than-settling" in codes) == buffered
        taus[buffered] = dac_playback(workspace, changed).tau_s
        settled = dac_settling(part.dacs[0], buffered)
        assert settled.text == ("4.00 µs" if buffered else "1.20 µs")
    assert taus[True] / taus[False] == pytest.approx(4 / 1.2)


def test_facts_that_contradict_are_refused(heron: Part) -> None:
    with pytest.raises(ModelError, match="clock_high_of_bits names 12 bits"):
        heron.converters[0].replaced(clock_high_of_bits={"12": Fraction(10**6)})
    with pytest.raises(ModelError, match="a reference that it always has"):
        heron.replaced(dacs=(heron.dacs[0].replaced(reference="supply"),))
