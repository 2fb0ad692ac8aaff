from __future__ import annotations

import pytest
from pydantic import ValidationError

from wattigram.core.base.validation import first_fault
from wattigram.core.contract.shapes import PulseShape
from wattigram.core.model.bench import DcSource, Wiring


def fault_of(**values: object) -> ValidationError:
    with pytest.raises(ValidationError) as fault:
        Wiring(pin="A2", **values)  # type: ignore[arg-type]
    return fault.value


def test_a_quantitys_own_sentence_is_told_as_it_is() -> None:
    found = first_fault(fault_of(source_resistance_ohm="5 V", source=DcSource(voltage_v=1.0)))
    assert found.place == "source_resistance_ohm"
    assert found.message.startswith("“5 V” has th")
    assert found.text == f"source_resistance_ohm: {found.message}"
    assert found.found == "5 V"


def test_the_place_goes_from_the_outermost_inward() -> None:
    found = first_fault(fault_of(source_resistance_ohm=1.0, source={"kind": "dc", "volts": 3}))
    assert found.place == "source.dc.voltage"
    assert found.key == "voltage"
    assert found.message == "Field required"


def test_a_rule_of_the_whole_model_has_no_place() -> None:
    with pytest.raises(ValidationError) as fault:
        PulseShape(duty=2.0)
    found = first_fault(fault.value)
    assert (found.place, found.key) == ("", "value")
    assert found.text.startswith("duty must lie between")
