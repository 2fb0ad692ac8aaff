"""What a docstring has to say, held for every public function of the core.

``python tools/docstrings.py`` lists each function that

- has no docstring;
- takes or returns an array and states no shape, such as ``(n,)`` or ``(scans, slots)``;
- raises an error of ours by itself and does not name it.

A method that stands for one of a base class, and what begins with an underscore, may be silent.
"""

from __future__ import annotations

import ast
import re
import sys
from collections.abc import Iterator
from pathlib import Path

CORE = Path(__file__).parents[1] / "src/wattigram/core"
ARRAY = re.compile(r"\b(NDArray|FloatArray|IntArray|BoolArray)\b")
SHAPE = re.compile(r"\([^()]*(?:\([^()]*\)[^(),]*)*,[^()]*\)|\bany shape\b", re.IGNORECASE)
ERROR = re.compile(r"^[A-Z]\w*Error$")


def public_functions(
    node: ast.AST, inside: str = ""
) -> Iterator[tuple[str, ast.FunctionDef, bool]]:
    """Name, function, and whether it may inherit its docstring."""
    for child in ast.iter_child_nodes(node):
        if isinstance(child, ast.ClassDef) and not child.name.startswith("_"):
            yield from public_functions(child, f"{inside}{child.name}.")
        elif isinstance(child, ast.FunctionDef) and not child.name.startswith("_"):
            yield inside + child.name, child, bool(inside)


def own_errors(function: ast.FunctionDef) -> set[str]:
    """Errors that are raised in the function itself."""
    found = set()
    for node in ast.walk(function):
        if isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call):
            name = node.exc.func
            if isinstance(name, ast.Name) and ERROR.match(name.id) and name.id != "AssertionError":
                found.add(name.id)
    return found


def faults_of(path: Path) -> Iterator[str]:
    """What docstrings of a file leave out."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    for name, function, is_method in public_functions(tree):
        text = ast.get_docstring(function)
        where = f"{path.relative_to(CORE)}:{function.lineno} {name}"
        if text is None:
            if not is_method:
                yield f"{where}: no docstring"
            continue
        signature = " ".join(
            ast.unparse(part)
            for part in [*(a.annotation for a in function.args.args), function.returns]
            if part is not None
        )
        if ARRAY.search(signature) and not SHAPE.search(text):
            yield f"{where}: an array without a shape"
        for error in sorted(own_errors(function)):
            if error not in text and "ValueError" not in error:
                yield f"{where}: {error} is raised and not named"


def main() -> int:
    """List what is left out; exit status 1 where anything is."""
    faults = [fault for path in sorted(CORE.rglob("*.py")) for fault in faults_of(path)]
    print("\n".join(faults) or "Every docstring says what it has to.")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
