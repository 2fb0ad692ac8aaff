from __future__ import annotations

import tomllib
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import edited
from tests.paths import EXAMPLE_FILES, FORMER_FILES
from wattigram.core.base.toml_layout import Layout, Origin, layout_of, matched, to_toml
from wattigram.core.model.design import Workspace, load_project, parse_project, project_text
from wattigram.core.model.design.edits import (
    MoveSlot,
    RemoveSignal,
    RenameSignal,
    SetPeriod,
)
from wattigram.core.model.design.workspace_files import workspace_from_text

TEXT = """\
# What it is for.

# A second block.
b = 0x10 # in hex
a = [
    1, # first
    2,
]
"a key" = "x # no comment" # but this is

# Before the table.
[one]
x = 1.50 # as measured
[one.two]
# inside
y = 'z'

# The first of many.
[[many]]
name = "p"
value = 1 # of p

# The second.
[[many]]
name = "q"
value = 2
# At the end.
"""


def origin(text: str) -> Origin:
    return Origin(layout_of(text), tomllib.loads(text))


def test_what_did_not_change_is_written_as_it_stood() -> None:
    written = to_toml(tomllib.loads(TEXT), origin=origin(TEXT))
    lines = [line for line in written.split("\n") if line]
    assert lines == [line for line in TEXT.split("\n") if line]


def test_a_changed_value_keeps_its_comment() -> None:
    values = tomllib.loads(TEXT)
    values["b"], values["one"]["x"] = 3, 7
    written = to_toml(values, origin=origin(TEXT))
    assert "b = 3 # in hex" in written
    assert "x = 7 # as measured" in written
    assert tomllib.loads(written) == values


def test_comments_go_with_their_tables() -> None:
    values = tomllib.loads(TEXT)
    values["many"] = [{"name": "new", "value": 5}, values["many"][1], values["many"][0]]
    written = to_toml(values, origin=origin(TEXT))
    places = [
        written.index(text) for text in ('"new"', "# The second.", '"q"', "# The first", '"p"')
    ]
    assert places == sorted(places)


def test_what_is_gone_takes_its_comment_along_and_brings_it_back() -> None:
    values = tomllib.loads(TEXT)
    kept = values["many"].pop(0)
    without = to_toml(values, origin=origin(TEXT))
    assert "# The first of many." not in without
    values["many"].insert(0, kept)
    assert "# The first of many." in to_toml(values, origin=origin(TEXT))


@pytest.mark.parametrize(
    ("items", "earlier", "places"),
    [
        ([{"name": "a"}, {"name": "b"}], [{"name": "b"}, {"name": "a"}], [1, 0]),
        ([{"name": "c", "pin": "A1"}], [{"name": "a", "pin": "A1"}], [0]),
        ([{"name": "c", "pin": "A9"}], [{"name": "a", "pin": "A1"}], [None]),
        ([{"name": "a"}, {"name": "a"}], [{"name": "a"}], [0, None]),
        ([{"signal": "a", "kind": "x"}], [{"signal": "a", "kind": "y"}, {"signal": "a"}], [0]),
        ([], [{"name": "a"}], []),
    ],
)
def test_tables_are_known_by_name_and_then_by_what_they_hold(
    items: list[dict[str, str]], earlier: list[dict[str, str]], places: list[int | None]
) -> None:
    assert matched(items, earlier) == places


@pytest.mark.parametrize(
    "path", [*EXAMPLE_FILES, *FORMER_FILES.glob("*.toml")], ids=lambda p: p.name
)
def test_every_key_of_a_file_has_a_place(path: Path) -> None:
    layout = layout_of(path.read_text())

    def paths(value: object, at: tuple[str | int, ...]) -> list[tuple[str | int, ...]]:
        if isinstance(value, dict):
            return [path for key, inner in value.items() for path in paths(inner, (*at, key))]
        if isinstance(value, list) and value and isinstance(value[0], dict):
            return [path for n, inner in enumerate(value) for path in paths(inner, (*at, n))]
        return [at]

    assert set(layout.values) == set(paths(tomllib.loads(path.read_text()), ()))


@given(
    st.recursive(
        st.integers() | st.text(max_size=8) | st.booleans() | st.floats(allow_nan=False),
        lambda inner: (
            st.dictionaries(st.text(min_size=1, max_size=5), inner, max_size=4)
            | st.lists(inner, max_size=3)
        ),
        max_leaves=12,
    ).filter(lambda value: isinstance(value, dict))
)
def test_any_values_survive_with_or_without_an_origin(values: dict[str, object]) -> None:
    text = to_toml(values)
    assert tomllib.loads(text) == values
    assert tomllib.loads(to_toml(values, origin=origin(text))) == values
    assert tomllib.loads(to_toml(values, origin=Origin(Layout(), {}))) == values


COMMENTED = {
    "# What the kiln draws.": '[[signals]]\nname = "Coil current"',
    "# Checked on the bench in May.": 'reference = "supply"',
    "# As the firmware has it.": "[chains.trigger]",
}


@pytest.fixture
def commented(kiln_path: Path) -> Workspace:
    text = kiln_path.read_text()
    for comment, line in COMMENTED.items():
        assert line in text
        text = text.replace(line, f"{comment}\n{line}", 1)
    text = text.replace("divider = 3", "divider = 3 # not 2: too fast", 1)
    return workspace_from_text(text, "x")


def test_edits_keep_each_comment_at_its_table(commented: Workspace) -> None:
    changed = edited(
        commented,
        RenameSignal("Coil current", "Heater current"),
        MoveSlot("ADC 1", 0, 2),
        SetPeriod("ADC 1", Fraction(1, 5000)),
    )
    text = project_text(changed.project)
    assert '# What the kiln draws.\n[[signals]]\nname = "Heater current"' in text
    assert "# Checked on the bench in May.\nreference" in text
    assert "# As the firmware has it.\n[chains.trigger]" in text
    assert "divider = 3 # not 2: too fast" in text
    assert parse_project(text, "x") == changed.project


def test_a_removed_signal_comes_back_with_its_comment(commented: Workspace) -> None:
    less = edited(commented, RemoveSignal("Coil current"))
    assert "# What the kiln draws." not in project_text(less.project)
    assert "# What the kiln draws." in project_text(commented.project)


def test_a_default_that_was_said_stays_said(kiln_path: Path) -> None:
    text, said = kiln_path.read_text(), 'alignment = "right"'
    more = text.replace("bits = 12\n\n", f"bits = 12\n{said}\n\n", 1)
    assert project_text(load_project(kiln_path)).count(said) == 1
    assert project_text(parse_project(more, "x")).count(said) == 2
