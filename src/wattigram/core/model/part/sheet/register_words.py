"""Words by which data sheets and register descriptions call settings and their choices."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import lru_cache

from wattigram.core.model.part.registers import BlockKind

SETTING_WORDS: dict[str, tuple[str, ...]] = {
    "on": ("on", "enable", "power", "enabled", "en"),
    "start": ("start", "fire", "begin", "software", "convert", "go"),
    "calibrate": ("calibrate", "calibration", "cal", "trim", "true"),
    "reference": ("reference", "ref", "vref"),
    "clock": ("clock", "source", "oscillator"),
    "divider": ("divider", "div", "divide", "prescaler", "baud"),
    "bits": ("bits", "resolution", "res", "length"),
    "alignment": ("align", "aligned", "alignment", "left"),
    "trigger": ("trigger", "source", "from", "start", "starts", "event", "loads", "gate"),
    "edge-pin": ("pin", "edge", "input"),
    "edge": ("edge", "slope", "rising", "falling", "polarity"),
    "per-trigger": ("per", "start", "mode", "span", "continuous", "scan", "gives"),
    "length": ("length", "len", "entries", "slots", "conversions", "count"),
    "listed": ("channels", "listed", "select", "mask", "scan", "inputs"),
    "channel": ("input", "channel", "select", "mux", "entry"),
    "pair": ("differential", "pair", "negative"),
    "tells-result": ("result", "each", "conversion", "interrupt", "tell"),
    "tells-scan": ("sequence", "end", "scan", "interrupt", "tell"),
    "scan-done": ("sequence", "done", "end", "scan"),
    "left": ("left", "remaining", "transfers", "count"),
    "loads": ("loads", "second", "shadow", "preload"),
    "load": ("load", "now", "software"),
    "tells-rising": ("rising", "up", "interrupt", "tell"),
    "tells-falling": ("falling", "down", "interrupt", "tell"),
    "rose": ("rose", "up", "rising", "seen"),
    "fell": ("fell", "down", "falling", "seen"),
    "sampling": ("sampling", "sample", "aperture", "aper", "acquisition", "hold"),
    "repeats": ("average", "accumulator", "many", "repeats", "oversampling", "results"),
    "shift": ("shift", "right"),
    "low-pass": ("low", "pass", "filter"),
    "delivery": ("interrupt", "deliver", "tells", "request", "dma"),
    "mark": ("watermark", "level", "mark", "fifo"),
    "done": ("done", "ready", "result", "end", "complete"),
    "result": ("result", "data", "value", "res"),
    "result-low": ("lower", "low", "byte", "result", "lo"),
    "result-high": ("upper", "high", "byte", "result", "hi"),
    "newest": ("newest", "last", "result", "fifo"),
    "result-ticks": ("stamp", "time", "ticks"),
    "queued": ("queued", "count", "fifo", "level"),
    "passes": ("count", "results", "passes", "sequence"),
    "window-on": ("threshold", "window", "guard", "on", "watch"),
    "window-channel": ("threshold", "channel", "window", "input"),
    "window-low": ("lower", "low", "limit", "threshold", "lo"),
    "window-high": ("upper", "high", "limit", "threshold", "hi"),
    "window-condition": ("outside", "inside", "condition", "threshold", "guard"),
    "window-judges": ("sum", "filtered", "raw", "compare"),
    "window-tells": ("interrupt", "threshold", "tell", "guard"),
    "window-seen": ("threshold", "met", "seen", "flag", "state", "guard"),
    "window-hysteresis": ("hysteresis", "threshold"),
    "window-target": ("target", "center", "threshold"),
    "window-every": ("every", "each", "threshold"),
    "window-stops": ("threshold",),
    "window-once": ("once", "single", "threshold"),
    "window-entered": ("entered", "inside", "threshold"),
    "window-value": ("event", "captured", "threshold"),
    "window-ticks-low": ("stamp", "low", "threshold"),
    "window-ticks-high": ("stamp", "high", "threshold"),
    "high-first": ("first", "order", "high"),
    "window-times": ("times", "row", "threshold"),
    "prescaler": ("prescaler", "pre", "divider"),
    "period": ("period", "per", "reload", "top", "less"),
    "compare": ("high", "compare", "pulse", "duty", "counts"),
    "run": ("on", "run", "enable", "start"),
    "pulse": ("pulse", "output", "enable", "on"),
    "preload": ("preload", "loads", "second", "buffered", "shadow"),
    "whole": ("whole", "dma", "loads", "second"),
    "starts-with": ("starts", "with", "trigger"),
    "request": ("request", "asks", "event", "source", "trigger"),
    "from": ("source", "from", "address"),
    "to": ("destination", "to", "address"),
    "count": ("transfers", "count", "number", "many", "items"),
    "place": ("place", "done", "transfers", "count"),
    "repeat": ("circular", "loop", "repeat", "round"),
    "from-width": ("source", "width", "from", "size"),
    "to-width": ("destination", "width", "to", "size"),
    "from-step": ("source", "rises", "increment", "up", "from", "step"),
    "to-step": ("destination", "rises", "increment", "up", "to", "step"),
    "pieces": ("pieces", "burst"),
    "half": ("half", "interrupt", "tell"),
    "full": ("end", "full", "complete", "interrupt", "tell"),
    "half-seen": ("half", "flag", "seen", "flags"),
    "full-seen": ("end", "full", "flag", "seen", "flags"),
    "buffer": ("buffer", "buf", "output"),
    "twice": ("second", "loads", "double", "register"),
    "data": ("data", "code", "value"),
    "data-bits": ("bits", "word", "length"),
    "parity": ("parity",),
    "stop-bits": ("stop", "two"),
    "sent": ("transmit", "send", "tx", "data", "byte"),
    "received": ("receive", "received", "rx", "data", "byte"),
    "room": ("free", "empty", "room", "transmit", "tx"),
    "arrived": ("full", "arrived", "receive", "rx"),
    "tells": ("interrupt", "receive", "tell", "rx"),
    "overrun": ("overrun", "lost", "rx"),
    "parity-fault": ("parity", "error", "fault"),
    "framing-fault": ("framing", "frame", "error", "fault"),
    "outputs": ("direction", "dir", "outputs", "mode"),
    "output": ("output", "out", "data"),
    "set": ("set",),
    "clear": ("clear", "clr", "reset"),
    "toggle": ("toggle", "flip", "invert"),
    "input": ("input", "in", "positive", "pos"),
    "against": ("negative", "neg", "against", "reference"),
    "threshold-pin": ("threshold", "negative", "pin"),
    "step": ("step", "level", "threshold", "internal"),
    "hysteresis": ("hysteresis", "hyst"),
    "seen": ("seen", "flag", "edge"),
    "high": ("output", "high", "state"),
    "ticks-low": ("ticks", "low", "count", "stamp"),
    "ticks-high": ("ticks", "high", "upper"),
    "send-from": ("debug", "address"),
    "send-count": ("debug", "count"),
    "waiting": ("debug", "waiting"),
    "alarm": ("alarm", "periodic"),
    "alarm-seen": ("alarm", "flag"),
}
"""Words that stand near a setting on data sheets; the first say most."""

WORDS_AGAINST: dict[str, tuple[str, ...]] = {
    "on": ("interrupt", "threshold", "accumulator", "tell", "direction", "input", "output"),
    "start": ("power", "enable", "second"),
    "run": ("interrupt", "tell", "load"),
    "result": ("sum", "lost", "interrupt", "ready", "power"),
    "done": ("lost", "interrupt", "tell", "enables", "threshold"),
    "output": ("set", "clear", "toggle", "direction", "interrupt", "clr", "enable"),
    "outputs": ("interrupt", "set", "clear"),
    "input": ("interrupt", "output", "negative", "edge"),
    "high": ("interrupt", "transmit", "upper"),
    "room": ("interrupt", "tell"),
    "arrived": ("interrupt", "tell"),
    "sent": ("interrupt", "free", "flag"),
    "received": ("interrupt", "full", "flag", "overrun"),
    "half": ("flags", "seen"),
    "full": ("flags", "seen"),
    "from": ("width", "rises"),
    "to": ("width", "rises"),
    "count": ("left", "remaining"),
    "place": ("left", "remaining"),
    "divider": ("interrupt",),
    "period": ("interrupt", "ended", "flag"),
    "whole": ("now", "load"),
    "twice": ("now", "load"),
    "seen": ("rose", "fell", "up", "down"),
    "tells-result": ("threshold", "overwritten", "lost", "end", "ready", "done"),
    "tells-scan": ("threshold", "overwritten", "lost", "done"),
    "scan-done": ("threshold", "lost", "interrupt", "tell", "enables"),
    "left": ("written",),
    "loads": ("now",),
    "load": ("loads", "what"),
    "tells-rising": ("rose", "fell"),
    "tells-falling": ("rose", "fell"),
    "rose": ("interrupt", "tell"),
    "fell": ("interrupt", "tell"),
    "window-low": ("byte", "result"),
    "window-high": ("byte", "result"),
    "result-low": ("limit", "interrupt"),
    "result-high": ("limit", "interrupt"),
}
"""Words that speak against it."""

SAME_WORDS: dict[str, tuple[str, ...]] = {
    "both": ("either", "any"),
    "conversion": ("entry", "single", "one", "each"),
    "scan": ("sequence", "group", "all"),
    "continuous": ("endless", "forever", "free"),
    "free-running": ("free", "continuous"),
    "none": ("direct", "off", "no"),
    "direct": ("none", "off", "immediate"),
    "period": ("update", "wrap"),
    "filtered": ("sum", "average", "averaged"),
    "internal": ("inside", "bandgap"),
    "supply": ("vdd", "rail"),
    "polling": ("none", "off"),
    "bus": ("system",),
    "0": ("none", "off", "no"),
}
"""Other words for choices."""
LEFT_ONES = ("less one", "minus one", "less 1", "minus 1", "- 1", "-1", "− 1")
KIND_WORDS: dict[BlockKind, tuple[str, ...]] = {
    "converter": ("converter", "adc"),
    "timer": ("timer", "counter", "pulse", "pwm", "tick"),
    "dma": ("dma", "mover", "move"),
    "dac": ("dac",),
    "uart": ("uart", "usart", "serial"),
    "port": ("port", "gpio", "pins"),
    "comparator": ("comparator", "comp", "cmp"),
    "system": ("system", "clock"),
}


@lru_cache(4096)
def tokens_of(text: str) -> frozenset[str]:
    """Words and numbers of a name or a text, in small letters."""
    spaced = re.sub(r"([a-z])([A-Z])", r"\1 \2", text)
    return frozenset(re.findall(r"[a-z]+|\d+", spaced.lower()))


def has_word(tokens: Iterable[str], word: str) -> bool:
    """Whether a word is among some, whole or as their beginning."""
    return any(_is_word(token, word) for token in tokens)


def _is_word(token: str, word: str) -> bool:
    return (
        token == word
        or (len(word) > 3 and token.startswith(word))
        or (len(token) > 3 and word.startswith(token))
    )


_VOCABULARY = frozenset(
    word for table in (SETTING_WORDS, WORDS_AGAINST) for words in table.values() for word in words
)


@lru_cache(20_000)
def _words_of(token: str) -> frozenset[str]:
    return frozenset(word for word in _VOCABULARY if _is_word(token, word))


@lru_cache(20_000)
def words_in(text: str) -> frozenset[str]:
    """Words of settings that a name or a text has."""
    return frozenset().union(*(_words_of(token) for token in tokens_of(text)))
