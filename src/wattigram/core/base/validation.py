"""Faults that the models' library found, as sentences: one wording wherever a model is made."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError


@dataclass(frozen=True)
class ModelFault:
    """One fault: where in the model, what, and the value that was found."""

    place: str
    """Keys from the outermost inward, joined by points; "" for the model as a whole."""
    key: str
    """The innermost of them; "value" for the model as a whole."""
    message: str
    found: Any

    @property
    def text(self) -> str:
        """Place and message."""
        return f"{self.place}: {self.message}" if self.place else self.message


def first_fault(fault: ValidationError) -> ModelFault:
    """The first fault of a model; a sentence of ours is told as it is, the library's without its
    prefix.
    """
    item = fault.errors(include_url=False)[0]
    own = item.get("ctx", {}).get("error")
    message = str(own) if own else item["msg"].removeprefix("Value error, ")
    place = ".".join(str(step) for step in item["loc"])
    key = str(item["loc"][-1]) if item["loc"] else "value"
    return ModelFault(place, key, message, item["input"])
