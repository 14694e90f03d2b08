"""Load, kills and fuzz against a real server on this machine's loopback address."""
