"""Several takes against one set of expectations, side by side."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from pathlib import Path

import msgspec

from wattigram.core.base.errors import WattigramError
from wattigram.core.capture.take import open_take
from wattigram.core.judge.proof import Proof, prove
from wattigram.core.judge.verdict import MARKS, Outcome, outcome_text
from wattigram.core.model.design import Workspace


class TakeProof(msgspec.Struct, frozen=True):
    """A take with its proof, or why there is none."""

    path: Path
    proof: Proof | None
    fault: str = ""

    @property
    def counts_text(self) -> str:
        """How many hold, fail and stay open."""
        if self.proof is None:
            return self.fault
        words = {"holds": "hold", "fails": "fail", "open": "open"}
        return ", ".join(f"{self.proof.count(one)} {word}" for one, word in words.items())


class Cell(msgspec.Struct, frozen=True):
    """What an expectation comes to in a take."""

    outcome: Outcome
    text: str
    note: str


class Row(msgspec.Struct, frozen=True):
    """An expectation in all takes; None where one has no proof."""

    text: str
    cells: tuple[Cell | None, ...]

    @property
    def differs(self) -> bool:
        """It does not come to the same in all."""
        return len({cell.outcome if cell is not None else None for cell in self.cells}) > 1


def prove_several(
    workspace: Workspace,
    paths: tuple[Path, ...],
    progress: Callable[[float], None] | None = None,
) -> tuple[TakeProof, ...]:
    """Judge takes one after the other; one that cannot be read says why."""
    proved = []
    for number, path in enumerate(paths):

        def part(share: float, number: int = number) -> None:
            if progress is not None:
                progress((number + share) / len(paths))

        try:
            with open_take(path) as take:
                proved.append(TakeProof(path, prove(workspace, take, part)))
        except WattigramError as fault:
            proved.append(TakeProof(path, None, fault.message))
    return tuple(proved)


def side_by_side(takes: tuple[TakeProof, ...]) -> tuple[Row, ...]:
    """What each expectation comes to in each take, in their order."""
    proofs = [take.proof for take in takes]
    first = next((proof for proof in proofs if proof is not None), None)
    if first is None:
        return ()
    rows = []
    for number, verdict in enumerate(first.verdicts):
        cells: list[Cell | None] = []
        for proof in proofs:
            one = proof.verdicts[number] if proof is not None else None
            cells.append(
                None
                if one is None
                else Cell(one.outcome, one.measured_text or outcome_text(one.outcome), one.note)
            )
        rows.append(Row(verdict.text, tuple(cells)))
    return tuple(rows)


def as_table(takes: tuple[TakeProof, ...], delimiter: str = ",") -> str:
    """The same as separated text, a column of outcomes and one of values for each take."""
    out = io.StringIO()
    writer = csv.writer(out, delimiter=delimiter, lineterminator="\n")
    names = [take.path.stem for take in takes]
    writer.writerow(["expectation", *(name for each in names for name in (each, f"{each}: value"))])
    for row in side_by_side(takes):
        cells = [
            text
            for cell in row.cells
            for text in (("", "") if cell is None else (outcome_text(cell.outcome), cell.text))
        ]
        writer.writerow([row.text, *cells])
    return out.getvalue()


def marked(cell: Cell | None) -> str:
    """A cell with its mark, for people."""
    return "–" if cell is None else f"{MARKS[cell.outcome]} {cell.text}"
