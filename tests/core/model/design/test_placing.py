from __future__ import annotations

import pytest

from tests.paths import EXAMPLES
from wattigram.core.advise.comparison import consequences
from wattigram.core.base.errors import EditError
from wattigram.core.model.bench import PairedSource
from wattigram.core.model.design import EdgeTrigger, Signal, Workspace, open_workspace
from wattigram.core.model.design.clipboard import clip_chain, clip_signals, paste
from wattigram.core.model.design.edits import (
    AddSignal,
    SetPin,
    SetReaction,
    SetTrigger,
    SwapPins,
    apply_edit,
)
from wattigram.core.model.design.pin_assignment import (
    all_inputs,
    input_options,
    move_signal,
    other_uses,
    pins_in_use,
)
from wattigram.core.model.design.templates import empty_workspace


@pytest.fixture(scope="module")
def safety() -> Workspace:
    return open_workspace(EXAMPLES / "kiln-safety")


def test_inputs_are_pins_pairs_and_what_is_inside(safety: Workspace) -> None:
    found = all_inputs(safety)
    assert ("A0", None) in found
    assert ("A0", "A1") in found
    assert ("temperature", None) in found
    assert ("D5", None) not in found
    assert len(found) == 15 + 2 + 3


def test_an_option_tells_channel_company_and_other_uses(safety: Workspace) -> None:
    options = {
        option.label: option
        for option in input_options(safety, safety.project.signal("Door latch"))
    }
    assert options["A4"].is_current
    assert options["A2"].signals == ("Upper zone",)
    assert options["A0−A1"].signals == ("Coil current",)
    assert options["A0"].signals == ("Coil current",)
    assert options["B5"].channels == (("ADC 1", 13),)
    assert options["temperature"].signals == ()


def test_other_uses_are_outputs_triggers_and_pins_set_by_windows(
    kiln: Workspace, safety: Workspace
) -> None:
    assert other_uses(kiln, "A5") == ("DAC 1",)
    assert other_uses(safety, "D5") == ("set by reaction too hot sets D5",)
    edge = apply_edit(kiln, SetTrigger("ADC 1", EdgeTrigger(pin="B7")))
    assert other_uses(edge, "B7") == ("ADC 1's trigger",)


def test_a_move_takes_its_wiring_and_its_followers_along(kiln: Workspace) -> None:
    edit = move_signal(kiln, kiln.project.signal("Upper zone"), "B6")
    after = apply_edit(kiln, edit).project
    assert after.signal("Upper zone").pin == "B6"
    assert after.wired("A3") is None
    follower = after.wired("B1")
    assert follower is not None
    assert isinstance(follower.source, PairedSource)
    assert follower.source.pin == "B6"


def test_a_move_to_a_taken_pin_is_an_exchange(kiln: Workspace) -> None:
    edit = move_signal(kiln, kiln.project.signal("Upper zone"), "A2")
    assert edit == SwapPins("Upper zone", "Coil current")


def test_a_move_leaves_wiring_that_somebody_else_needs(kiln: Workspace) -> None:
    shared = apply_edit(kiln, AddSignal(Signal(name="Second look", pin="A3")))
    assert move_signal(shared, shared.project.signal("Second look"), "B6") == SetPin(
        "Second look", "B6"
    )


def test_consequences_are_told_before_the_move(kiln: Workspace) -> None:
    found = consequences(kiln, SetPin("Door latch", "B9"))
    assert any(one.kind == "comes" and "which is no input of ADC 1" in one.text for one in found)
    assert any(one.kind == "goes" and "47 kΩ needs 6.95 µs" in one.text for one in found)
    assert any(one.kind == "changes" and one.text == "Door latch, pin: A4 → B9" for one in found)
    refused = consequences(kiln, SetPin("Door latch", "Z9"))
    assert [one.kind for one in refused] == ["refused"]


def test_a_clip_is_pasted_under_fresh_names_on_free_pins(kiln: Workspace) -> None:
    text = clip_signals(kiln, ("Upper zone", "Upper zone, twin"))
    after = apply_edit(kiln, paste(kiln, text)).project
    assert after.signal("Upper zone, twin 2").partner == "Upper zone 2"
    assert len({signal.pin for signal in after.signals}) == len(after.signals)
    assert after.chain_of("Upper zone 2") is not None


def test_a_clip_without_its_partner_forgets_it(kiln: Workspace) -> None:
    after = apply_edit(kiln, paste(kiln, clip_signals(kiln, ("Upper zone, twin",)))).project
    assert after.signal("Upper zone, twin 2").redundant_pair is None


@pytest.mark.parametrize("part", ["marten-m3", "osprey-x2", "quill-q8"])
def test_a_chain_is_pasted_on_every_part(kiln: Workspace, part: str) -> None:
    empty = empty_workspace(part)
    chain = kiln.project.chains[0]
    after = apply_edit(empty, paste(empty, clip_chain(kiln, chain))).project
    assert [slot.signal for slot in after.chains[0].slots] == [slot.signal for slot in chain.slots]
    assert len(after.bench) == 4


def test_a_follower_is_pasted_with_a_trigger_of_its_own(kiln: Workspace) -> None:
    empty = empty_workspace("marten-m3")
    after = apply_edit(empty, paste(empty, clip_chain(kiln, kiln.project.chains[1]))).project
    assert after.chains[0].trigger.kind == "timer"


@pytest.mark.parametrize("text", ["", "a shopping list", 'format = "wattigram-part"', "x = ["])
def test_other_text_is_no_clip(kiln: Workspace, text: str) -> None:
    with pytest.raises(EditError, match="holds no signals"):
        paste(kiln, text)


def test_a_full_part_takes_no_more(safety: Workspace) -> None:
    crowded, clip = safety, clip_signals(safety, ("Door latch",))
    while len(crowded.project.signals) < 15:
        crowded = apply_edit(crowded, paste(crowded, clip))
    with pytest.raises(EditError, match="Every analog pin carries a signal already"):
        paste(crowded, clip)


def test_only_what_takes_a_level_needs_something_that_holds_its_pin() -> None:
    """A lamp is set, whatever the reaction that sets it is called."""
    lamp = open_workspace(EXAMPLES / "kiln-lamp")
    alive = next(one for one in lamp.project.reactions if one.name == "Alive")
    named = alive.replaced(name="When looked at, like the reference")
    workspace = apply_edit(lamp, SetReaction("Alive", named))
    (use,) = (one for one in pins_in_use(workspace) if any(named.name in it for it in one.uses))
    assert not use.is_needed
