"""Inertial units and the gyros that some of them take their heading from."""
