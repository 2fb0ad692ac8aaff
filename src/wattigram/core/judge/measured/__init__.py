"""What is measured of a stretch of a recording, figure by figure, with what the design predicts beside it."""

from wattigram.core.judge.measured.as_expectation import as_expectation
from wattigram.core.judge.measured.csv_text import curve_csv, figures_csv
from wattigram.core.judge.measured.figures import Figure, Measured
from wattigram.core.judge.measured.kinds import KINDS, Kind, measure
from wattigram.core.judge.measured.places import PLACES, Place, Sought, next_place, places_between
from wattigram.core.judge.measured.wanted import Wanted
from wattigram.core.judge.measured.ways import Way, explanation_of, way_of

__all__ = [
    "KINDS",
    "PLACES",
    "Figure",
    "Kind",
    "Measured",
    "Place",
    "Sought",
    "Wanted",
    "Way",
    "as_expectation",
    "curve_csv",
    "explanation_of",
    "figures_csv",
    "measure",
    "next_place",
    "places_between",
    "way_of",
]
