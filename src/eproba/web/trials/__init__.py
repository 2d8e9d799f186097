"""The trials: the list, and one trial with its ground and days."""
