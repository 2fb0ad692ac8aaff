"""What must hold of a take, judged with evidence; and what the likely cause is where it does
not."""

from __future__ import annotations

from typing import TYPE_CHECKING

from wattigram.core.base.lazy_imports import load_from

if TYPE_CHECKING:
    from wattigram.core.judge.causes import LikelyCause
    from wattigram.core.judge.evidence import Evidence, evidence_for
    from wattigram.core.judge.proof import Proof, prove
    from wattigram.core.judge.report import write_html, write_junit
    from wattigram.core.judge.suggested_expectations import (
        suggest_expectations,
        suggest_for_reaction,
    )
    from wattigram.core.judge.verdict import Verdict

__all__ = [
    "Evidence",
    "LikelyCause",
    "Proof",
    "Verdict",
    "evidence_for",
    "prove",
    "suggest_expectations",
    "suggest_for_reaction",
    "write_html",
    "write_junit",
]

_HOMES = {
    "suggest_expectations": "suggested_expectations",
    "suggest_for_reaction": "suggested_expectations",
    "LikelyCause": "causes.base",
    "Evidence": "evidence",
    "evidence_for": "evidence",
    "Proof": "proof",
    "prove": "proof",
    "write_html": "report",
    "write_junit": "report",
    "Verdict": "verdict",
}

__getattr__ = load_from(__name__, _HOMES)
