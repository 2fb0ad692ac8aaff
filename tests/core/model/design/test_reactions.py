"""Reactions in a project: their file, their words, and what becomes of them in edits."""

from __future__ import annotations

import pytest

from tests.conftest import edited
from tests.paths import EXAMPLES
from wattigram.core.base.errors import EditError, ProjectError
from wattigram.core.base.validation import ModelError
from wattigram.core.model.design import (
    BarAction,
    PeriodElapsed,
    PinAction,
    Project,
    Reaction,
    ReactionExpectation,
    TextAction,
    TextValue,
    ThresholdCrossed,
    build_id,
    open_workspace,
    parse_project,
    program_outputs,
    project_text,
    start_levels,
    text_pieces,
)
from wattigram.core.model.design.clipboard import (
    clip_reactions,
    clip_signals,
    paste,
    paste_reactions,
)
from wattigram.core.model.design.edits import (
    AddExpectation,
    AddThreshold,
    RemoveChain,
    RemoveOutput,
    RemoveSignal,
    RenameSignal,
    SetPwm,
    SetReaction,
    SetThreshold,
    apply_edit,
)
from wattigram.core.model.design.stage import Threshold

LAMP = open_workspace(EXAMPLES / "kiln-lamp")
EVERY = PeriodElapsed(period_s="1 s")


def project_of(*reactions: str) -> str:
    """A project's text with other reactions."""
    text = project_text(LAMP.project.replaced(reactions=(), expectations=()))
    return text + "\n".join(reactions)


def toml(when: str, do: str, name: str = "R") -> str:
    lines = "\n".join
    return f'[[reactions]]\nname = "{name}"\n[reactions.when]\n{lines(when.split("; "))}\n[reactions.do]\n{lines(do.split("; "))}\n'


@pytest.mark.parametrize(
    ("when", "do", "words"),
    [
        ('kind = "threshold"; signal = "Nothing"', 'kind = "pin"; pin = "B4"', "is not there"),
        ('kind = "threshold"; signal = "Upper zone"; threshold = 3', 'kind = "pin"; pin = "B4"', "has 1"),
        ('kind = "redundant-pair"; signal = "Upper zone"', 'kind = "pin"; pin = "B4"', "no twin"),
        ('kind = "comparator"; comparator = "Comparator 1"', 'kind = "pin"; pin = "B4"', "not there"),
        ('kind = "results"; converter = "ADC 2"', 'kind = "pin"; pin = "B4"', "not there"),
        ('kind = "period"; period = "0 s"', 'kind = "pin"; pin = "B4"', "above 0 s"),
        ('kind = "start"', 'kind = "pin"; pin = "B4"; level = "follows"', "follows a condition"),
        ('kind = "threshold"; signal = "Upper zone"', 'kind = "pin"; pin = "B4"; level = "follows"', "both"),
        ('kind = "start"', 'kind = "text"; uart = "UART 2"; text = "x"', "UART 2"),
        ('kind = "start"', 'kind = "text"; uart = "UART 1"; text = "{Nothing}"', "Nothing"),
        ('kind = "start"', 'kind = "text"; uart = "UART 1"; text = "{Upper zone"', "not closed"),
        ('kind = "start"', 'kind = "text"; uart = "UART 1"; text = "Upper}"', "not opened"),
        ('kind = "start"', 'kind = "text"; uart = "UART 1"; text = "{Upper zone:A}"', "no form"),
        ('kind = "start"', 'kind = "call"; function = "wg_run"', "taken by generated"),
        ('kind = "start"', 'kind = "call"; function = "a b"', "C name"),
        ('kind = "start"', 'kind = "bar"; pins = ["B0", "B0"]; signal = "Door latch"; from = "0 V"; to = "1 V"', "twice"),
        ('kind = "start"', 'kind = "bar"; pins = ["B0", "B1"]; signal = "Door latch"; from = "1 V"; to = "1 V"', "different"),
        ('kind = "start"', 'kind = "duty"; pwm = "Pump"; signal = "Door latch"; from = "0 V"; to = "1 V"', "Pump"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_told_in_a_sentence(when: str, do: str, words: str) -> None:
    with pytest.raises(ProjectError) as caught:
        parse_project(project_of(toml(when, do)), "x")
    assert any(words in fault for fault in (str(caught.value), *caught.value.faults))


def test_a_pin_starts_at_one_level_only() -> None:
    first = Reaction(name="a", when=EVERY, do=PinAction(pin="B4", level="toggle"))
    second = Reaction(name="b", when=EVERY, do=PinAction(pin="B4", starts_high=True))
    with pytest.raises(ModelError, match="other level"):
        LAMP.project.replaced(reactions=(first, second), expectations=())


def test_at_most_eight_outputs_are_moved() -> None:
    many = tuple(
        Reaction(name=f"r{number}", when=EVERY, do=PinAction(pin=f"B{number}"))
        for number in range(9)
    )
    with pytest.raises(ModelError, match="more than 8"):
        LAMP.project.replaced(reactions=many, expectations=())


def test_text_is_cut_into_what_stands_and_what_is_a_value() -> None:
    assert list(text_pieces("a {{b}} {Zone, upper:raw mV}: {x}")) == [
        "a {b} ",
        TextValue("Zone, upper", "raw", "mV"),
        ": ",
        TextValue("x", "filtered", "V"),
    ]
    assert list(text_pieces('{{"t": {x:V}}}')) == ['{"t": ', TextValue("x", "filtered", "V"), "}"]
    assert list(text_pieces("{a {{b}}:mV}")) == [TextValue("a {b}", "filtered", "mV")]


@pytest.mark.parametrize("text", ["a {x:V} {y", "a {x:V} y}", "a {x:V} {y:kV}", "{a {{b}:V}"])
def test_a_fault_late_in_a_text_is_told_where_it_is_written(text: str) -> None:
    with pytest.raises(ModelError, match=r"brace|form"):
        TextAction(uart="UART 1", text=text)


def test_outputs_are_numbered_once_each_and_pins_have_a_level_at_the_start() -> None:
    titles = [output.title for output in program_outputs(LAMP.project.reactions)]
    assert titles == ["B4", "UART 1", "duty of Fan", "B0 B1 B2 B3", "B6", "B7"]
    levels = start_levels(LAMP.project.reactions)
    assert levels["B6"]
    assert not levels["B4"]
    assert set(levels) == {"B0", "B1", "B2", "B3", "B4", "B6", "B7"}


def test_a_renamed_signal_is_renamed_in_reactions_and_their_text() -> None:
    after = edited(LAMP, RenameSignal("Upper zone", "Hot spot"))
    line = after.project.reaction("Hot line")
    assert line is not None
    assert isinstance(line.do, TextAction)
    assert line.do.text == "hot {Hot spot:V} V, code {Hot spot:code}\r\n"
    assert line.readings == (("Hot spot", "filtered"),)
    assert parse_project(project_text(after.project), "again") == after.project


def test_reactions_go_with_what_they_cannot_be_without() -> None:
    without = edited(LAMP, RemoveSignal("Upper zone")).project
    assert [reaction.name for reaction in without.reactions] == ["Door lamp", "Alive"]
    assert {item.signal for item in without.expectations} == {"Door lamp", "Alive"}
    gone = edited(LAMP, SetThreshold("Upper zone", 0, None)).project
    assert [reaction.name for reaction in gone.reactions] == [
        "Fan follows", "Heat bar", "Door lamp", "Alive",
    ]  # fmt: skip
    idle = edited(LAMP, RemoveChain("ADC 1")).project
    assert idle.reaction("Fan follows") is None


def test_reactions_to_later_thresholds_count_on() -> None:
    zone = LAMP.project.signal("Upper zone").thresholds[0]
    two = edited(LAMP, AddThreshold("Upper zone", Threshold(low=0.2, high=2.0)))
    second = Reaction(
        name="Second",
        when=ThresholdCrossed(signal="Upper zone", threshold=2),
        do=PinAction(pin="B9"),
    )
    three = edited(two, SetReaction("Second", second))
    after = edited(three, SetThreshold("Upper zone", 0, None)).project
    moved = after.reaction("Second")
    assert moved is not None
    assert moved.when == ThresholdCrossed(signal="Upper zone", threshold=1)
    assert after.signal("Upper zone").thresholds[0] != zone


def test_expectations_follow_a_new_name_and_go_with_the_reaction() -> None:
    alive = LAMP.project.reaction("Alive")
    assert alive is not None
    named = edited(LAMP, SetReaction("Alive", alive.replaced(name="Heart"))).project
    assert ReactionExpectation(signal="Heart", within_s="20 us") in named.expectations
    gone = edited(LAMP, RemoveOutput("reactions", "Alive")).project
    assert all(item.signal != "Alive" for item in gone.expectations)


def test_a_reaction_may_have_the_name_of_a_signal() -> None:
    alive = LAMP.project.reaction("Alive")
    assert alive is not None
    both = edited(LAMP, SetReaction("Alive", alive.replaced(name="Door latch")))
    renamed = edited(both, RenameSignal("Door latch", "Door")).project
    assert ReactionExpectation(signal="Door latch", within_s="20 us") in renamed.expectations
    added = edited(both, AddExpectation(ReactionExpectation(signal="Door latch", within_s="1 s")))
    assert len(added.project.expectations) == len(both.project.expectations) + 1


def test_a_pwm_output_takes_its_reactions_along() -> None:
    fan = LAMP.project.pwm[0]
    after = edited(LAMP, SetPwm("Fan", fan.replaced(name="Blower"))).project
    follows = after.reaction("Fan follows")
    assert follows is not None
    assert getattr(follows.do, "pwm", "") == "Blower"
    with pytest.raises(EditError, match="Fan"):
        edited(LAMP, RemoveOutput("pwm", "Fan"))


def test_a_copied_signal_brings_the_pins_that_follow_it() -> None:
    after = apply_edit(LAMP, paste(LAMP, clip_signals(LAMP, ("Door latch",)))).project
    copied = after.reaction("Door lamp 2")
    assert copied is not None
    assert isinstance(copied.do, PinAction)
    assert copied.do.pin not in start_levels(LAMP.project.reactions)
    assert getattr(copied.when, "signal", "") == "Door latch 2"


def test_reactions_are_copied_by_themselves() -> None:
    text = clip_reactions(LAMP, ("Heat bar", "Alive"))
    after = apply_edit(LAMP, paste_reactions(LAMP, text)).project
    assert after.reaction("Heat bar 2") is not None
    assert isinstance(after.reaction("Heat bar 2").do, BarAction)  # type: ignore[union-attr]
    kiln = open_workspace(EXAMPLES / "wheel-pedal")
    with pytest.raises(EditError):
        paste_reactions(kiln, text)
    with pytest.raises(EditError, match="holds no reaction"):
        paste_reactions(LAMP, clip_signals(LAMP, ("Door latch",)))


def test_the_build_id_changes_with_what_the_program_does() -> None:
    mark = build_id(LAMP.project)
    alive = LAMP.project.reaction("Alive")
    assert alive is not None
    other = alive.replaced(when=PeriodElapsed(period_s="300 ms"))
    assert edited(LAMP, SetReaction("Alive", other)).build_id != mark
    assert build_id(LAMP.project.replaced(expectations=())) == mark


def test_a_project_of_version_5_has_reactions_instead() -> None:
    text = """
format = "wattigram-project"
version = 5
name = "old"
part = "marten-m3"
reference = "supply"
[[signals]]
name = "Zone {a}"
pin = "A3"
[[signals.thresholds]]
low = "1 V"
high = "2 V"
action = "pin"
pin = "B4"
[[signals.thresholds]]
low = "1 V"
high = "2 V"
pin = "B5"
[[uarts]]
name = "UART 1"
[uarts.text_output]
signal = "Zone {a}"
period = "20 ms"
"""
    braced = parse_project(text, "x")
    assert braced.reactions[0].readings == (("Zone {a}", "raw"),)
    assert parse_project(project_text(braced), "again") == braced
    with pytest.raises(ProjectError, match="brace"):
        parse_project(text.replace("Zone {a}", "Zone }"), "x")  # which no text can say
    project = parse_project(text.replace("Zone {a}", "Zone"), "x")
    line, pin = project.reactions
    assert isinstance(line.do, TextAction)
    assert (line.name, line.do.text) == ("Zone over UART 1", "Zone {Zone:raw V} V\r\n")
    assert (pin.name, pin.do) == ("Zone sets B4", PinAction(pin="B4", level="follows"))
    assert pin.when == ThresholdCrossed(signal="Zone", change="both")
    assert parse_project(project_text(project), "again") == project


def test_a_design_without_reactions_keeps_its_text() -> None:
    plain: Project = open_workspace(EXAMPLES / "studio-kiln").project
    assert "reactions" not in project_text(plain)
