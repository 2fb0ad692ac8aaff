"""How signals are told from each other wherever they are drawn, on screen and on paper: by the place in their project."""

ON_PAPER = (
    "#B4552D",
    "#1E6F69",
    "#4B5BA7",
    "#8A4A86",
    "#6F7722",
    "#54616E",
    "#A8751A",
    "#B04A6A",
)
"""Colours."""
DASHES = ("", "", "", "", "6 3", "6 3", "1.5 3", "6 3 1.5 3")
"""Strokes and gaps of the captured line, in widths of it; "" for one without gaps."""
