"""The inspector's widgets."""
