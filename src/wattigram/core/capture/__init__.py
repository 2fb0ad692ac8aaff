"""Streams as they come: ports, sessions, takes and instruments."""
