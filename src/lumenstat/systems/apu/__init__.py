"""The auxiliary power unit."""
