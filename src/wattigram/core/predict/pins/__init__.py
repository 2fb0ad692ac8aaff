"""What stands on the part's pins: its own outputs, and what its inputs see."""

from wattigram.core.predict.pins.input_pins import (
    input_accuracy_v,
    input_capacitor_f,
    input_extent_v,
    input_noise_v,
    input_poles_s,
    input_resistance_ohm,
    input_source,
    input_voltage_v,
    is_looped_back,
    pin_impedance,
    pin_tolerances,
    set_while_running,
    surroundings_of,
    tolerance_error_v,
)
from wattigram.core.predict.pins.output_pins import (
    generator_on,
    moved_pins,
    output_accuracy_v,
    output_ohm,
    output_waveform,
    pwm_on,
    pwm_pin,
)
from wattigram.core.predict.pins.pwm import PwmTiming, pwm_timing, settling_s
from wattigram.core.predict.pins.thresholds import (
    ComparatorInputs,
    comparator_inputs,
    threshold_pin,
)

__all__ = [
    "ComparatorInputs",
    "PwmTiming",
    "comparator_inputs",
    "generator_on",
    "input_accuracy_v",
    "input_capacitor_f",
    "input_extent_v",
    "input_noise_v",
    "input_poles_s",
    "input_resistance_ohm",
    "input_source",
    "input_voltage_v",
    "is_looped_back",
    "moved_pins",
    "output_accuracy_v",
    "output_ohm",
    "output_waveform",
    "pin_impedance",
    "pin_tolerances",
    "pwm_on",
    "pwm_pin",
    "pwm_timing",
    "set_while_running",
    "settling_s",
    "surroundings_of",
    "threshold_pin",
    "tolerance_error_v",
]
