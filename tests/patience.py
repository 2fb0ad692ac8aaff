"""How long tests wait for what must come.

No result depends on it: what comes ends the wait at once, whether the machine is quick or busy. Only
a program that hangs is found by it.
"""

from __future__ import annotations

PATIENCE_S = 100.0
PATIENCE_MS = int(PATIENCE_S * 1000)
