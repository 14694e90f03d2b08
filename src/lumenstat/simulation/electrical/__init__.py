"""The DC network, the batteries and which source feeds which AC bus."""
