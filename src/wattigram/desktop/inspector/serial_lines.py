"""What comes over the wire to a serial port: the other end, with settings of its own."""

from __future__ import annotations

from msgspec.structs import replace

from wattigram.core.model.bench import BoardSource, SerialSource, Wiring
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import Edit, RemoveWiring, SetWiring
from wattigram.core.predict.pins import surroundings_of
from wattigram.core.predict.timing import OtherEnd, other_end
from wattigram.desktop.inspector.bench import choice_fields, figure_fields, with_boards
from wattigram.desktop.inspector.panel_model import Fact, Field

NOTHING = "nothing"
ENDS = {"a board that sends values": SerialSource, BoardSource.title: BoardSource}
PREFIX = "bench: "
"""Of fields that belong to the wire, and not to the design."""


def line_fields(workspace: Workspace, uart: str) -> list[Field]:
    """What is wired to the receive pin of a serial port, every figure of it to be edited."""
    group = workspace.part.uart(uart)
    pin = group.receive_pins.get(uart) if group is not None else None
    if pin is None:
        return []
    wiring = workspace.project.wired(pin)
    source = wiring.source if wiring is not None else None
    now = next((text for text, kind in ENDS.items() if isinstance(source, kind)), NOTHING)

    def choose(text: str) -> Edit | None:
        if text == now:
            return None
        if text == NOTHING:
            return RemoveWiring(pin)
        around = surroundings_of(workspace)
        kind = ENDS[text]
        if kind is BoardSource:
            around = with_boards(workspace, pin, around)
        fresh = kind.fresh(around, 0.0)
        mine = workspace.project.uart(uart)
        if isinstance(fresh, SerialSource) and mine is not None:  # the two understand each other
            fresh = fresh.replaced(
                baud=mine.baud,
                data_bits=mine.data_bits,
                parity=mine.parity,
                stop_bits=mine.stop_bits,
                bits=min(fresh.bits, mine.data_bits),
            )
        return SetWiring(Wiring(pin=pin, source_resistance_ohm=0.0, source=fresh))

    fields = [Field(f"to {pin} sends", now, choose, (NOTHING, *ENDS))]
    if wiring is not None and now != NOTHING:
        fields += choice_fields(workspace, wiring)
        fields += figure_fields(wiring) if isinstance(source, SerialSource) else []
    return [replace(field, label=PREFIX + field.label) for field in fields]


def line_facts(workspace: Workspace, uart: str) -> list[Fact]:
    """How the other end is set up, where something sends."""
    other = other_end(workspace, uart)
    if other is None:
        return []
    mine = workspace.project.uart(uart)
    alike = mine is not None and (mine.data_bits, mine.parity) == (other.data_bits, other.parity)
    return [
        Fact("is sent", f"{other.baud} baud {other.frame_text}", alike),
        Fact("comes", _rate_text(other)),
    ]


def _rate_text(other: OtherEnd) -> str:
    if other.interval_s is None:
        return "when something happens"
    return f"{float(other.words_hz):.6g} words/s"
