"""Edits of what is accepted among the findings."""

from __future__ import annotations

from msgspec import Struct

from wattigram.core.base.errors import EditError
from wattigram.core.model.design.accepted import AcceptedFinding
from wattigram.core.model.design.project import Project


class AcceptFinding(Struct, frozen=True):
    """Accept what a finding says at its place, with a reason."""

    code: str
    where: str
    says: str
    reason: str

    @property
    def label(self) -> str:
        return f"Accept {self.code} of {self.where}"

    def apply(self, project: Project) -> Project:
        if not self.reason.strip():
            raise EditError("Nothing is accepted without a reason.", cure="Write why it may stay.")
        mine = AcceptedFinding(
            code=self.code, where=self.where, says=self.says, reason=self.reason.strip()
        )
        others = tuple(one for one in project.accepted if (one.code, one.where) != _key(self))
        return project.replaced(accepted=(*others, mine))


class ReconsiderFinding(Struct, frozen=True):
    """Accept it no longer."""

    code: str
    where: str

    @property
    def label(self) -> str:
        return f"Accept {self.code} of {self.where} no longer"

    def apply(self, project: Project) -> Project:
        others = tuple(one for one in project.accepted if (one.code, one.where) != _key(self))
        if len(others) == len(project.accepted):
            raise EditError(f"“{self.code}” of {self.where} is not accepted.")
        return project.replaced(accepted=others)


def _key(edit: AcceptFinding | ReconsiderFinding) -> tuple[str, str]:
    return edit.code, edit.where
