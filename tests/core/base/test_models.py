"""Models: what they take, what they refuse with which sentence, and what they are written as."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Any, Literal

import numpy as np
import pytest
from msgspec import Meta

from wattigram.core.base.errors import FileError
from wattigram.core.base.fields import Hertz, Volts
from wattigram.core.base.model_fields import fields_of
from wattigram.core.base.models import (
    StrictModel,
    json_of,
    lean_values,
    model_of,
    model_of_json,
    plain_values,
)
from wattigram.core.base.toml_document import build
from wattigram.core.base.validation import ModelError


class Lamp(StrictModel):
    kind: Literal["lamp"] = "lamp"
    level_v: Volts
    share: Annotated[float, Meta(ge=0, le=1)] = 0.5


class Horn(StrictModel):
    kind: Literal["horn"] = "horn"
    pitch_hz: Hertz
    steps: tuple[Annotated[int, Meta(ge=1)], ...] = ()

    def __post_init__(self) -> None:
        if self.pitch_hz > 20_000:
            raise ValueError("Nobody hears that.")


class Panel(StrictModel):
    name: Annotated[str, Meta(min_length=1, max_length=5)]
    things: Annotated[tuple[Lamp | Horn, ...], Meta(min_length=1)]
    mode: Literal["day", "night"] = "day"
    limits: dict[str, Annotated[int, Meta(le=9)]] | None = None


def file_of(**changed: Any) -> dict[str, Any]:
    return {"name": "Door", "things": [{"kind": "lamp", "level": "1.5 V"}], **changed}


def test_a_file_has_keys_without_units_and_quantities_with_them() -> None:
    panel = model_of(Panel, file_of())
    assert panel.things == (Lamp(level_v=1.5),)
    assert panel.things[0].kind == "lamp"
    assert plain_values(panel) == {
        "name": "Door",
        "things": [{"kind": "lamp", "level": "1.5 V", "share": 0.5}],
        "mode": "day",
    }
    assert lean_values(panel) == file_of()
    assert plain_values(panel, with_none=True)["limits"] is None
    assert model_of(Panel, plain_values(panel)) == panel
    assert model_of_json(Panel, json_of(panel)) == panel


def test_code_gives_numbers_in_the_unit_of_the_name() -> None:
    assert Horn(pitch_hz=440).pitch_hz == Fraction(440)
    assert Horn(pitch_hz="2 kHz").pitch_hz == 2000
    lamp = Lamp(level_v=Fraction(1, 4), share=np.float32(0.25))
    assert (lamp.level_v, type(lamp.share)) == (0.25, float)
    assert Horn(pitch_hz=1, steps=[np.int64(3)]).steps == (3,)
    with pytest.raises(ModelError, match="has no unit"):
        model_of(Lamp, {"level": 1.5})


@pytest.mark.parametrize(
    ("changed", "sentence"),
    [
        ({"name": "Door of the kiln"}, "name: It must be a text of 1 to 5 characters. (found"),
        ({"things": []}, "things: It must have at least one item."),
        ({"things": [3]}, "things[1]: It must be a table. (found 3)"),
        ({"things": [{"level": "1 V"}]}, "things[1].kind: missing. Add it."),
        (
            {"things": [{"kind": "bell"}]},
            "things[1].kind: It must be one of “lamp”, “horn”. (found 'bell')",
        ),
        ({"things": [{"kind": "lamp"}]}, "things[1].level: missing. Add it."),
        (
            {"things": [{"kind": "lamp", "level": "1 V", "shar": 1}]},
            "things[1].shar: unknown key. Did you mean “share”?",
        ),
        ({"things": [{"kind": "lamp", "level": "1 A"}]}, "things[1].level: “1 A”"),
        (
            {"things": [{"kind": "lamp", "level": "1 V", "share": 1.5}]},
            "things[1].share: It must be a number from 0 to 1. (found 1.5)",
        ),
        (
            {"things": [{"kind": "horn", "pitch": "30 kHz"}]},
            "things[1]: Nobody hears that.",
        ),
        (
            {"things": [{"kind": "horn", "pitch": "3 kHz", "steps": [1, 0]}]},
            "things[1].steps[2]: It must be a whole number of at least 1. (found 0)",
        ),
        ({"mode": "noon"}, "mode: It must be one of “day”, “night”. (found 'noon')"),
        (
            {"limits": {"a": 1, "b": 10}},
            "limits.b: It must be a whole number of at most 9. (found 10)",
        ),
        ({"limits": {"a": True}}, "limits.a: It must be a whole number of at most 9. (found True)"),
    ],
)
def test_a_fault_is_a_sentence_with_its_place(changed: dict[str, Any], sentence: str) -> None:
    with pytest.raises(FileError) as fault:
        build(Panel, file_of(**changed), "panel.toml", FileError)
    assert len(fault.value.faults) == 1
    assert fault.value.faults[0].startswith(sentence)
    assert str(fault.value).startswith("panel.toml: ")


def test_all_faults_are_told_at_once() -> None:
    wrong = file_of(name="", mode=3, things=[{"kind": "lamp", "level": 1}, {"kind": "horn"}], x=1)
    with pytest.raises(FileError) as fault:
        build(Panel, wrong, "panel.toml", FileError)
    places = [sentence.split(":")[0] for sentence in fault.value.faults]
    assert places == ["name", "things[1].level", "things[2].pitch", "mode", "x"]
    assert fault.value.message.endswith("(and 4 more)")


def test_a_rule_of_a_model_is_told_by_who_makes_it() -> None:
    with pytest.raises(ModelError) as fault:
        Horn(pitch_hz=30_000)
    assert fault.value.first.kind == "rule"
    assert str(fault.value) == "Nobody hears that."


def test_what_is_no_json_is_told() -> None:
    for text in ("", "[", '{"name": NaN}'):
        with pytest.raises(ModelError, match="no JSON"):
            model_of_json(Panel, text)
    with pytest.raises(ModelError, match="must be a table"):
        model_of_json(Panel, "[]")


def test_fields_are_known_with_their_kind() -> None:
    assert [(item.name, item.key) for item in fields_of(Horn)] == [
        ("kind", "kind"),
        ("pitch_hz", "pitch"),
        ("steps", "steps"),
    ]
    assert fields_of(Horn)[0].default == "horn"
    assert Lamp(level_v=1.0).unchecked(share=0.1).share == 0.1
