"""What must hold of a take, judged with evidence; and what the likely cause is where it does not."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from wattigram.core.proof.cause import LikelyCause
    from wattigram.core.proof.evidence import Evidence, evidence_for
    from wattigram.core.proof.judged import Proof, prove
    from wattigram.core.proof.report import write_html, write_junit
    from wattigram.core.proof.verdict import Verdict

__all__ = ["Evidence", "LikelyCause", "Proof", "Verdict", "evidence_for", "prove", "write_html", "write_junit"]

_HOMES = {
    "LikelyCause": "cause",
    "Evidence": "evidence",
    "evidence_for": "evidence",
    "Proof": "judged",
    "prove": "judged",
    "write_html": "report",
    "write_junit": "report",
    "Verdict": "verdict",
}


def __getattr__(name: str) -> Any:
    """Load what is asked for when it is asked for: a window starts without it."""
    if name not in _HOMES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{_HOMES[name]}"), name)
