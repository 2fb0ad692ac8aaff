from __future__ import annotations

import tomllib
from pathlib import Path

import pytest

from tests.paths import EXAMPLE_FILES, FORMER_FILES
from wattigram.core.base.errors import ProjectError
from wattigram.core.base.model_fields import fields_of
from wattigram.core.base.models import StrictModel, plain_values
from wattigram.core.model.design import build_id, load_project, parse_project, project_text
from wattigram.core.model.design.former_program import in_former_program
from wattigram.core.model.design.former_words import (
    FORMER,
    former_value,
    from_former_words,
    in_former_words,
)

IDS = {
    "converter-checkup": "f397da02",
    "flame-watch": "eadb2785",
    "kiln-ramp": "43c3f6cd",
    "kiln-safety": "4285d858",
    "pedal": "6dc730c3",
    "studio-kiln": "11bc9508",
    "wheel": "6f473571",
    "wheel-pedal": "72c0148a",
}
"""Build IDs that the examples had while words were the former ones."""


@pytest.mark.parametrize(
    "path",
    [path for path in EXAMPLE_FILES if path.name.removesuffix(".wattigram.toml") in IDS],
    ids=lambda path: path.name,
)
def test_a_file_of_version_4_is_the_same_project(path: Path) -> None:
    name = path.name.removesuffix(".wattigram.toml")
    former = (FORMER_FILES / f"{name}.version-4.toml").read_text()
    project = parse_project(former, "x")
    if name == "wheel":  # what was sent to it is another project's board by now
        project = project.replaced(bench=load_project(path).bench)
    assert project == load_project(path)
    assert build_id(project) == IDS[name]
    assert project_text(project) == path.read_text()


@pytest.mark.parametrize("path", sorted(FORMER_FILES.glob("*.toml")), ids=lambda path: path.name)
def test_the_former_words_come_back(path: Path) -> None:
    data = tomllib.loads(path.read_text())
    renewed, moves = from_former_words(data)
    project = parse_project(path.read_text(), "x")
    whole = plain_values(project, with_none=True)
    back = in_former_program(project, in_former_words(project, whole))
    assert "reactions" not in back
    for table in ("signals", "chains", "bench", "expectations", "routes", "generators"):
        for said, plain in zip(data.get(table, []), back[table], strict=True):
            assert held(said, plain) == said
    assert renewed["version"] == 4
    assert all(len(was) == len(now) for was, now in moves.items())


def held(said: object, plain: object) -> object:
    """What ``plain`` has of the keys that ``said`` has."""
    if isinstance(said, dict) and isinstance(plain, dict):
        return {key: held(value, plain.get(key)) for key, value in said.items()}
    if isinstance(said, list) and isinstance(plain, list):
        return [held(one, other) for one, other in zip(said, plain, strict=True)]
    if isinstance(said, str) and isinstance(plain, str) and _same(said, plain):
        return said
    return plain


@pytest.mark.parametrize("model", FORMER, ids=lambda model: model.__name__)
def test_every_former_word_stands_for_a_field_or_a_value(model: type[StrictModel]) -> None:
    keys = {item.key: item for item in fields_of(model)}
    former = FORMER[model]
    assert set(former.keys) <= set(keys)
    for key, words in former.values.items():
        allowed = str(keys[key].annotation)
        assert all(f"'{now}'" in allowed for now in words)
        assert len(set(words.values())) == len(words)
    # No former key is the key of another field that kept its name: reading would be ambiguous.
    assert not set(former.keys.values()) & (set(keys) - set(former.keys))


def test_a_value_for_scripts_has_its_former_word() -> None:
    safety = next(path for path in EXAMPLE_FILES if path.parent.name == "kiln-safety")
    signal = load_project(safety).signal("Upper zone")
    assert signal.filter is not None
    assert former_value(signal.filter, "kind") == "mean"
    assert former_value(signal.thresholds[0], "condition") == "outside"


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('every = "100 us"', 'period = "100 us"', "unknown key"),
        ('low = "0.4 V"', 'low = "0.4 A"', "signals[2].thresholds[1].low"),
    ],
)
def test_an_older_file_knows_only_its_own_words(old: str, new: str, words: str) -> None:
    text = (FORMER_FILES / "studio-kiln.version-4.toml").read_text()
    assert old in text
    with pytest.raises(ProjectError) as fault:
        parse_project(text.replace(old, new, 1), "p.toml")
    assert "version 4" in str(fault.value)
    assert words in str(fault.value) + " ".join(fault.value.faults)


def _same(said: str, plain: str) -> bool:
    """Quantities may be said otherwise; they have been compared as values."""
    return said == plain or (said[0] in "-0123456789" and plain[0] in "-0123456789")
