"""A simulated garden whose truth is known."""
