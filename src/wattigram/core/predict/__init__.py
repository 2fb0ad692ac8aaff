"""What a design and its bench will do, by calculation: clocks, waveforms, pins, timing, accuracy,
streams."""
