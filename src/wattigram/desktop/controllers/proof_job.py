"""Recording and proving as one job."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec

from wattigram.core.capture.session import is_virtual, record_run
from wattigram.core.capture.take import open_take
from wattigram.core.judge import Evidence, Proof, evidence_for, prove, write_html
from wattigram.core.judge.report import PrintedReport, printed_report
from wattigram.core.judge.several_takes import TakeProof, prove_several
from wattigram.core.model.design import Workspace
from wattigram.core.predict.pins import input_source

SHORTEST_S, LONGEST_S = 2.0, 30.0
PERIODS = 2.5


class Proved(msgspec.Struct, frozen=True):
    """A proof with all that is needed to show it."""

    workspace: Workspace
    take: Path
    proof: Proof
    evidence: tuple[Evidence, ...]
    heading: str


def proof_seconds(workspace: Workspace) -> float:
    """Long enough that every source shows what it does more than twice."""
    project = workspace.project
    spans = [input_source(workspace, wiring.pin).span_s for wiring in project.bench]
    return min(LONGEST_S, max(SHORTEST_S, PERIODS * max(spans, default=0.0)))


def record_and_prove(
    workspace: Workspace, address: str, path: Path, progress: Callable[[float], None]
) -> Proved:
    """Run the board, record, and judge; the virtual board runs as fast as it can."""
    seconds = proof_seconds(workspace)
    outcome = record_run(
        workspace,
        seconds,
        path,
        board=address,
        fast=is_virtual(address),
        numbered=True,
        progress=lambda share: progress(share * 0.6),
    )
    return prove_take(workspace, outcome.take, lambda share: progress(0.6 + share * 0.4))


def prove_take(workspace: Workspace, path: Path, progress: Callable[[float], None]) -> Proved:
    """Judge a take that is there."""
    with open_take(path) as take:
        proof = prove(workspace, take, lambda share: progress(share * 0.8))
        evidence = []
        for number, verdict in enumerate(proof.verdicts):
            evidence.append(evidence_for(take, verdict))
            progress(0.8 + 0.2 * (number + 1) / len(proof.verdicts))
        samples = f"{take.samples:,}".replace(",", "\u202f")
        heading = (
            f"{path.stem} · {take.span_s:.1f} s · {samples} samples · {take.lost_cycles} scans lost"
        )
        return Proved(workspace, path, proof, tuple(evidence), heading)


def report_for_print(proved: Proved, progress: Callable[[float], None]) -> PrintedReport:
    """The report of a proof, for whoever lays it out."""
    progress(0.1)
    with open_take(proved.take) as take:
        return printed_report(proved.workspace, take, proved.proof)


def write_report(proved: Proved, path: Path, progress: Callable[[float], None]) -> Path:
    """Write the report of a proof as a web page."""
    progress(0.1)
    with open_take(proved.take) as take:
        write_html(proved.workspace, take, proved.proof, path)
    return path


def prove_takes(
    workspace: Workspace, paths: tuple[Path, ...], progress: Callable[[float], None]
) -> tuple[TakeProof, ...]:
    """Judge several takes by one set of expectations."""
    return prove_several(workspace, paths, progress)
