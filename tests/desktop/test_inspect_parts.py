"""Panels of every example: each field means what it shows, each choice can be made."""

from __future__ import annotations

import pytest

from tests.conftest import edited
from tests.paths import EXAMPLES
from wattigram.core.base.errors import EditError, QuantityError
from wattigram.core.model.design import (
    Comparator,
    ComparatorTrigger,
    ConstantLevel,
    EdgeTrigger,
    Fifo,
    FreeRunningTrigger,
    Generator,
    Interrupt,
    LowPassFilter,
    MovingAverage,
    Polling,
    RedundantPair,
    SoftwareTrigger,
    SumFilter,
    Threshold,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import (
    AddThreshold,
    Edit,
    SetClock,
    SetComparator,
    SetFilter,
    SetRedundantPair,
    SetReference,
    SetRetrieval,
    SetTrigger,
    apply_edit,
)
from wattigram.desktop.inspector import Panel, panel_for
from wattigram.desktop.state.selection import FACETS, Selection

MORE = ("read as", "thresholds:2", "thresholds:3", "redundant pair", "comparator")
VARIANTS: list[tuple[str, tuple[Edit, ...]]] = [
    ("studio-kiln", ()),
    ("kiln-safety", ()),
    ("wheel-pedal", ()),
    ("flame-watch", ()),
    (
        "studio-kiln",
        (SetTrigger("ADC 1", SoftwareTrigger()), SetRetrieval("ADC 1", Polling(timeout_s="1 ms"))),
    ),
    (
        "studio-kiln",
        (SetTrigger("ADC 1", EdgeTrigger(pin="A4")), SetRetrieval("ADC 1", Interrupt())),
    ),
    (
        "kiln-safety",
        (SetTrigger("ADC 1", FreeRunningTrigger()), SetRetrieval("ADC 1", Fifo(watermark=4))),
    ),
    (
        "kiln-safety",
        (
            SetFilter("Upper zone", SumFilter(count=32, done_in="hardware")),
            SetRedundantPair("Door latch", RedundantPair(paired_with="Upper zone")),
        ),
    ),
    (
        "studio-kiln",
        (
            SetComparator(Comparator(name="Comparator 1", signal="Upper zone", threshold_v=1.5)),
            SetTrigger("ADC 1", ComparatorTrigger(comparator="Comparator 1")),
        ),
    ),
    (
        "studio-kiln",
        (
            SetFilter("Door latch", LowPassFilter(shift=5)),
            SetFilter("Coil current", MovingAverage(count=8, shift=3)),
        ),
    ),
    (
        "studio-kiln",
        (
            AddThreshold(
                "Upper zone",
                Threshold(low="0x100", high="900 LSB", action="stop", rearm_after_s="1 s"),
            ),
            AddThreshold("Upper zone", Threshold(low=-0.1, high=0.1, minus_v=1.2)),
        ),
    ),
    ("wheel-pedal", (SetClock("ADC", "internal", 2),)),
]


def selections(workspace: Workspace) -> list[Selection]:
    found = [Selection(facet="project")]
    for chain in workspace.project.chains:
        found += [
            Selection(chain.converter, facet=facet) for facet in ("clock", "start", "start-up")
        ]
        for place, slot in enumerate(chain.slots):
            found += [
                Selection(chain.converter, place, slot.signal, facet) for facet in (*FACETS, *MORE)
            ]
    return found


def made(name: str, edits: tuple[Edit, ...]) -> Workspace:
    return edited(open_workspace(EXAMPLES / name), *edits)


@pytest.mark.parametrize(
    ("name", "edits"), VARIANTS, ids=[f"{name} {n}" for n, (name, _) in enumerate(VARIANTS)]
)
def test_entering_what_a_field_shows_changes_nothing(name: str, edits: tuple[Edit, ...]) -> None:
    workspace = made(name, edits)
    tried = 0
    for selection in selections(workspace):
        panel = panel_for(workspace, selection)
        assert panel.title
        for field in panel.fields:
            if (
                not field.text
                or (field.options and field.text not in field.options)
                or field.label == "source"
            ):
                continue
            edit = field.make(field.text)
            tried += 1
            if edit is not None:
                after = apply_edit(workspace, edit).project
                assert after == workspace.project or field.label == "endianness", (
                    selection,
                    field.label,
                    field.text,
                )
    assert tried > 20


@pytest.mark.parametrize(
    ("name", "edits"), VARIANTS, ids=[f"{name} {n}" for n, (name, _) in enumerate(VARIANTS)]
)
def test_every_choice_of_every_field_can_be_made_or_is_refused_with_advice(
    name: str, edits: tuple[Edit, ...]
) -> None:
    workspace = made(name, edits)
    outcomes = {"made": 0, "refused": 0}
    for selection in selections(workspace):
        for field in panel_for(workspace, selection).fields:
            for option in field.options:
                try:
                    edit = field.make(option)
                    if edit is not None:
                        after = apply_edit(workspace, edit)
                        panel_for(after, selection.valid_in(after))
                        outcomes["made"] += 1
                except (EditError, QuantityError) as fault:
                    assert len(str(fault)) > 20
                    outcomes["refused"] += 1
    assert outcomes["made"] > 5 * outcomes["refused"]


def of(workspace: Workspace, selection: Selection) -> tuple[Panel, dict[str, str]]:
    panel = panel_for(workspace, selection)
    return panel, {fact.label: fact.value for fact in panel.facts}


def test_a_clock_choice_tells_what_it_does_to_every_slot(kiln: Workspace) -> None:
    panel, facts = of(kiln, Selection("ADC 1", facet="clock"))
    assert facts["converter clock"] == "32 MHz"
    assert panel.what_if is not None
    four = next(choice for choice in panel.what_if.choices if choice.label == "4")
    assert "3 Door latch: sampling instant 9.083 µs" in four.tip
    assert panel.fields[0].options[0] == "÷ 3"


def test_a_stage_is_drawn_with_all_its_like_before_it_is_chosen(kiln: Workspace) -> None:
    panel, facts = of(kiln, Selection("ADC 1", 1, "Upper zone", "filter"))
    assert panel.curves is not None
    assert [course.label for course in panel.curves.courses if course.is_current] == ["16"]
    assert len(panel.curves.courses) == 8
    assert panel.what_if is not None
    assert "−3 dB at 277.3 Hz, latency 1.6 ms, 16 bits" in next(
        c.tip for c in panel.what_if.choices if c.is_current
    )
    assert facts["accumulator width"] == "16 of 32 bits"
    empty, _facts = of(kiln, Selection("ADC 1", 2, "Door latch", "filter"))
    assert empty.curves is not None
    assert not any(course.is_current for course in empty.curves.courses)


def test_fetching_says_load_deadline_and_losses() -> None:
    pedal = open_workspace(EXAMPLES / "wheel-pedal")
    _panel, facts = of(pedal, Selection("ADC", 0, "Pedal", "transfer"))
    assert facts["ISR rate"] == "1 kHz"
    assert facts["ISR"].startswith("166 clk")
    assert facts["lost"] == "none"


def test_a_twin_says_what_it_differs_by() -> None:
    safety = open_workspace(EXAMPLES / "kiln-safety")
    _panel, facts = of(safety, Selection("ADC 2", 0, "Upper zone, twin", "redundant pair"))
    assert facts["offset"] == "0.6 mV"
    assert facts["skew"].startswith("0 s")
    assert facts["worst difference"] == "4.7 mV" or facts["worst difference"].endswith("mV")


def test_start_up_lists_steps_with_their_reasons() -> None:
    safety = open_workspace(EXAMPLES / "kiln-safety")
    panel, facts = of(safety, Selection("ADC 1", facet="start-up"))
    assert panel.ordered is not None
    assert [line.name for line in panel.ordered.lines] == [
        "calibrate",
        "memory",
        "interrupt",
        "window",
        "converter",
        "trigger",
    ]
    assert "one that nobody fetches stops all requests" in panel.ordered.lines[1].text
    assert facts == {"order": "right", "samples arrive": "yes"}


def test_what_the_board_s_references_are_is_stated_in_the_project(kiln: Workspace) -> None:
    """A measured voltage, or a tolerance; nothing takes it back to what the part says."""
    chosen = Selection(facet="project")
    fields = {field.label: field for field in panel_for(kiln, chosen).fields}
    assert (fields["supply is"].text, fields["supply within"].text) == ("3.3 V", "")
    edit = fields["supply is"].make("3.287 V")
    assert edit is not None
    other = edited(kiln, edit)
    fields = {field.label: field for field in panel_for(other, chosen).fields}
    assert fields["supply is"].text == "3.287 V"
    edit = fields["supply within"].make("0.2 %")
    assert edit is not None
    loose = edited(other, edit)
    (own,) = loose.project.references
    assert (own.voltage_v, own.tolerance) == (3.287, 0.002)
    fields = {field.label: field for field in panel_for(loose, chosen).fields}
    for label in ("supply is", "supply within"):
        edit = {one.label: one for one in panel_for(loose, chosen).fields}[label].make("")
        assert edit is not None
        loose = edited(loose, edit)
    assert loose.project == kiln.project
    internal = edited(kiln, SetReference("internal"))
    labels = [field.label for field in panel_for(internal, chosen).fields]
    assert {"internal is", "internal within", "supply is"} <= set(labels)


def test_a_dac_that_can_choose_has_a_reference_field(kiln: Workspace) -> None:
    dac = kiln.part.dacs[0]
    part = kiln.part.replaced(
        dacs=(dac.replaced(references=("supply", "internal")), *kiln.part.dacs[1:])
    )
    level = Generator(name="Level", dac=dac.name, output=ConstantLevel(voltage_v=1.0))
    workspace = Workspace(kiln.project.replaced(generators=(level,)), part)
    chosen = Selection(section="generators", output="Level")
    field = next(one for one in panel_for(workspace, chosen).fields if one.label == "reference")
    assert (field.text, field.options) == ("supply", ("supply", "internal"))
    edit = field.make("internal")
    assert edit is not None
    other = edited(workspace, edit)
    swing = next(one for one in panel_for(other, chosen).facts if one.label == "output swing")
    assert swing.value.endswith("1.200 V")
    assert not [one for one in panel_for(kiln, chosen).fields if one.label == "reference is"]
