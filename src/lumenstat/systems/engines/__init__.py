"""Engines of four kinds, put together from the same parts."""
