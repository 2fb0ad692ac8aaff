"""Designs as silicon has them: settings and registers, and the configuration that a board runs
from."""
