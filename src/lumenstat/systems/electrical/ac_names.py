"""States of the AC side that other parts go by."""

NO_SOURCE = -1.0
"""The root of a bus that hangs on nothing."""


def root(bus: str) -> str:
    """The state that tells the number of the source that an AC bus is fed from in the end."""
    return f"bus.{bus}.root"


def fed_by(bus: str) -> str:
    """The state that names what feeds an AC bus."""
    return f"bus.{bus}.fed_by"


def carts_brought(supply: str) -> str:
    """The state that counts how often the crew have brought another cart to a plug."""
    return f"source.{supply}.carts_brought"
