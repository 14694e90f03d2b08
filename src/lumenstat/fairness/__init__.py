"""Fair before class: every plausible flight of an exercise, flown by the model, judged, held against what is due."""
