"""A round in the garden: unit after unit, nothing lost without signal."""
