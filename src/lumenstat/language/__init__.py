"""What every document is written with: values and their units, expressions, sources with line numbers, checks."""
