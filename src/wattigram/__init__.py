"""Wattigram: analog acquisition chains, designed, run and proved.

What :mod:`wattigram.api` has can be asked of the package itself, and is loaded when it is.
"""

from importlib import import_module
from typing import Any

__version__ = "0.3.0"


_PACKAGES = {"api", "cli", "core", "desktop", "examples"}


def __getattr__(name: str) -> Any:
    if name.startswith("_") or name in _PACKAGES:
        raise AttributeError(name)  # the import system then looks for a module of that name
    api = import_module("wattigram.api")
    if name not in api.__all__:
        raise AttributeError(f"module 'wattigram' has no attribute {name!r}")
    return getattr(api, name)
