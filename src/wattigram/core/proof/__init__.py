"""What must hold of a take, judged with evidence; and what the likely cause is where it does not."""

from wattigram.core.proof.cause import LikelyCause
from wattigram.core.proof.evidence import Evidence, evidence_for
from wattigram.core.proof.prove import Proof, prove
from wattigram.core.proof.report import write_html, write_junit
from wattigram.core.proof.verdict import Verdict

__all__ = ["Evidence", "LikelyCause", "Proof", "Verdict", "evidence_for", "prove", "write_html", "write_junit"]
