"""Exercises in progress: the wall clock, the log, and who is looking."""
