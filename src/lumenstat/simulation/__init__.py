"""What the aircraft does: a deterministic model on integer ticks of 10 ms, compiled from an airframe document."""
