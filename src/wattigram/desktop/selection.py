"""What is selected on the Chain page."""

from __future__ import annotations

from dataclasses import dataclass

from wattigram.core.design import Workspace

FACETS = ("signal", "front end", "sample", "move", "reduce", "window", "stream")


@dataclass(frozen=True)
class Selection:
    """A cell of a row, or a yoke when ``signal`` is empty. ``place`` counts slots from 0."""

    converter: str = ""
    place: int = -1
    signal: str = ""
    facet: str = "sample"

    def valid_in(self, workspace: Workspace) -> Selection:
        """This selection where it still exists, else the nearest that does."""
        project = workspace.project
        chain = project.chain(self.converter)
        if self.signal and not any(signal.name == self.signal for signal in project.signals):
            return default_selection(workspace)
        if chain is None:
            own = project.chain_of(self.signal) if self.signal else None
            if own is not None:
                return Selection(own.converter, own.places_of(self.signal)[0], self.signal, self.facet)
            return Selection("", -1, self.signal, self.facet) if self.signal else default_selection(workspace)
        if not self.signal:
            return self
        places = chain.places_of(self.signal)
        if self.place in places:
            return self
        if places:
            return Selection(self.converter, places[0], self.signal, self.facet)
        return Selection("", -1, self.signal, self.facet)


def default_selection(workspace: Workspace) -> Selection:
    """The first slot, or the first signal, or nothing."""
    project = workspace.project
    if project.chains:
        chain = project.chains[0]
        return Selection(chain.converter, 0, chain.slots[0].signal)
    return Selection(signal=project.signals[0].name if project.signals else "")
