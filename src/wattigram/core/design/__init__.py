"""What the engineer wants: the project, its file, and the edits that change it."""

from wattigram.core.design.expectation import (
    Expectation,
    LevelExpectation,
    NoiseExpectation,
    RateExpectation,
    SineExpectation,
    StepsExpectation,
    TwinExpectation,
    WindowExpectation,
)
from wattigram.core.design.file import build_mark, load_project, parse_project, project_text, save_project
from wattigram.core.design.model import Chain, FollowTrigger, Loop, Mean, Project, Signal, Slot, TimerTrigger, Window
from wattigram.core.design.taps import tap_index, tapped_signals
from wattigram.core.design.workspace import Workspace, open_workspace

__all__ = [
    "Chain",
    "Expectation",
    "FollowTrigger",
    "LevelExpectation",
    "Loop",
    "Mean",
    "NoiseExpectation",
    "Project",
    "RateExpectation",
    "Signal",
    "SineExpectation",
    "Slot",
    "StepsExpectation",
    "TimerTrigger",
    "TwinExpectation",
    "Window",
    "WindowExpectation",
    "Workspace",
    "build_mark",
    "load_project",
    "open_workspace",
    "parse_project",
    "project_text",
    "save_project",
    "tap_index",
    "tapped_signals",
]
