"""Computes where things stand on a drawing; templates only place them."""
