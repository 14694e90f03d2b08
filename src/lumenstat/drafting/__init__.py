"""Exercises being written: drafts as YAML text, edits that keep comments, and items made from what was pointed at."""
