"""Findings that are accepted with a reason."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from wattigram.core.advise.findings import Finding, find_all
from wattigram.core.base.errors import EditError, ProjectError
from wattigram.core.capture.take import Take
from wattigram.core.judge import prove, write_html
from wattigram.core.judge.report import printed_report
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import (
    AcceptFinding,
    ReconsiderFinding,
    SetSampling,
    apply_edit,
)
from wattigram.core.model.design.project_file import build_id, parse_project, project_text

WHY = "The latch is slow anyhow <b>&"


def first(workspace: Workspace) -> Finding:
    return next(one for one in find_all(workspace) if one.remedy is not None)


def accepted(workspace: Workspace, finding: Finding, reason: str = WHY) -> Workspace:
    edit = AcceptFinding(finding.code, finding.where, finding.message, reason)
    return apply_edit(workspace, edit)


def test_it_stays_among_the_findings_with_its_reason_and_comes_last(kiln: Workspace) -> None:
    finding = first(kiln)
    found = find_all(accepted(kiln, finding))
    assert len(found) == len(find_all(kiln))
    assert (found[-1].code, found[-1].accepted) == (finding.code, WHY)
    assert [one.accepted for one in found[:-1]] == [""] * (len(found) - 1)


def test_what_says_something_else_is_accepted_no_longer(kiln: Workspace) -> None:
    """Its numbers have changed, and with them what was accepted."""
    finding = next(one for one in find_all(kiln) if isinstance(one.remedy, SetSampling))
    agreed = accepted(kiln, finding)
    assert isinstance(finding.remedy, SetSampling)
    other = next(
        cycles
        for cycles in kiln.part.converters[0].sampling_cycles
        if cycles not in {finding.remedy.cycles, 32}
    )
    changed = apply_edit(agreed, SetSampling(finding.remedy.converter, finding.remedy.place, other))
    now = [
        one for one in find_all(changed) if (one.code, one.where) == (finding.code, finding.where)
    ]
    for one in now:
        assert one.accepted == ""
        assert one.formerly == WHY
        assert one.message != finding.message
    back = apply_edit(changed, SetSampling(finding.remedy.converter, finding.remedy.place, 32))
    assert any(one.accepted == WHY for one in find_all(back))


def test_there_is_no_acceptance_without_a_reason_and_one_for_a_place(kiln: Workspace) -> None:
    finding = first(kiln)
    with pytest.raises(EditError, match="without a reason"):
        accepted(kiln, finding, "  ")
    twice = accepted(accepted(kiln, finding), finding, "Because.")
    assert [one.reason for one in twice.project.accepted] == ["Because."]
    gone = apply_edit(twice, ReconsiderFinding(finding.code, finding.where))
    assert gone.project.accepted == ()
    with pytest.raises(EditError, match="is not accepted"):
        apply_edit(gone, ReconsiderFinding(finding.code, finding.where))


def test_it_is_kept_in_the_project_and_changes_nothing_on_the_board(kiln: Workspace) -> None:
    agreed = accepted(kiln, first(kiln))
    assert build_id(agreed.project) == build_id(kiln.project)
    text = project_text(agreed.project)
    assert parse_project(text, "x").accepted == agreed.project.accepted
    with pytest.raises(ProjectError, match="reason"):
        parse_project(text.replace(f'reason = "{WHY}"', 'reason = ""'), "x")


def test_reports_tell_what_was_accepted_and_why(
    kiln: Workspace, take_of: Callable[..., Take], tmp_path: Path
) -> None:
    agreed = accepted(kiln, first(kiln))
    take = take_of(kiln)
    proof = prove(agreed, take)
    write_html(agreed, take, proof, tmp_path / "r.html")
    for text in ((tmp_path / "r.html").read_text(), printed_report(agreed, take, proof).html):
        assert "Accepted findings" in text
        assert "The latch is slow anyhow &lt;b&gt;&amp;" in text
    write_html(kiln, take, prove(kiln, take), tmp_path / "none.html")
    assert "Accepted findings" not in (tmp_path / "none.html").read_text()
