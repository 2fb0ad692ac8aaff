"""The window: the only code that knows PyQt6."""
