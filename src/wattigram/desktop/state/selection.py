"""What is selected on the Chain page."""

from __future__ import annotations

import msgspec
from msgspec.structs import replace

from wattigram.core.model.design import Workspace

FACETS = ("signal", "front end", "sample", "transfer", "filter", "thresholds", "stream")


class Selection(msgspec.Struct, frozen=True):
    """A cell of a row, or a yoke when ``signal`` is empty. ``place`` counts slots from 0."""

    converter: str = ""
    place: int = -1
    signal: str = ""
    facet: str = "sample"
    """A column, or something within one: "thresholds:2", "redundant pair", "read as"; of a yoke "clock", "start"
    or "start-up"."""
    also: frozenset[int] = frozenset()
    """Places of other slots of the same converter that are selected with it."""
    section: str = ""
    """Of an output: "generators", "pwm", "uarts", "routes" or "reactions"; ``output`` is then its name."""
    output: str = ""

    @property
    def column(self) -> str:
        """The column that shows the facet."""
        name = self.facet.partition(":")[0]
        return {
            "redundant pair": "thresholds",
            "comparator": "thresholds",
            "read as": "transfer",
        }.get(name, name)

    @property
    def places(self) -> tuple[int, ...]:
        """All selected places, in order."""
        return tuple(sorted({self.place, *self.also}))

    def signals_in(self, workspace: Workspace) -> tuple[str, ...]:
        """Signals of all selected slots, each once, its own first."""
        chain = workspace.project.chain(self.converter)
        if chain is None or not self.also:
            return (self.signal,)
        places = [place for place in self.places if 0 <= place < len(chain.slots)]
        return tuple(dict.fromkeys((self.signal, *(chain.slots[place].signal for place in places))))

    def at(self, facet: str) -> Selection:
        """The same with another facet."""
        return replace(self, facet=facet)

    def followed(self, before: Workspace, after: Workspace) -> Selection:
        """This selection under the name that what it selects has now."""
        if self.section:
            names = [
                [one.name for one in getattr(design.project, self.section)]
                for design in (before, after)
            ]
            return replace(self, output=_renamed(self.output, *names))
        names = [[signal.name for signal in design.project.signals] for design in (before, after)]
        name = _renamed(self.signal, *names)
        return self if name == self.signal else replace(self, signal=name)

    def valid_in(self, workspace: Workspace) -> Selection:
        """This selection where it still exists, else the nearest that does."""
        project = workspace.project
        if self.facet == "project":
            return self
        if self.section:
            names = [one.name for one in getattr(project, self.section)]
            return self if self.output in names else default_selection(workspace)
        chain = project.chain(self.converter)
        if self.signal and not any(signal.name == self.signal for signal in project.signals):
            return default_selection(workspace)
        if chain is None:
            own = project.chain_of(self.signal) if self.signal else None
            if own is not None:
                return Selection(
                    own.converter, own.places_of(self.signal)[0], self.signal, self.facet
                )
            return (
                Selection("", -1, self.signal, self.facet)
                if self.signal
                else default_selection(workspace)
            )
        if not self.signal:
            return self
        places = chain.places_of(self.signal)
        if self.place in places:
            also = frozenset(place for place in self.also if place < len(chain.slots))
            return self if also == self.also else replace(self, also=also)
        if places:
            return Selection(self.converter, places[0], self.signal, self.facet)
        return Selection("", -1, self.signal, self.facet)


def _renamed(name: str, before: list[str], after: list[str]) -> str:
    """The name that stands now where one stood, if that one is gone and nothing else has
    changed."""
    if not name or name in after or name not in before or len(before) != len(after):
        return name
    place = before.index(name)
    others = before[:place] + before[place + 1 :]
    return after[place] if others == after[:place] + after[place + 1 :] else name


def default_selection(workspace: Workspace) -> Selection:
    """The first slot, or the first signal, or nothing."""
    project = workspace.project
    if project.chains:
        chain = project.chains[0]
        return Selection(chain.converter, 0, chain.slots[0].signal)
    return Selection(signal=project.signals[0].name if project.signals else "")
