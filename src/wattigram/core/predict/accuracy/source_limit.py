"""The highest source resistance that a sampling time allows, by the part alone."""

from __future__ import annotations

import math

from wattigram.core.model.part import Converter


def highest_source_ohm(converter: Converter, sampling_s: float, bits: int) -> float:
    """Source resistance at which a full-scale step settles within ½ LSB, without a capacitor at the pin.

    R = t / (C · (N + 1) · ln 2) − R_switch, from t = τ · (N + 1) · ln 2.

    Parameters
    ----------
    sampling_s : float
        Sampling time, in seconds.
    bits : int
        Resolution that ½ LSB is meant of.

    Returns
    -------
    float
        In Ω; below 0 where not even a source without resistance settles.
    """
    settled = converter.sampling_capacitor_f * (bits + 1) * math.log(2)
    return sampling_s / settled - converter.switch_resistance_ohm
