"""A proof for others: one HTML file that opens anywhere, or JUnit XML."""

from __future__ import annotations

import xml.etree.ElementTree as ElementTree
from collections.abc import Callable
from importlib.resources import files
from pathlib import Path

import msgspec

from wattigram import __version__
from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import TakeError
from wattigram.core.base.toml_document import write_atomically
from wattigram.core.capture.take import Take
from wattigram.core.judge.evidence import Panel, evidence_for
from wattigram.core.judge.proof import Proof
from wattigram.core.judge.svg_pictures import panel_svg
from wattigram.core.judge.verdict import MARKS
from wattigram.core.model.design import Workspace

COLOURS = {"holds": "#1b6b3a", "fails": "#A3271C", "open": "#6b6b66"}
PLACE = "\ufffc"
"""Stands for a picture in what is printed, followed by its number."""
Draw = Callable[[Panel, int], str]


def write_html(workspace: Workspace, take: Take, proof: Proof, path: Path) -> None:
    """Write the report with pictures; raises :class:`TakeError` when the file cannot be written."""
    write_atomically(path, _rendered("report.html", workspace, take, proof, panel_svg), TakeError)


class PrintedReport(msgspec.Struct, frozen=True):
    """A report as plain rich text, with a place for each picture: ``PLACE`` and its number, from 0."""

    html: str
    pictures: tuple[str, ...]
    """Whole SVG documents."""


def printed_report(workspace: Workspace, take: Take, proof: Proof) -> PrintedReport:
    """The report for whoever lays it out on pages."""
    pictures: list[str] = []

    def draw(panel: Panel, index: int) -> str:
        pictures.append(panel_svg(panel, index, alone=True))
        return f"{PLACE}{len(pictures) - 1}"

    html = _rendered("print.html", workspace, take, proof, draw)
    return PrintedReport(html, tuple(pictures))


def _rendered(name: str, workspace: Workspace, take: Take, proof: Proof, draw: Draw) -> str:
    from jinja2 import Environment  # late: only reports need it

    template = files("wattigram.core.judge").joinpath(name).read_text(encoding="utf-8")
    environment = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True)
    evidence = [evidence_for(take, verdict) for verdict in proof.verdicts]
    places = {signal.name: place for place, signal in enumerate(take.workspace.project.signals)}
    return environment.from_string(template).render(
        project=workspace.project.name,
        part=workspace.part.name,
        all_hold=proof.all_hold,
        summary=_summary(proof),
        take=take.path.name,
        started=take.started,
        seconds=take.span_s,
        samples=take.samples,
        lost_cycles=take.lost_cycles,
        build_id=proof.build_id or "unknown",
        project_mark=workspace.build_id,
        mark_matches=proof.mark_matches,
        verdicts=proof.verdicts,
        causes=proof.causes,
        accepted=[one for one in find_all(workspace) if one.accepted],
        differences=proof.differences,
        marks=MARKS,
        evidence=[
            {
                "verdict": item.verdict,
                "pictures": [
                    draw(panel, places.get(item.verdict.signal, 0)) for panel in item.panels
                ],
            }
            for item in evidence
        ],
        colours=COLOURS,
        version=__version__,
    )


def _summary(proof: Proof) -> str:
    """Of a proof that does not hold, in a few words."""
    failing, unjudged = proof.count("fails"), proof.count("open")
    if failing:
        return f"{failing} of {len(proof.verdicts)} {'do' if failing > 1 else 'does'} not hold"
    if proof.fault:
        return "the firmware failed"
    return (
        f"{unjudged} of {len(proof.verdicts)} could not be judged"
        if proof.count("holds")
        else "nothing could be judged"
    )


def write_junit(workspace: Workspace, proof: Proof, path: Path) -> None:
    """Write JUnit XML: a test case for each verdict, with what was measured as its properties; what is open counts as
    skipped, firmware that failed as an error. Cases take no time: all are judged on one take."""
    suite = ElementTree.Element(
        "testsuite",
        name=workspace.project.name,
        tests=str(len(proof.verdicts)),
        failures=str(proof.count("fails")),
        skipped=str(proof.count("open")),
        errors=str(int(bool(proof.fault))),
        time="0",
    )
    _properties(
        suite,
        {
            "take": proof.take.name,
            "build": proof.build_id or "unknown",
            "part": workspace.part.name,
            "wattigram": __version__,
        },
    )
    if proof.fault:
        ElementTree.SubElement(suite, "system-err").text = proof.fault
    for verdict in proof.verdicts:
        case = ElementTree.SubElement(
            suite,
            "testcase",
            classname=f"{workspace.project.name}.{verdict.signal}",
            name=verdict.text,
            time="0",
        )
        told = {
            "measured": verdict.measured,
            "low": verdict.low,
            "high": verdict.high,
        }
        figures = {name: repr(float(value)) for name, value in told.items() if value is not None}
        _properties(
            case,
            {
                **figures,
                "unit": verdict.unit,
                "samples": str(verdict.samples),
                "seen": verdict.note,
            },
        )
        if verdict.outcome == "fails":
            message = f"{verdict.note}; allowed {verdict.limits_text}"
            failure = ElementTree.SubElement(case, "failure", message=message)
            failure.text = "\n".join(
                f"{cause.title}, match {cause.fit * 100:.0f} %: {cause.evidence}"
                for cause in proof.causes
                if verdict.signal in cause.signals
            )
        elif verdict.outcome == "open":
            ElementTree.SubElement(case, "skipped", message=verdict.note)
    text = ElementTree.tostring(suite, encoding="unicode", xml_declaration=True)
    write_atomically(path, text + "\n", TakeError)


def _properties(parent: ElementTree.Element, told: dict[str, str]) -> None:
    """Names with their values; nothing of what is empty."""
    place = ElementTree.SubElement(parent, "properties")
    for name, value in told.items():
        if value:
            ElementTree.SubElement(place, "property", name=name, value=value)
