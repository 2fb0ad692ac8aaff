"""What the inspector says and edits, without a window."""

from __future__ import annotations

from fractions import Fraction

import pytest

from tests.conftest import edited
from wattigram.core.base.errors import QuantityError
from wattigram.core.model.bench import (
    DcSource,
    FloatingInput,
    PairedSource,
    SineSource,
    SquareSource,
    TriangleSource,
    Wiring,
)
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import (
    AddSignal,
    RemoveWiring,
    SetBufferLength,
    SetPeriod,
    SetSampling,
    SetWiring,
    apply_edit,
)
from wattigram.core.model.design.project import Signal
from wattigram.desktop.inspector import Panel, panel_for
from wattigram.desktop.state.selection import FACETS, Selection, default_selection


def selections(workspace: Workspace) -> list[Selection]:
    """Everything that can be selected."""
    found = [Selection()]
    for chain in workspace.project.chains:
        found.append(Selection(chain.converter))
        for place, slot in enumerate(chain.slots):
            found += [Selection(chain.converter, place, slot.signal, facet) for facet in FACETS]
    for signal in workspace.project.signals:
        if workspace.project.chain_of(signal.name) is None:
            found += [Selection("", -1, signal.name, facet) for facet in FACETS]
    return found


def variants(kiln: Workspace) -> list[Workspace]:
    """Designs that show every panel in every form."""
    sources = [
        DcSource(voltage_v=1.0),
        SineSource(offset_v=1.0, amplitude_v=0.5, frequency_hz=Fraction(440)),
        TriangleSource(from_v=0.1, to_v=3.0, period_s=Fraction(3)),
        SquareSource(low_v=0.1, high_v=3.0, period_s=Fraction(1, 8000)),
        FloatingInput(),
        PairedSource(pin="A3"),
    ]
    wired = [
        edited(
            kiln,
            SetWiring(
                Wiring(pin="A2", source_resistance_ohm=4700.0, capacitor_f=1e-7, source=source)
            ),
        )
        for source in sources
    ]
    return [
        kiln,
        *wired,
        edited(kiln, RemoveWiring("A2")),
        edited(kiln, AddSignal(Signal(name="Loose", pin="B7"))),
        edited(
            kiln,
            SetBufferLength("ADC 1", 510),
            SetPeriod("ADC 1", Fraction(1, 44_100)),
            SetSampling("ADC 1", 0, 768),
        ),
    ]


def fact(panel: Panel, label: str) -> str:
    return next(item.value for item in panel.facts if item.label == label)


def test_entering_what_a_field_shows_changes_nothing(kiln: Workspace) -> None:
    """The law of every field: its text means its value."""
    tried = 0
    for workspace in variants(kiln):
        for selection in selections(workspace):
            for field in panel_for(workspace, selection).fields:
                if not field.text or (field.options and field.text not in field.options):
                    continue
                edit = field.make(field.text)
                if edit is None:
                    continue  # what is chosen already is not chosen anew
                if field.label in {"source", "thresholds", "stage"}:
                    continue  # choosing a kind again gives it fresh figures
                assert apply_edit(workspace, edit).project == workspace.project, (
                    selection,
                    field.label,
                    field.text,
                )
                tried += 1
    assert tried > 300


def test_what_makes_no_sense_is_refused_by_every_field(kiln: Workspace) -> None:
    for selection in selections(kiln):
        for field in panel_for(kiln, selection).fields:
            if field.options or field.slider or field.label in {"name", "note"}:
                continue
            with pytest.raises(QuantityError):
                field.make("rather a lot")


def test_every_choice_of_a_what_if_can_be_made(kiln: Workspace) -> None:
    for workspace in variants(kiln):
        for selection in selections(workspace):
            what_if = panel_for(workspace, selection).what_if
            if what_if is None:
                continue
            current = [choice for choice in what_if.choices if choice.is_current]
            assert len(current) == 1, selection
            for choice in what_if.choices:
                assert choice.tip
                assert choice.edit is not None
                after = apply_edit(workspace, choice.edit)
                again = panel_for(after, selection.valid_in(after)).what_if
                assert again is not None
                assert [other.label for other in again.choices if other.is_current] == [
                    choice.label
                ]


def test_a_slot_says_how_its_numbers_came_about(kiln: Workspace) -> None:
    panel = panel_for(kiln, Selection("ADC 1", 2, "Door latch", "sample"))
    assert fact(panel, "sampling") == "32 clk · 1.00 µs"
    assert fact(panel, "sampling instant") == "6.81250 µs"
    assert fact(panel, "settling time") == "6.95 µs"
    assert fact(panel, "full-scale step") == "1120 LSB"
    assert fact(panel, "as wired") == "740 LSB"
    assert panel.what_if is not None
    assert [choice.label for choice in panel.what_if.choices if choice.good] == ["384", "768"]
    assert panel.what_if.choices[5].value == pytest.approx(22.90, abs=0.005)


def test_a_capacitor_at_the_pin_is_part_of_the_circuit(kiln: Workspace) -> None:
    panel = panel_for(kiln, Selection("ADC 1", 3, "3.3 V rail", "sample"))
    assert fact(panel, "capacitor") == "1 µF"
    assert fact(panel, "full-scale step") == "0.359 LSB"
    assert fact(panel, "settling time").endswith(" ns")


def test_a_yoke_says_what_the_registers_hold(kiln: Workspace) -> None:
    panel = panel_for(
        edited(kiln, SetPeriod("ADC 1", Fraction(1, 7))), Selection("ADC 1", facet="start")
    )
    assert fact(panel, "timer counts") == "505 × 27157"
    assert fact(panel, "register values") == "504, 27156"
    assert fact(panel, "rate error") == "+0.0521 ppm"


def test_a_mean_says_rate_noise_and_cutoff(kiln: Workspace) -> None:
    panel = panel_for(kiln, Selection("ADC 1", 1, "Upper zone", "filter"))
    assert fact(panel, "output rate") == "625 Hz"
    assert fact(panel, "−3 dB at") == "277.3 Hz"
    assert fact(panel, "latency") == "1.60 ms"
    assert fact(panel, "accumulator width") == "16 of 32 bits"


@pytest.mark.parametrize(
    ("selection", "after"),
    [
        (
            Selection("ADC 1", 2, "Door latch", "transfer"),
            Selection("ADC 1", 2, "Door latch", "transfer"),
        ),
        (Selection("ADC 1", 0, "Door latch"), Selection("ADC 1", 2, "Door latch")),
        (Selection("ADC 9", 0, "Door latch"), Selection("ADC 1", 2, "Door latch")),
        (Selection("ADC 1", 0, "Nothing"), Selection("ADC 1", 0, "Coil current")),
        (Selection("ADC 9"), Selection("ADC 1", 0, "Coil current")),
        (Selection("ADC 2"), Selection("ADC 2")),
    ],
)
def test_a_selection_stays_valid(kiln: Workspace, selection: Selection, after: Selection) -> None:
    assert selection.valid_in(kiln) == after


def test_an_empty_project_selects_nothing(kiln: Workspace) -> None:
    empty = Workspace(kiln.project.replaced(signals=(), chains=(), expectations=()), kiln.part)
    assert default_selection(empty) == Selection()
    assert panel_for(empty, Selection()).title == "studio-kiln on Marten M3"
