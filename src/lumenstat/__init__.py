"""Lumenstat: checklist-driven cold-and-dark startup exercises on a modelled aircraft.

A training aid only. The approved manual, the operator's procedures, local rules and licensed staff come first.
"""

from importlib.metadata import version

__version__ = version("lumenstat")
ENGINE_VERSION = f"lumenstat {__version__}"
