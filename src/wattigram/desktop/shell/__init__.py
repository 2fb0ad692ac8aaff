"""The window itself: start, frame, pages in it, appearance, ending, faults."""
