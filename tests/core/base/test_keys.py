"""Keys of documents are the fields' names without units, and must stay apart."""

from __future__ import annotations

from collections import Counter

import pytest

from wattigram.core.base.model_fields import fields_of
from wattigram.core.base.models import StrictModel
from wattigram.core.model.bench import Wiring
from wattigram.core.model.design import Project
from wattigram.core.model.part import Part


def models(kind: type[StrictModel]) -> set[type[StrictModel]]:
    """A model and all that it holds."""
    found: set[type[StrictModel]] = set()
    waiting: list[object] = [kind]
    while waiting:
        one = waiting.pop()
        if isinstance(one, type) and issubclass(one, StrictModel):
            if one not in found:
                found.add(one)
                waiting += [item.annotation for item in fields_of(one)]
        else:
            waiting += getattr(one, "__args__", ())
    return found


@pytest.mark.parametrize("document", [Project, Part, Wiring])
def test_no_two_fields_of_a_model_have_one_key(document: type[StrictModel]) -> None:
    known = models(document)
    assert len(known) > 5
    for model in known:
        keys = Counter(item.key for item in fields_of(model))
        assert max(keys.values()) == 1, (model.__name__, keys.most_common(1))
