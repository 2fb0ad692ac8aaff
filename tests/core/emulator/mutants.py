"""Edited C: what somebody does to it, and a run of what comes of that."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from tests.core.firmware.compiled import rebuilt
from wattigram.core.capture.session import RunOutcome, record_run
from wattigram.core.capture.take import open_take
from wattigram.core.judge import Proof, prove
from wattigram.core.model.design import Workspace

Mutation = Callable[[str], str]


def without(pattern: str) -> Mutation:
    """A line, or a part of it, is left out."""
    return replacing(pattern, "")


def replacing(pattern: str, text: str) -> Mutation:
    def mutate(setup: str) -> str:
        changed, count = re.subn(pattern, text, setup, count=1, flags=re.MULTILINE)
        assert count == 1, pattern
        return changed

    return mutate


def moved(line: str, behind: str) -> Mutation:
    """A line stands later than it should."""

    def mutate(setup: str) -> str:
        found = re.search(line, setup, re.MULTILINE)
        assert found, line
        rest = setup.replace(found[0], "", 1)
        place = re.search(behind, rest, re.MULTILINE)
        assert place, behind
        return rest[: place.end()] + found[0] + rest[place.end() :]

    return mutate


@dataclass(frozen=True)
class Mistake:
    """What somebody does to a file, the cause that is to be named first, and words of its
    evidence."""

    mutate: Mutation
    cause: str
    evidence: str
    file: str = "wg_setup.c"
    seconds: float = 1.5
    """After which it shows."""


def run(
    workspace: Workspace, folder: Path, path: Path, seconds: float = 1.5
) -> tuple[RunOutcome, Proof]:
    result = rebuilt(workspace, folder)
    assert result.elf is not None, result.output
    outcome = record_run(workspace, seconds, path, board=f"image:{result.elf}", fast=True)
    with open_take(path) as take:
        return outcome, prove(workspace, take)


def mutant(mistake: Mistake, sound: Path, folder: Path) -> Path:
    """A copy of sound firmware with the mistake in it."""
    shutil.copytree(sound, folder)
    source = folder / mistake.file
    source.write_text(mistake.mutate(source.read_text()))
    return folder


def named(mistake: Mistake, proof: Proof) -> None:
    """The symptom was seen, and its cause comes first."""
    assert proof.count("fails") or proof.fault
    first = proof.causes[0]
    assert first.cause == mistake.cause, [
        (cause.cause, cause.fit, cause.evidence) for cause in proof.causes
    ]
    assert mistake.evidence in first.evidence
