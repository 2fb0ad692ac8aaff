"""Packages that load their modules when something of them is first asked for."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from importlib import import_module
from typing import Any


def load_from(package: str, homes: Mapping[str, str]) -> Callable[[str], Any]:
    """A module's ``__getattr__`` that finds each name in the submodule that ``homes`` gives (PEP
    562).

    A window starts without HDF5, sockets and reports, and still everybody imports from the package.

    What it returns raises :class:`AttributeError` for a name that nobody gives.
    """

    def find(name: str) -> Any:
        if name not in homes:
            raise AttributeError(f"module {package!r} has no attribute {name!r}")
        return getattr(import_module(f"{package}.{homes[name]}"), name)

    return find
