"""Every public question of a package about a design, asked of all that the design has."""

from __future__ import annotations

import importlib
import inspect
import pkgutil
import random
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from fractions import Fraction
from functools import cache
from itertools import product
from typing import Any, get_type_hints

import numpy as np
from numpy.typing import NDArray

from tests.recorded.figures import figures_of
from wattigram.core.base.errors import WattigramError
from wattigram.core.model.bench import Wiring
from wattigram.core.model.bench.sources.source import Driven
from wattigram.core.model.design import (
    Chain,
    Comparator,
    Generator,
    Playback,
    PwmOutput,
    Route,
    Signal,
    Stage,
    Threshold,
    TimerTrigger,
    UartSetup,
    WaveTable,
    Workspace,
)
from wattigram.core.model.design.event_sources import Watch, watches
from wattigram.core.model.design.project import Project
from wattigram.core.model.design.templates import TEMPLATES, Template
from wattigram.core.model.part import Dac
from wattigram.core.predict.accuracy.latency import ComparedPair, compared_pairs
from wattigram.core.predict.expected.stream import History
from wattigram.core.predict.pins.input_pins import input_source
from wattigram.core.predict.waveform.dac_playback import DacPlayback, dac_playback
from wattigram.core.silicon.registers.register_map import RegisterMap, register_map

FloatArray, IntArray = NDArray[np.float64], NDArray[np.int64]
MOST_ASKED = 40
"""Ways in which one question is asked, at most; chosen by chance, always the same."""
NAMED: dict[str, Callable[[Workspace], list[str]]] = {
    "pin": lambda workspace: sorted(
        {wiring.pin for wiring in workspace.project.bench}
        | {signal.pin for signal in workspace.project.signals}
    ),
    "signal": lambda workspace: [signal.name for signal in workspace.project.signals],
    "name": lambda workspace: [signal.name for signal in workspace.project.signals],
    "dac": lambda workspace: [dac.name for dac in workspace.part.dacs],
    "uart": lambda workspace: [setup.name for setup in workspace.project.uarts],
}
"""What an argument of that name may be, where it is a name."""
PLAIN = (bool, int, float, Fraction, FloatArray, IntArray, tuple[float, ...])
Question = tuple[str, Callable[..., Any], dict[str, Any], bool]
Subject = tuple[str, Any]


def subjects(workspace: Workspace, kind: type) -> Sequence[Subject] | None:
    """What a design has of a kind, by name; None for what no design has."""
    project = workspace.project
    named: dict[type, Sequence[Subject]] = {
        Workspace: [("", workspace)],
        Project: [("", project)],
        RegisterMap: [("", register_map(workspace.part))],
        Chain: [(chain.converter, chain) for chain in project.chains],
        Signal: [(signal.name, signal) for signal in project.signals],
        Generator: [(generator.name, generator) for generator in project.generators],
        PwmOutput: [(pwm.timer, pwm) for pwm in project.pwm],
        Route: [(route.name, route) for route in project.routes],
        WaveTable: [(table.name, table) for table in project.tables],
        Comparator: [(comparator.name, comparator) for comparator in project.comparators],
        UartSetup: [(setup.name, setup) for setup in project.uarts],
        Wiring: [(wiring.pin, wiring) for wiring in project.bench],
        Watch: [(f"{number}", watch) for number, watch in enumerate(watches(project))],
        Dac: [(dac.name, dac) for dac in workspace.part.dacs],
        Driven: [(signal.name, input_source(workspace, signal.pin)) for signal in project.signals],
        Stage: [
            (f"{stage.kind} {number}", stage)
            for number, signal in enumerate(project.signals)
            for stage in (signal.filter, signal.later_filter)
            if stage is not None
        ],
        Threshold: [
            (f"{signal.name} {number}", threshold)
            for signal in project.signals
            for number, threshold in enumerate(signal.thresholds)
        ],
        TimerTrigger: [
            (chain.converter, chain.trigger)
            for chain in project.chains
            if isinstance(chain.trigger, TimerTrigger)
        ],
        Playback: [
            (generator.name, generator.output)
            for generator in project.generators
            if isinstance(generator.output, Playback)
        ],
        DacPlayback: [
            (generator.name, dac_playback(workspace, generator))
            for generator in project.generators
            if isinstance(generator.output, Playback)
        ],
        ComparedPair: [(pair.signal.name, pair) for pair in compared_pairs(project)],
        Template: [(template.name, template) for template in TEMPLATES],
        bool: [("no", False), ("yes", True)],
        int: [(str(value), value) for value in (1, 3, 12, 16)],
        float: [(str(value), value) for value in (0.02, 0.5, 3.0, 170.0)],
        Fraction: [
            (str(value), value)
            for value in (Fraction(1, 3000), Fraction(7, 3), Fraction(48_000_000))
        ],
        FloatArray: [("", np.linspace(0.0, 0.05, 1001))],
        History: [("", ((0, workspace),))],
        IntArray: [("", np.arange(-5, 5000, 7))],
        tuple[float, ...]: [("two", (1e-3, 4e-5))],
    }
    return named.get(kind)


OF_FILES = frozenset({"workspace_files"})
"""Modules whose answers are of a folder, and not of a design."""
TOLD_ELSEWHERE = "wattigram.core.advise.explanations"
"""Formulas are held against the numbers that they explain, of all these designs and of what changes of theirs make."""


@cache
def asked_of(package: str) -> tuple[tuple[str, Callable[..., Any], Mapping[str, Any]], ...]:
    """Public functions of a package, with the types of the arguments that they must have."""
    root, found = importlib.import_module(package), []
    for known in pkgutil.walk_packages(root.__path__, package + "."):
        if known.name.rpartition(".")[2] in OF_FILES or known.name.startswith(TOLD_ELSEWHERE):
            continue
        module = importlib.import_module(known.name)
        for name, function in sorted(vars(module).items()):
            plain = inspect.unwrap(function) if inspect.isfunction(function) else None
            if name.startswith("_") or plain is None or plain.__module__ != module.__name__:
                continue
            hints = get_type_hints(plain)
            kinds = {
                parameter.name: hints[parameter.name]
                for parameter in inspect.signature(plain).parameters.values()
                if parameter.default is parameter.empty or hints[parameter.name] is bool
            }
            if kinds:
                found.append((f"{known.name.rpartition('.')[2]}.{name}", function, kinds))
    return tuple(found)


def questions_of(package: str, workspace: Workspace) -> Iterator[Question]:
    """Functions whose required arguments are a design and things that it has."""
    for name, function, kinds in asked_of(package):
        pools = {argument: _pool(workspace, argument, kind) for argument, kind in kinds.items()}
        if all(pool is not None for pool in pools.values()):
            yield name, function, pools, all(kind in PLAIN for kind in kinds.values())


def answers(
    package: str, workspace: Workspace, *, plain: bool = False
) -> Iterator[tuple[str, Any]]:
    """Each question with what it is about, and its answer.

    Parameters
    ----------
    plain : formulas of numbers alone, instead of what is asked of a design
    """
    for name, function, pools, is_plain in questions_of(package, workspace):
        if is_plain != plain:
            continue
        ways = list(product(*pools.values()))
        if len(ways) > MOST_ASKED:
            ways = random.Random(name).sample(ways, MOST_ASKED)
        for chosen in ways:
            chain = next((value for _, value in chosen if isinstance(value, Chain)), None)
            if chain is not None and not _belongs(chain, [value for _, value in chosen]):
                continue
            about = ", ".join(label for label, _ in chosen if label)
            try:
                answer: Any = function(
                    **dict(zip(pools, (value for _, value in chosen), strict=True))
                )
                if isinstance(answer, Iterator):
                    answer = tuple(answer)
            except WattigramError as error:  # a refusal is an answer
                answer = str(error)
            except Exception:  # no question that makes sense
                continue
            yield f"{name}({about})", answer


def _pool(workspace: Workspace, name: str, kind: Any) -> Sequence[Subject] | None:
    if kind is int and name in ("place", "number"):
        most = max((len(chain.slots) for chain in workspace.project.chains), default=0)
        return [(str(place), place) for place in range(most)]
    if kind is str and name in NAMED:
        return [(value, value) for value in NAMED[name](workspace)]
    return subjects(workspace, kind)


def _belongs(chain: Chain, values: list[Any]) -> bool:
    for value in values:
        if isinstance(value, Signal) and not chain.places_of(value.name):
            return False
        if isinstance(value, int) and value >= len(chain.slots):
            return False
    return True


def changed_answers(
    package: str, workspace: Workspace, changed: Iterable[tuple[str, Workspace]]
) -> Iterator[tuple[str, Any]]:
    """What is answered otherwise after a change, with the change's name before it."""
    before = {question: figures_of(answer) for question, answer in answers(package, workspace)}
    for change, other in changed:
        for question, answer in answers(package, other):
            if before.get(question) != figures_of(answer):
                yield f"{change}: {question}", answer
