from __future__ import annotations

import pytest

from wattigram.core.base.validation import ModelError
from wattigram.core.contract.shapes import PulseShape
from wattigram.core.model.bench import DcSource, Wiring


def fault_of(**values: object) -> ModelError:
    with pytest.raises(ModelError) as fault:
        Wiring(pin="A2", **values)  # type: ignore[arg-type]
    return fault.value


def test_a_quantitys_own_sentence_is_told_as_it_is() -> None:
    found = fault_of(source_resistance_ohm="5 V", source=DcSource(voltage_v=1.0)).first
    assert found.place == "source_resistance"
    assert found.message.startswith("“5 V” has th")
    assert found.text == f"source_resistance: {found.message}"
    assert found.found == "5 V"


def test_the_place_goes_from_the_outermost_inward() -> None:
    found = fault_of(source_resistance_ohm=1.0, source={"kind": "dc", "volts": 3}).first
    assert found.place == "source.voltage"
    assert found.key == "voltage"
    assert found.message == "It is missing."


def test_a_rule_of_the_whole_model_has_no_place() -> None:
    with pytest.raises(ModelError) as fault:
        PulseShape(duty=2.0)
    found = fault.value.first
    assert (found.place, found.key) == ("", "value")
    assert found.text.startswith("duty must lie between")
