"""Random small mistakes in a package, each held against the package's own tests.

``python tools/mutate.py core/predict/timing --count 20 --seed 1`` changes one expression at a time: a
comparison, an operator, a constant, a condition, a returned value. A mistake that no test notices is
told with its line. The source is always put back.
"""

from __future__ import annotations

import argparse
import ast
import copy
import os
import random
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parents[1]
SOURCE, TESTS = ROOT / "src/wattigram", ROOT / "tests"
COMPARISONS: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
}
OPERATORS: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Div: ast.Mult,
    ast.FloorDiv: ast.Mult,
    ast.Mod: ast.Mult,
    ast.LShift: ast.RShift,
    ast.RShift: ast.LShift,
}
LONGEST_S = 600


@dataclass(frozen=True)
class Mistake:
    """One change: the node's number in the walk of its file, and which of its changes."""

    path: Path
    node: int
    line: int
    what: str


def changes(node: ast.AST) -> Iterator[tuple[str, ast.AST]]:
    """Mistakes that can be made at a node."""
    if isinstance(node, ast.Compare) and type(node.ops[0]) in COMPARISONS:
        other = copy.deepcopy(node)
        other.ops[0] = COMPARISONS[type(node.ops[0])]()
        yield "comparison", other
    if isinstance(node, ast.BinOp) and type(node.op) in OPERATORS:
        other_op = copy.deepcopy(node)
        other_op.op = OPERATORS[type(node.op)]()
        yield "operator", other_op
    if isinstance(node, ast.BoolOp):
        swapped = copy.deepcopy(node)
        swapped.op = ast.Or() if isinstance(node.op, ast.And) else ast.And()
        yield "and / or", swapped
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        yield "not", copy.deepcopy(node.operand)
    if isinstance(node, ast.Constant):
        if isinstance(node.value, bool):
            yield "constant", ast.Constant(not node.value)
        elif isinstance(node.value, int | float):
            yield "constant", ast.Constant(node.value + 1)
    if isinstance(node, ast.IfExp):
        turned = copy.deepcopy(node)
        turned.body, turned.orelse = turned.orelse, turned.body
        yield "branches", turned
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
        partner = {"min": "max", "max": "min", "any": "all", "all": "any"}.get(node.func.id)
        if partner is not None:
            renamed = copy.deepcopy(node)
            renamed.func = ast.Name(partner, ast.Load())
            yield "function", renamed


def mistakes_in(path: Path) -> list[Mistake]:
    """All mistakes that can be made in a file, outside annotations and constants of modules."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    inside = {
        id(inner)
        for function in ast.walk(tree)
        if isinstance(function, ast.FunctionDef | ast.AsyncFunctionDef)
        for statement in function.body
        for inner in ast.walk(statement)
    }
    return [
        Mistake(path, number, getattr(node, "lineno", 0), what)
        for number, node in enumerate(ast.walk(tree))
        if id(node) in inside
        for what, _ in changes(node)
    ]


def mutated(mistake: Mistake) -> str:
    """The file's text with the mistake in it."""
    tree = ast.parse(mistake.path.read_text(encoding="utf-8"))
    wanted = list(ast.walk(tree))[mistake.node]
    made = next(new for what, new in changes(wanted) if what == mistake.what)

    class Put(ast.NodeTransformer):
        def visit(self, node: ast.AST) -> ast.AST:
            return ast.copy_location(made, node) if node is wanted else self.generic_visit(node)

    return ast.unparse(ast.fix_missing_locations(Put().visit(tree)))


def tests_of(package: str) -> Path:
    """The tests that stand beside a package or a module."""
    place = TESTS / package
    while not place.is_dir():
        place = place.parent
    return place


def is_caught(mistake: Mistake, tests: Path) -> bool:
    """Whether the tests fail with the mistake in place."""
    was = mistake.path.read_text(encoding="utf-8")
    try:
        mistake.path.write_text(mutated(mistake), encoding="utf-8")
        done = subprocess.run(
            [
                sys.executable,
                "-m",
                "pytest",
                "-q",
                "-x",
                "--no-header",
                "-p",
                "no:cacheprovider",
                tests,
            ],
            cwd=ROOT,
            env=os.environ | {"QT_QPA_PLATFORM": "offscreen", "PYTHONDONTWRITEBYTECODE": "1"},
            capture_output=True,
            check=False,
            timeout=LONGEST_S,
        )
        return done.returncode != 0
    except subprocess.TimeoutExpired:
        return True
    finally:
        mistake.path.write_text(was, encoding="utf-8")


def main() -> int:
    """Make mistakes and say which were not noticed."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0] if __doc__ else "")
    parser.add_argument(
        "package", help="package or module below src/wattigram, such as core/predict"
    )
    parser.add_argument("--count", type=int, default=20)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    place = SOURCE / options.package
    files = sorted(place.rglob("*.py")) if place.is_dir() else [place.with_suffix(".py")]
    known = [mistake for path in files for mistake in mistakes_in(path)]
    chosen = random.Random(options.seed).sample(known, min(options.count, len(known)))
    tests = tests_of(options.package)
    caught = 0
    for number, mistake in enumerate(chosen, start=1):
        noticed = is_caught(mistake, tests)
        caught += noticed
        where = f"{mistake.path.relative_to(SOURCE)}:{mistake.line}"
        print(
            f"{number:3d} {'caught' if noticed else 'MISSED':7}{where:60}{mistake.what}", flush=True
        )
    share = 100 * caught / len(chosen) if chosen else 0.0
    print(
        f"{options.package}: {caught} of {len(chosen)} caught ({share:.0f} %), of {len(known)} possible"
    )
    return 0


if __name__ == "__main__":
    sys.exit(main())
