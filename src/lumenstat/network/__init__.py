"""Volts and amps of a DC network of branches: mathematics alone, it knows no aircraft."""
