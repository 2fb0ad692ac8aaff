"""Tests with hardware in the loop: a ``board`` for tests of one's own, and a project's expectations as tests.

pytest finds it by itself where Wattigram is installed. ``--wattigram-board`` says which board is meant; without it
nothing changes but that ``board`` can be asked for, and is the virtual one.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

if TYPE_CHECKING:
    from wattigram.core.capture.take import Take
    from wattigram.core.judge import Proof
    from wattigram.core.judge.measured import Measured
    from wattigram.core.judge.verdict import Verdict
    from wattigram.core.model.design import Workspace

SUFFIX = ".wattigram.toml"
SECONDS = 2.0


def pytest_addoption(parser: pytest.Parser) -> None:
    """Options of the command line, and of the configuration file."""
    group = parser.getgroup("wattigram", "boards that are designed with Wattigram")
    group.addoption(
        "--wattigram-board",
        metavar="BOARD",
        help="virtual, image:ELF, serial:DEV@BAUD, tcp:HOST:PORT; with it *.wattigram.toml are tests, one for each "
        "expectation",
    )
    group.addoption(
        "--wattigram-seconds",
        type=float,
        metavar="S",
        help=f"how long a take is, in the board's own time ({SECONDS:g} without it)",
    )
    group.addoption("--wattigram-project", metavar="PROJECT", help="project of the board fixture")
    parser.addini("wattigram_project", "project of the board fixture", default="")


class Board:
    """A board with the design that it runs. Takes lie in a folder of their own and are closed at the end."""

    def __init__(self, workspace: Workspace, address: str, seconds: float, folder: Path) -> None:
        self.workspace, self.address = workspace, address
        self._seconds, self._folder = seconds, folder
        self._takes: list[Take] = []

    def run(self, seconds: float | None = None, *, seed: int = 1) -> Take:
        """Run it for some seconds of its own time; what came."""
        import wattigram

        path = self._folder / f"take {len(self._takes) + 1}.h5"
        wattigram.run(self.workspace, seconds or self._seconds, path, board=self.address, seed=seed)
        self._takes.append(wattigram.open_take(path))
        return self._takes[-1]

    def prove(self, take: Take) -> Proof:
        """All expectations of the project."""
        from wattigram import api

        return api.prove(self.workspace, take)

    def measure(self, take: Take, kind: str, *signals: str, **options: Any) -> Measured:
        """What is measured of a stretch of a take."""
        from wattigram import api

        return api.measure(take, kind, *signals, **options)

    def close(self) -> None:
        """Close all takes."""
        for take in self._takes:
            take.close()


def _board(config: pytest.Config, project: Path, folder: Path) -> Board:
    import wattigram

    return Board(
        wattigram.open_project(project),
        config.getoption("--wattigram-board") or "virtual",
        config.getoption("--wattigram-seconds") or SECONDS,
        folder,
    )


@pytest.fixture(scope="session")
def board(
    request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory
) -> Iterator[Board]:
    """The board of ``--wattigram-project``, or of ``wattigram_project`` in the configuration file; else of the one
    project that lies where the tests were started."""
    config = request.config
    named = config.getoption("--wattigram-project") or config.getini("wattigram_project")
    if named:
        project = config.rootpath / named
    else:
        found = sorted(config.rootpath.glob(f"*{SUFFIX}"))
        if len(found) != 1:
            pytest.fail(
                f"Which project is the board's? There are {len(found)} in {config.rootpath}; say --wattigram-project.",
                pytrace=False,
            )
        project = found[0]
    made = _board(config, project, tmp_path_factory.mktemp("wattigram"))
    yield made
    made.close()


def pytest_collect_file(file_path: Path, parent: pytest.Collector) -> pytest.Collector | None:
    """Projects are collections of tests where a board is named."""
    if file_path.name.endswith(SUFFIX) and parent.config.getoption("--wattigram-board"):
        return ProjectFile.from_parent(parent, path=file_path)
    return None


class ProjectFile(pytest.File):
    """A project; all of its expectations are judged on one take."""

    _proof: Proof | None = None

    def collect(self) -> Iterator[pytest.Item]:
        """A test for each expectation."""
        import wattigram
        from wattigram.core.judge.wording import expectation_text

        project = wattigram.open_project(self.path).project
        for number, expectation in enumerate(project.expectations):
            name = expectation_text(expectation)
            yield ExpectationItem.from_parent(self, name=name, number=number)

    def proof(self) -> Proof:
        """Recorded and judged once."""
        if self._proof is None:
            folder = self.config.rootpath / ".pytest_cache" / "wattigram"
            folder.mkdir(parents=True, exist_ok=True)
            path = folder / f"{self.path.name.removesuffix(SUFFIX)}.h5"
            path.unlink(missing_ok=True)
            board = _board(self.config, self.path, folder)
            import wattigram

            wattigram.run(
                board.workspace, board._seconds, path, board=board.address, overwrite=True
            )
            with wattigram.open_take(path) as take:
                self._proof = board.prove(take)
        return self._proof


class ExpectationItem(pytest.Item):
    """One expectation; its measured values are properties of the test."""

    def __init__(self, *, number: int, **of: Any) -> None:
        super().__init__(**of)
        self._number = number

    def runtest(self) -> None:
        """Judge it."""
        assert isinstance(self.parent, ProjectFile)
        proof = self.parent.proof()
        if proof.fault:
            raise ExpectationError(proof.fault)
        verdicts = [one for one in proof.verdicts if one.index == self._number]
        for one in verdicts:
            self._tell(one)
        failing = [one for one in verdicts if one.outcome == "fails"]
        if failing:
            signals = {one.signal for one in failing}
            causes = [cause.title for cause in proof.causes if cause.signal in signals]
            told = [f"{one.text}: {one.note}" for one in failing]
            raise ExpectationError(
                "\n".join([*told, *(f"likely cause: {cause}" for cause in causes)])
            )
        open_ones = [one for one in verdicts if one.outcome == "open"]
        if open_ones or not verdicts:
            pytest.skip("; ".join(f"not judged: {one.note}" for one in open_ones) or "not judged")

    def _tell(self, verdict: Verdict) -> None:
        self.user_properties.append(("seen", verdict.note))
        for name, value in (
            ("measured", verdict.measured),
            ("low", verdict.low),
            ("high", verdict.high),
        ):
            if value is not None:
                self.user_properties.append((name, f"{value:.9g} {verdict.unit}".strip()))

    def repr_failure(self, excinfo: pytest.ExceptionInfo[BaseException], style: Any = None) -> Any:
        """What was seen, without a traceback."""
        if isinstance(excinfo.value, ExpectationError):
            return str(excinfo.value)
        return super().repr_failure(excinfo, style)

    def reportinfo(self) -> tuple[Path, int | None, str]:
        """Where it stands, and what it is."""
        return self.path, None, self.name


class ExpectationError(Exception):
    """An expectation does not hold."""
