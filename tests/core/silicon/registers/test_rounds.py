"""Settings to registers and back give the design that one started with."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.core.silicon.registers.designs import random_workspace
from tests.paths import EXAMPLE_FILES
from wattigram.core.base.errors import RegisterError
from wattigram.core.base.models import plain_values
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.silicon.deploy.project_config import silicon_config
from wattigram.core.silicon.registers import as_set_up, decoded, design_writes


def differences(one: object, other: object, path: str = "") -> list[str]:
    """Where two plain values differ; floats may by a billionth."""
    if isinstance(one, dict) and isinstance(other, dict):
        keys = sorted(set(one) | set(other))
        return [
            line
            for key in keys
            for line in differences(one.get(key), other.get(key), f"{path}.{key}")
        ]
    if isinstance(one, (list, tuple)) and isinstance(other, (list, tuple)):
        if len(one) != len(other):
            return [f"{path}: {len(one)} and {len(other)} samples"]
        pairs = enumerate(zip(one, other, strict=True))
        return [line for number, (a, b) in pairs for line in differences(a, b, f"{path}[{number}]")]
    if isinstance(one, float) and isinstance(other, (float, int)):
        return (
            []
            if abs(one - other) <= 1e-9 * max(abs(one), abs(other))
            else [f"{path}: {one} and {other}"]
        )
    return [] if one == other else [f"{path}: {one} and {other}"]


def both(workspace: Workspace) -> list[str]:
    meant = plain_values(silicon_config(workspace, "mark", 1))
    made = plain_values(silicon_config(as_set_up(workspace), "mark", 1))
    return differences(meant, made)


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=lambda path: path.stem.split(".")[0])
def test_an_example_comes_back_from_its_register_writes(path: Path) -> None:
    workspace = open_workspace(path)
    assert both(workspace) == []
    assert decoded(workspace).notes == []


@pytest.mark.parametrize("seed", range(200))
def test_a_random_design_comes_back_from_its_register_writes(seed: int) -> None:
    workspace = random_workspace(seed)
    try:
        design_writes(workspace)
    except RegisterError as fault:
        assert "cannot judge" in str(fault)
        return
    assert both(workspace) == [], workspace.project
    assert decoded(workspace).notes == []
