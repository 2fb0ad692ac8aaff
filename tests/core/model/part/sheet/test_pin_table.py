"""Tables of pins as they are pasted."""

from __future__ import annotations

import pytest

from tests.core.model.part.sheet.heron import heron_draft
from wattigram.core.base.errors import QuantityError
from wattigram.core.model.part.sheet.draft import blank_draft
from wattigram.core.model.part.sheet.pin_table import read_pin_table, with_pin_table

MARKED = """
| pin | analog input | other functions |
|---|---|---|
| P0 … P3 | AIN0 … AIN3 | port P |
| P5 | AIN5 | VOUT, port P |
| P6, P7 | AIN6, AIN7 (also the pair AIN6 − AIN7) | comparator + / −, port P |
| R0 … R3 | – | port R; R0 UART TX, R1 UART RX, R2 PULSE0 out |
"""
TABBED = "Pin\tADC\tAlternate\nPA0\tADC1_IN0\tUSART2_TX\nPA1\tADC1_IN1\tUSART2_RX\nPC13\t\t\n"


def test_a_table_of_a_data_sheet_is_understood() -> None:
    table = read_pin_table(MARKED, heron_draft())
    assert table.pins == ("P0", "P1", "P2", "P3", "P5", "P6", "P7", "R0", "R1", "R2", "R3")
    assert table.channels == {"P0": 0, "P1": 1, "P2": 2, "P3": 3, "P5": 5, "P6": 6, "P7": 7}
    assert table.ports["R"] == {"R0": 0, "R1": 1, "R2": 2, "R3": 3}
    assert (table.send_pins, table.receive_pins) == ({"UART": "R0"}, {"UART": "R1"})
    assert table.outputs == {"VOUT": "P5", "PULSE0": "R2"}
    assert any("comparator" in one for one in table.unread)
    assert table.summary == "11 pins, 7 with a channel, 2 ports"


@pytest.mark.parametrize("mark", ["\t", ";", ",", "|"])
def test_cells_may_be_parted_in_several_ways(mark: str) -> None:
    table = read_pin_table(TABBED.replace("\t", mark), blank_draft("X"))
    assert table.pins == ("PA0", "PA1", "PC13")
    assert table.channels == {"PA0": 0, "PA1": 1}
    assert table.send_pins == {"USART2": "PA0"}


def test_what_a_table_says_becomes_facts_of_the_sheet() -> None:
    draft = heron_draft()
    for steps in (("pins",), ("converters", 0, "channels"), ("ports",), ("dacs", 0, "pin")):
        draft = draft.with_value(steps, None)
    draft = draft.with_value(("timers", 1, "pwm_pins"), None)
    made = with_pin_table(draft, read_pin_table(MARKED, draft))
    assert made.get(("converters", 0, "channels", "P7")) == 7
    assert made.get(("dacs", 0, "pin")) == "P5"
    assert made.get(("timers", 1, "pwm_pins")) == {"PULSE0": "R2"}
    assert [port["name"] for port in made.items(("ports",))] == ["Port P", "Port R"]
    # The one UART of the sheet is meant, whatever the table calls it.
    assert made.get(("uarts", 0, "send_pins")) == {"SERIAL": "R0"}
    again = with_pin_table(made, read_pin_table(MARKED, made))
    assert again.values == made.values


@pytest.mark.parametrize("text", ["", "nothing here", "a,b,c\n1,2,3", "x" * 300_000])
def test_what_is_no_table_of_pins_is_said(text: str) -> None:
    with pytest.raises(QuantityError):
        read_pin_table(text, blank_draft("X"))
