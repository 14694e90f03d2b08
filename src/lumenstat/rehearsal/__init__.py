"""The model flies the checklist by itself: the perfect flight."""
